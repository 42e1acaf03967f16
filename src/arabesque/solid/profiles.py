"""What a profile encloses as a solid: pushed along a direction, or turned about an axis."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

import numpy as np

from arabesque.arrays import Floats, frozen_array, unit
from arabesque.errors import InvalidShape
from arabesque.geometry import Curve, Elementary, Surface, apply, circle_of, is_straight
from arabesque.solid.exchange import record_of

CLOSE = 1e-6
"""mm: ends that are no further apart are one."""


@dataclass(frozen=True, eq=False)
class PushedProfile:
    """What closed curves in one plane enclose, from ``low`` to ``high`` mm along a direction ``way``, (3,).

    up_to: surfaces at which it ends, where there are any; they have to reach past it. Raises InvalidShape for no
    length, or an open profile.
    """

    profile: tuple[Curve, ...]
    way: Floats
    low: float
    high: float
    up_to: tuple[Surface, ...] = ()

    def __post_init__(self) -> None:
        if not self.low < self.high:
            raise InvalidShape("A pushed profile needs a length", "Give two ends that are apart")
        if free_ends(self.profile):
            raise InvalidShape("The profile is open", "Close it, or turn it about an axis")
        way = unit(np.asarray(self.way, dtype=float)[None])[0]
        object.__setattr__(self, "way", frozen_array(way, (3,), np.float64, what="Direction"))

    @property
    def record(self) -> dict[str, Any]:
        """As the kernel's worker takes it."""
        return {
            "of": "pushed",
            "profile": [_edge(curve) for curve in self.profile],
            "way": self.way,
            "low": self.low,
            "high": self.high,
            "up_to": [(str(number), record_of(one)) for number, one in enumerate(self.up_to)],
        }

    def moved(self, matrix: Floats) -> PushedProfile:
        """After a (4, 4) rigid motion."""
        profile = tuple(curve.moved(matrix) for curve in self.profile)
        return replace(self, profile=profile, way=matrix[:3, :3] @ self.way)


@dataclass(frozen=True, eq=False)
class TurnedProfile:
    """What curves in a plane with an axis enclose, turned about it by ``angle``, degrees.

    An open profile is closed straight to the axis, and along it. at, axis: (3,). Raises InvalidShape where it has more
    than two free ends.
    """

    profile: tuple[Curve, ...]
    at: Floats = field(default_factory=lambda: np.zeros(3))
    axis: Floats = field(default_factory=lambda: np.eye(3)[2])
    angle: float = 360.0

    def __post_init__(self) -> None:
        axis = unit(np.asarray(self.axis, dtype=float)[None])[0]
        object.__setattr__(self, "axis", frozen_array(axis, (3,), np.float64, what="Axis"))
        object.__setattr__(self, "at", frozen_array(self.at, (3,), np.float64, what="Axis"))
        object.__setattr__(self, "profile", (*self.profile, *self._closing()))
        if not 0 < self.angle <= 360:
            raise InvalidShape("A profile is turned by an angle", "Give more than 0, and 360° at most")

    def _closing(self) -> list[Curve]:
        ends = free_ends(self.profile)
        if not ends:
            return []
        if len(ends) != 2:
            raise InvalidShape("The profile is in several pieces", "Close its gaps")
        feet = [self.at + ((end - self.at) @ self.axis) * self.axis for end in ends]
        run = [ends[0], feet[0], feet[1], ends[1]]
        return [Curve.bezier([a, b]) for a, b in pairwise(run) if np.linalg.norm(a - b) > CLOSE]

    @property
    def record(self) -> dict[str, Any]:
        """As the kernel's worker takes it."""
        profile = [_edge(curve) for curve in self.profile]
        return {"of": "turned", "profile": profile, "at": self.at, "axis": self.axis, "angle": self.angle}

    def moved(self, matrix: Floats) -> TurnedProfile:
        """After a (4, 4) rigid motion."""
        profile = tuple(curve.moved(matrix) for curve in self.profile)
        return replace(self, profile=profile, at=apply(matrix, self.at[None])[0], axis=matrix[:3, :3] @ self.axis)


Bounding = Elementary | PushedProfile | TurnedProfile
"""What bounds a solid without being a body."""


def free_ends(profile: Sequence[Curve]) -> list[Floats]:
    """(3,) ends of curves at which no other one begins."""
    ends = [curve.at(curve.domain)[k] for curve in profile for k in (0, 1)]
    return [
        end
        for number, end in enumerate(ends)
        if not any(np.linalg.norm(end - other) <= CLOSE for k, other in enumerate(ends) if k != number)
    ]


def _edge(curve: Curve) -> dict[str, Any]:
    """A curve as the kernel's worker takes it: lines and arcs by what they are."""
    ends = curve.at(curve.domain)
    if is_straight(curve):
        return {"of": "line", "ends": ends}
    circle = circle_of(curve)
    if circle is None:
        return record_of(curve)
    return {"of": "arc", "centre": circle.centre, "normal": circle.normal, "radius": circle.radius, "ends": ends}
