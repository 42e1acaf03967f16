"""Rectangles of fine quads: straight traces from all irregular points, each up to what it meets first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Ints
from arabesque.layout.fine import FineQuads
from arabesque.layout.integer_map import MapProblem

MOST_TRACES = 200


@dataclass(frozen=True, eq=False)
class Patch:
    """A rectangle. points: (m + 1, n + 1) fine points. sides: the arcs along v = 0, u = 1, v = 1 and u = 0, each in
    the way of rising u or v, with True for those that run that way themselves."""

    points: Ints
    sides: tuple[list[tuple[int, bool]], ...]

    def rows(self, of_arcs: Ints, side: int) -> int:
        """How many rows a side has when arcs have so many."""
        return sum(int(of_arcs[arc]) for arc, _ in self.sides[side])


@dataclass(frozen=True, eq=False)
class Walls:
    """arcs: fine points along each, from node to node. patches. special: (n,) fine points that are irregular, corners
    of a rim, or where a line ends or turns. rim: (n,) points on a rim or a line. on_rim: of each arc, whether it is
    one; sharp: whether it is a line. turns: (n,) points where lines turn."""

    arcs: list[Ints]
    patches: list[Patch]
    special: Bools
    rim: Bools
    on_rim: list[bool]
    sharp: list[bool]
    turns: Bools


def find_walls(fine: FineQuads, lines: Bools | None = None) -> Walls:
    """The rectangles that traces, and lines, part a fine mesh into. lines: (4 q,) half-edges inside that lie on them.

    Eppstein, Goodrich, Kim and Tamstorf, "Motorcycle graphs: canonical quad mesh partitioning", CGF 27, 2008. Where a
    part is no rectangle, one more trace is sent into it.
    """
    twins, rim = fine.twins, fine.rim
    special = np.where(rim, fine.valence != 2, fine.valence != 4)
    if not special.any() and not rim.any():
        special[0] = True  # a ring without irregular points: two loops through any point
    starts = fine.faces.ravel()
    lines = np.zeros(len(twins), dtype=bool) if lines is None else lines
    on_line, turns = _on_lines(fine, lines)
    special |= turns | on_line & (np.bincount(starts[lines], minlength=len(special)) != 2) & ~rim
    # a corner of a rim sends nothing: both its edges are walls already
    begin = np.flatnonzero(special[starts] & (twins >= 0))
    walls = (twins < 0) | lines
    met = special | rim | on_line
    traced(begin, twins, starts, walls, met)
    for _ in range(MOST_TRACES):
        label = _parts(walls, twins)
        grids = [_rectangle(part, twins, walls) for part in _members(label)]
        broken = next((k for k, grid in enumerate(grids) if grid is None), None)
        if broken is None:
            break
        inside = np.flatnonzero((label[np.arange(len(twins)) // 4] == broken) & ~walls)
        into = inside[met[starts[inside]]]
        if not len(into):
            met[starts[inside[0]]] = True
            into = inside[:1]
        traced(into[:1], twins, starts, walls, met)
    else:
        raise MapProblem("The rows of the layout do not part the scan into rectangles", "Ask for a calmer layout")
    rectangles = [_points(fine, grid) for grid in grids if grid is not None]
    return _walls(fine, walls, (special, on_line, turns), lines, rectangles)


def _on_lines(fine: FineQuads, lines: Bools) -> tuple[Bools, Bools]:
    """(n,) points on lines, and those inside at which a line does not go straight on to the opposite edge."""
    starts, twins = fine.faces.ravel(), fine.twins
    on = np.zeros(len(fine.places), dtype=bool)
    turns = on.copy()
    half = np.flatnonzero(lines)
    on[starts[half]] = True
    # straight on through a point of four quads: the next edge of the quad, over it, and the next again
    before = half - half % 4 + (half + 3) % 4
    beyond = twins[before]
    straight = np.zeros(len(half), dtype=bool)
    inner = np.flatnonzero(beyond >= 0)
    opposite = beyond[inner] - beyond[inner] % 4 + (beyond[inner] + 3) % 4
    straight[inner] = (twins[opposite] >= 0) & lines[opposite]
    count = np.bincount(starts[half], minlength=len(on))
    turns[starts[half[~straight]]] = True
    return on, turns & (count == 2) & ~fine.rim


@njit(cache=True, nogil=True)
def traced(begin: Ints, twins: Ints, starts: Ints, walls: Bools, met: Bools) -> None:
    """Go straight on along half-edges, all at the same pace, until each meets a point that was met before."""
    at = begin.copy()
    while len(at):
        left = 0
        for k in range(len(at)):
            h = at[k]
            walls[h] = True
            if twins[h] >= 0:
                walls[twins[h]] = True
            after = h - h % 4 + (h + 1) % 4
            point = starts[after]
            if met[point]:
                continue
            met[point] = True
            beyond = twins[after]
            if beyond < 0:
                continue
            at[left] = beyond - beyond % 4 + (beyond + 1) % 4
            left += 1
        at = at[:left]


def _parts(walls: Bools, twins: Ints) -> Ints:
    n = len(twins) // 4
    half = np.flatnonzero(~walls)
    graph = coo_array((np.ones(len(half)), (half // 4, twins[half] // 4)), shape=(n, n))
    return np.asarray(connected_components(graph, directed=False)[1])


def _members(label: Ints) -> list[Ints]:
    order = np.argsort(label, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(label[order])) + 1)


def _rectangle(part: Ints, twins: Ints, walls: Bools) -> Ints | None:
    """(m, n) half-edges along the lower sides of a part's quads, u from low to high; None when it is no rectangle."""
    first = int(part[0])
    spot: dict[int, tuple[int, int, int]] = {first: (0, 0, 0)}
    waiting = [first]
    taken = {(0, 0): first}
    steps = ((0, -1), (1, 0), (0, 1), (-1, 0))
    while waiting:
        quad = waiting.pop()
        i, j, base = spot[quad]
        for way, (di, dj) in enumerate(steps):
            half = 4 * quad + (base + way) % 4
            twin = int(twins[half])
            if walls[half]:
                continue
            there = i + di, j + dj
            turned = (twin % 4 - way - 2) % 4
            known = spot.get(twin // 4)
            if known is None:
                if there in taken:
                    return None
                spot[twin // 4] = (*there, turned)
                taken[there] = twin // 4
                waiting.append(twin // 4)
    ij = np.array(list(taken))
    low, high = ij.min(axis=0), ij.max(axis=0)
    m, n = high - low + 1
    if m * n != len(taken):
        return None
    grid = np.empty((m, n), dtype=np.int64)
    for (i, j), quad in taken.items():
        grid[i - low[0], j - low[1]] = 4 * quad + spot[quad][2]
    # neighbours within it have to be neighbours beside each other
    right, up = grid - grid % 4 + (grid + 1) % 4, grid - grid % 4 + (grid + 2) % 4
    left = grid - grid % 4 + (grid + 3) % 4
    if (twins[right[:-1]] != left[1:]).any() or (twins[up[:, :-1]] != grid[:, 1:]).any():
        return None
    return grid


def _walls(
    fine: FineQuads, walls: Bools, marks: tuple[Bools, Bools, Bools], lines: Bools, rectangles: list[Ints]
) -> Walls:
    special, on_line, turns = marks
    twins, starts = fine.twins, fine.faces.ravel()
    ends = np.roll(fine.faces, -1, axis=1).ravel()
    half = np.flatnonzero(walls & ((twins < 0) | (np.arange(len(twins)) < twins)))
    degree = np.bincount(np.concatenate([starts[half], ends[half]]), minlength=len(special))
    node = special | ((degree > 0) & (degree != 2))
    for points in rectangles:
        node[points[[0, -1, -1, 0], [0, 0, -1, -1]]] = True
    at: dict[int, list[int]] = {}
    for h in half.tolist():
        at.setdefault(int(starts[h]), []).append(h)
        at.setdefault(int(ends[h]), []).append(h)
    arcs: list[Ints] = []
    of_edge: dict[tuple[int, int], int] = {}
    used: set[int] = set()
    on_rim: list[bool] = []
    sharp: list[bool] = []
    for point in np.flatnonzero(node & (degree > 0)).tolist():
        for h in at[point]:
            if h in used:
                continue
            path = [point]
            while True:
                used.add(h)
                after = int(ends[h]) if int(starts[h]) == path[-1] else int(starts[h])
                of_edge[path[-1], after] = len(arcs)
                path.append(after)
                if node[after]:
                    break
                h = next(k for k in at[after] if k != h)
            sharp.append(bool(lines[h]))
            on_rim.append(bool(twins[h] < 0 or lines[h]))
            arcs.append(np.array(path))
    patches = []
    for points in rectangles:
        sides = (points[:, 0], points[-1], points[:, -1], points[0])
        patches.append(Patch(points, tuple(_arcs_along(side, arcs, of_edge) for side in sides)))
    return Walls(arcs, patches, special, fine.rim | on_line, on_rim, sharp, turns)


def _points(fine: FineQuads, grid: Ints) -> Ints:
    """(m + 1, n + 1) points of a rectangle."""
    starts = fine.faces.ravel()

    def corner(k: int) -> Ints:
        return np.asarray(starts[grid - grid % 4 + (grid + k) % 4])

    points = np.empty((grid.shape[0] + 1, grid.shape[1] + 1), dtype=np.int64)
    points[:-1, :-1], points[1:, :-1], points[:-1, 1:], points[1:, 1:] = corner(0), corner(1), corner(3), corner(2)
    return points


def _arcs_along(line: Ints, arcs: list[Ints], of_edge: dict[tuple[int, int], int]) -> list[tuple[int, bool]]:
    """The arcs that follow each other along a line of fine points."""
    found: list[tuple[int, bool]] = []
    k = 0
    path = line.tolist()
    while k < len(path) - 1:
        key = path[k], path[k + 1]
        forward = key in of_edge
        arc = of_edge[key] if forward else of_edge[key[1], key[0]]
        found.append((arc, forward))
        k += len(arcs[arc]) - 1
    return found
