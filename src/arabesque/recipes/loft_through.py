"""The surface through sections."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from arabesque.geometry import Surface
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.inputs import curves_of
from arabesque.tracing import LoftWay, loft


@dataclass(frozen=True, eq=False)
class LoftThrough(Recipe):
    """Through curves in their order: see ``tracing.loft``.

    of: ids of the curves. degree: across them, 1 is straight. closed: round. before, after: mm beyond the ends.
    guides: ids of curves that it passes between them. square_first, square_last: see ``tracing.LoftWay``.
    """

    word = "loft"
    live = True

    of: tuple[str, ...]
    degree: int = 3
    closed: bool = False
    before: float = 0.0
    after: float = 0.0
    guides: tuple[str, ...] = ()
    square_first: float = 0.0
    square_last: float = 0.0

    @classmethod
    def by(cls, keys: Sequence[str], way: LoftWay, guides: Sequence[str] = ()) -> LoftThrough:
        """The recipe of a loft that runs in a way."""
        return cls(
            tuple(keys), way.degree, way.closed, way.before, way.after, tuple(guides), way.square_first, way.square_last
        )

    @property
    def way(self) -> LoftWay:
        """How it runs."""
        return LoftWay(
            self.degree,
            self.closed,
            self.before,
            self.after,
            square_first=self.square_first,
            square_last=self.square_last,
        )

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*self.of, *self.guides)))

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return loft(curves_of(given, self.of), self.way, curves_of(given, self.guides))
