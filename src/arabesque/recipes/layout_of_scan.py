"""A cage laid over the reference scan by itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.errors import ArabesqueError
from arabesque.layout import Detail, Ground, Layout, Wishes, lay_out
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.shapes import Guiding, can


def lines_of(shape: Guiding) -> list[Floats]:
    """(k, 3) polylines of a shape with lines, closed ones back to their start."""
    return [np.vstack([g.points, g.points[:1]]) if g.closed else np.asarray(g.points) for g in shape.guides()]


@dataclass(frozen=True, eq=False)
class LayoutOfScan(Recipe):
    """Follows the scan, the tolerance and the twin plane.

    quads: how many; 0 for as few as keep the tolerance. detail: how much small forms count. alike: both sides of the
    twin plane the same. close: openings inside are gone over. curves: ids of curves that rows run along.
    """

    word = "layout of the scan"

    quads: int = 0
    detail: Detail = Detail.BALANCED
    alike: bool = False
    close: bool = False
    curves: tuple[str, ...] = ()

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.curves

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance", *(("plane",) if self.alike else ()))

    def wishes(self, given: Given) -> Wishes:
        """What the layout is to be, with what the document says."""
        lines = []
        for name in self.curves:
            curve = given.shapes[name]
            if not can(curve, Guiding):
                raise ArabesqueError("What rows were to run along is no curve any more", "Choose other curves")
            lines += lines_of(curve)
        plane = given.plane if self.alike else None
        return Wishes(self.quads or None, given.tolerance, self.detail, plane, self.close, tuple(lines)).checked()

    def build(self, given: Given, progress: Progress = silent) -> Cage:
        return self.lay(given, None, progress).cage

    def lay(self, given: Given, ground: Ground | None, progress: Progress = silent) -> Layout:
        """The layout with all that is told of it; on the rows of an earlier one where these are still true."""
        if given.scan is None:
            raise ArabesqueError("There is no scan to lay the cage on", "Open a scan, or make the cage free")
        if self.alike and given.plane is None:
            raise ArabesqueError("There is no twin plane", "Find the symmetry of the scan first")
        return lay_out(given.scan, self.wishes(given), ground, progress)
