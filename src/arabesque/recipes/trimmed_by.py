"""A surface trimmed by others, by curves and by borders."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Face, Surface, foot_points
from arabesque.joining import Cutter, Pieces, cut_apart, shown_by
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.inputs import scan_of
from arabesque.shapes import Rimmed, can


@dataclass(frozen=True, eq=False)
class CutBy:
    """of: id of a surface or a curve. rim: of a surface that cuts with one of its borders, the border's number, else
    -1. direction: (3,) along which a curve is brought onto what it cuts, or None. further: mm by which it goes on."""

    of: str
    rim: int = -1
    direction: Floats | None = None
    further: float = 0.0

    def __post_init__(self) -> None:
        if self.direction is not None:
            way = frozen_array(self.direction, (3,), np.float64, what="Direction")
            object.__setattr__(self, "direction", way)

    def cutter(self, given: Given) -> Cutter:
        """With the shape as it is now; raises ArabesqueError where it can cut nothing any more."""
        shape = given.shapes[self.of]
        if self.rim >= 0:
            rims = shape.rims() if can(shape, Rimmed) else ()
            if self.rim >= len(rims):
                raise ArabesqueError("The border that cuts is there no more", "Undo that, or make the trim free")
            return Cutter(rims[self.rim], self.direction, self.further)
        if not isinstance(shape, Surface | Curve):
            raise ArabesqueError("What cuts is neither a surface nor a curve any more", "Undo that, or make it free")
        return Cutter(shape, self.direction, self.further)


def shares_of(surface: Surface, places: Floats) -> Floats:
    """(n, 2) where on a surface (n, 3) places lie, as shares of its domain."""
    low, high = np.array(surface.domain).T
    return np.asarray((foot_points(surface.whole, places).uv - low) / (high - low))


@dataclass(frozen=True, eq=False)
class TrimmedBy(Recipe):
    """What is left of a surface where others have cut it.

    of: its id. keep: (k, 2) places in pieces that stay, as shares of its domain; with none those stay that the scan
    shows within the tolerance.
    """

    word = "trim"

    of: str
    cutters: tuple[CutBy, ...]
    keep: Floats

    def __post_init__(self) -> None:
        object.__setattr__(self, "keep", frozen_array(self.keep, (None, 2), np.float64, what="Places that stay"))

    @property
    def uses(self) -> tuple[str, ...]:
        return () if len(self.keep) else ("scan", "tolerance")

    @property
    def stands_for(self) -> tuple[str, ...]:
        return (self.of,)

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.of, *(one.of for one in self.cutters))))

    def moved(self, matrix: Floats) -> TrimmedBy:
        turned = tuple(
            one if one.direction is None else replace(one, direction=matrix[:3, :3] @ one.direction)
            for one in self.cutters
        )
        return replace(self, cutters=turned)

    def pieces(self, given: Given) -> Pieces:
        """What the surface falls into; raises ArabesqueError where it is none any more."""
        surface = given.shapes[self.of]
        if not isinstance(surface, Surface):
            raise ArabesqueError("What is trimmed is no surface any more", "Undo that, or make the trim free")
        return cut_apart(surface, [one.cutter(given) for one in self.cutters])

    def staying(self, pieces: Pieces, given: Given) -> list[int]:
        """Numbers of the pieces that stay."""
        if not len(self.keep):
            return np.flatnonzero(shown_by(pieces, scan_of(given), given.tolerance)).tolist()
        low, high = np.array(pieces.surface.domain).T
        return sorted({pieces.at(low + place * (high - low)) for place in self.keep})

    def build(self, given: Given, progress: Progress = silent) -> Face:
        pieces = self.pieces(given)
        if len(pieces.pieces) < 2:
            short = min((one.missing for one in pieces.loose), default=np.inf)
            words = f": {short:.3g} mm are missing" if np.isfinite(short) else ""
            raise ArabesqueError(f"The cut does not part the surface{words}", "Let what cuts go on further")
        return pieces.kept(self.staying(pieces, given))
