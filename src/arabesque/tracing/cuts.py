"""Sections of a scan as lines in order: where planes cut it, chained from triangle to triangle."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numba import njit

from arabesque.arrays import Floats, Ints
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane, arc_length, curve_feet, rotation_about, unit
from arabesque.scan import Scan

MOST_SECTIONS = 1000
INSIDE = 0.01
"""Of the extent: the first and the last section stay so far inside, where the scan still has a section."""


@dataclass(frozen=True, eq=False)
class CutLine:
    """One line of a section. points: (n, 3) in order; of a closed line the start is not repeated. plane: where it
    lies."""

    points: Floats
    closed: bool
    plane: Plane

    @cached_property
    def length(self) -> float:
        """mm."""
        ring = np.vstack([self.points, self.points[:1]]) if self.closed else self.points
        return float(np.linalg.norm(np.diff(ring, axis=0), axis=1).sum())

    @property
    def middle(self) -> Floats:
        """(3,) mean of its places."""
        return np.asarray(self.points.mean(axis=0))


class Cut(NamedTuple):
    """Where a section is cut. side: (2, 3) a place and a direction; only what lies that way of the place counts."""

    plane: Plane
    side: Floats | None = None


class Heights:
    """How high the points of a scan lie along a direction, and how far its triangles reach: for many parallel cuts."""

    def __init__(self, scan: Scan, normal: Floats) -> None:
        self.normal = normal
        self.scan = scan
        self.points = scan.points @ normal
        self._low, self._high = _reach(self.points, scan.triangles)

    def near(self, offset: float) -> Ints:
        """The triangles that a plane passes."""
        return self.scan.triangles[(self._low < offset) & (self._high >= offset)]


def cut_scan(scan: Scan, cut: Cut, heights: Heights | None = None) -> list[CutLine]:
    """The lines in which a plane cuts a scan, or those parts on its side, the longest first.

    heights: along the plane's normal, where they are known from another cut.
    """
    plane = cut.plane
    if heights is None:
        found = level_lines(scan.points, scan.triangles, plane.height(scan.points))
    else:
        found = level_lines(scan.points, heights.near(plane.offset), heights.points - plane.offset)
    lines = [CutLine(points, closed, plane) for points, closed in found]
    if cut.side is not None:
        parts = [_on_side(line, cut.side) for line in lines]
        lines = [line for line in parts if line is not None]
    return sorted(lines, key=lambda line: -line.length)


def level_lines(points: Floats, triangles: Ints, heights: Floats) -> list[tuple[Floats, bool]]:
    """The lines over triangles on which values (n,) at their points are 0: (k, 3) places in order, and whether the
    line is closed; the longest first."""
    places, starts, closed = _chained(points, triangles, heights)
    ends = zip(starts[:-1], starts[1:], closed, strict=True)
    lines = [(places[a:b], bool(c)) for a, b, c in ends if b - a > 2]
    return sorted(lines, key=lambda line: -float(np.linalg.norm(np.diff(line[0], axis=0), axis=1).sum()))


def planes_along(
    scan: Scan,
    direction: Floats,
    spacing: float | None = None,
    count: int | None = None,
    side: Floats | None = None,
    between: tuple[float, float] | None = None,
) -> list[Cut]:
    """Parallel planes across a direction, at a spacing or in a count.

    between: mm along the direction, where the outermost lie; close to the ends of the scan where it is not given.
    """
    way = unit(np.asarray(direction, dtype=float))
    heights = scan.points @ way
    low, high = float(heights.min()), float(heights.max())
    margin = INSIDE * (high - low)
    if between is not None:
        low, high, margin = max(low + margin, min(between)), min(high - margin, max(between)), 0.0
        if not high > low:
            raise ArabesqueError("There is no scan between these heights", "Give two that lie on the scan")
    if (spacing is None) == (count is None):
        raise ArabesqueError("Sections need a spacing or a count", "Give one of them")
    if spacing is not None:
        if not spacing > 0:
            raise ArabesqueError("Sections need a distance from each other", "Give a spacing above 0, such as 10 mm")
        first = np.ceil((low + margin) / spacing) * spacing
        at = np.arange(first, high - margin, spacing)
        at = np.concatenate(
            [[low + margin], at[(at > low + 0.3 * spacing) & (at < high - 0.3 * spacing)], [high - margin]]
        )
    else:
        assert count is not None
        if count < 2:
            raise ArabesqueError(f"{count} sections make no set", "Give two or more")
        at = np.linspace(low + margin, high - margin, count)
    return _checked([Cut(Plane(way, float(a)), side) for a in at])


def planes_round(place: Floats, axis: Floats, count: int, half: bool = False) -> list[Cut]:
    """Planes through an axis, evenly turned; half: once for each half, so that a ring gives one line a plane."""
    if count < 2:
        raise ArabesqueError(f"{count} sections make no set", "Give two or more")
    axis = unit(np.asarray(axis, dtype=float))
    first = unit(np.cross(axis, np.eye(3)[np.abs(axis).argmin()]))
    turn = (360.0 if half else 180.0) / count
    planes = [Plane.through(place, rotation_about(axis, turn * k) @ first) for k in range(count)]
    return _checked([Cut(plane, np.array([place, np.cross(plane.normal, axis)]) if half else None) for plane in planes])


def planes_across(guide: Curve, spacing: float | None = None, count: int | None = None) -> list[Cut]:
    """Planes square to a guide curve, at a spacing along it or in a count, from end to end."""
    length = arc_length(guide)
    if (spacing is None) == (count is None):
        raise ArabesqueError("Sections need a spacing or a count", "Give one of them")
    if count is None:
        assert spacing is not None
        if not spacing > 0:
            raise ArabesqueError("Sections need a distance from each other", "Give a spacing above 0, such as 10 mm")
        count = int(length / spacing + 1e-9) + 1
    dense = np.linspace(*guide.domain, 64 * guide.spans + 1)
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(guide.at(dense), axis=0), axis=1))])
    t = np.interp(np.linspace(0.0, 1.0, max(2, count)) * along[-1], along, dense)
    places, ways = guide.derivatives(t, 1)
    return _checked([Cut(Plane.through(place, way)) for place, way in zip(places, ways, strict=True)])


def _on_side(line: CutLine, side: Floats) -> CutLine | None:
    """The longest part of a line on one side, its ends where it passes over."""
    place, way = side
    heights = (line.points - place) @ way
    keep = heights >= 0
    if keep.all():
        return line
    if not keep.any():
        return None
    points = line.points
    if line.closed:
        start = int(np.argmin(keep))
        points, heights, keep = (np.roll(values, -start, axis=0) for values in (points, heights, keep))
        points, heights, keep = (
            np.vstack([points, points[:1]]),
            np.append(heights, heights[0]),
            np.append(keep, keep[0]),
        )
    edges = np.flatnonzero(np.diff(np.concatenate([[0], keep.astype(np.int8), [0]]))).reshape(-1, 2)
    a, b = max(edges.tolist(), key=lambda run: run[1] - run[0])
    part = [points[a:b]]
    for inside, outside, front in ((a, a - 1, True), (b - 1, b, False)):
        if 0 <= outside < len(points):
            share = heights[inside] / (heights[inside] - heights[outside])
            edge = (points[inside] + share * (points[outside] - points[inside]))[None]
            part = [edge, *part] if front else [*part, edge]
    whole = np.concatenate(part)
    return CutLine(whole, False, line.plane) if len(whole) > 2 else None


def aligned(lines: Sequence[CutLine], guide: Curve | Plane | None = None) -> list[CutLine]:
    """The lines run the same way and, where they are closed, begin at corresponding places.

    Each begins where it comes closest to the start of the one before (the least twist), where it comes closest to a
    guide curve, or where it passes a plane, beside the start of the one before.
    """
    made: list[CutLine] = []
    for line in lines:
        points = line.points
        if made:
            points = _like(made[-1], CutLine(points, line.closed, line.plane))
        if isinstance(guide, Plane):
            points = np.roll(points, -_passing(points, guide, made[-1].points[0] if made else None), axis=0)
        elif guide is not None:
            start = int(curve_feet(guide, points).distance.argmin())
            points = np.roll(points, -start, axis=0) if line.closed else points
        made.append(CutLine(points, line.closed, line.plane))
    return made


def _like(before: CutLine, line: CutLine) -> Floats:
    points = line.points
    if not line.closed:
        ends, there = points[[0, -1]], before.points[[0, -1]]
        straight = np.linalg.norm(ends - there, axis=1).sum()
        return points if straight <= np.linalg.norm(ends[::-1] - there, axis=1).sum() else points[::-1]
    if _area(points) @ _area(before.points) < 0:
        points = points[::-1]
    if not before.closed:
        return points
    # seen from the middles, the start lies where the start before lies
    there = before.points[0] - before.middle
    away = np.linalg.norm((points - points.mean(axis=0)) - there, axis=1)
    return np.roll(points, -int(away.argmin()), axis=0)


def _passing(points: Floats, plane: Plane, near: Floats | None) -> int:
    """Number of the place of a closed line at which it passes a plane: the nearest to a place, or the furthest out."""
    heights = plane.height(points)
    passes = np.flatnonzero(heights * np.roll(heights, -1) <= 0)
    if not len(passes):
        return int(np.abs(heights).argmin())
    middle = points.mean(axis=0)
    away = np.linalg.norm(points[passes] - (middle if near is None else near), axis=1)
    return int(passes[away.argmax() if near is None else away.argmin()])


def _area(points: Floats) -> Floats:
    centred = points - points.mean(axis=0)
    return np.asarray(np.cross(centred, np.roll(centred, -1, axis=0)).sum(axis=0) / 2)


def _checked(planes: list[Cut]) -> list[Cut]:
    if len(planes) > MOST_SECTIONS:
        raise ArabesqueError(f"That makes {len(planes)} sections", "Choose a wider spacing")
    return planes


@njit(cache=True, nogil=True, error_model="numpy")
def _reach(heights: Floats, triangles: Ints) -> tuple[Floats, Floats]:
    """(m,) lowest and highest height of each triangle."""
    low, high = np.empty(len(triangles)), np.empty(len(triangles))
    for t in range(len(triangles)):
        a, b, c = heights[triangles[t, 0]], heights[triangles[t, 1]], heights[triangles[t, 2]]
        low[t], high[t] = min(a, b, c), max(a, b, c)
    return low, high


@njit(cache=True, nogil=True, error_model="numpy")
def _chained(points: Floats, triangles: Ints, heights: Floats) -> tuple[Floats, Ints, Ints]:
    """The section at height 0 as lines: (n, 3) places, (k + 1,) where each line starts, (k,) 1 for closed ones.

    Each triangle that the plane passes joins two crossed edges; a corner in the plane counts as above it, so that no
    triangle gives one end only. Walked from free ends first, then round what is left.
    """
    m = len(triangles)
    n = len(points)
    crossed = np.empty((m, 2), dtype=np.int64)
    passed = 0
    for t in range(m):
        found = 0
        for k in range(3):
            i, j = triangles[t, k], triangles[t, (k + 1) % 3]
            if (heights[i] >= 0.0) != (heights[j] >= 0.0):
                crossed[passed, found] = min(i, j) * n + max(i, j)
                found += 1
        if found == 2:
            passed += 1
    keys = crossed[:passed].copy().ravel()
    order = np.argsort(keys)
    node = np.empty(2 * passed, dtype=np.int64)
    count = 0
    places = np.empty((2 * passed, 3))
    for at in range(2 * passed):
        key = keys[order[at]]
        if at == 0 or key != keys[order[at - 1]]:
            i, j = key // n, key % n
            share = heights[i] / (heights[i] - heights[j])
            for c in range(3):
                places[count, c] = points[i, c] + share * (points[j, c] - points[i, c])
            count += 1
        node[order[at]] = count - 1
    beside = np.full((count, 2), -1)
    for s in range(passed):
        for e in range(2):
            here, there = node[2 * s + e], node[2 * s + 1 - e]
            # where more than two meet, as on crowded edges, the rest is left to the next line
            if beside[here, 0] < 0:
                beside[here, 0] = there
            elif beside[here, 1] < 0:
                beside[here, 1] = there
    out = np.empty((count + 1, 3))
    starts = np.empty(count + 1, dtype=np.int64)
    closed = np.empty(count + 1, dtype=np.int64)
    seen = np.zeros(count, dtype=np.bool_)
    lines = filled = 0
    for around in range(2):
        for first in range(count):
            if seen[first] or (around == 0 and beside[first, 1] >= 0):
                continue
            starts[lines] = filled
            here, before = first, -1
            while here >= 0 and not seen[here]:
                seen[here] = True
                out[filled] = places[here]
                filled += 1
                following = beside[here, 0] if beside[here, 0] != before else beside[here, 1]
                before, here = here, following
            closed[lines] = around if here == first else 0
            lines += 1
    starts[lines] = filled
    return out[:filled].copy(), starts[: lines + 1].copy(), closed[:lines].copy()
