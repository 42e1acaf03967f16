"""An opening between surfaces filled."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry import Patchwork, Surface
from arabesque.joining import Filled, divided, fill, fill_four
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.border_of import BorderOf
from arabesque.recipes.inputs import curves_of, scan_of

ALONG = 200
"""Places of a curve by which a fill is guided."""


class FillWith(Enum):
    """What an opening is filled with; the value is its words. As suits: over four borders a patch with natural edges,
    else one trimmed."""

    AS_SUITS = "as suits"
    ONE = "one trimmed"
    FOUR_SIDED = "four-sided"


@dataclass(frozen=True, eq=False)
class FillOpening(Recipe):
    """borders: round the opening, each with its order of continuity. curves: ids of those that it passes within.
    scan: whether it goes by the scan inside. near: mm, how near four-sided patches come to the one they divide."""

    word = "fill"

    borders: tuple[BorderOf, ...]
    pieces: FillWith = FillWith.ONE
    curves: tuple[str, ...] = ()
    scan: bool = False
    near: float = 0.002

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance") if self.scan else ("tolerance",) if self.curves else ()

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*(key for one in self.borders for key in one.inputs), *self.curves)))

    def filled(self, given: Given, progress: Progress = silent) -> Filled:
        """The patch that all comes from, with what is to be told of it: one with natural edges where four borders are
        filled so, else one trimmed."""
        sides = [border.side(given) for border in self.borders]
        if self.pieces is not FillWith.ONE and len(sides) == 4 and not self.curves:
            return fill_four(sides, scan_of(given) if self.scan else None, given.tolerance, progress)
        return fill(sides, self._guides(given), given.tolerance)

    def _guides(self, given: Given) -> Floats | None:
        places = [curve.at(np.linspace(*curve.domain, ALONG)) for curve in curves_of(given, self.curves)]
        if self.scan:
            places.append(scan_of(given).points)
        return np.concatenate(places) if places else None

    def shape_of(self, filled: Filled) -> Surface | Patchwork:
        """What the recipe makes of it."""
        if self.pieces is not FillWith.FOUR_SIDED:
            return filled.face
        surfaces = divided(filled, self.near)
        return surfaces[0] if len(surfaces) == 1 else Patchwork(surfaces)

    def build(self, given: Given, progress: Progress = silent) -> Surface | Patchwork:
        return self.shape_of(self.filled(given, progress))
