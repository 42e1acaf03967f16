"""A form drawn along from one curve to another."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from arabesque.joining import Morph, reformed
from arabesque.progress import Progress, part, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.bodies import kernel_of, named
from arabesque.recipes.inputs import curve_of
from arabesque.solid import Body, sew

SEWN = 10.0
"""Times as near as its faces come: within this a morphed body is sewn again."""


@dataclass(frozen=True)
class MorphedShape(Recipe):
    """A patch, cage, curve or body (id) after what takes one curve (id) to another.

    wholly, until: mm from the first curve up to which it moves wholly, and from which on it stays. near: mm.
    """

    word = "morphed"

    of: str
    start: str
    end: str
    wholly: float
    until: float
    near: float = 0.01

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.of, self.start, self.end)))

    @property
    def stands_for(self) -> tuple[str, ...]:
        return (self.of,)

    def build(self, given: Given, progress: Progress = silent) -> Any:
        morph = Morph(curve_of(given, self.start), curve_of(given, self.end), self.wholly, self.until)
        shape = given.shapes[self.of]
        progress(0.1, "Drawing the form along")
        if not isinstance(shape, Body):
            return reformed(shape, morph.moved, self.near)
        faces = [reformed(face, morph.moved, self.near) for face in shape.surfaces]
        return sew(named(faces), SEWN * self.near, kernel_of(given), progress=part(progress, 0.6, 1.0))
