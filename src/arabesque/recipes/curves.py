"""Curves that are made from other things than the scan: places, ends, parameter lines."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Edge, Surface, apply, foot_points, parameter_line
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.tracing import End, Pull, blended, end_beside, end_of, end_to_end, runs_between, through


@dataclass(frozen=True, eq=False)
class CurveThrough(Recipe):
    """A smooth curve through places in space or in a plane.

    places: (n, 3) mm. corners: numbers of those at which it turns sharply.
    """

    word = "curve through places"
    live = True

    places: Floats
    closed: bool = False
    corners: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "places", frozen_array(self.places, (None, 3), np.float64, what="Places"))

    def moved(self, matrix: Floats) -> CurveThrough:
        return replace(self, places=apply(matrix, self.places))

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        runs = runs_between(self.places, self.closed, self.corners)
        return end_to_end([through(run) for run in runs]) if runs else through(self.places, True)


@dataclass(frozen=True, eq=False)
class EndOf:
    """An end that a blend begins at. of: id of a curve or a patch. at: (3,) a place near the end, or on an edge."""

    of: str
    at: Floats

    def __post_init__(self) -> None:
        object.__setattr__(self, "at", frozen_array(self.at, (3,), np.float64, what="End"))

    def moved(self, matrix: Floats) -> EndOf:
        """The end after a (4, 4) rigid motion of what it belongs to."""
        return replace(self, at=apply(matrix, self.at[None])[0])

    def read(self, shape: Any) -> End:
        """How it runs out on its shape; raises ArabesqueError where there is no end any more."""
        if isinstance(shape, Curve):
            away = np.linalg.norm(shape.points[[0, -1]] - self.at, axis=1)
            return end_of(shape, bool(away[1] < away[0]))
        if not isinstance(shape, Surface):
            raise ArabesqueError("A blend has lost one of its ends", "Undo that, or make the blend free")
        (uv,) = foot_points(shape, self.at[None]).uv
        (u0, u1), (v0, v1) = shape.domain
        u, v = (uv[0] - u0) / (u1 - u0), (uv[1] - v0) / (v1 - v0)
        edge = min(Edge, key=lambda one: (v, 1 - u, 1 - v, u)[one])
        return end_beside(shape, edge, float(u if edge in (Edge.V_LOW, Edge.V_HIGH) else v))


@dataclass(frozen=True, eq=False)
class BlendCurve(Recipe):
    """The curve from one end to another that meets both with G1, G2 or G3.

    one, two: the ends. order: 1 to 3. first, second: how far it reaches at each, as shares of the gap.
    """

    word = "blend of curves"
    live = True

    one: EndOf
    two: EndOf
    order: int = 2
    first: float = 1.0
    second: float = 1.0

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.one.of, self.two.of)))

    def moved(self, matrix: Floats) -> BlendCurve:
        return replace(self, one=self.one.moved(matrix), two=self.two.moved(matrix))

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        one, two = (end.read(given.shapes[end.of]) for end in (self.one, self.two))
        return blended(one, two, self.order, Pull(self.first, self.second))


@dataclass(frozen=True, eq=False)
class ParameterLine(Recipe):
    """A parameter line of a patch, exactly; at an end of the range an edge.

    of: id of the patch. axis: the parameter that is fixed, 0 for u. share: of its range.
    """

    word = "parameter line"
    live = True

    of: str
    axis: int
    share: float

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of,)

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        shape = given.shapes[self.of]
        if not isinstance(shape, Surface):
            raise ArabesqueError("What the line lies on is no patch any more", "Undo that, or make the line free")
        low, high = shape.domain[self.axis]
        return parameter_line(shape, self.axis, low + self.share * (high - low))
