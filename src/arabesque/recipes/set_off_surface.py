"""A surface set off from another one."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface
from arabesque.joining import SetOff, set_off
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe


@dataclass(frozen=True)
class SetOffSurface(Recipe):
    """of: id of a patch or true shape. length: mm along its normals, below 0 against them. near: mm, how near it comes
    to the true offset."""

    word = "set off"
    live = True

    of: str
    length: float
    near: float = 0.001

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of,)

    def made(self, given: Given) -> SetOff:
        """With what is to be told of it; raises ArabesqueError where there is no patch any more."""
        shape = given.shapes[self.of]
        if not isinstance(shape, Surface):
            raise ArabesqueError("What was set off is no surface any more", "Undo that, or make it free")
        return set_off(shape, self.length, self.near)

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.made(given).surface
