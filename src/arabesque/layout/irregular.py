"""Irregular points of a field put where they are wanted, and taken from where they are not."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from arabesque.arrays import Bools, Ints
from arabesque.layout.field import CrossField, Held, with_these_turns
from arabesque.layout.guides import Calm, Moved, from_line
from arabesque.layout.integer_map import MapProblem
from arabesque.scan import Scan

APART = 4.0
"""Edges of the stand-in that irregular points are kept apart."""
BEYOND = 1.25
"""How far an irregular point is put from the middle of a place that is to be calm, in radii of that."""


def with_moves(
    scan: Scan, field: CrossField, moved: Sequence[Moved], calm: Sequence[Calm], smooth: float, held: Held | None
) -> CrossField:
    """The smoothest field with its irregular points moved; their kinds stay, and so does their sum.

    A quarter turn more over every edge of a way takes an index from its start to its end; the field of given turns
    follows from one linear system (as in "Trivial connections on discrete surfaces", Crane, Desbrun and Schroeder,
    CGF 29, 2010, but with turns in place of angles, so that rims and handles need no care of their own).
    Raises MapProblem where there is nothing to be moved.
    """
    edge = scan.edge_length
    ways = _Ways(scan)
    turns, index = field.turns.copy(), field.index.copy()
    rim = np.zeros(len(index), dtype=bool)
    rim[scan.border_edges.ravel()] = True

    def take(start: int, end: int) -> None:
        ways.carry(turns, index, start, end, int(index[start]))

    for wish in calm:
        _cleared(scan, index, rim, wish, edge, take)
    put: set[int] = set()
    for one in moved:
        irregular = np.array([p for p in np.flatnonzero(index != 0).tolist() if p not in put], dtype=np.int64)
        if not len(irregular):
            raise MapProblem(
                "There is no irregular point left that could go there", "Take back places where one is wanted"
            )
        begin = one.end if one.start is None else one.start
        start = int(irregular[np.linalg.norm(scan.points[irregular] - begin, axis=1).argmin()])
        away = np.linalg.norm(scan.points - one.end, axis=1)
        away[rim | ((index != 0) & (np.arange(len(index)) != start))] = np.inf
        end = int(away.argmin())
        if end != start:
            take(start, end)
        put.add(end)
    if (turns == field.turns).all():
        return field
    return with_these_turns(scan, replace(field, turns=turns, index=index), smooth, held)


def _cleared(scan: Scan, index: Ints, rim: Bools, wish: Calm, edge: float, take: Callable[[int, int], None]) -> None:
    """Move what is irregular near a line away: opposite ones into each other, the rest to the nearest free place."""
    away = from_line(scan.points, wish.line)
    inside = [int(p) for p in np.flatnonzero((index != 0) & (away <= wish.radius))]
    for p in list(inside):
        other = next((q for q in inside if index[q] == -index[p] != 0), None)
        if other is not None:
            take(p, other)
    for p in inside:
        if index[p] == 0:
            continue
        taken = np.flatnonzero((index != 0) & (np.arange(len(index)) != p))
        free = ~rim & (away > BEYOND * wish.radius)
        for q in taken.tolist():
            free &= np.linalg.norm(scan.points - scan.points[q], axis=1) > APART * edge
        if not free.any():
            raise MapProblem("There is no room beside the place that is to stay regular", "Make it smaller")
        places = np.flatnonzero(free)
        take(p, int(places[np.linalg.norm(scan.points[places] - scan.points[p], axis=1).argmin()]))


class _Ways:
    """Shortest ways of edges inside a mesh, and quarter turns carried along them."""

    def __init__(self, scan: Scan) -> None:
        sides = scan.shared_sides
        n = len(scan.points)
        self._starts = scan.triangles.ravel()[sides[:, 0]]
        ends = np.roll(scan.triangles, -1, axis=1).ravel()[sides[:, 0]]
        length = np.linalg.norm(scan.points[self._starts] - scan.points[ends], axis=1)
        self._graph = csr_array((length, (self._starts, ends)), shape=(n, n))
        self._edge = {
            frozenset(pair): k for k, pair in enumerate(zip(self._starts.tolist(), ends.tolist(), strict=True))
        }

    def carry(self, turns: Ints, index: Ints, start: int, end: int, by: int) -> None:
        """Take an index from one point to another, in place."""
        _, came = dijkstra(self._graph, directed=False, indices=start, return_predecessors=True)
        at = end
        while at != start:
            before = int(came[at])
            if before < 0:
                raise MapProblem("No way leads to where an irregular point is wanted", "Choose a place on this piece")
            k = self._edge[frozenset((before, at))]
            turns[k] += -by if self._starts[k] == before else by
            at = before
        index[start] -= by
        index[end] += by
