"""Which pieces of surfaces the scan shows."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.joining.pieces import Pieces
from arabesque.scan import Scan

ALONG = 24
"""Places along a side of a surface at which its pieces are compared with the scan."""
SHARE = 0.5
"""Of a piece's area: with less of it on the scan, the scan does not show it."""


def covered(pieces: Pieces, scan: Scan, tolerance: float) -> Floats:
    """(n,) which share of each piece's area lies within a tolerance, mm, of the scan."""
    shares = np.zeros(len(pieces.pieces))
    for number in range(len(shares)):
        face = pieces.kept([number])
        samples = face.sampler(ALONG).read(face)
        if len(samples.points):
            near = scan.closest(samples.points).distance <= tolerance
            shares[number] = samples.areas[near].sum() / max(samples.areas.sum(), 1e-300)
    return shares


def shown_by(pieces: Pieces, scan: Scan, tolerance: float) -> Bools:
    """(n,) which pieces the scan shows: at least half of them lies within the tolerance."""
    return np.asarray(covered(pieces, scan, tolerance) >= SHARE)
