"""Fewer triangles for the same shape."""

from __future__ import annotations

import fast_simplification
import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.mending.filling import Fill, fill
from arabesque.mending.openings import openings
from arabesque.mending.tidying import uncrowded
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, compact, examine, kept

MENDED_RING = 12
"""Gaps of up to so many points that mending the library's result leaves are closed."""


def reduce_triangles(scan: Scan, count: int, progress: Progress = silent) -> Scan:
    """The scan in about ``count`` triangles, fewest where it is flat.

    Garland and Heckbert, "Surface simplification using quadric error
    metrics", SIGGRAPH 1997, by the library fast-simplification; its result is
    taken only when it is as sound as the scan was.

    Raises ArabesqueError for a count without sense, or a result that is damaged.
    """
    if not 4 <= count < len(scan.triangles):
        raise ArabesqueError(
            f"{count} triangles are no reduction of {len(scan.triangles)}", "Ask for fewer than there are, at least 4"
        )
    progress(0.0, "Lowering the triangle count")
    points, faces = fast_simplification.simplify(
        np.array(scan.points), np.array(scan.triangles, dtype=np.int32), target_count=count
    )
    faces = np.asarray(faces, dtype=np.int64)
    if not len(faces):
        raise ArabesqueError("Nothing was left of the scan", "Ask for more triangles")
    progress(0.8, "Checking the result")
    light = _without_flat(Scan(*compact(np.asarray(points, dtype=float), faces)))
    after = examine(light)
    if not after.sound:
        light = _mended(light)
        after = examine(light)
    # a perfect result needs no comparison, which costs as long as the reduction of a large scan
    perfect = after.sound and after.pieces == 1 and (after.open_edges == 0 or len(scan.border_edges) > 0)
    faults = [] if perfect else after.worse_than(examine(scan))
    if faults:
        raise ArabesqueError(
            f"Lowering the count to {count} would damage the scan: {', '.join(faults)}",
            "Tidy the scan first, ask for more triangles, or make even triangles instead",
        )
    return light


def _mended(scan: Scan) -> Scan:
    """The scan without the few triangles that hang on wrongly, the small gaps they leave closed."""
    clean, _ = uncrowded(scan)
    small = [o for o in openings(clean) if not o.outer and len(o.ring) <= MENDED_RING]
    return fill(clean, small, Fill.FLAT).scan if small else clean


def _without_flat(scan: Scan) -> Scan:
    areas = scan.areas
    good = areas > 0
    return scan if good.all() else kept(scan, good)
