"""The patch that four curves go round."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.errors import ArabesqueError
from arabesque.fitting import PatchFit, four_corner_patch
from arabesque.geometry import Curve, Surface
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.tracing import Ring, ring_of_curves

NEAR = 5.0
"""Tolerances: curves that come so near to each other meet there."""


@dataclass(frozen=True, eq=False)
class PatchOfCurves(Recipe):
    """Its sides are parts of the curves, exactly; where they meet is found anew whenever one changes.

    of: ids of four curves, in any order. degree: fixed, or None for the lightest that keeps the tolerance.
    """

    word = "patch of curves"

    of: tuple[str, ...]
    degree: tuple[int, int] | None = None

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance")

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(self.of))

    def ring(self, given: Given) -> Ring:
        """The curves as they go round now."""
        curves = []
        for key in self.of:
            shape = given.shapes[key]
            if not isinstance(shape, Curve):
                raise ArabesqueError("One of the four is no curve any more", "Undo that, or make the patch free")
            curves.append(shape)
        return ring_of_curves(curves, NEAR * given.tolerance)

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.fit(given, progress).surface

    def fit(self, given: Given, progress: Progress = silent) -> PatchFit:
        """The patch with what the fit tells of it."""
        if given.scan is None:
            raise ArabesqueError("There is no scan to lay the patch on", "Open a scan, or make the patch free")
        ring = self.ring(given)
        return four_corner_patch(
            ring.corners, given.scan, given.tolerance, self.degree, through=ring.sides, progress=progress
        )
