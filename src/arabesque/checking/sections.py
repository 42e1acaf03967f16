"""Sections of scans and surfaces: by families of parallel planes, and by planes that lie anyhow."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from arabesque.arrays import Floats, Ints
from arabesque.checking.distance import Distances
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane, arc_length, rotation_about, unit
from arabesque.scan import Scan
from arabesque.shapes import Samples

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


@dataclass(frozen=True, eq=False)
class PlaneSet:
    """Planes that lie anyhow."""

    planes: tuple[Plane, ...]

    def __post_init__(self) -> None:
        if len(self.planes) > MOST_PLANES:
            raise ArabesqueError(f"That makes {len(self.planes)} sections", "Choose a wider spacing")

    @classmethod
    def around(cls, place: Floats, axis: Floats, degrees: float, start: float = 0.0) -> PlaneSet:
        """Planes through an axis, turned by ``degrees`` from one to the next."""
        if not 0 < degrees <= 180:
            raise ArabesqueError("Sections round an axis need an angle", "Give more than 0 and at most 180 degrees")
        axis = unit(np.asarray(axis, dtype=float))
        first = unit(np.cross(axis, np.eye(3)[np.abs(axis).argmin()]))
        count = max(1, round(180 / degrees))
        turns = [start + 180 * k / count for k in range(count)]
        return cls(tuple(Plane.through(place, rotation_about(axis, turn) @ first) for turn in turns))

    @classmethod
    def across(cls, curve: Curve, spacing: float) -> PlaneSet:
        """Planes square to a curve, ``spacing`` mm apart along it, from its start."""
        if not spacing > 0:
            raise ArabesqueError("Sections need a distance from each other", "Give a spacing above 0, such as 10 mm")
        length = arc_length(curve)
        count = int(length / spacing + 1e-9)
        dense = np.linspace(*curve.domain, 64 * curve.spans + 1)
        d = curve.derivatives(dense, 1)
        along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(d[0], axis=0), axis=1))])
        t = np.interp(spacing * np.arange(count + 1) * along[-1] / length, along, dense)
        places, ways = curve.derivatives(t, 1)
        return cls(tuple(Plane.through(place, way) for place, way in zip(places, ways, strict=True)))


Cuts = Family | PlaneSet


class Sections(NamedTuple):
    """(k, 2, 3) segments, and (k,) the number of the plane that each lies in."""

    segments: Floats
    plane: Ints


def scan_sections(scan: Scan, cuts: Cuts) -> Sections:
    """Where planes cut a scan; raises ArabesqueError for far too many planes."""
    if isinstance(cuts, Family):
        return cut_triangles(scan.points, scan.triangles, cuts.heights(scan.points))
    return _one_by_one(scan.points, scan.triangles, scan.points, cuts)


def shape_sections(measured: Distances, cuts: Cuts, enlarge: float = 1.0) -> Sections:
    """Where planes cut a measured shape.

    enlarge: the gap to the scan is drawn
    this many times larger, along the surface's normal as far as it lies in
    the plane.
    """
    points, triangles = measured.samples.points, measured.samples.triangles
    if isinstance(cuts, Family):
        drawn = _enlarged(measured, cuts.direction, enlarge)
        return cut_triangles(drawn, triangles, cuts.heights(points))
    drawn = np.array([_enlarged(measured, p.normal, enlarge) for p in cuts.planes]) if enlarge != 1 else points
    return _one_by_one(drawn, triangles, points, cuts)


def sample_sections(samples: Samples, cuts: PlaneSet) -> Sections:
    """Where planes cut a sampled shape."""
    return _one_by_one(samples.points, samples.triangles, samples.points, cuts)


class Places(NamedTuple):
    """Where the segments of sections lie on a shape: (k, 2) parts, (k, 2, 2) parameters there, (k, 2, 3) points, and
    (k, 3) the normal of each one's plane."""

    part: Ints
    uv: Floats
    points: Floats
    planes: Floats


def section_places(samples: Samples, cuts: Cuts) -> Places:
    """The places at which planes cut a sampled shape."""
    # a triangle's corners lie on one part, so that what is between them does too
    carried = np.column_stack([samples.uv, samples.part])
    if isinstance(cuts, Family):
        heights = cuts.heights(samples.points)
        found = cut_triangles(carried, samples.triangles, heights)
        points = cut_triangles(samples.points, samples.triangles, heights).segments
        planes = np.tile(cuts.direction, (len(found.plane), 1))
    else:
        found = _one_by_one(carried, samples.triangles, samples.points, cuts)
        points = sample_sections(samples, cuts).segments
        planes = np.array([plane.normal for plane in cuts.planes])[found.plane]
    return Places(np.rint(found.segments[..., 2]).astype(np.int64), found.segments[..., :2], points, planes)


def _enlarged(measured: Distances, direction: Floats, enlarge: float) -> Floats:
    samples = measured.samples
    if enlarge == 1.0:
        return samples.points
    gap = np.where(measured.valid, measured.distance, 0.0)[:, None]
    # within the plane, so that scan and surface stay comparable
    across = samples.normals - (samples.normals @ direction)[:, None] * direction
    return samples.points + (enlarge - 1.0) * gap * across


def _one_by_one(drawn: Floats, triangles: Ints, points: Floats, cuts: PlaneSet) -> Sections:
    """Each plane by itself; ``drawn``: what is put in place of the points, one array for all or one a plane."""
    segments, numbers = [np.empty((0, 2, 3))], [np.empty(0, dtype=np.int64)]
    for number, plane in enumerate(cuts.planes):
        heights = plane.height(points)
        # between -1 and 1, so that only level 0 is passed
        size = 1.01 * float(np.abs(heights).max(initial=1e-12))
        values = drawn if drawn.ndim == 2 else drawn[number]
        found = cut_triangles(values, triangles, heights / size)
        segments.append(found.segments)
        numbers.append(np.full(len(found.plane), number))
    return Sections(np.concatenate(segments), np.concatenate(numbers))


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
