"""Sections of scans and surfaces by families of parallel planes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from arabesque.arrays import Floats, Ints
from arabesque.checking.distance import Grid
from arabesque.errors import ArabesqueError
from arabesque.geometry import unit
from arabesque.scan import Scan

MOST_PLANES = 2000


@dataclass(frozen=True, eq=False)
class Family:
    """Planes across a direction, ``spacing`` mm apart, one of them at ``start`` mm along it from the origin."""

    direction: Floats
    spacing: float = 10.0
    start: float = 0.0

    def __post_init__(self) -> None:
        if not self.spacing > 0:
            raise ArabesqueError("Sections need a distance from each other", "Give a spacing above 0, such as 10 mm")
        object.__setattr__(self, "direction", unit(np.asarray(self.direction, dtype=float)))

    def heights(self, points: Floats) -> Floats:
        """(n,) places of points in the family: whole numbers lie in a plane."""
        return (points @ self.direction - self.start) / self.spacing


class Sections(NamedTuple):
    """(k, 2, 3) segments, and (k,) the number of the plane that each lies in."""

    segments: Floats
    plane: Ints


def scan_sections(scan: Scan, family: Family) -> Sections:
    """Where a family of planes cuts a scan; raises ArabesqueError for far too many planes."""
    return cut_triangles(scan.points, scan.triangles, family.heights(scan.points))


def grid_sections(grid: Grid, triangles: Ints, family: Family, enlarge: float = 1.0) -> Sections:
    """Where a family of planes cuts a measured surface.

    triangles: over the grid's points. enlarge: the gap to the scan is drawn
    this many times larger, along the surface's normal; the section stays in
    the plane of the true one only where the normal lies in it.
    """
    points = grid.points.reshape(-1, 3)
    heights = family.heights(points)
    if enlarge != 1.0:
        gap = np.where(grid.valid, grid.distance, 0.0).reshape(-1, 1)
        normals = grid.normals.reshape(-1, 3)
        # within the plane, so that scan and surface stay comparable
        across = normals - (normals @ family.direction)[:, None] * family.direction
        points = points + (enlarge - 1.0) * gap * across
    return cut_triangles(points, triangles, heights)


def cut_triangles(points: Floats, triangles: Ints, heights: Floats) -> Sections:
    """Segments where whole-numbered levels of (n,) heights pass the triangles (contour lines, as on maps)."""
    low, high = float(np.floor(heights.min())), float(np.ceil(heights.max()))
    if high - low > MOST_PLANES:
        raise ArabesqueError(f"That makes {high - low:.0f} sections", "Choose a wider spacing")
    counts = _count(triangles, heights)
    segments = np.empty((counts, 2, 3))
    plane = np.empty(counts, dtype=np.int64)
    _fill(np.ascontiguousarray(points), triangles, heights, segments, plane)
    return Sections(segments, plane)


@njit(cache=True, nogil=True, error_model="numpy")
def _levels(heights, triangles, t):  # type: ignore[no-untyped-def]
    """First and last whole number that a triangle passes; a level through its lowest corner does not count."""
    a, b, c = heights[triangles[t, 0]], heights[triangles[t, 1]], heights[triangles[t, 2]]
    return int(np.floor(min(a, b, c))) + 1, int(np.floor(max(a, b, c)))


@njit(cache=True, nogil=True, error_model="numpy")
def _count(triangles, heights):  # type: ignore[no-untyped-def]
    total = 0
    for t in range(len(triangles)):
        first, last = _levels(heights, triangles, t)
        total += max(0, last - first + 1)
    return total


@njit(cache=True, nogil=True, error_model="numpy")
def _fill(points, triangles, heights, segments, plane):  # type: ignore[no-untyped-def]
    at = 0
    for t in range(len(triangles)):
        first, last = _levels(heights, triangles, t)
        for level in range(first, last + 1):
            found = 0
            for k in range(3):
                i, j = triangles[t, k], triangles[t, (k + 1) % 3]
                hi, hj = heights[i] - level, heights[j] - level
                # a corner in the plane counts as above it, so that every triangle gives two ends or none
                if (hi >= 0.0) == (hj >= 0.0) or found == 2:
                    continue
                share = hi / (hi - hj)
                for c in range(3):
                    segments[at, found, c] = points[i, c] + share * (points[j, c] - points[i, c])
                found += 1
            plane[at] = level
            at += 1
