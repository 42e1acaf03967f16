"""Lines on a scan as edges of its stand-in, so that rows run exactly on them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from arabesque.arrays import Bools, Floats, Ints, tree_of, unit
from arabesque.layout.guides import steps_along
from arabesque.layout.triangles import side_vectors
from arabesque.scan import Scan, sides_of, turning

NO_LINES: Ints = np.empty((0, 2), dtype=np.int64)
CORRIDOR = 2.0
"""Edges from a line within which a way of edges along it is looked for."""
AWAY = 8.0
"""How much more a way costs an edge away from the line."""
CORNER = 50.0
"""Degrees by which a line turns at a corner."""
PARTS = 3
"""Of a closed line at least so many, lest a way takes the short side."""


def drawn_in(scan: Scan, lines: Sequence[Floats]) -> tuple[Scan, Ints]:
    """The scan with a way of edges laid on each polyline (k, 3), and (e, 2) the points of these edges.

    Points on rims stay. A line that has no room is left out.
    """
    edge = scan.edge_length
    points = scan.points.copy()
    fixed = np.zeros(len(points), dtype=bool)
    fixed[scan.border_edges.ravel()] = True
    edges = scan.edges[0]
    found: list[Ints] = []
    for places in steps_along(lines, edge / 3):
        stops = _stops(places)
        near, _ = tree_of(places).query(points)
        inside = np.flatnonzero(near <= CORRIDOR * edge)
        if len(inside) < 2:
            continue
        number = np.full(len(points), -1)
        number[inside] = np.arange(len(inside))
        own = edges[(number[edges] >= 0).all(axis=1)]
        length = np.linalg.norm(points[own[:, 0]] - points[own[:, 1]], axis=1)
        off = near[own].mean(axis=1) / edge
        cost = length * (1 + AWAY * off**2)
        graph = csr_array((cost, number[own].T), shape=(len(inside),) * 2)
        ends = [int(inside[np.linalg.norm(points[inside] - places[k], axis=1).argmin()]) for k in stops]
        for k, (start, end) in enumerate(pairwise(ends)):
            if start == end:
                continue
            _, came = dijkstra(graph, directed=False, indices=number[start], return_predecessors=True)
            way = [int(number[end])]
            while way[-1] >= 0 and way[-1] != number[start]:
                way.append(int(came[way[-1]]))
            if way[-1] < 0:
                continue
            ids = inside[way][::-1]
            found.append(np.column_stack([ids[:-1], ids[1:]]))
            # in their order, for two in one place would be none
            steps = np.linalg.norm(np.diff(points[ids], axis=0), axis=1)
            along = np.concatenate([[0.0], np.cumsum(steps)]) / steps.sum()
            along = (along + np.linspace(0, 1, len(ids))) / 2
            free = ~fixed[ids]
            points[ids[free]] = _at(places[stops[k] : stops[k + 1] + 1], along[free])
            fixed[ids] = True
    pairs = np.unique(np.sort(np.concatenate(found), axis=1), axis=0) if found else NO_LINES
    return Scan(points, scan.triangles), pairs


def _at(places: Floats, share: Floats) -> Floats:
    """(n, 3) places at shares (n,) of a polyline of even places."""
    return np.column_stack([np.interp(share * (len(places) - 1), np.arange(len(places)), axis) for axis in places.T])


def _stops(places: Floats) -> list[int]:
    """Where a line of even places has its ends and corners, and stops between them where it is closed."""
    last = len(places) - 1
    closed = bool(np.linalg.norm(places[0] - places[-1]) < np.linalg.norm(places[1] - places[0]))
    reach = 3
    stops = {0, last}
    if last > 2 * reach:
        before = unit(places[reach:-reach] - places[: -2 * reach])
        after = unit(places[2 * reach :] - places[reach:-reach])
        turn = np.degrees(np.arccos(np.clip(np.einsum("nc,nc->n", before, after), -1, 1)))
        for k in np.flatnonzero(turn > CORNER).tolist():
            if turn[k] == turn[max(0, k - 2 * reach) : k + 2 * reach + 1].max():
                stops.add(int(k) + reach)
    if closed and len(stops) < PARTS + 1:
        stops |= {round(last * k / PARTS) for k in range(PARTS)}
    return sorted(stops)


def sides_along(scan: Scan, pairs: Ints) -> tuple[Ints, Floats]:
    """(k,) triangles beside edges (e, 2), and (k, 3) how these run, unit."""
    along = np.flatnonzero(sides_of(scan, pairs))
    return along // 3, unit(side_vectors(scan)[along])


def fans_along(scan: Scan, pairs: Ints) -> tuple[Ints, Floats]:
    """(k,) triangles that touch lines of edges (e, 2) where these go on, and (k, 3) how they run there, unit."""
    n = len(scan.points)
    ends = [pairs, pairs[:, ::-1]]
    # the two ways out of a point, one of them turned round: the line through it
    ahead, behind = np.full(n, -1), np.full(n, -1)
    for start, end in np.concatenate(ends).tolist():
        if ahead[start] < 0:
            ahead[start] = end
        else:
            behind[start] = end
    goes_on = np.flatnonzero((behind >= 0) & ~line_nodes(scan.points, pairs, n))
    tangent = np.zeros((n, 3))
    tangent[goes_on] = unit(scan.points[ahead[goes_on]] - scan.points[behind[goes_on]])
    on = np.zeros(n, dtype=bool)
    on[goes_on] = True
    triangle, corner = np.nonzero(on[scan.triangles])
    return triangle, tangent[scan.triangles[triangle, corner]]


def line_nodes(points: Floats, pairs: Ints, count: int) -> Bools:
    """(count,) points where edges (e, 2) end, meet, or turn at a corner."""
    number = np.bincount(pairs.ravel(), minlength=count)
    found: Bools = (number > 0) & (number != 2) | turning(points, pairs, CORNER)
    return found
