"""Patches and cages pushed past forms near them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from arabesque.cages import Cage
from arabesque.cages.past import on_plane, on_surface, pushed_past
from arabesque.errors import ArabesqueError
from arabesque.geometry import Patchwork, Surface
from arabesque.joining import patch_past
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.bodies import patches_of


@dataclass(frozen=True)
class PushedPast(Recipe):
    """A patch or cage (id) with what lies within so many mm of forms (ids), or of the twin plane where there are none,
    ``past`` mm beyond them."""

    word = "pushed past"

    of: str
    by: tuple[str, ...] = ()
    within: float = 2.0
    past: float = 1.0

    @property
    def uses(self) -> tuple[str, ...]:
        return () if self.by else ("plane",)

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.of, *self.by)))

    @property
    def stands_for(self) -> tuple[str, ...]:
        return (self.of,)

    def build(self, given: Given, progress: Progress = silent) -> Any:
        shape = given.shapes[self.of]
        grounds = [on_surface(patch) for key in self.by for patch in patches_of(given, key)]
        if not self.by:
            if given.plane is None:
                raise ArabesqueError("There is no twin plane", "Set one, or choose a form")
            grounds = [on_plane(given.plane)]
        progress(0.1, "Pushing it past")
        if isinstance(shape, Cage):
            return pushed_past(shape, grounds, self.within, self.past)
        if isinstance(shape, Patchwork):
            parts = tuple(patch_past(one, grounds, self.within, self.past) for one in shape.surfaces)
            return Patchwork(parts)
        if not isinstance(shape, Surface):
            raise ArabesqueError("Only patches and cages are pushed past a form", "Choose one of these")
        return patch_past(shape, grounds, self.within, self.past)
