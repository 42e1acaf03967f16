"""Walks over the triangles of a scan: along a plane, and over all that a ring of walls encloses."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from arabesque.arrays import Floats, Ints
from arabesque.scan.mesh import Scan

LONGEST = 4.0
"""A walk along a plane gives up when it is so many times as long as the straight way."""


class Walk(NamedTuple):
    """points: (n, 3) where the way crosses the edges, ends included. triangles: those it runs through, in order.
    arrived: false where it came to a rim, or ran too long, before it was there."""

    points: Floats
    triangles: Ints
    arrived: bool

    @property
    def length(self) -> float:
        """mm."""
        return float(np.linalg.norm(np.diff(self.points, axis=0), axis=1).sum())


def walk_along_plane(
    scan: Scan, start: tuple[Floats, int], end: tuple[Floats, int], normal: Floats, backward: bool = False
) -> Walk:
    """The way on the scan from one place to another that stays in a plane.

    start, end: (3,) places on the scan and their triangles. normal: (3,) of the plane, which goes through both
    places. backward: set out away from the end, as on the way round a closed form.
    """
    (a, first), (b, last) = start, end
    corners = scan.points[scan.triangles[first]]
    # a little inside its triangle, so that the plane runs through no corner of it
    inside = a + 1e-3 * (corners.mean(axis=0) - a)
    heading = np.cross(np.cross(normal, b - a), normal)
    limit = LONGEST * float(np.linalg.norm(b - a))
    points, triangles, arrived = _walk(
        scan.points, scan.triangles, scan.across, inside, first, np.asarray(b, dtype=np.float64), last,
        np.asarray(normal, dtype=np.float64), -heading if backward else heading, limit,
    )  # fmt: skip
    way = [a[None], points, np.asarray(b)[None]] if arrived else [a[None], points]
    return Walk(np.concatenate(way), triangles, bool(arrived))


def walk_ahead(
    scan: Scan, start: tuple[Floats, int], direction: Floats, up: Floats, length: float
) -> tuple[Floats, int, Floats, bool]:
    """Where one comes who sets out from a place on the scan and goes straight on for so many mm.

    direction, up: (3,) the plane of the way. Returns the place, its triangle, the direction there, and whether the
    length was reached before a rim.
    """
    place, triangle = start
    corners = scan.points[scan.triangles[triangle]]
    inside = place + 1e-3 * (corners.mean(axis=0) - place)
    normal = np.cross(direction, up)
    points, triangles, _ = _walk(
        scan.points, scan.triangles, scan.across, inside, triangle, np.full(3, np.inf), -1, normal,
        np.asarray(direction, dtype=np.float64), length,
    )  # fmt: skip
    way = np.concatenate([np.asarray(place)[None], points])
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(way, axis=0), axis=1))])
    if len(way) < 2:
        return place, triangle, direction, False
    last = min(int(np.searchsorted(along, length)), len(way) - 1)
    share = min(1.0, (length - along[last - 1]) / max(along[last] - along[last - 1], 1e-300))
    step = way[last] - way[last - 1]
    there = way[last - 1] + share * step
    size = float(np.linalg.norm(step))
    return there, int(triangles[last - 1]), step / size if size > 0 else direction, bool(along[-1] >= length)


def enclosed(scan: Scan, walls: Ints, seeds: Ints, most: float) -> Ints | None:
    """The triangles that walls enclose, walls among them; None where it is more than ``most`` mm², for there is a gap.

    walls: triangles that are not stepped over. seeds: triangles inside.
    """
    state = np.zeros(len(scan.triangles), dtype=np.uint8)
    state[walls] = 1
    inside = seeds[state[seeds] == 0]
    areas = scan.areas
    found, whole = _flood(scan.across, state, inside, areas, most)
    return np.concatenate([np.unique(walls), found]) if whole else None


@njit(cache=True, nogil=True, error_model="numpy")
def _walk(points, triangles, across, start, first, end, last, normal, heading, limit):  # type: ignore[no-untyped-def]
    """Crossings with the edges, the triangles walked through, and whether the end was reached."""
    size = 1024
    places, visited = np.empty((size, 3)), np.empty(size, dtype=np.int64)
    count = 0
    triangle, entered = first, -1
    length = 0.0
    before = start.copy()
    crossing = np.empty(3)
    heights = np.empty(3)
    while True:
        if count + 1 >= size:
            more, names = np.empty((2 * size, 3)), np.empty(2 * size, dtype=np.int64)
            more[:size], names[:size] = places, visited
            places, visited, size = more, names, 2 * size
        visited[count] = triangle
        if triangle == last:
            return places[:count], visited[: count + 1], True
        for k in range(3):
            corner = points[triangles[triangle, k]]
            heights[k] = (
                (corner[0] - start[0]) * normal[0] + (corner[1] - start[1]) * normal[1]
                + (corner[2] - start[2]) * normal[2]
            )  # fmt: skip
        leave, furthest = -1, -np.inf
        for k in range(3):
            if k == entered or (heights[k] >= 0.0) == (heights[(k + 1) % 3] >= 0.0):
                continue
            share = heights[k] / (heights[k] - heights[(k + 1) % 3])
            along = 0.0
            for c in range(3):
                p, q = points[triangles[triangle, k], c], points[triangles[triangle, (k + 1) % 3], c]
                along += (p + share * (q - p) - start[c]) * heading[c]
            # only in the first triangle is there a choice
            if along > furthest:
                leave, furthest = k, along
        if leave < 0:
            return places[:count], visited[: count + 1], False
        share = heights[leave] / (heights[leave] - heights[(leave + 1) % 3])
        step, missed = 0.0, 0.0
        for c in range(3):
            p, q = points[triangles[triangle, leave], c], points[triangles[triangle, (leave + 1) % 3], c]
            crossing[c] = p + share * (q - p)
            step += (crossing[c] - before[c]) ** 2
            missed += (crossing[c] - end[c]) ** 2
        places[count] = crossing
        count += 1
        before[:] = crossing
        length += np.sqrt(step)
        # the plane goes past the end within a hair: a triangle that has the end on its edge is near enough
        if missed <= step and missed < 1e-4 * limit * limit and _touches(triangles, triangle, last):
            return places[: count - 1], visited[:count], True
        following = across[triangle, leave]
        if following < 0 or length > limit or following == first:
            return places[:count], visited[:count], False
        entered = -1
        for k in range(3):
            if across[following, k] == triangle:
                entered = k
        triangle = following


@njit(cache=True, nogil=True, error_model="numpy")
def _touches(triangles, one, two):  # type: ignore[no-untyped-def]
    for i in range(3):
        for k in range(3):
            if triangles[one, i] == triangles[two, k]:
                return True
    return False


@njit(cache=True, nogil=True, error_model="numpy")
def _flood(across, state, seeds, areas, most):  # type: ignore[no-untyped-def]
    found = np.empty(len(state), dtype=np.int64)
    count = 0
    total = 0.0
    for seed in seeds:
        if state[seed] == 0:
            state[seed] = 2
            found[count] = seed
            count += 1
    at = 0
    while at < count:
        total += areas[found[at]]
        if total > most:
            return found[:count], False
        for k in range(3):
            beside = across[found[at], k]
            if beside >= 0 and state[beside] == 0:
                state[beside] = 2
                found[count] = beside
                count += 1
        at += 1
    return found[:count], True
