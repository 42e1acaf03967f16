"""The openings of a scan: their size, and which of them is its outer rim."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.geometry import unit
from arabesque.scan import Scan, pieces, rims, ring_length

OUTER_SHARE = 0.5
"""A rim as wide as this share of its piece of the scan is where the scan ends, not a hole in it."""


@dataclass(frozen=True, eq=False)
class Opening:
    """A closed rim. ring: (k,) point indices, the way missing triangles would run.

    length: of the rim, mm. width: largest distance across, mm. outer: it is
    where the scan ends. middle: (3,).
    """

    ring: Ints
    length: float
    width: float
    outer: bool
    middle: Floats


def openings(scan: Scan) -> list[Opening]:
    """All openings of a scan, the largest first."""
    found = rims(scan)
    if not found:
        return []
    piece = pieces(scan)
    of_point = np.zeros(len(scan.points), dtype=np.int64)
    of_point[scan.triangles.ravel()] = np.repeat(piece, 3)
    result = []
    sizes: dict[int, float] = {}
    for ring in found:
        number = int(of_point[ring[0]])
        if number not in sizes:
            sizes[number] = _across(scan.points[of_point == number])
        points = scan.points[ring]
        width = _across(points)
        outer = width > OUTER_SHARE * sizes[number]
        result.append(Opening(ring, ring_length(scan, ring), width, outer, points.mean(axis=0)))
    return result


def _across(points: Floats) -> float:
    """About the largest distance between two of the points: the widest extent along 13 directions."""
    grid = np.array([(x, y, z) for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1)], dtype=float)
    return float(np.ptp(points @ unit(grid[14:]).T, axis=0).max())
