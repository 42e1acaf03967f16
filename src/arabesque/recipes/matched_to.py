"""A patch whose edges go on in borders of other shapes."""

from __future__ import annotations

from dataclasses import dataclass, replace

from arabesque.arrays import Floats
from arabesque.geometry import Surface
from arabesque.joining import MatchedPatch, Ways, match_edge
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.blend_between import BorderOf


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
        return tuple(dict.fromkeys(one.to.of for one in self.edges))

    def moved(self, matrix: Floats) -> MatchedTo:
        return replace(self, before=self.before.moved(matrix))

    def matched(self, given: Given) -> list[MatchedPatch]:
        """The patch after each edge."""
        made: list[MatchedPatch] = []
        surface = self.before
        for one in self.edges:
            side = one.to.side(given.shapes[one.to.of])
            made.append(match_edge(surface, one.edge, side, one.rows, self.ways))
            surface = made[-1].surface
        return made

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.matched(given)[-1].surface
