"""A light even mesh of a scan on which a layout is made; the layout is fitted to the scan itself."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.errors import ArabesqueError
from arabesque.layout.part import largest_piece
from arabesque.layout.rim_lines import with_calm_rims
from arabesque.layout.seams import joined_corners
from arabesque.layout.sharp_lines import NO_LINES, drawn_in
from arabesque.mending import even_along, reduce_triangles
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan

TRIANGLES = 16_000
BEFORE = 2.5
"""So many times more triangles are left by the first, quick reduction."""
DENSER = 0.7
"""Of the length of edges: those among which lines are drawn."""


def proxy_of(scan: Scan, count: int = TRIANGLES, progress: Progress = silent) -> Scan:
    """About ``count`` even triangles over the largest piece of a scan, with as many openings and handles as it has."""
    return proxy_along(scan, (), count, progress)[0]


def proxy_along(
    scan: Scan, lines: Sequence[Floats], count: int = TRIANGLES, progress: Progress = silent
) -> tuple[Scan, Ints]:
    """Such triangles with edges along polylines (k, 3) on the scan, and (e, 2) the points of these edges."""
    largest = parted(largest_piece(scan))
    light = largest
    if len(largest.triangles) > BEFORE * count:
        try:
            light = reduce_triangles(largest, round(BEFORE * count), part(progress, 0.0, 0.4))
        except ArabesqueError:
            light = largest  # slower, and as sound as the scan is
        if euler_number(light) != euler_number(largest):
            light = largest
    area = light.area
    edge = float(np.sqrt(4 / np.sqrt(3) * area / count))
    pairs = NO_LINES
    if lines:
        # a reduced mesh may have no points beside a line
        light, pairs = drawn_in(even_along(light, DENSER * edge, NO_LINES, part(progress, 0.4, 0.6))[0], lines)
    made, pairs = even_along(light, edge, pairs, part(progress, 0.6 if lines else 0.4, 1.0))
    return with_calm_rims(without_ears(made)), pairs


def euler_number(scan: Scan) -> int:
    """Points less edges plus triangles: 2 for a ball, 0 for a ring, less 1 for every opening."""
    used = int(np.unique(scan.triangles).size)
    return used - len(scan.edges[0]) + len(scan.triangles)


def without_ears(scan: Scan) -> Scan:
    """The scan with the inner side of every triangle that has two sides on a rim turned: rows along a straight rim
    have no room in such a triangle."""
    triangles = scan.triangles.copy()
    lone = scan.across < 0
    for ear in np.flatnonzero(lone.sum(axis=1) == 2).tolist():
        side = int(np.flatnonzero(~lone[ear])[0])
        other = int(scan.across[ear, side])
        a, b, c = (int(p) for p in np.roll(scan.triangles[ear], -side))
        d = next(int(p) for p in scan.triangles[other] if p not in (a, b))
        if lone[other].any() or not _unchanged(scan, triangles, ear, other):
            continue
        triangles[ear], triangles[other] = (a, d, c), (d, b, c)
    return Scan(scan.points, triangles)


def _unchanged(scan: Scan, triangles: Ints, *which: int) -> bool:
    return all((triangles[k] == scan.triangles[k]).all() for k in which)


def parted(scan: Scan) -> Scan:
    """The scan with a point for each fan of triangles where several touch in one."""
    corner, count = joined_corners(scan.shared_sides, len(scan.triangles))
    if count == np.unique(scan.triangles).size:
        return scan
    points = np.empty((count, 3))
    points[corner.ravel()] = scan.points[scan.triangles.ravel()]
    return Scan(points, corner)
