"""A blend between borders of two shapes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface
from arabesque.joining import Blend, BlendSide, Ways, best_pulls, blend, laid_on_scan
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.inputs import scan_of
from arabesque.scan import Scan
from arabesque.shapes import Rimmed, can

_CURE = "Undo that, or make the blend free"


@dataclass(frozen=True)
class BorderOf:
    """A border that a blend begins at: of an item by its id, the number among its ``rims``; of a patch an ``Edge``.

    order, part, pull: as ``joining.BlendSide``.
    """

    of: str
    rim: int
    order: int = 2
    part: tuple[float, float] = (0.0, 1.0)
    pull: tuple[float, float, float] = (1.0, 1.0, 1.0)

    def side(self, shape: Any) -> BlendSide:
        """On its shape as it is now; raises ArabesqueError where that has no such border."""
        rims = shape.rims() if can(shape, Rimmed) else ()
        if not 0 <= self.rim < len(rims):
            raise ArabesqueError("A border of the blend is there no more", _CURE)
        return BlendSide(rims[self.rim], self.order, self.part, self.pull)


@dataclass(frozen=True)
class BlendBetween(Recipe):
    """From one border to another, going on in each as smoothly as asked. degree: across, at least. middle: rows between
    those that meet the borders, which lie on the scan."""

    word = "blend"
    live = True

    one: BorderOf
    two: BorderOf
    ways: Ways = Ways.ROWS
    degree: int = 0
    middle: int = 0

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance") if self.middle else ()

    @property
    def in_drags(self) -> bool:
        return not self.middle

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.one.of, self.two.of)))

    def sides(self, given: Given) -> tuple[BlendSide, BlendSide]:
        """Both borders as they are now; raises ArabesqueError where one is there no more."""
        return self.one.side(given.shapes[self.one.of]), self.two.side(given.shapes[self.two.of])

    def best(self, given: Given, scan: Scan, progress: Progress = silent) -> tuple[BlendBetween, float]:
        """With the pulls at which it lies nearest to a scan, and how near 99 % of it are then, mm."""
        one, two, away = best_pulls(*self.sides(given), scan, given.tolerance, self.ways, self.middle, progress)
        made = replace(self, one=replace(self.one, pull=one.pull), two=replace(self.two, pull=two.pull))
        return made, away

    def made(self, given: Given, progress: Progress = silent) -> Blend:
        """With what is to be told of it."""
        made = blend(*self.sides(given), self.ways, self.degree)
        if not self.middle:
            return made
        orders = self.one.order, self.two.order
        return laid_on_scan(made, orders, self.middle, scan_of(given), given.tolerance, progress)

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.made(given, progress).surface
