"""How the parts of a skin hang together: which border runs along which, at what angle, and to which side all look."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, tree_of
from arabesque.errors import ArabesqueError
from arabesque.geometry import Face, Rim, Surface
from arabesque.joining.border import outward_ways

MEETS = 0.002
"""Of the size of all: borders that run together are nearer to each other."""
SMOOTH = 2.0
"""Degrees: parts that meet at more meet at an edge."""
PLACES, FINE = 17, 128
"""Along each border at which is looked whether it runs beside another one, and steps of that one."""
PARALLEL = 0.9
"""Cosine: borders that run along each other."""

Border = tuple[int, int]
"""The number of a part, and of its rim."""


@dataclass(frozen=True)
class Meeting:
    """A border that runs along another one, or a part of it. angle: degrees between their planes at most. whole: they
    have both ends in common. by: which of the places along it lie beside the other."""

    one: Border
    other: Border
    angle: float
    whole: bool
    by: frozenset[int]

    @property
    def sharp(self) -> bool:
        """True at an edge."""
        return self.angle > SMOOTH


@dataclass(frozen=True, eq=False)
class Skin:
    """parts: all looking to the side of the first of those that hang together. meetings: each from both sides. free:
    borders that run along no other part's."""

    parts: list[Surface]
    meetings: list[Meeting]
    free: list[Border]


def read_skin(parts: Sequence[Surface]) -> Skin:
    """Parts turned to look to one side, and how they meet. Raises ArabesqueError where a skin has one side only."""
    first = _meetings(parts)
    signs = _signs(len(parts), first)
    turned = [part if sign > 0 else _turned_over(part) for part, sign in zip(parts, signs, strict=True)]
    # rims of what was turned over have other numbers
    found = [meeting for meeting, _ in (first if min(signs) > 0 else _meetings(turned))]
    beside: dict[Border, set[int]] = {}
    for meeting in found:
        beside.setdefault(meeting.one, set()).update(meeting.by)
    every = [(number, k) for number, part in enumerate(turned) for k in range(len(part.rims()))]
    return Skin(turned, found, [border for border in every if len(beside.get(border, ())) < PLACES])


def _meetings(parts: Sequence[Surface]) -> list[tuple[Meeting, float]]:
    """Every border beside another part's, and 1 where both parts look to one side, else -1."""
    everything = np.concatenate([part.points.reshape(-1, 3) for part in parts])
    reach = MEETS * float(np.linalg.norm(np.ptp(everything, axis=0)))
    t = np.linspace(0.1, 0.9, PLACES)
    rims = [((number, k), rim) for number, part in enumerate(parts) for k, rim in enumerate(part.rims())]
    fine = [rim.surface.at(rim.places(np.linspace(0, 1, FINE + 1))) for _, rim in rims]
    everywhere = tree_of(np.concatenate(fine))
    step = max(float(np.linalg.norm(np.diff(line, axis=0), axis=1).max()) for line in fine)
    found: list[tuple[Meeting, float]] = []
    whole_ones: dict[tuple[Border, Border], tuple[Meeting, float]] = {}
    for number, ((border, rim), along) in enumerate(zip(rims, fine, strict=True)):
        line = rim.surface.at(rim.places(t))
        own: tuple[Floats, Floats] | None = None
        balls = everywhere.query_ball_point(line, reach + step)
        for near in sorted({index // (FINE + 1) for ball in balls for index in ball} - {number}):
            (other, beside), there = rims[near], fine[near]
            if other[0] == border[0]:
                continue
            known = whole_ones.get((other, border))
            if known is not None:  # seen from the other side
                meeting, sign = known
                found.append((replace(meeting, one=border, other=other), sign))
                continue
            away, shares = _to_line(line, there)
            # where another border ends, this one may go on beside something else
            by = np.flatnonzero((away <= reach) & (shares > 0) & (shares < 1))
            if not len(by):
                continue
            own = own or _frames(rim, t)
            here, across = (own[0][by], own[1][by]), _frames(beside, shares[by])
            ways = np.einsum("nc,nc->n", np.cross(*here), np.cross(*across))
            # another border may end at this one, and run across it
            along_it = np.abs(ways) > PARALLEL
            if not along_it.any():
                continue
            by, ways = by[along_it], ways[along_it]
            # round what shows of each, both run to opposite sides where they look to one
            sign = -1.0 if ways.sum() > 0 else 1.0
            cosine = sign * np.einsum("nc,nc->n", here[0], across[0])[along_it]
            angle = float(np.degrees(np.arccos(np.clip(cosine, -1, 1))).max())
            ends = np.linalg.norm(along[[0, -1]][:, None] - there[[0, -1]][None], axis=2).min(axis=1)
            whole = len(by) == PLACES and bool(ends.max() <= reach)
            found.append((Meeting(border, other, angle, whole, frozenset(map(int, by))), sign))
            if whole:
                whole_ones[border, other] = found[-1]
    return found


def _to_line(places: Floats, line: Floats) -> tuple[Floats, Floats]:
    """(n,) mm from places to a polyline, and the share of its way at which each is nearest."""
    way = np.diff(line, axis=0)
    from_start = places[:, None] - line[None, :-1]
    along = np.einsum("nkc,kc->nk", from_start, way) / np.maximum(np.einsum("kc,kc->k", way, way), 1e-300)
    along = np.clip(along, 0.0, 1.0)
    away = np.linalg.norm(from_start - along[..., None] * way, axis=2)
    nearest = away.argmin(axis=1)
    rows = np.arange(len(places))
    return away[rows, nearest], (nearest + along[rows, nearest]) / len(way)


def _frames(rim: Rim, t: Floats) -> tuple[Floats, Floats]:
    """(n, 3) normals at a border, and the ways out of what shows."""
    return np.asarray(rim.surface.normals(rim.places(t))), outward_ways(rim.surface, rim, t)


def _signs(count: int, found: Sequence[tuple[Meeting, float]]) -> list[float]:
    """1 for parts that look to the side of the first of those that hang together, else -1."""
    signs = [0.0] * count
    for first in range(count):
        if signs[first]:
            continue
        signs[first], left = 1.0, [first]
        while left:
            number = left.pop()
            for meeting, sign in found:
                other = meeting.other[0]
                if meeting.one[0] != number:
                    continue
                if not signs[other]:
                    signs[other] = signs[number] * sign
                    left.append(other)
                elif signs[other] != signs[number] * sign:
                    raise ArabesqueError("This skin has one side only", "Leave a part of it out")
    return signs


def _turned_over(part: Surface) -> Surface:
    return part.turned_over() if isinstance(part, Face) else part.whole.reversed(0)
