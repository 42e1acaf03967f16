"""A blend between borders of two shapes."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane, Rim, Surface, symmetric_from
from arabesque.joining import (
    Blend,
    BlendSide,
    Lines,
    Ways,
    best_pulls,
    blend,
    image_of,
    laid_on_scan,
    nearest_shares,
)
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.border_of import BorderOf
from arabesque.recipes.inputs import curves_of, scan_of
from arabesque.scan import Scan

BESIDE_END = 0.02
"""Of a border's way: a line that ends so near to its end is meant to end with it."""
READ = 129
"""Places along a line that a side follows."""


@dataclass(frozen=True)
class BlendBetween(Recipe):
    """From one border to another, going on in each as smoothly as asked. degree: across, at least. middle: rows between
    those that meet the borders, which lie on the scan. mirrored: it goes to the image of ``one`` over the twin plane,
    not to ``two``. lines: ids of up to two curves from border to border, along which its sides run."""

    word = "blend"
    live = True

    one: BorderOf
    two: BorderOf
    ways: Ways = Ways.ROWS
    degree: int = 0
    middle: int = 0
    mirrored: bool = False
    lines: tuple[str, ...] = ()

    @property
    def uses(self) -> tuple[str, ...]:
        scan = ("scan", "tolerance") if self.middle else ()
        return (*scan, "plane") if self.mirrored else scan

    @property
    def in_drags(self) -> bool:
        return not self.middle

    @property
    def inputs(self) -> tuple[str, ...]:
        borders = (self.one,) if self.mirrored else (self.one, self.two)
        return tuple(dict.fromkeys((*(key for border in borders for key in border.inputs), *self.lines)))

    def sides(self, given: Given) -> tuple[BlendSide, BlendSide]:
        """Both borders as they are now, the first beginning where the lines do; raises ArabesqueError where one is
        there no more."""
        one, two, _ = self._read(given)
        return one, two

    def _read(self, given: Given) -> tuple[BlendSide, BlendSide, Lines]:
        """Both borders, and the lines at the beginning and the end, (READ, 3) from the first border to the second."""
        if self.mirrored:
            plane = _plane_of(given)
            one = two = self.one.side(given, plane.mirrored(self.one.places(given)))
        else:
            one = self.one.side(given, self.two.places(given))
            two = self.two.side(given, self.one.places(given))
        lines = []
        for curve in curves_of(given, self.lines):
            places = curve.at(np.linspace(*curve.domain, READ))
            start, end = (_away(one.rim, place) for place in places[[0, -1]])
            lines.append(places if start <= end else places[::-1])
        for line in lines:
            one, two = _begun(one, line[0]), _begun(two, line[-1])
        return one, image_of(one, plane) if self.mirrored else two, _at_ends(lines, one)

    def best(self, given: Given, scan: Scan, progress: Progress = silent) -> tuple[BlendBetween, float]:
        """With the pulls at which it lies nearest to a scan, and how near 99 % of it are then, mm."""
        first, second, lines = self._read(given)

        def tried(one: BlendSide, two: BlendSide) -> Surface:
            return self._between(one, two, lines, given).surface

        one, two, away = best_pulls(first, second, tried, scan, given.tolerance, self.mirrored, progress)
        made = replace(self, one=replace(self.one, pull=one.pull), two=replace(self.two, pull=two.pull))
        return made, away

    def made(self, given: Given, progress: Progress = silent) -> Blend:
        """With what is to be told of it."""
        return self._between(*self._read(given), given, progress)

    def _between(
        self, one: BlendSide, two: BlendSide, lines: Lines, given: Given, progress: Progress = silent
    ) -> Blend:
        made = blend(one, two, self.ways, self.degree, lines=lines)
        if self.middle:
            made = laid_on_scan(made, (one.order, two.order), self.middle, scan_of(given), given.tolerance, progress)
        if self.mirrored:
            made = replace(made, surface=symmetric_from(made.surface, _plane_of(given), 0, False))
        return made

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.made(given, progress).surface


def _plane_of(given: Given) -> Plane:
    if given.plane is None:
        raise ArabesqueError("There is no twin plane", "Set one in the first step")
    return given.plane


def _at_ends(lines: list[Floats], one: BlendSide) -> Lines:
    """The line at which a blend begins, and that at which it ends."""
    found: list[Floats | None] = [None, None]
    ends = one.rim.surface.at(one.rim.places(np.array(one.part)))
    for line in lines:
        end = int(np.linalg.norm(ends - line[0], axis=1).argmin())
        if found[end] is not None:
            raise ArabesqueError("Both lines lie at one end of the blend", "Choose one for each end")
        found[end] = line
    return found[0], found[1]


def _begun(side: BlendSide, place: Floats) -> BlendSide:
    """A border that begins, or ends, where it comes nearest to a place (3,)."""
    share = float(nearest_shares(side.rim, place[None])[0])
    share = 0.0 if share < BESIDE_END else 1.0 if share > 1 - BESIDE_END else share
    end = int(abs(side.part[1] - share) < abs(side.part[0] - share))
    part = (side.part[0], share) if end else (share, side.part[1])
    return replace(side, part=part)


def _away(rim: Rim, place: Floats) -> float:
    """mm from a place (3,) to a border."""
    on = rim.surface.at(rim.places(nearest_shares(rim, place[None])))[0]
    return float(np.linalg.norm(on - place))
