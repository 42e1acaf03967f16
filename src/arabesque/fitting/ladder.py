"""The lightest patch that keeps the tolerance: raise the degree one step at a time."""

import time
from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import Enum
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Bools, Floats
from arabesque.checking import BothWays, Figures, measure_both_ways, shape_to_scan
from arabesque.errors import FitProblem
from arabesque.fitting.corners import bilinear, corners_on_scan
from arabesque.fitting.patch import FitSettings, fit_patch
from arabesque.geometry import LARGEST_DEGREE, Surface, breakpoints
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan

HIGHEST_DEGREE = 5
"""Single-span degree up to which the ladder climbs before it adds spans instead."""
MOST_POINTS = 400
IDLE_STEPS = 2
LEAST_GAIN = 0.98
CHECK_SAMPLES = 60
CHECK_SCAN_POINTS = 4000


class Stop(Enum):
    """Why a fit went no further; the value is what the user reads."""

    WITHIN = "within the tolerance"
    FIXED = "the degree was given"
    NOISE = "more control points would only follow the noise of the scan"
    LIMIT = f"the limit of {MOST_POINTS} control points is reached"


@dataclass(frozen=True, eq=False)
class PatchFit:
    """A fitted patch and how it stands.

    next_u, next_v: inlier p99 (mm) that one step more along u or v would
    reach, or None when the ladder did not try it.
    """

    surface: Surface
    figures: BothWays
    tolerance: float
    stopped: Stop
    seconds: float
    next_u: float | None = None
    next_v: float | None = None

    @property
    def within(self) -> bool:
        """True when both directions keep the tolerance."""
        return self.figures.within(self.tolerance)

    def as_record(self) -> dict[str, Any]:
        """Plain values for a report, without the unit."""
        return {
            "tolerance": self.tolerance,
            "control_points": self.surface.count,
            "degree": list(self.surface.degree),
            "spans": list(self.surface.spans),
            **self.figures.as_record(),
            "within": self.within,
            "stopped": self.stopped.value,
            "next_step_p99": {"u": self.next_u, "v": self.next_v},
            "seconds": self.seconds,
        }


@dataclass(frozen=True, eq=False)
class _Rung:
    surface: Surface
    figures: Figures

    @property
    def cost(self) -> float:
        """What the ladder keeps low: closeness paid for with control points."""
        return self.figures.inlier_rms * self.surface.count**0.3


def four_corner_patch(
    corners: ArrayLike,
    scan: Scan,
    tolerance: float,
    degree: tuple[int, int] | None = None,
    progress: Progress = silent,
) -> PatchFit:
    """The patch through four corners on the scan, as light as the tolerance allows.

    corners: (4, 3) mm, on the scan; they stay where they are.
    tolerance: mm. degree: fixed degrees along u and v, or None for the lowest
    that suffices (then spans, where no degree does).
    Raises FitProblem when the corners or the tolerance make no patch.
    """
    began = time.perf_counter()
    check_tolerance(tolerance)
    start = bilinear(corners_on_scan(corners, scan, tolerance))
    settings = FitSettings(tolerance)
    if degree is not None:
        if not all(1 <= d <= LARGEST_DEGREE for d in degree):
            raise FitProblem(
                f"Degree {degree[0]} x {degree[1]} is not possible", f"Use degrees from 1 to {LARGEST_DEGREE}"
            )
        return _fixed(start, scan, settings, degree, began, progress)
    return _climb(start, scan, settings, began, progress)


def refit(
    surface: Surface,
    scan: Scan,
    tolerance: float,
    progress: Progress = silent,
    held: Bools | None = None,
    tie: Floats | None = None,
    smoothness: float = FitSettings.smoothness,
) -> PatchFit:
    """The patch fitted anew with its own degree and knots.

    held: (nu, nv) control points that stay, the four corners by default.
    tie: moves that keep it tied to its mirror image. smoothness: weight of
    the fairness energy; more makes it calmer and less close.
    """
    began = time.perf_counter()
    check_tolerance(tolerance)
    settings = FitSettings(tolerance, samples=80, rounds=6, smoothness=smoothness)
    fitted = fit_patch(surface, scan, settings, held, True, part(progress, 0.0, 0.8), tie)
    return _finished(fitted, scan, tolerance, Stop.FIXED, began, part(progress, 0.8, 1.0))


def check_tolerance(tolerance: float) -> None:
    """Raises FitProblem for a tolerance that is not a positive length."""
    if not (np.isfinite(tolerance) and tolerance > 0):
        raise FitProblem(f"A tolerance of {tolerance} mm is not possible", "Give a length above 0, for example 0.2 mm")


def raised(surface: Surface, u: int, v: int, even: bool = False) -> Surface:
    """The same surface one step heavier along u and/or v: a degree up, or from degree 5 on more spans.

    even: new knots come in pairs, so that knots that are the same read backwards stay so.
    """
    for axis, wanted in ((0, u), (1, v)):
        if wanted:
            if surface.spans[axis] == 1 and surface.degree[axis] < HIGHEST_DEGREE:
                surface = surface.elevated(*((1, 0) if axis == 0 else (0, 1)))
            else:
                surface = _more_spans(surface, axis, even)
    return surface


