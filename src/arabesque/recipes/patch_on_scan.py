"""A patch through four places on the reference scan."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.fitting import PatchFit, four_corner_patch
from arabesque.geometry import Surface, apply
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe


@dataclass(frozen=True, eq=False)
class PatchOnScan(Recipe):
    """The lightest patch that keeps the tolerance, or one of a degree. corners: (4, 3) places on the scan, mm."""

    word = "patch on the scan"
    uses = ("scan", "tolerance")

    corners: Floats
    degree: tuple[int, int] | None = None

    def __post_init__(self) -> None:
        object.__setattr__(self, "corners", frozen_array(self.corners, (4, 3), np.float64, what="Corners"))

    def moved(self, matrix: Floats) -> PatchOnScan:
        return replace(self, corners=apply(matrix, self.corners))

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.fit(given, progress).surface

    def fit(self, given: Given, progress: Progress = silent) -> PatchFit:
        """The patch with what the fit tells of it."""
        if given.scan is None:
            raise ArabesqueError("There is no scan to lay the patch on", "Open a scan, or make the patch free")
        return four_corner_patch(self.corners, given.scan, given.tolerance, self.degree, progress)
