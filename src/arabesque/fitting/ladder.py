"""The lightest patch by its corners alone: raise the degree one step at a time."""

import time
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.checking import Figures, cover, evenness, measure_both_ways, shape_to_scan
from arabesque.fitting.borders import Enclosed, bow_of
from arabesque.fitting.corners import bilinear
from arabesque.fitting.patch import EVEN, SLIDE, FitSettings, fit_patch, on_scan_borders
from arabesque.fitting.patch_fit import MOST_POINTS, PatchFit, Stop, check_tolerance
from arabesque.fitting.rungs import HIGHEST_DEGREE
from arabesque.geometry import Surface, breakpoints
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan

IDLE_STEPS = 2
NARROWEST = 0.1
"""Of the widest span: narrower ones are not divided any more."""
LEAST_GAIN = 0.98
CHECK_SAMPLES = 60


@dataclass(frozen=True, eq=False)
class _Rung:
    """errors: for u and v how far each span stands off the scan, mm² times mm²."""

    surface: Surface
    figures: Figures
    errors: tuple[Floats, Floats]

    @property
    def cost(self) -> float:
        """What the ladder keeps low: closeness paid for with control points."""
        return self.figures.inlier_rms * self.surface.count**0.3


def natural_patch(
    corners: Floats,
    scan: Scan,
    tolerance: float,
    degree: tuple[int, int] | None,
    enclosed: Enclosed | None,
    progress: Progress = silent,
) -> PatchFit:
    """The patch held at its four corners only: the least weight, borders that lean where that is lighter.

    corners: (4, 3) in order, on the scan. enclosed: what straight sides enclose, by which the cover is judged.
    """
    began = time.perf_counter()
    start = bilinear(corners)
    settings = FitSettings(tolerance)
    if degree is not None:
        return _fixed(start, scan, settings, degree, began, enclosed, progress)
    return _climb(start, scan, settings, began, enclosed, progress)


def refit(
    surface: Surface,
    scan: Scan,
    tolerance: float,
    progress: Progress = silent,
    held: Bools | None = None,
    tie: Floats | None = None,
    smoothness: float = FitSettings.smoothness,
    even: float = EVEN,
) -> PatchFit:
    """The patch fitted anew with its own degree and knots.

    held: (nu, nv) control points that stay; by default the corners, and borders that lie on the scan. tie: moves
    that keep it tied to its mirror image. smoothness: weight of the fairness energy; more makes it calmer and less
    close. even: weight of the evenness of its net.
    """
    began = time.perf_counter()
    check_tolerance(tolerance)
    if held is None:
        held = on_scan_borders(surface, scan, tolerance)
    slide = SLIDE if even else FitSettings.slide
    settings = FitSettings(tolerance, samples=80, rounds=6, slide=slide, smoothness=smoothness, even=even)
    fitted = fit_patch(surface, scan, settings, held, True, part(progress, 0.0, 0.8), tie)
    return finished(fitted, scan, tolerance, Stop.FIXED, began, part(progress, 0.8, 1.0))


def raised(
    surface: Surface, u: int, v: int, even: bool = False, errors: tuple[Floats, Floats] | None = None
) -> Surface:
    """The same surface one step heavier along u and/or v: a degree up, or from degree 5 on more spans.

    even: new knots come in pairs, so that knots that are the same read backwards stay so. errors: of each span along u
    and along v; knots go where they are largest, or into the widest spans where they are not known.
    """
    for axis, wanted in ((0, u), (1, v)):
        if wanted:
            if surface.spans[axis] == 1 and surface.degree[axis] < HIGHEST_DEGREE:
                surface = surface.elevated(*((1, 0) if axis == 0 else (0, 1)))
            else:
                surface = _more_spans(surface, axis, even, None if errors is None else errors[axis])
    return surface


