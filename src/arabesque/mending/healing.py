"""Removing a part of a scan and closing the gap so that the surroundings go on."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Bools
from arabesque.errors import ArabesqueError
from arabesque.mending.filling import Fill, Filled, fill
from arabesque.mending.openings import openings
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan, kept, pieces


def remove(scan: Scan, mask: Bools) -> Scan:
    """The scan without the triangles in a mask; raises ArabesqueError when nothing would be left or removed."""
    if not mask.any():
        raise ArabesqueError("Nothing is marked", "Mark what is to go: click, brush or draw round it")
    if mask.all():
        raise ArabesqueError("The whole scan is marked", "Leave at least a part of it")
    return kept(scan, ~mask)


def heal(scan: Scan, mask: Bools, way: Fill = Fill.CURVED, progress: Progress = silent) -> Filled:
    """Remove the triangles in a mask and close the openings that this makes.

    Openings that were there before stay, unless the mask touches them: then
    they are closed with the gap, all but the outer rim. Scraps of triangles
    that hang on to the scan by a single point are removed too.

    Raises ArabesqueError when nothing can be removed, or the gap reaches the
    outer rim so that there is nothing to continue from one side.
    """
    progress(0.0, "Removing what is marked")
    mask = _without_scraps(scan, mask)
    left = remove(scan, mask)
    touched = np.zeros(len(scan.points), dtype=bool)
    touched[scan.triangles[mask].ravel()] = True
    used = np.zeros(len(scan.points), dtype=bool)
    used[scan.triangles[~mask].ravel()] = True
    near = touched[used]
    found = openings(left)
    gaps = [o for o in found if near[o.ring].mean() > 0.1]
    if any(o.outer and near[o.ring].sum() > 1 for o in found) and len(scan.border_edges):
        raise ArabesqueError(
            "What is marked reaches the outer rim, so that nothing is there to go on from",
            "Cut the scan instead, or mark less",
        )
    return fill(left, gaps, way, part(progress, 0.1, 1.0))


def _without_scraps(scan: Scan, mask: Bools) -> Bools:
    """The mask with the small pieces that removing it would leave loose."""
    if mask.all() or not mask.any():
        return mask
    rest = kept(scan, ~mask)
    piece = pieces(rest)
    before = int(pieces(scan).max()) + 1
    sizes = np.bincount(piece)
    if len(sizes) <= before:
        return mask
    small = sizes < max(50, 0.001 * len(scan.triangles))
    grown = mask.copy()
    grown[np.flatnonzero(~mask)[small[piece]]] = True
    return grown if not grown.all() else mask
