"""The surface through sections."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.tracing import LoftWay, loft


@dataclass(frozen=True, eq=False)
class LoftThrough(Recipe):
    """Through curves in their order: see ``tracing.loft``.

    of: ids of the curves. degree: across them, 1 is straight. closed: round. before, after: mm beyond the ends.
    """

    word = "loft"
    live = True

    of: tuple[str, ...]
    degree: int = 3
    closed: bool = False
    before: float = 0.0
    after: float = 0.0

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.of

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        curves = []
        for key in self.of:
            shape = given.shapes[key]
            if not isinstance(shape, Curve):
                raise ArabesqueError("A section is no curve any more", "Undo that, or make the loft free")
            curves.append(shape)
        return loft(curves, LoftWay(self.degree, self.closed, self.before, self.after))
