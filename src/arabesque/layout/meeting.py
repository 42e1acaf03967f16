"""Borders of other cages that a layout meets: as many rows there as these have, its points on theirs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Floats, tree_of
from arabesque.cages import Cage
from arabesque.layout.coarse import Coarse
from arabesque.layout.fine import FineQuads
from arabesque.layout.guides import from_line
from arabesque.layout.part import Part
from arabesque.layout.walls import Walls
from arabesque.scan import Scan

REACH = 0.75
"""Of a step of the border: a rim so near it meets it."""
SAME = 1e-6
"""mm: points of both cages that are one."""


@dataclass(frozen=True, eq=False)
class Border:
    """A closed border of a cage in order. points: (k, 3) of its net. line: (k, 3) the same on its surface."""

    points: Floats
    line: Floats

    @property
    def step(self) -> float:
        """mm between its points, about."""
        return float(np.median(np.linalg.norm(np.diff(self.line, axis=0), axis=1)))

    @property
    def polyline(self) -> Floats:
        """The line, back to its start."""
        return np.vstack([self.line, self.line[:1]])


@dataclass(frozen=True, eq=False)
class Meeting:
    """Arcs of rims, in order, with True for those that run that way, and the points (k, 3) of the border that they
    meet, beginning where they do."""

    arcs: list[tuple[int, bool]]
    points: Floats
    closed: bool

    @property
    def rows(self) -> int:
        """How many rows the arcs have together."""
        return len(self.points) - (0 if self.closed else 1)


def borders_of(cage: Cage) -> list[Border]:
    """All borders of a cage."""
    rings = [cage.quads.starts[half] for half in cage.quads.borders()]
    return [Border(cage.points[ring], cage.limit[ring]) for ring in rings]


def uncovered(scan: Scan, cages: Sequence[Cage]) -> Part:
    """What of a scan lies beyond the borders of cages that cover the rest."""
    lines = tuple(border.polyline for cage in cages for border in borders_of(cage))
    covered = tree_of(np.concatenate([cage.sampler(8).read(cage).points for cage in cages]))
    away, _ = covered.query(scan.points)
    return Part(lines=lines, place=scan.points[int(away.argmax())])


def meetings(fine: FineQuads, walls: Walls, borders: Sequence[Border]) -> list[Meeting]:
    """Where rims run along borders."""
    rims = [k for k, (rim, sharp) in enumerate(zip(walls.on_rim, walls.sharp, strict=True)) if rim and not sharp]
    found = []
    for border in borders:
        reach = REACH * border.step
        near = [k for k in rims if np.mean(from_line(fine.places[walls.arcs[k]], border.polyline) <= reach) > 0.8]
        found += [_met(fine, walls, border, chain) for chain in _chains(walls, near)]
    return [one for one in found if one.rows > 0]


def _chains(walls: Walls, arcs: list[int]) -> list[list[tuple[int, bool]]]:
    """Arcs that follow each other, each with True where it runs that way."""
    at: dict[int, list[int]] = {}
    for k in arcs:
        for end in (0, -1):
            at.setdefault(int(walls.arcs[k][end]), []).append(k)
    left, chains = set(arcs), []
    # open chains from their ends, what is then left is closed
    for point in sorted(at, key=lambda p: len(at[p])):
        for first in at[point]:
            if first not in left:
                continue
            chain, here, k = [], point, first
            while k in left:
                left.discard(k)
                forward = int(walls.arcs[k][0]) == here
                chain.append((k, forward))
                here = int(walls.arcs[k][-1 if forward else 0])
                k = next((j for j in at[here] if j in left), -1)
            chains.append(chain)
    return chains


def _met(fine: FineQuads, walls: Walls, border: Border, chain: list[tuple[int, bool]]) -> Meeting:
    parts = [walls.arcs[k] if forward else walls.arcs[k][::-1] for k, forward in chain]
    places = fine.places[np.concatenate(parts)]
    nearest = tree_of(border.line).query(places)[1]
    k = len(border.line)
    if parts[0][0] == parts[-1][-1]:
        first, quarter = int(nearest[0]), int(nearest[len(places) // 4])
        forward = (quarter - first) % k <= k // 2
        order = (first + (1 if forward else -1) * np.arange(k)) % k
        return Meeting(chain, border.points[order], True)
    first, middle, last = (int(nearest[i]) for i in (0, len(places) // 2, -1))
    forward = (middle - first) % k <= (last - first) % k
    count = (last - first) % k if forward else (first - last) % k
    return Meeting(chain, border.points[(first + (1 if forward else -1) * np.arange(count + 1)) % k], False)


def put_on(cage: Cage, coarse: Coarse, met: Sequence[Meeting]) -> Cage:
    """A cage laid by coarse quads with its points at meetings put on the borders' points."""
    points = cage.points.copy()
    for one in met:
        ids: list[int] = []
        for arc, forward in one.arcs:
            own = coarse.along[arc] if forward else coarse.along[arc][::-1]
            ids += own.tolist()[bool(ids) :]
        if one.closed:
            ids = ids[:-1]
            shifts = [
                np.linalg.norm(coarse.places[np.roll(ids, s)] - one.points, axis=1).sum() for s in range(len(ids))
            ]
            ids = np.roll(ids, int(np.argmin(shifts))).tolist()
        points[ids] = one.points
    return cage.with_points(points)


def pinned(cage: Cage, borders: Sequence[Border]) -> Bools | None:
    """(n,) points that lie on those of borders; None where none does."""
    if not borders:
        return None
    away = tree_of(np.concatenate([border.points for border in borders])).query(cage.points)[0]
    found: Bools = (away <= SAME) & cage.quads.on_border
    return found if found.any() else None


def rows_given(met: Sequence[Meeting]) -> list[tuple[list[int], int]]:
    """Of each meeting its arcs, and how many rows they have together."""
    return [([arc for arc, _ in one.arcs], one.rows) for one in met]
