"""A cage as the NURBS patches that are its surface."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.cages import Cage, deliver_cage
from arabesque.errors import ArabesqueError
from arabesque.geometry import Patchwork
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe


@dataclass(frozen=True, eq=False)
class SurfacesOfCage(Recipe):
    """Follows the cage. of: its id. merged: as few patches as irregular points allow; else one a face."""

    word = "surfaces of a cage"

    of: str
    merged: bool = True

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of,)

    def build(self, given: Given, progress: Progress = silent) -> Patchwork:
        cage = given.shapes[self.of]
        if not isinstance(cage, Cage):
            raise ArabesqueError("What the surfaces were made of is no cage any more", "Choose a cage")
        progress(0.1, "Turning the cage into surfaces")
        return Patchwork(deliver_cage(cage, self.merged).converted.surfaces)
