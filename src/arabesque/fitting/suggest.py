"""Suggest: patches over the calm areas of a scan, one grown after the other where most room is left."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from arabesque.arrays import Bools, Floats, tree_of
from arabesque.errors import FitProblem
from arabesque.fitting.grow import BELOW, Grower, Growth, covered_triangles
from arabesque.geometry import curve_between, curve_feet
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan
from arabesque.shapes import Guide

MOST_PATCHES = 12
LOOKED_AT = 20_000
"""Points of the scan among which seeds are looked for."""
SURROUNDINGS = 0.02
"""Of the scan's diagonal: so far round a place its normals tell whether it is calm."""
CALM = 0.985
"""Length of the mean of the normals round a calm place; 1 where it is flat."""
SMALLEST = 0.015
"""Of the scan's diagonal: with less room to all sides nothing is begun."""
MOST_FAILURES = 12
NEIGHBOURS = 0.2
"""Of its size: a patch whose side lies so near to the edge of another is pulled up to it."""
LEAST_SHARED = 0.15
"""Of an edge: a side that shares less of it does not lie beside it."""


def suggest(
    scan: Scan,
    tolerance: float,
    counts: tuple[int, int] = (4, 4),
    blocked: Bools | None = None,
    most: int = MOST_PATCHES,
    told: Callable[[Growth], None] | None = None,
    progress: Progress = silent,
) -> list[Growth]:
    """Patches that do not overlap, each as large as its net of ``counts`` points holds; the largest first.

    blocked: (m,) triangles that none may touch. told: hears of each as soon as it is there.
    """
    closed = np.zeros(len(scan.triangles), dtype=bool) if blocked is None else blocked.copy()
    step = max(1, len(scan.points) // LOOKED_AT)
    places, normals = scan.points[::step], scan.smoothed_normals[::step]
    calm = calm_places(places, normals, SURROUNDINGS * scan.diagonal)
    rims = np.zeros(len(scan.points), dtype=bool)
    rims[scan.border_edges.ravel()] = True
    taken = [places[~calm], scan.points[rims], scan.points[np.unique(scan.triangles[closed])]]
    found: list[Growth] = []
    failures = 0
    while len(found) < most and failures < MOST_FAILURES:
        share = part(progress, len(found) / most, (len(found) + 1) / most)
        share(0.0, f"{len(found)} patches")
        obstacles = np.concatenate(taken)
        room = tree_of(obstacles).query(places)[0] if len(obstacles) else np.full(len(places), np.inf)
        seed = int(np.argmax(np.where(calm, room, 0.0)))
        if not calm[seed] or room[seed] < SMALLEST * scan.diagonal:
            break
        try:
            growth = Grower(scan, tolerance, counts, closed).grow(places[seed], None, share)
        except FitProblem:  # nothing holds here: the next seed is looked for further away
            failures += 1
            near = np.linalg.norm(places - places[seed], axis=1) < 2 * SMALLEST * scan.diagonal
            taken.append(places[near])
            continue
        found.append(growth)
        if told is not None:
            told(growth)
        below = covered_triangles(scan, [growth.surface], BELOW * tolerance)
        closed[below] = True
        taken.append(scan.points[np.unique(scan.triangles[below])])
    found.sort(key=lambda one: -one.area)
    open_ = np.zeros(len(scan.triangles), dtype=bool) if blocked is None else blocked
    return meeting(found, Grower(scan, tolerance, counts, open_))


def meeting(growths: list[Growth], grower: Grower) -> list[Growth]:
    """The same patches, those that lie beside a larger one pulled up to it, where they still hold then."""
    made: list[Growth] = []
    for growth in growths:
        made.append(met(growth, [guide for other in made for guide in other.surface.guides()], grower))
    return made


def met(growth: Growth, edges: Sequence[Guide], grower: Grower) -> Growth:
    """A grown patch, pulled up to edges that it lies beside, where it still holds then.

    Its corners go onto the edge, and its side is a part of it, exactly.
    """
    now = growth
    for side in range(4):
        line = now.edges[side]
        reach = NEIGHBOURS * float(np.sqrt(now.area))
        beside = min(edges, key=lambda one: _apart(line, one.points), default=None)
        if beside is None or beside.curve is None or _apart(line, beside.points) > reach:
            continue
        corners, through = now.corners.copy(), list(now.through)
        ends = [side, (side + 1) % 4]
        feet = curve_feet(beside.curve, corners[ends])
        (low, high), (start, end) = beside.curve.domain, feet.parameters
        if abs(end - start) < LEAST_SHARED * (high - low):
            continue
        corners[ends] = feet.points
        through[side] = curve_between(beside.curve, float(start), float(end))
        pulled = grower.held(corners, through)
        now = (None if pulled is None else grower.sure(pulled)) or now
    return now


def _apart(line: Floats, edge: Floats) -> float:
    """How far the places of a line lie from an edge at most, mm."""
    return float(tree_of(edge).query(line)[0].max())


def calm_places(places: Floats, normals: Floats, reach: float) -> Bools:
    """Which (n, 3) places have normals round them that hardly turn."""
    tree = tree_of(places)
    calm = np.zeros(len(places), dtype=bool)
    for number, near in enumerate(tree.query_ball_point(places, reach)):
        some = normals[near]
        some = some[some @ normals[number] > 0]
        calm[number] = np.linalg.norm(some.mean(axis=0)) > CALM
    return calm
