"""A curve along a line of an item."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, apply
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.shapes import Guide, Guiding, can
from arabesque.tracing import CORNER, FittedCurve, curve_along


@dataclass(frozen=True, eq=False)
class LineTaken(Recipe):
    """A rim, a feature line, an edge or another curve, by few poles; it follows what it was taken from.

    of: id of the item. at: (3,) a place on the line, mm. poles: between corners; 0 for as few as the tolerance needs.
    degree: 3 or 5. corner: degrees from which on a turn stays a corner.
    """

    word = "line taken"

    of: str
    at: Floats
    poles: int = 0
    degree: int = 3
    corner: float = CORNER

    def __post_init__(self) -> None:
        object.__setattr__(self, "at", frozen_array(self.at, (3,), np.float64, what="Place"))

    @property
    def uses(self) -> tuple[str, ...]:
        return () if self.poles else ("tolerance",)

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of,)

    def moved(self, matrix: Floats) -> LineTaken:
        return replace(self, at=apply(matrix, self.at[None])[0])

    def line(self, given: Given) -> Guide:
        """The line as it is now; raises ArabesqueError where there is none any more."""
        shape = given.shapes[self.of]
        lines = shape.guides() if can(shape, Guiding) else ()
        found = min(lines, key=lambda one: float(np.linalg.norm(one.points - self.at, axis=1).min()), default=None)
        if found is None:
            raise ArabesqueError("What the line was taken from has none any more", "Undo that, or make the curve free")
        return found

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        return self.fit(given).curve

    def fit(self, given: Given) -> FittedCurve:
        """The curve with how it stands to the line."""
        line = self.line(given)
        tolerance = None if self.poles else given.tolerance
        return curve_along(line.points, line.closed, self.poles or None, tolerance, self.degree, self.corner)
