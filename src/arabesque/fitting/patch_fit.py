"""A fitted patch and how it stands: the verdict that the window, scripts and reports share."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from functools import cached_property
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import BothWays, Cover, Evenness
from arabesque.errors import FitProblem
from arabesque.fitting.turn import Turn, turn_of
from arabesque.geometry import Surface

MOST_POINTS = 400


class Borders(Enum):
    """How the sides of a patch run between its corners; the value is what files and commands say."""

    CALM = "calm"
    NATURAL = "natural"


class Stop(Enum):
    """Why a fit went no further; the value is what the user reads."""

    WITHIN = "the lightest that keeps the tolerance"
    FIXED = "the degree was given"
    NOISE = "more control points would only follow the noise of the scan"
    TURNS = "the net turns with the form: end the patch at the marked line"
    LIMIT = f"no net of up to {MOST_POINTS} control points keeps the tolerance"


@dataclass(frozen=True, eq=False)
class PatchFit:
    """A fitted patch and how it stands.

    net: how even its net is. cover: of what the border lines enclose; None where they enclose no part of the scan.
    lines: the border lines, (n, 3) places each, that it was held to; none for natural borders. next_u, next_v:
    inlier p99 (mm) that one step more along u or v would reach, or None when that was not tried.
    """

    surface: Surface
    figures: BothWays
    net: Evenness
    tolerance: float
    stopped: Stop
    seconds: float
    cover: Cover | None = None
    lines: tuple[Floats, ...] = ()
    next_u: float | None = None
    next_v: float | None = None

    @property
    def within(self) -> bool:
        """True when both directions keep the tolerance, over the whole of what was asked for, once."""
        return self.figures.within(self.tolerance) and (self.cover is None or self.cover.whole)

    @cached_property
    def turn(self) -> Turn | None:
        """Where the net turns, where that is what ended the fit: the patch may be ended there."""
        return turn_of(self.surface, self.net) if self.stopped is Stop.TURNS else None

    @property
    def verdict(self) -> str:
        """In words, with all that it does not speak of."""
        words = self.figures.verdict(self.tolerance)
        missed = "" if self.cover is None else self.cover.words
        if self.cover is None and self.lines:
            missed = "what it covers cannot be judged, for its border lines enclose no part of the scan"
        return f"{words}; {missed}" if missed else words

    def as_record(self) -> dict[str, Any]:
        """Plain values for a report, without the unit."""
        cover = self.cover
        return {
            "tolerance": self.tolerance,
            "control_points": self.surface.count,
            "degree": list(self.surface.degree),
            "spans": list(self.surface.spans),
            **self.figures.as_record(),
            "coverage": None if cover is None else cover.coverage,
            "outside": None if cover is None else cover.outside,
            "folded": None if cover is None else cover.folded,
            "bowed": None if cover is None else cover.bowed,
            "net": self.net.as_record(),
            "within": self.within,
            "verdict": self.verdict,
            "stopped": self.stopped.value,
            "turn": None if self.turn is None else self.turn.as_record(),
            "next_step_p99": {"u": self.next_u, "v": self.next_v},
            "seconds": self.seconds,
        }


def check_tolerance(tolerance: float) -> None:
    """Raises FitProblem for a tolerance that is not a positive length."""
    if not (np.isfinite(tolerance) and tolerance > 0):
        raise FitProblem(f"A tolerance of {tolerance} mm is not possible", "Give a length above 0, for example 0.2 mm")
