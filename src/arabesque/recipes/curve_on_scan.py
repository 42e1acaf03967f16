"""A curve drawn through places on the reference scan."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, apply
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.tracing import curve_on_scan


@dataclass(frozen=True, eq=False)
class CurveOnScan(Recipe):
    """Smooth, clinging to the scan between its places.

    places: (n, 3) mm. corners: numbers of those at which it turns sharply. square: where it ends on the twin plane it
    crosses that at a right angle.
    """

    word = "curve on the scan"

    places: Floats
    closed: bool = False
    corners: tuple[int, ...] = ()
    degree: int = 3
    square: bool = False

    def __post_init__(self) -> None:
        object.__setattr__(self, "places", frozen_array(self.places, (None, 3), np.float64, what="Places"))

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance", "plane") if self.square else ("scan", "tolerance")

    def moved(self, matrix: Floats) -> CurveOnScan:
        return replace(self, places=apply(matrix, self.places))

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        if given.scan is None:
            raise ArabesqueError("There is no scan to draw on", "Open a scan, or make the curve free")
        plane = given.plane if self.square else None
        return curve_on_scan(self.places, given.scan, given.tolerance, self.closed, self.corners, self.degree, plane)
