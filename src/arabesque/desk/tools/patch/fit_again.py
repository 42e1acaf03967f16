"""Fit the selected patch to the scan again: all of it, chosen rows, or only its inside; closer or calmer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import ClassVar

import numpy as np

from arabesque.arrays import Bools
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.options import labelled, share
from arabesque.desk.tools.patch_work import NewShape, PatchWork, compared
from arabesque.errors import FitProblem
from arabesque.fitting import corners_only, refit
from arabesque.geometry import Surface, border_of
from arabesque.progress import Progress
from arabesque.scan import Scan

CLOSEST, CALMEST = -10.0, -3.0
"""Powers of ten of the fairness weight at both ends of the slider."""


class Part(Enum):
    """What moves; the value is its words."""

    ALL = "all, corners held"
    INSIDE = "the inside, edges held"
    CHOSEN = "chosen points"


class FitAgain(PatchWork):
    """Both figures are shown for every place of the slider; pinned points stay."""

    needs: ClassVar[Needs] = (Scan, Surface)
    id = "fit-again"
    label = "Fit with choices"
    hint = "Fit again: all, the inside or chosen rows; closer or calmer, with both figures"
    shortcut = "Shift+T"
    icon = "ph.sliders-horizontal"
    short = "Fit choice"

    @dataclass
    class Options:
        """what: moves. calm: 0 as close as can be, 1 as calm as can be."""

        what: Part = labelled(Part.ALL, "Moves")
        calm: float = share(0.15)

    @property
    def smoothness(self) -> float:
        """The weight of the fairness energy."""
        return float(10 ** (CLOSEST + (CALMEST - CLOSEST) * self.options.calm))

    def _held(self, shape: tuple[int, ...]) -> Bools:
        item = self.item
        assert item is not None
        if self.options.what is Part.CHOSEN:
            held = ~self.session.points.mask(item).reshape(shape[:2])
        elif self.options.what is Part.INSIDE:
            held = border_of(shape)
        else:
            held = corners_only(shape[:2])
        for pin in item.ties.pins:
            held[pin] = True
        return held

    def shape_work(self, scan: Scan | None) -> Callable[[Progress], NewShape]:
        surface = self.surface
        assert surface is not None
        if scan is None:
            raise FitProblem("There is no scan to fit to", "Open a scan first")
        held, tolerance, smoothness = self._held(surface.points.shape), self.session.document.tolerance, self.smoothness
        if held.all():
            raise FitProblem("No control point is free to move", "Choose points first, or let pins go")
        tie, tied = self.tie(surface), self.tied
        words = {Part.ALL: "", Part.INSIDE: ", its inside", Part.CHOSEN: f", {int(np.sum(~held))} points"}

        def run(progress: Progress) -> NewShape:
            fit = refit(surface, scan, tolerance, progress, held, tie, smoothness)
            made = tied(fit.surface)
            return NewShape(made, compared(surface, made, scan, tolerance), f"fitted again{words[self.options.what]}")

        return run
