"""A patch between edges of other patches and places on the scan."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.fitting import EdgeOf, Piece, lay_between
from arabesque.geometry import Edge, Surface, apply
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe


@dataclass(frozen=True, eq=False)
class RingPiece:
    """A part of the ring: an ``Edge`` of a patch, by its id; or a (3,) place, mm."""

    patch: str = ""
    edge: int = 0
    place: Floats | None = None

    def __post_init__(self) -> None:
        if self.place is not None:
            object.__setattr__(self, "place", frozen_array(self.place, (3,), np.float64, what="Place"))
        if self.edge not in {int(edge) for edge in Edge}:
            raise InvalidShape(f"A patch has no edge {self.edge}", "Pick the edge anew")


@dataclass(frozen=True, eq=False)
class PatchBetween(Recipe):
    """Sharing control points, and where wanted tangents, with its neighbours. degree: at least, along u and v."""

    word = "patch between"

    pieces: tuple[RingPiece, ...]
    degree: tuple[int, int] = (3, 3)
    tangent: bool = False

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance")

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(piece.patch for piece in self.pieces if piece.place is None))

    def moved(self, matrix: Floats) -> PatchBetween:
        pieces = (p if p.place is None else replace(p, place=apply(matrix, p.place)) for p in self.pieces)
        return replace(self, pieces=tuple(pieces))

    def ring(self, given: Given) -> list[Piece]:
        """The edges and places as they are now; raises ArabesqueError where an input is no patch."""
        ring: list[Piece] = []
        for piece in self.pieces:
            if piece.place is not None:
                ring.append(piece.place)
                continue
            shape = given.shapes[piece.patch]
            if not isinstance(shape, Surface):
                raise ArabesqueError("A neighbour is no patch any more", "Undo that, or make the patch free")
            ring.append(EdgeOf(shape, piece.edge, self.tangent))
        return ring

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        if given.scan is None:
            raise ArabesqueError("There is no scan to lay the patch on", "Open a scan, or make the patch free")
        return lay_between(self.ring(given), given.scan, given.tolerance, self.degree, progress)