def _more_spans(surface: Surface, axis: int, even: bool) -> Surface:
    """Knots in the middle of the widest spans: one, or a quarter of them where there are many."""
    breaks = breakpoints(surface.knots[axis])
    widths = np.diff(breaks)
    widest = np.argsort(-widths, kind="stable")[: -(-len(widths) // 4)]
    middles = breaks[widest] + widths[widest] / 2
    if even:
        middles = np.unique(np.round(np.concatenate([middles, breaks[0] + breaks[-1] - middles]), 12))
    return surface.with_knots(*((middles, ()) if axis == 0 else ((), middles)))


def _fixed(
    start: Surface, scan: Scan, settings: FitSettings, degree: tuple[int, int], began: float, progress: Progress
) -> PatchFit:
    surface = start
    while surface.degree != degree:
        u, v = (int(now < wanted) for now, wanted in zip(surface.degree, degree, strict=True))
        surface = fit_patch(surface.elevated(u, v), scan, replace(settings, rounds=3), progress=progress)
    surface = fit_patch(surface, scan, replace(settings, samples=80), trusted=True, progress=progress)
    return _finished(surface, scan, settings.tolerance, Stop.FIXED, began, progress)


def _climb(start: Surface, scan: Scan, settings: FitSettings, began: float, progress: Progress) -> PatchFit:
    """Climb until the tolerance is kept, or no step brings the patch closer than the scan's noise."""
    tolerance = settings.tolerance
    best = _measured(start, scan, tolerance)
    idle = -1
    stopped = Stop.LIMIT
    for rung in _rungs(best, scan, settings, progress):
        better = rung.figures.inlier_rms < LEAST_GAIN * best.figures.inlier_rms
        idle = 0 if better else idle + 1
        if better or rung.figures.inlier_p99 < best.figures.inlier_p99:
            best = rung
        if rung.figures.within(tolerance):
            done = _finished(_polished(rung, scan, settings), scan, tolerance, Stop.WITHIN, began, progress)
            if done.within:
                return _with_outlook(done, scan, settings, began)
        if idle >= IDLE_STEPS and best.figures.inlier_rms <= 1.5 * scan.noise:
            stopped = Stop.NOISE
            break
    polished = _polished(best, scan, settings)
    done = _finished(polished, scan, tolerance, stopped, began, progress)
    return replace(done, stopped=Stop.WITHIN) if done.within else done


def _rungs(rung: _Rung, scan: Scan, settings: FitSettings, progress: Progress) -> Iterator[_Rung]:
    """The steps of the ladder: 2 x 2, 3 x 3, 4 x 4 control points, then whichever way pays most."""
    yield rung
    while rung.surface.count < MOST_POINTS:
        progress(min(0.9, rung.surface.count / 60), f"Trying {rung.surface.count} control points")
        ways = [(1, 1)] if max(rung.surface.degree) < 3 else [(1, 0), (0, 1), (1, 1)]
        tried = []
        for u, v in ways:
            fitted = fit_patch(raised(rung.surface, u, v), scan, settings, trusted=rung.surface.count > 9)
            tried.append(_measured(fitted, scan, settings.tolerance))
        sufficient = [t for t in tried if t.figures.within(settings.tolerance)]
        rung = min(sufficient, key=lambda t: t.surface.count) if sufficient else min(tried, key=lambda t: t.cost)
        yield rung


def _measured(surface: Surface, scan: Scan, tolerance: float) -> _Rung:
    return _Rung(surface, shape_to_scan(surface, scan, CHECK_SAMPLES).figures(tolerance))


def _polished(rung: _Rung, scan: Scan, settings: FitSettings) -> Surface:
    return fit_patch(rung.surface, scan, replace(settings, samples=90, rounds=3), trusted=True)


def _finished(
    surface: Surface, scan: Scan, tolerance: float, stopped: Stop, began: float, progress: Progress
) -> PatchFit:
    progress(0.95, "Measuring both ways")
    figures = measure_both_ways([surface], scan, tolerance, most_scan_points=CHECK_SCAN_POINTS)
    return PatchFit(surface, figures, tolerance, stopped, time.perf_counter() - began)


def _with_outlook(done: PatchFit, scan: Scan, settings: FitSettings, began: float) -> PatchFit:
    """Add what one step more along u or v would bring."""
    quick = replace(settings, rounds=2)
    u, v = (
        _measured(fit_patch(raised(done.surface, *way), scan, quick, trusted=True), scan, settings.tolerance)
        for way in ((1, 0), (0, 1))
    )
    return replace(done, next_u=u.figures.inlier_p99, next_v=v.figures.inlier_p99, seconds=time.perf_counter() - began)
