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
from arabesque.fitting import corners_only, on_scan_borders, refit
from arabesque.geometry import Surface, border_of
from arabesque.progress import Progress
from arabesque.scan import Scan

CLOSEST, CALMEST = -10.0, -3.0
"""Powers of ten of the fairness weight at both ends of the slider."""
LEAST_EVEN, MOST_EVEN = -7.0, -1.0
"""Of the evenness weight."""


class Part(Enum):
    """What moves; the value is its words."""

    BORDERS = "all but edges on the scan"
    ALL = "all, corners held"
    INSIDE = "the inside, edges held"
    CHOSEN = "chosen points"


class FitAgain(PatchWork):
    """Both figures are shown for every place of the slider; pinned points stay."""

    needs: ClassVar[Needs] = (Scan, Surface)
    id = "fit-again"
    label = "Fit with choices"
    hint = "Fit again: all, the inside or chosen rows; closer, calmer or more even, with both figures"
    shortcut = "Shift+T"
    icon = "ph.sliders-horizontal"
    short = "Fit choice"

    @dataclass
    class Options:
        """what: moves. calm: 0 as close as can be, 1 as calm as can be. even: 0 as it comes, 1 rows as if drawn."""

        what: Part = labelled(Part.BORDERS, "Moves")
        calm: float = share(0.15)
        even: float = share(0.5)

    @property
    def smoothness(self) -> float:
        """The weight of the fairness energy."""
        return float(10 ** (CLOSEST + (CALMEST - CLOSEST) * self.options.calm))

    @property
    def evenness(self) -> float:
        """The weight of the evenness energy; nothing at the very beginning of the slider."""
        share_ = self.options.even
        return float(10 ** (LEAST_EVEN + (MOST_EVEN - LEAST_EVEN) * share_)) if share_ > 0 else 0.0

    def _held(self, surface: Surface, scan: Scan) -> Bools:
        item, shape = self.item, surface.points.shape
        assert item is not None
        if self.options.what is Part.CHOSEN:
            held = ~self.session.points.mask(item).reshape(shape[:2])
        elif self.options.what is Part.INSIDE:
            held = border_of(shape)
        elif self.options.what is Part.BORDERS:
            held = on_scan_borders(surface, scan, self.session.document.tolerance)
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
        held, tolerance = self._held(surface, scan), self.session.document.tolerance
        smoothness, even = self.smoothness, self.evenness
        if held.all():
            raise FitProblem("No control point is free to move", "Choose points first, or let pins go")
        tie, tied = self.tie(surface), self.tied
        words = {
            Part.ALL: ", corners held",
            Part.BORDERS: "",
            Part.INSIDE: ", its inside",
            Part.CHOSEN: f", {int(np.sum(~held))} points",
        }

        def run(progress: Progress) -> NewShape:
            fit = refit(surface, scan, tolerance, progress, held, tie, smoothness, even)
            made = tied(fit.surface)
            return NewShape(made, compared(surface, made, scan, tolerance), f"fitted again{words[self.options.what]}")

        return run
