"""What a user asks of the rows of a layout, beside what the form says."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane

MOST_FACTOR = 4.0
SPREAD, FADE = 1.5, 2.5
"""Radii of a brush up to which rows get closer, and how steeply."""


@dataclass(frozen=True, eq=False)
class Moved:
    """An irregular point goes to ``end`` (3,): the one nearest to ``start``, or to that place where it is None."""

    end: Floats
    start: Floats | None = None

    def __post_init__(self) -> None:
        object.__setattr__(self, "end", frozen_array(self.end, (3,), np.float64, what="Place"))
        if self.start is not None:
            object.__setattr__(self, "start", frozen_array(self.start, (3,), np.float64, what="Place"))


@dataclass(frozen=True, eq=False)
class Calm:
    """No irregular point lies within ``radius`` mm of a line (k, 3)."""

    line: Floats
    radius: float

    def __post_init__(self) -> None:
        object.__setattr__(self, "line", frozen_array(self.line, (None, 3), np.float64, what="Line"))
        _check_radius(self.radius)


@dataclass(frozen=True, eq=False)
class RowsHere:
    """Within ``radius`` mm of a line (k, 3) there are about ``factor`` times as many quads. Rows go on beyond it: what
    is gained there is lost elsewhere."""

    line: Floats
    radius: float
    factor: float

    def __post_init__(self) -> None:
        object.__setattr__(self, "line", frozen_array(self.line, (None, 3), np.float64, what="Line"))
        _check_radius(self.radius)
        if not 1 / MOST_FACTOR <= self.factor <= MOST_FACTOR:
            raise ArabesqueError(
                f"{self.factor:g} times as many quads in one place are not possible",
                f"Give from {1 / MOST_FACTOR:g} to {MOST_FACTOR:g}",
            )


def _check_radius(radius: float) -> None:
    if not 0 < radius < np.inf:
        raise ArabesqueError(f"A brush of {radius:g} mm is not possible", "Give a radius above 0")


@dataclass(frozen=True, eq=False)
class Guides:
    """curves: (k, 3) polylines on the scan that rows run along. sharp: such with edges of the cage exactly on them,
    and sharp. moved, calm: where irregular points are to be, and where not. rows: where there are more or fewer."""

    curves: tuple[Floats, ...] = ()
    sharp: tuple[Floats, ...] = ()
    moved: tuple[Moved, ...] = ()
    calm: tuple[Calm, ...] = ()
    rows: tuple[RowsHere, ...] = field(default_factory=tuple)

    def __bool__(self) -> bool:
        return any((self.curves, self.sharp, self.moved, self.calm, self.rows))

    def at(self, to: Callable[[Floats], Floats]) -> Guides:
        """With all places (k, 3) taken elsewhere."""
        return Guides(
            tuple(to(curve) for curve in self.curves),
            tuple(to(curve) for curve in self.sharp),
            tuple(
                Moved(to(one.end[None])[0], None if one.start is None else to(one.start[None])[0]) for one in self.moved
            ),
            tuple(replace(one, line=to(one.line)) for one in self.calm),
            tuple(replace(one, line=to(one.line)) for one in self.rows),
        )

    def above(self, plane: Plane) -> Guides:
        """What lies above a plane, and of places below it the images."""

        def up(places: Floats) -> Floats:
            return np.where((plane.height(places) < 0)[:, None], plane.mirrored(places), places)

        curves, sharp = (
            tuple(part for curve in lines for part in _parts_above(curve, plane)) for lines in (self.curves, self.sharp)
        )
        return replace(self.at(up), curves=curves, sharp=sharp)


NO_GUIDES = Guides()


def _parts_above(curve: Floats, plane: Plane) -> list[Floats]:
    """The parts of a polyline above a plane, up to where it crosses that; none of what runs in it."""
    points = np.asarray(curve, dtype=float)
    height = plane.height(points)
    found: list[list[Floats]] = []
    open_ = False
    for k in range(len(points)):
        if k and (height[k - 1] > 0) != (height[k] > 0):
            share = height[k - 1] / (height[k - 1] - height[k])
            crossing = points[k - 1] + share * (points[k] - points[k - 1])
            if not open_:
                found.append([])
            found[-1].append(crossing)
            open_ = bool(height[k] > 0)
        if height[k] > 0:
            if not open_:
                found.append([])
                open_ = True
            found[-1].append(points[k])
    return [np.array(part) for part in found if len(part) > 1]


def from_line(places: Floats, line: Floats) -> Floats:
    """(n,) how far places (n, 3) are from a polyline (k, 3), mm."""
    best: Floats = np.linalg.norm(places - line[0], axis=1)
    for a, b in pairwise(line):
        way = b - a
        size = float(way @ way)
        if size > 0:
            t = np.clip((places - a) @ way / size, 0, 1)
            best = np.minimum(best, np.linalg.norm(places - a - t[:, None] * way, axis=1))
    return best


def closer_at(places: Floats, rows: Sequence[RowsHere]) -> Floats:
    """(n,) the logarithm of how many times as many quads are asked for at places (n, 3)."""
    found = np.zeros(len(places))
    for one in rows:
        found += np.log(one.factor) * np.clip(FADE * (1 - from_line(places, one.line) / (SPREAD * one.radius)), 0, 1)
    return found


def steps_along(curves: Sequence[Floats], step: float) -> list[Floats]:
    """Of each polyline that has a length places about a step apart, (k, 3)."""
    found = []
    for curve in curves:
        line = np.asarray(curve, dtype=float)
        along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        if along[-1] <= 0:
            continue
        at = np.linspace(0, along[-1], max(2, round(along[-1] / step) + 1))
        found.append(np.column_stack([np.interp(at, along, line[:, axis]) for axis in range(3)]))
    return found
