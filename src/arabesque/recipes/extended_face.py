"""A surface with some of its borders moved out."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.errors import ArabesqueError
from arabesque.geometry import Manner, Surface
from arabesque.joining import length_past, moved_borders
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe


@dataclass(frozen=True)
class ExtendedFace(Recipe):
    """of: id of a trimmed face, or of a patch. borders: numbers among its rims. length: mm, inwards below 0. past: id
    of a surface that the borders pass by ``length`` mm, or none. manner: how a patch goes on where it ends."""

    word = "extended"

    of: str
    borders: tuple[int, ...]
    length: float
    past: str = ""
    manner: Manner = Manner.CURVED

    @property
    def stands_for(self) -> tuple[str, ...]:
        return (self.of,)

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of, self.past) if self.past else (self.of,)

    def reach(self, given: Given, progress: Progress = silent) -> float:
        """mm by which the borders are moved."""
        surface, past = given.shapes[self.of], given.shapes.get(self.past)
        if not self.past:
            return self.length
        if not isinstance(past, Surface) or not isinstance(surface, Surface):
            raise ArabesqueError("What it was to pass is no surface any more", "Undo that, or make it free")
        return length_past(surface, self.borders, past, self.length, self.manner, progress)

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        surface = given.shapes[self.of]
        if not isinstance(surface, Surface):
            raise ArabesqueError("What was extended is no surface any more", "Undo that, or make it free")
        return moved_borders(surface, self.borders, self.reach(given, progress), self.manner)
