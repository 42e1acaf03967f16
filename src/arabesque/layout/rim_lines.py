"""Rims as lines with corners: rows run along them, whatever the last triangles of a scan look like."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, unit
from arabesque.layout.triangles import angles_round
from arabesque.scan import Scan, rims

WINDOW = 4
"""Edges on both sides by which a corner is seen."""
CORNER = 50.0
"""Degrees by which a rim turns at a corner."""
AROUND = 2
CALMINGS = 8


class RimLine(NamedTuple):
    """ring: (k,) points of a rim, as missing triangles would run. corner: (k,). ways: (k, 3) unit, how the rim runs
    from each point to the next as a line."""

    ring: Ints
    corner: Bools
    ways: Floats


def rim_lines(scan: Scan) -> list[RimLine]:
    """All rims of a scan with their corners: a rim turns where the angles of its triangles say so, for a line that is
    bent with the surface alone runs straight on."""
    turn = np.degrees(np.pi - angles_round(scan))
    return [_line(scan.points[ring], ring, turn[ring]) for ring in rims(scan)]


def _line(points: Floats, ring: Ints, turn: Floats) -> RimLine:
    k = len(ring)
    reach = min(WINDOW, max(1, k // 8))
    shifts = range(-reach, reach + 1)
    total = np.abs(np.sum([np.roll(turn, shift) for shift in shifts], axis=0))
    # of a turn that is spread over some points the middle one is the corner
    spread = np.sum([np.roll(total, shift) for shift in shifts], axis=0)
    most = np.max([np.roll(spread, shift) for shift in range(-2 * reach, 2 * reach + 1)], axis=0)
    # small openings are round
    corner: Bools = (total > CORNER) & (spread == most) & (k >= 6 * WINDOW)
    ways = np.empty((k, 3))
    for i in range(k):
        start, end = i, i + 1
        for _ in range(min(AROUND, k // 4)):
            if not corner[start % k]:
                start -= 1
            if not corner[end % k]:
                end += 1
        ways[i] = points[end % k] - points[start % k]
    return RimLine(ring, corner, unit(ways))


def with_calm_rims(scan: Scan) -> Scan:
    """The scan with the points of its rims drawn to the middle of their neighbours along them, but for corners."""
    points = scan.points.copy()
    for line in rim_lines(scan):
        if len(line.ring) < 2 * WINDOW:
            continue
        free = ~line.corner
        own = points[line.ring]
        for number in range(CALMINGS):
            middle = (np.roll(own, 1, axis=0) + np.roll(own, -1, axis=0)) / 2
            # there and back, so that rings keep their size (Taubin, "A signal processing approach to fair surface
            # design", SIGGRAPH 1995)
            own = np.where(free[:, None], own + (0.5 if number % 2 == 0 else -0.52) * (middle - own), own)
        points[line.ring] = own
    return Scan(points, scan.triangles)
