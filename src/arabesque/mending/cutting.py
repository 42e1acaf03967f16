"""Cutting scans with clean edges: triangles are split where the cut runs."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats, Ints
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, compact

SNAP = 0.02
"""A point closer to the cut than this share of its edge is put on it, so that no slivers arise."""

Crossing = Callable[[Floats, Floats], Floats]
"""(k, 3) start and end points of edges that the cut crosses to (k,) shares of the way where it does."""


class Halves(NamedTuple):
    """Both sides of a cut; None where nothing lies there."""

    above: Scan | None
    below: Scan | None


def split(scan: Scan, values: Floats, crossing: Crossing | None = None) -> Halves:
    """Cut a scan where ``values`` (n,), one a point, change sign.

    crossing: where an edge is crossed; linear in the values if not given,
    which is exact for a plane.
    """
    points, values = _snapped(scan, values, crossing)
    sides = np.sign(values).astype(np.int64)
    of_corners = sides[scan.triangles]
    low, high = of_corners.min(axis=1), of_corners.max(axis=1)
    crossed = (low < 0) & (high > 0)
    points, pieces, above = _split_triangles(points, values, scan.triangles[crossed], of_corners[crossed], crossing)
    whole = scan.triangles[~crossed]
    # a triangle that lies in the cut counts as above
    whole_above = low[~crossed] >= 0
    return Halves(
        _scan_of(points, np.concatenate([whole[whole_above], pieces[above]])),
        _scan_of(points, np.concatenate([whole[~whole_above], pieces[~above]])),
    )


def cut_by_plane(scan: Scan, plane: Plane) -> Halves:
    """Cut a scan by a plane; above is where the normal points. The cut edges lie in the plane."""
    halves = split(scan, plane.height(scan.points))
    return Halves(*(None if half is None else _on_plane(half, plane, scan.diagonal) for half in halves))


def cut_by_box(scan: Scan, low: Floats, high: Floats, progress: Progress = silent) -> Halves:
    """Cut by an upright box between two corners, mm: above is the inside, below the outside in one scan.

    Raises ArabesqueError for a box without room.
    """
    if not (np.asarray(low) < np.asarray(high)).all():
        raise ArabesqueError("The box has no room inside", "Make each of its sides longer than 0")
    inside: Scan | None = scan
    outside: list[Scan] = []
    for axis in range(3):
        for number, (sign, bound) in enumerate(((1.0, low[axis]), (-1.0, high[axis]))):
            progress((2 * axis + number) / 6, "Cutting along the box")
            if inside is None:
                break
            halves = cut_by_plane(inside, Plane(sign * np.eye(3)[axis], sign * float(bound)))
            inside = halves.above
            if halves.below is not None:
                outside.append(halves.below)
    return Halves(inside, merged(outside) if outside else None)


def cut_by_outline(scan: Scan, outline: Floats, project: Callable[[Floats], Floats]) -> Halves:
    """Cut by a closed line drawn over a picture of the scan.

    outline: (k, 2) corners. project: takes (n, 3) points to (n, 2) places in
    the same picture, and straight lines to straight lines. Above is what the
    line encloses, through the whole depth.

    Raises ArabesqueError for a line that encloses nothing.
    """
    if len(outline) < 3:
        raise ArabesqueError("The line encloses nothing", "Draw it round a part of the scan")
    places = project(scan.points)
    inside = within(outline, places)
    if not inside.any() or inside.all():
        return Halves(scan if inside.all() else None, None if inside.all() else scan)

    def crossing(start: Floats, end: Floats) -> Floats:
        return _outline_crossing(outline, start, end, project)

    return split(scan, np.where(inside, 1.0, -1.0), crossing)


def cut_by_region(scan: Scan, mask: Bools, rounds: int = 6, progress: Progress = silent) -> Halves:
    """Cut along the border of a region (m,) of triangles, its stair-steps smoothed over ``rounds`` rings of points."""
    if not mask.any() or mask.all():
        raise ArabesqueError("The marked region has no border", "Mark a part of the scan, not all and not nothing")
    return split(scan, border_share(scan, mask, rounds, progress) - 0.5)


def border_share(scan: Scan, mask: Bools, rounds: int, progress: Progress = silent) -> Floats:
    """(n,) which share of the triangles round a point is of a region (m,), evened over ``rounds`` rings of points."""
    corners = scan.triangles.T.ravel()
    n = len(scan.points)
    share = np.bincount(corners, np.tile(mask, 3), n) / np.maximum(np.bincount(corners, minlength=n), 1)
    counts = np.maximum(np.diff(scan.adjacency.indptr), 1)
    for number in range(rounds):
        progress(number / (rounds + 1), "Smoothing the border")
        share = (share + scan.adjacency @ share / counts) / 2
    return share


def merged(scans: list[Scan]) -> Scan:
    """Several scans as one; their points are not joined."""
    starts = np.cumsum([0, *(len(scan.points) for scan in scans[:-1])])
    return Scan(
        np.concatenate([scan.points for scan in scans]),
        np.concatenate([scan.triangles + start for scan, start in zip(scans, starts, strict=True)]),
    )


def within(outline: Floats, places: Floats) -> Bools:
    """(n,) true for the (n, 2) places inside a closed outline (k, 2), by counting crossings (Shimrat 1962)."""
    inside: Bools = np.zeros(len(places), dtype=bool)
    low, high = outline.min(axis=0), outline.max(axis=0)
    near = np.flatnonzero(((places >= low) & (places <= high)).all(axis=1))
    x, y = places[near].T
    odd = np.zeros(len(near), dtype=bool)
    for (ax, ay), (bx, by) in zip(outline, np.roll(outline, -1, axis=0), strict=True):
        between = (ay > y) != (by > y)
        if between.any():
            odd ^= between & (x < ax + (y - ay) * (bx - ax) / (by - ay if by != ay else 1.0))
    inside[near] = odd
    return inside


def _outline_crossing(outline: Floats, start: Floats, end: Floats, project: Callable[[Floats], Floats]) -> Floats:
    """Where edges cross the outline first, as a share of their way in space, found in the picture and refined.

    In a perspective picture equal shares in space are not equal in the
    picture, so the share is found by halving.
    """
    low, high = np.zeros(len(start)), np.ones(len(start))
    begins_inside = within(outline, project(start))
    for _ in range(24):
        middle = (low + high) / 2
        same = within(outline, project(start + middle[:, None] * (end - start))) == begins_inside
        low, high = np.where(same, middle, low), np.where(same, high, middle)
    return (low + high) / 2


def _snapped(scan: Scan, values: Floats, crossing: Crossing | None) -> tuple[Floats, Floats]:
    """Points moved onto the cut, with value 0, where an edge is crossed right beside them."""
    values = np.array(values, dtype=float)
    points = scan.points
    t = scan.triangles
    signs = np.sign(values)[t]
    mixed = t[(signs.min(axis=1) < 0) & (signs.max(axis=1) > 0)]
    edges = mixed[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    edges = edges[values[edges[:, 0]] * values[edges[:, 1]] < 0]
    if not len(edges):
        return points, values
    shares = _shares(points, values, edges, crossing)
    ends = np.concatenate([edges[:, 0], edges[:, 1]])
    away = np.concatenate([shares, 1 - shares])
    places = np.tile(points[edges[:, 0]] + shares[:, None] * (points[edges[:, 1]] - points[edges[:, 0]]), (2, 1))
    close = away < SNAP
    if close.any():
        points = points.copy()
        # the nearest crossing last, so that it is the one that stays
        order = np.flatnonzero(close)[np.argsort(-away[close], kind="stable")]
        points[ends[order]] = places[order]
        values[ends[order]] = 0.0
    return points, values


def _shares(points: Floats, values: Floats, edges: Ints, crossing: Crossing | None) -> Floats:
    if crossing is not None:
        return crossing(points[edges[:, 0]], points[edges[:, 1]])
    a, b = values[edges[:, 0]], values[edges[:, 1]]
    return a / (a - b)


def _split_triangles(
    points: Floats, values: Floats, triangles: Ints, signs: Ints, crossing: Crossing | None
) -> tuple[Floats, Ints, Bools]:
    """All points with those of the cut behind them, the pieces of the crossed triangles, and which lie above."""
    if not len(triangles):
        return points, np.zeros((0, 3), dtype=np.int64), np.zeros(0, dtype=bool)
    n = len(points)
    edges = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    edges = edges[np.sign(values[edges[:, 0]]) * np.sign(values[edges[:, 1]]) < 0]
    keys = np.unique(edges[:, 0] * n + edges[:, 1])
    edges = np.column_stack([keys // n, keys % n])
    shares = _shares(points, values, edges, crossing)
    places = points[edges[:, 0]] + shares[:, None] * (points[edges[:, 1]] - points[edges[:, 0]])

    def crossing_of(a: Ints, b: Ints) -> Ints:
        return n + np.searchsorted(keys, np.minimum(a, b) * n + np.maximum(a, b))

    pieces, above = [], []
    # turned so that the corner alone on its side, or the one on the cut, comes first
    touched = (signs == 0).any(axis=1)
    lone = np.where(signs.sum(axis=1) > 0, -1, 1)
    first = np.where(touched, (signs == 0).argmax(axis=1), (signs == lone[:, None]).argmax(axis=1))
    turned = np.take_along_axis(triangles, (first[:, None] + np.arange(3)) % 3, axis=1)
    a, b, c = turned[touched].T
    m = crossing_of(b, c)
    pieces += [np.column_stack([a, b, m]), np.column_stack([a, m, c])]
    above += [values[b] > 0, values[c] > 0]
    a, b, c = turned[~touched].T
    m, k = crossing_of(a, b), crossing_of(c, a)
    tip = values[a] > 0
    pieces += [np.column_stack([a, m, k]), np.column_stack([m, b, c]), np.column_stack([m, c, k])]
    above += [tip, ~tip, ~tip]
    return np.concatenate([points, places]), np.concatenate(pieces), np.concatenate(above)


def _scan_of(points: Floats, triangles: Ints) -> Scan | None:
    return Scan(*compact(points, triangles)) if len(triangles) else None


def _on_plane(half: Scan, plane: Plane, size: float) -> Scan:
    """The half with the points of the cut put exactly into the plane."""
    rim = np.unique(half.border_edges)
    heights = plane.height(half.points[rim])
    on = rim[np.abs(heights) < 1e-9 * size]
    if not len(on):
        return half
    points = half.points.copy()
    axis = np.flatnonzero(plane.normal)
    if len(axis) == 1:
        points[on, axis[0]] = plane.offset * np.sign(plane.normal[axis[0]])
    else:
        points[on] -= plane.height(points[on])[:, None] * plane.normal
    return Scan(points, half.triangles)
