"""The line in which a plane cuts the reference scan, as a curve."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane, apply
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.tracing import Cut, TracedSection, fitted_section, section_like


@dataclass(frozen=True, eq=False)
class SectionCurve(Recipe):
    """Of so many poles, or with 0 of as few as the tolerance needs.

    normal, offset: of the plane, mm. near: (3,) where the line lies, start: where it begins, way: how it sets out.
    side: (2, 3) a place and a direction, where only what lies that way of the place counts.
    """

    word = "section"

    normal: Floats
    offset: float
    near: Floats
    start: Floats
    way: Floats
    poles: int = 0
    degree: int = 3
    side: Floats | None = None

    def __post_init__(self) -> None:
        for name in ("normal", "near", "start", "way"):
            object.__setattr__(self, name, frozen_array(getattr(self, name), (3,), np.float64, what="Section"))
        if self.side is not None:
            object.__setattr__(self, "side", frozen_array(self.side, (2, 3), np.float64, what="Side"))

    @classmethod
    def of(cls, traced: TracedSection, poles: int, degree: int) -> SectionCurve:
        """The recipe that makes a traced section again."""
        line = traced.line
        ahead = line.points[min(len(line.points) - 1, max(1, len(line.points) // 20))] - line.points[0]
        plane, side = traced.cut
        return cls(plane.normal, plane.offset, line.middle, line.points[0], ahead, poles, degree, side)

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan",) if self.poles else ("scan", "tolerance")

    def moved(self, matrix: Floats) -> SectionCurve:
        plane = Plane(self.normal, self.offset).moved(matrix)
        near, start = apply(matrix, np.array([self.near, self.start]))
        way = matrix[:3, :3] @ self.way
        side = None
        if self.side is not None:
            side = np.array([apply(matrix, self.side[:1])[0], matrix[:3, :3] @ self.side[1]])
        return replace(self, normal=plane.normal, offset=plane.offset, near=near, start=start, way=way, side=side)

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        if given.scan is None:
            raise ArabesqueError("There is no scan to cut", "Open a scan, or make the section free")
        cut = Cut(Plane(self.normal, self.offset), self.side)
        line = section_like(given.scan, cut, self.near, self.start, self.way)
        return fitted_section(line, self.poles or None, given.tolerance, self.degree).curve
