"""The line in which two surfaces cross, as a curve."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface, apply
from arabesque.joining import crossings
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.on_the_scan import CLOSER
from arabesque.tracing import FittedCurve, curve_along


@dataclass(frozen=True, eq=False)
class CrossingOf(Recipe):
    """Of surfaces ``one`` and ``two`` (ids) the line that passes nearest to a place (3,), as a curve of as few control
    points as a quarter of the tolerance needs; poles: or of so many between its corners."""

    word = "crossing"

    one: str
    two: str
    near: Floats
    poles: int = 0

    def __post_init__(self) -> None:
        object.__setattr__(self, "near", frozen_array(self.near, (3,), np.float64, what="Place"))

    @property
    def uses(self) -> tuple[str, ...]:
        return () if self.poles else ("tolerance",)

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.one, self.two)))

    def moved(self, matrix: Floats) -> CrossingOf:
        return replace(self, near=apply(matrix, self.near[None])[0])

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        return self.fit(given).curve

    def fit(self, given: Given) -> FittedCurve:
        """The curve with how it stands to the line; raises ArabesqueError where there is none."""
        shapes = [given.shapes[key] for key in self.inputs]
        if len(shapes) < 2 or not all(isinstance(shape, Surface) for shape in shapes):
            raise ArabesqueError("Two surfaces cross, and one of them is none any more", "Undo that, or make it free")
        lines = crossings(shapes[0].whole, shapes[1].whole)
        if not lines:
            raise ArabesqueError("The surfaces do not cross", "Extend one of them through the other")
        line = min(lines, key=lambda one: float(np.linalg.norm(one.points - self.near, axis=1).min()))
        places = line.points[:-1] if line.closed else line.points
        near = None if self.poles else CLOSER * given.tolerance
        return curve_along(places, line.closed, self.poles or None, near)
