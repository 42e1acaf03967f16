"""Surfaces that stand on curves: sweeps, what is drawn out, turned and pushed."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.geometry import Patchwork, Surface, apply
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.inputs import Directed, curve_of, curves_of, profile_of
from arabesque.tracing import draw_out, polynomial, pushed, sweep, turned


@dataclass(frozen=True, eq=False)
class SweepAlong(Recipe):
    """One or two sections along one or two rails: see ``tracing.sweep``. sections, rails: ids of curves."""

    word = "sweep"
    live = True

    sections: tuple[str, ...]
    rails: tuple[str, ...]

    @property
    def uses(self) -> tuple[str, ...]:
        return ("tolerance",)

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*self.sections, *self.rails)))

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        sections = [polynomial(curve, given.tolerance) for curve in curves_of(given, self.sections)]
        return sweep(sections, curves_of(given, self.rails), given.tolerance)


@dataclass(frozen=True, eq=False)
class DrawnOut(Directed):
    """The ruled surface from a curve: see ``tracing.draw_out``.

    of: id of the curve. ahead, back: mm to both sides. direction: (3,), or None for the scan's normals. angle: degrees.
    """

    word = "drawn out"
    live = True

    of: str
    ahead: float
    back: float = 0.0
    direction: Floats | None = None
    angle: float = 0.0

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan",) if self.direction is None else ()

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return draw_out(curve_of(given, self.of), (self.ahead, self.back), self.direction, given.scan, self.angle)


@dataclass(frozen=True, eq=False)
class Turned(Recipe):
    """Curves or sketches turned about an axis: see ``tracing.turned``.

    of: their ids. origin, axis: (3,) of the axis. angle: degrees.
    """

    word = "turned"
    live = True

    of: tuple[str, ...]
    origin: Floats
    axis: Floats
    angle: float = 360.0

    def __post_init__(self) -> None:
        for name in ("origin", "axis"):
            object.__setattr__(self, name, frozen_array(getattr(self, name), (3,), np.float64, what="Axis"))

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.of

    def moved(self, matrix: Floats) -> Turned:
        origin = apply(matrix, self.origin[None])[0]
        return replace(self, origin=origin, axis=matrix[:3, :3] @ self.axis)

    def build(self, given: Given, progress: Progress = silent) -> Surface | Patchwork:
        return turned(profile_of(given, self.of), self.origin, self.axis, self.angle)


@dataclass(frozen=True, eq=False)
class Pushed(Recipe):
    """Curves or sketches pushed along a direction: see ``tracing.pushed``.

    of: their ids. direction: (3,). low, high: mm along it.
    """

    word = "pushed"
    live = True

    of: tuple[str, ...]
    direction: Floats
    low: float
    high: float

    def __post_init__(self) -> None:
        object.__setattr__(self, "direction", frozen_array(self.direction, (3,), np.float64, what="Direction"))

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.of

    def moved(self, matrix: Floats) -> Pushed:
        return replace(self, direction=matrix[:3, :3] @ self.direction)

    def build(self, given: Given, progress: Progress = silent) -> Surface | Patchwork:
        return pushed(profile_of(given, self.of), self.direction, self.low, self.high)
