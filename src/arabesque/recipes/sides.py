"""What the sides of a patch on the scan run along: the scan itself, places, or a line that is there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.fitting import even_steps, sides_after
from arabesque.geometry import Curve, Plane, apply, arc_length, curve_between, curve_feet
from arabesque.scan import Scan
from arabesque.shapes import Guiding, can

BESIDE_END = 0.005
"""Of a curve's length."""
PLACES = 61
"""Places along a line that a side is laid on."""


@dataclass(frozen=True, eq=False)
class Side:
    """How one side runs: a calm line on the scan, unless something else is said.

    through: (n, 3) places that the hand pulled it through. on: id of an item on one of whose lines it lies: a curve,
    a line of a set, an edge or trim of a patch, a rim of a scan. at: (3,) a place on that line. plane: on the twin
    plane.
    """

    through: Floats | None = None
    on: str = ""
    at: Floats | None = None
    plane: bool = False

    def __post_init__(self) -> None:
        for name, shape in (("through", (None, 3)), ("at", (3,))):
            value = getattr(self, name)
            if value is not None:
                object.__setattr__(self, name, frozen_array(value, shape, np.float64, what="A side"))
        if (self.on != "") != (self.at is not None) or bool(self.on) + self.plane + (self.through is not None) > 1:
            raise InvalidShape("A side runs along one thing", "Lay it anew")

    @property
    def calm(self) -> bool:
        """True where nothing was said."""
        return self.through is None and not self.on and not self.plane

    def moved(self, matrix: Floats) -> Side:
        """The side after a (4, 4) rigid motion of all that it lies on."""
        through = None if self.through is None else apply(matrix, self.through)
        return replace(self, through=through, at=None if self.at is None else apply(matrix, self.at[None])[0])

    def backwards(self) -> Side:
        """The side run from its end to its start."""
        return self if self.through is None else replace(self, through=self.through[::-1])

    def along(self, ends: Floats, shape: Any, plane: Plane | None, scan: Scan) -> Floats | Curve | None:
        """What the side between (2, 3) ends goes through: (n, 3) places, a part of a curve, or None where it is calm.

        shape: of the item it lies on. Raises ArabesqueError where that has no line.
        """
        if self.plane:
            if plane is None:
                raise ArabesqueError("There is no twin plane", "Set one, or click the handle of the side")
            straight = even_steps(ends, PLACES)
            return scan.closest(onto(plane, straight)).points if len(straight) else None
        if self.on:
            at = self.at
            assert at is not None
            lines = shape.guides() if can(shape, Guiding) else ()
            line = min(lines, key=lambda one: _distance(one.points, at), default=None)
            if line is None:
                raise ArabesqueError("What a side was laid on has no line any more", "Click the handle of the side")
            if line.curve is not None:
                return part_of_curve(line.curve, ends)
            return part_between(line.points, line.closed, ends)
        return self.through


def onto(plane: Plane, points: Floats) -> Floats:
    """(n, 3) points moved square onto a plane."""
    return points - np.outer(points @ plane.normal - plane.offset, plane.normal)


def reordered(sides: Sequence[Side], before: Floats, after: Floats) -> list[Side]:
    """The sides of (4, 3) corners that were put in another order; a side of corners that were not joined is calm."""
    found = []
    for number, backwards in sides_after(before, after):
        side = Side() if number is None else sides[number]
        found.append(side.backwards() if backwards else side)
    return found


def part_of_curve(curve: Curve, ends: Floats) -> Curve:
    """The part of a curve from the place nearest to one (3,) end to that nearest to the other, run that way."""
    low, high = curve.domain
    feet = curve_feet(curve, ends)
    length = arc_length(curve)
    # a corner beside the end of the curve means that end
    away = [np.linalg.norm(feet.points - curve.points[k], axis=1) for k in (0, -1)]
    t = np.where(away[0] < BESIDE_END * length, low, np.where(away[1] < BESIDE_END * length, high, feet.parameters))
    if t[0] == t[1]:
        raise ArabesqueError("Both corners lie at one place of the line", "Move a corner along it")
    return curve_between(curve, float(t[0]), float(t[1]))


def part_between(line: Floats, closed: bool, ends: Floats) -> Floats:
    """The part of a line from the place nearest to one (3,) end to that nearest to the other; the shorter of two."""
    first, last = (int(np.linalg.norm(line - end, axis=1).argmin()) for end in ends)
    if closed and (last - first) % len(line) > len(line) // 2:
        return even_steps(np.roll(line, -last, axis=0)[: (first - last) % len(line) + 1], PLACES)[::-1]
    if closed:
        return even_steps(np.roll(line, -first, axis=0)[: (last - first) % len(line) + 1], PLACES)
    if first == last:
        raise ArabesqueError("Both corners lie at one place of the line", "Move a corner along it")
    low, high = sorted((first, last))
    part = even_steps(line[low : high + 1], PLACES)
    return part if first < last else part[::-1]


def _distance(line: Floats, place: Floats) -> float:
    return float(np.linalg.norm(line - place, axis=1).min())
