"""Patches and cages pushed past forms near them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from arabesque.cages.past import on_plane, on_surface
from arabesque.errors import ArabesqueError
from arabesque.joining import past
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.bodies import patches_of
from arabesque.recipes.inputs import plane_of
from arabesque.shapes import Sampled, can


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
        if not can(shape, Sampled):
            raise ArabesqueError("What is pushed past a form has no surface any more", "Undo that, or make it free")
        grounds = [on_surface(patch) for key in self.by for patch in patches_of(given, key)]
        progress(0.1, "Pushing it past")
        return past(shape, grounds or [on_plane(plane_of(given))], self.within, self.past)
