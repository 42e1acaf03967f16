"""A patch whose edges go on in borders of other shapes."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry import Surface
from arabesque.joining import MatchedPatch, Ways, match_edge
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.border_of import BorderOf

READ, BESIDE = 65, 0.1
"""Places along an edge, and of half the patch how far inside it is looked where the patch lies."""


@dataclass(frozen=True)
class MatchedEdge:
    """An ``Edge`` of the patch, and the border that it goes on in with that one's order; rows: as ``match_edge``."""

    edge: int
    to: BorderOf
    rows: int = 0


@dataclass(frozen=True, eq=False)
class MatchedTo(Recipe):
    """A patch as it was before, with edges matched one after the other; it follows what they are matched to."""

    word = "matched edges"
    live = True

    before: Surface
    edges: tuple[MatchedEdge, ...]
    ways: Ways = Ways.ROWS

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(key for one in self.edges for key in one.to.inputs))

    def moved(self, matrix: Floats) -> MatchedTo:
        return replace(self, before=self.before.moved(matrix))

    def matched(self, given: Given) -> list[MatchedPatch]:
        """The patch after each edge."""
        made: list[MatchedPatch] = []
        surface = self.before
        for one in self.edges:
            side = one.to.side(given, *_along(surface, one.edge))
            made.append(match_edge(surface, one.edge, side, one.rows, self.ways))
            surface = made[-1].surface
        return made

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.matched(given)[-1].surface


def _along(surface: Surface, edge: int) -> tuple[Floats, Floats]:
    """(READ, 3) places beside an edge inside a patch, and along it."""
    rim, t = surface.rims()[edge], np.linspace(0, 1, READ)
    return surface.at(rim.places(t) + BESIDE * rim.inward(t)), surface.at(rim.places(t))
