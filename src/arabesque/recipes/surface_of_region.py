"""A free surface over a picked region, that reaches past it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.fitting import FreeRegion, free_region
from arabesque.geometry import Surface
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.inputs import scan_of
from arabesque.recipes.layout_of_scan import Taken


@dataclass(frozen=True, eq=False)
class SurfaceOfRegion(Recipe):
    """Follows the scan and its regions.

    taken: which part of the scan. within: mm that 99 % of it keep, 0 for the tolerance. smoothness: 0 to 1. past: mm
    that it reaches past the part. along: (3,) along which its rows run, or None for the longer way.
    """

    word = "surface of a region"

    taken: Taken
    within: float = 0.0
    smoothness: float = 0.3
    past: float = 2.0
    along: Floats | None = None

    def __post_init__(self) -> None:
        if self.along is not None:
            object.__setattr__(self, "along", frozen_array(self.along, (3,), np.float64, what="Direction"))

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan",) if self.within else ("scan", "tolerance")

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.taken.inputs

    def moved(self, matrix: Floats) -> SurfaceOfRegion:
        along = None if self.along is None else matrix[:3, :3] @ self.along
        return replace(self, taken=self.taken.moved(matrix), along=along)

    def lay(self, given: Given, progress: Progress = silent) -> FreeRegion:
        """The surface, with how near it is."""
        scan, part = scan_of(given), self.taken.part(given, ())
        if part is None:
            raise ArabesqueError("No part of the scan is picked", "Mark one, or click areas")
        return free_region(
            part.of(scan), self.within or given.tolerance, self.smoothness, self.past, self.along, progress
        )

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.lay(given, progress).surface
