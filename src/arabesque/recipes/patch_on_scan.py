"""A patch through four places on the reference scan."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.fitting import Borders, PatchFit, four_corner_patch
from arabesque.geometry import Curve, Surface, apply
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.sides import Side, reordered

CALM_SIDES = (Side(), Side(), Side(), Side())


@dataclass(frozen=True, eq=False)
class PatchOnScan(Recipe):
    """The lightest even patch that keeps the tolerance, or one of a degree.

    corners: (4, 3) places on the scan, mm. borders: as its sides run between them. sides: what each runs along, from
    the first corner to the second, and so on.
    """

    word = "patch on the scan"

    corners: Floats
    degree: tuple[int, int] | None = None
    borders: Borders = Borders.CALM
    sides: tuple[Side, Side, Side, Side] = CALM_SIDES

    def __post_init__(self) -> None:
        object.__setattr__(self, "corners", frozen_array(self.corners, (4, 3), np.float64, what="Corners"))

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance", *(("plane",) if any(side.plane for side in self.sides) else ()))

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(side.on for side in self.sides if side.on))

    def moved(self, matrix: Floats) -> PatchOnScan:
        one, two, three, four = (side.moved(matrix) for side in self.sides)
        return replace(self, corners=apply(matrix, self.corners), sides=(one, two, three, four))

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.fit(given, progress).surface

    def fit(self, given: Given, progress: Progress = silent) -> PatchFit:
        """The patch with what the fit tells of it."""
        if given.scan is None:
            raise ArabesqueError("There is no scan to lay the patch on", "Open a scan, or make the patch free")
        through = self.through(given)
        return four_corner_patch(
            self.corners, given.scan, given.tolerance, self.degree, self.borders, through, progress
        )

    def ended(self, fit: PatchFit) -> PatchOnScan:
        """The recipe of the larger part of what it made, ended at the line at which that turns.

        Its new side is calm, and so are those beside it that were pulled through places; what lies on a line stays on
        it. Raises ArabesqueError where nothing turns.
        """
        turn, p = fit.turn, fit.surface.points
        if turn is None:
            raise ArabesqueError("The net of this patch does not turn", "End it by its corners")
        sides = reordered(self.sides, self.corners, np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]))
        for number in (turn.new_side - 1, turn.new_side, (turn.new_side + 1) % 4):
            if number == turn.new_side or sides[number].through is not None:
                sides[number] = Side()
        one, two, three, four = sides
        return replace(self, corners=turn.corners, sides=(one, two, three, four))

    def through(self, given: Given) -> list[Floats | Curve | None]:
        """For each side what it goes through: places, or a curve; None where it is calm."""
        assert given.scan is not None
        ends = [self.corners[[k, (k + 1) % 4]] for k in range(4)]
        return [
            side.along(ends[k], given.shapes.get(side.on), given.plane, given.scan) for k, side in enumerate(self.sides)
        ]
