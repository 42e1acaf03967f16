"""Borders of items that recipes set out from."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface
from arabesque.joining import BlendSide, curve_border, line_over
from arabesque.recipes.base import Given
from arabesque.recipes.inputs import curve_of
from arabesque.shapes import Rimmed, can

INSIDE = -1
"""In place of a border's number: the inside of a surface, or a curve."""
READ = 129
"""Places at which a line over a surface is read."""
_CURE = "Undo that, or make it free"


@dataclass(frozen=True)
class BorderOf:
    """A border that something begins at: of an item by its id, the number among its ``rims``; of a patch an ``Edge``.

    ``INSIDE`` instead of a number is the line of a surface below ``line`` (id of a curve), or without that below what
    is brought to it; and of a curve the curve itself. order, part, pull: as ``joining.BlendSide``.
    """

    of: str
    rim: int
    order: int = 2
    part: tuple[float, float] = (0.0, 1.0)
    pull: tuple[float, float, float] = (1.0, 1.0, 1.0)
    line: str = ""

    @property
    def inputs(self) -> tuple[str, ...]:
        """Ids of what it goes by."""
        return (self.of, self.line) if self.line else (self.of,)

    def places(self, given: Given) -> Floats:
        """(READ, 3) along it, where it is a line of its own."""
        t = np.linspace(0, 1, READ)
        if self.rim == INSIDE:
            curve = curve_of(given, self.line or self.of)
            return curve.at(curve.domain[0] + t * (curve.domain[1] - curve.domain[0]))
        rim = self.side(given).rim
        return np.asarray(rim.surface.at(rim.places(t)))

    def side(self, given: Given, beyond: Floats | None = None, below: Floats | None = None) -> BlendSide:
        """On its shape as it is now; raises ArabesqueError where that has no such border.

        beyond: (m, 3) to which side a line over a surface is left. below: (n, 3) below which it runs, where it is none
        of its own.
        """
        shape = given.shapes[self.of]
        if self.rim == INSIDE and isinstance(shape, Curve):
            if self.order:
                raise ArabesqueError("A curve has no tangent plane to go on in", "Ask for G0, or choose a surface")
            return BlendSide(curve_border(shape), 0, self.part, self.pull)
        if self.rim == INSIDE and isinstance(shape, Surface) and beyond is not None:
            run = self.places(given) if self.line else below
            if run is not None:
                return BlendSide(line_over(shape, run, beyond), self.order, self.part, self.pull)
        rims = shape.rims() if can(shape, Rimmed) else ()
        if not 0 <= self.rim < len(rims):
            raise ArabesqueError("A border that it was made from is there no more", _CURE)
        return BlendSide(rims[self.rim], self.order, self.part, self.pull)
