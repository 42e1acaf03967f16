"""The patch that four curves go round, or two with calm lines between their ends."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.fitting import PatchFit, four_corner_patch
from arabesque.geometry import Surface
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.inputs import curves_of, scan_of
from arabesque.tracing import Ring, closed_ring, ring_of_curves

NEAR = 5.0
"""Tolerances: curves that come so near to each other meet there."""


@dataclass(frozen=True, eq=False)
class PatchOfCurves(Recipe):
    """Its sides are parts of the curves, exactly; where they meet is found anew whenever one changes.

    of: ids of four curves, in any order, or of two that face each other. degree: fixed, or None for the lightest that
    keeps the tolerance.
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
        curves = curves_of(given, self.of)
        return ring_of_curves(closed_ring(curves, given.scan, given.tolerance), NEAR * given.tolerance)

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.fit(given, progress).surface

    def fit(self, given: Given, progress: Progress = silent) -> PatchFit:
        """The patch with what the fit tells of it."""
        scan = scan_of(given)
        ring = self.ring(given)
        return four_corner_patch(
            ring.corners, scan, given.tolerance, self.degree, through=ring.sides, progress=progress
        )