def _more_spans(surface: Surface, axis: int, even: bool, errors: Floats | None) -> Surface:
    """Knots in the middle of the spans that are furthest off, or widest: one, or a quarter of them where there are
    many."""
    breaks = breakpoints(surface.knots[axis])
    widths = np.diff(breaks)
    # a span much narrower than the others has had its knots, whatever is left there
    worst = widths if errors is None else np.where(widths > NARROWEST * widths.max(), errors, -1.0)
    chosen = np.argsort(-worst, kind="stable")[: -(-len(widths) // 4)]
    middles = breaks[chosen] + widths[chosen] / 2
    if even:
        middles = np.unique(np.round(np.concatenate([middles, breaks[0] + breaks[-1] - middles]), 12))
    return surface.with_knots(*((middles, ()) if axis == 0 else ((), middles)))


def _fixed(
    start: Surface,
    scan: Scan,
    settings: FitSettings,
    degree: tuple[int, int],
    began: float,
    enclosed: Enclosed | None,
    progress: Progress,
) -> PatchFit:
    surface = start
    while surface.degree != degree:
        u, v = (int(now < wanted) for now, wanted in zip(surface.degree, degree, strict=True))
        surface = fit_patch(surface.elevated(u, v), scan, replace(settings, rounds=3), progress=progress)
    surface = fit_patch(surface, scan, replace(settings, samples=80), trusted=True, progress=progress)
    return finished(surface, scan, settings.tolerance, Stop.FIXED, began, progress, enclosed)


def _climb(
    start: Surface, scan: Scan, settings: FitSettings, began: float, enclosed: Enclosed | None, progress: Progress
) -> PatchFit:
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
            done = finished(_polished(rung, scan, settings), scan, tolerance, Stop.WITHIN, began, progress, enclosed)
            if done.figures.within(tolerance):
                return with_outlook(done, scan, settings, began)
        if idle >= IDLE_STEPS and best.figures.inlier_rms <= 1.5 * scan.noise:
            stopped = Stop.NOISE
            break
    polished = _polished(best, scan, settings)
    done = finished(polished, scan, tolerance, stopped, began, progress, enclosed)
    return replace(done, stopped=Stop.WITHIN) if done.figures.within(tolerance) else done


def _rungs(rung: _Rung, scan: Scan, settings: FitSettings, progress: Progress) -> Iterator[_Rung]:
    """The steps of the ladder: 2 x 2, 3 x 3, 4 x 4 control points, then whichever way pays most."""
    yield rung
    while rung.surface.count < MOST_POINTS:
        progress(min(0.9, rung.surface.count / 60), f"Trying {rung.surface.count} control points")
        ways = [(1, 1)] if max(rung.surface.degree) < 3 else [(1, 0), (0, 1), (1, 1)]
        tried = []
        for u, v in ways:
            heavier = raised(rung.surface, u, v, errors=rung.errors)
            fitted = fit_patch(heavier, scan, settings, trusted=rung.surface.count > 9)
            tried.append(_measured(fitted, scan, settings.tolerance))
        sufficient = [t for t in tried if t.figures.within(settings.tolerance)]
        rung = min(sufficient, key=lambda t: t.surface.count) if sufficient else min(tried, key=lambda t: t.cost)
        yield rung


def _measured(surface: Surface, scan: Scan, tolerance: float) -> _Rung:
    found = shape_to_scan(surface, scan, CHECK_SAMPLES)
    off = np.where(found.valid, found.distance, 0.0) ** 2 * found.samples.areas
    errors: list[Floats] = []
    for axis in (0, 1):
        breaks = breakpoints(surface.knots[axis])
        span = np.clip(np.searchsorted(breaks, found.samples.uv[:, axis], side="right") - 1, 0, len(breaks) - 2)
        errors.append(np.asarray(np.bincount(span, off, len(breaks) - 1), dtype=np.float64))
    return _Rung(surface, found.figures(tolerance), (errors[0], errors[1]))


def _polished(rung: _Rung, scan: Scan, settings: FitSettings) -> Surface:
    return fit_patch(rung.surface, scan, replace(settings, samples=90, rounds=3), trusted=True)


def finished(
    surface: Surface,
    scan: Scan,
    tolerance: float,
    stopped: Stop,
    began: float,
    progress: Progress,
    enclosed: Enclosed | None = None,
    lines: tuple[Floats, ...] = (),
) -> PatchFit:
    """A patch with its figures: both ways, its net, and how it covers what border lines enclose."""
    progress(0.95, "Measuring both ways")
    figures = measure_both_ways([surface], scan, tolerance)
    covered = None if enclosed is None else cover(surface, enclosed.scan, enclosed.inside, tolerance)
    if covered is not None and len(lines) == 4:
        covered = replace(covered, bowed=bow_of(lines, scan))
    seconds = time.perf_counter() - began
    return PatchFit(surface, figures, evenness(surface), tolerance, stopped, seconds, covered, lines)


def with_outlook(done: PatchFit, scan: Scan, settings: FitSettings, began: float) -> PatchFit:
    """Add what one step more along u or v would bring."""
    quick = replace(settings, rounds=2)
    u, v = (
        _measured(fit_patch(raised(done.surface, *way), scan, quick, trusted=True), scan, settings.tolerance)
        for way in ((1, 0), (0, 1))
    )
    return replace(done, next_u=u.figures.inlier_p99, next_v=v.figures.inlier_p99, seconds=time.perf_counter() - began)
