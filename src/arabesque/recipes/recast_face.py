"""A trimmed face made anew with natural edges."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface, apply
from arabesque.joining import Recast, recast, recast_at_crease, recast_several
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe


@dataclass(frozen=True, eq=False)
class RecastFace(Recipe):
    """of: id of the face. spans: along both ways; 0 for as few as come ``near``, mm. corners: (4, 3) places on the
    border, or none for its sharpest corners. others: ids of neighbours that become one patch with it. side: 1 or 2 for
    the part on that side of its crease, 0 for all of it."""

    word = "recast"

    of: str
    degree: tuple[int, int] = (3, 3)
    spans: tuple[int, int] = (0, 0)
    near: float = 0.01
    corners: Floats = field(default_factory=lambda: np.empty((0, 3)))
    others: tuple[str, ...] = ()
    side: int = 0

    def __post_init__(self) -> None:
        object.__setattr__(self, "corners", frozen_array(self.corners, (None, 3), np.float64, what="Corners"))

    @property
    def stands_for(self) -> tuple[str, ...]:
        return self.inputs

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.of, *self.others)))

    def moved(self, matrix: Floats) -> RecastFace:
        return replace(self, corners=apply(matrix, self.corners)) if len(self.corners) else self

    def made(self, given: Given, progress: Progress = silent) -> Recast:
        """With what is to be told of it; raises ArabesqueError where there is no face any more."""
        faces = [given.shapes[key] for key in self.inputs]
        if not all(isinstance(face, Surface) for face in faces):
            raise ArabesqueError("What was recast is no surface any more", "Undo that, or make it free")
        spans = self.spans if min(self.spans) > 0 else None
        if self.others:
            return recast_several(faces, self.degree, spans, self.near, list(self.corners), progress)
        if self.side:
            return recast_at_crease(faces[0], self.degree, spans, self.near)[self.side - 1]
        return recast(faces[0], self.degree, spans, self.near, list(self.corners))

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.made(given, progress).surface
