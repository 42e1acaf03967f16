"""The patch through four corners on a scan."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.fitting.borders import (
    ALL_CALM,
    BorderLine,
    Enclosed,
    Through,
    at_curve_ends,
    border_lines,
    enclosed_part,
    part_near,
)
from arabesque.fitting.calm import CalmFit, Ended, Try
from arabesque.fitting.corners import corners_on_scan
from arabesque.fitting.ladder import finished, natural_patch
from arabesque.fitting.patch import EVEN, FitSettings, fit_patch
from arabesque.fitting.patch_fit import Borders, PatchFit, Stop, check_tolerance
from arabesque.fitting.rungs import Rung
from arabesque.geometry import LARGEST_DEGREE, Curve, Surface, border_of, reversed_curve, uniform_knots
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan, lifted

POLISH_SAMPLES = 60
STRICTER = (1.0, 0.92, 0.85)
"""Shares of the tolerance that are tried in turn."""
_STOPS = {Ended.WITHIN: Stop.WITHIN, Ended.TURNS: Stop.TURNS, Ended.NOISE: Stop.NOISE, Ended.LIMIT: Stop.LIMIT}


def four_corner_patch(
    corners: ArrayLike,
    scan: Scan,
    tolerance: float,
    degree: tuple[int, int] | None = None,
    borders: Borders = Borders.CALM,
    through: Through = ALL_CALM,
    progress: Progress = silent,
) -> PatchFit:
    """The patch through four corners on the scan, as light and as even as the tolerance allows.

    corners: (4, 3) mm, on the scan; they stay where they are, but on coarse triangles, where they come to the form
    through the scan's points. tolerance: mm. degree: fixed degrees along u and v, or
    None for the lowest that suffices (then spans, where no degree does). borders: held to calm lines on the scan, or
    natural, held at the corners only. through: for each side, from the first corner to the second and so on, places
    that its line goes through, or a curve that it is exactly: the corners go to its ends; see ``border_lines``.
    Raises FitProblem when the corners or the tolerance make no patch.
    """
    began = time.perf_counter()
    check_tolerance(tolerance)
    if degree is not None and not all(1 <= d <= LARGEST_DEGREE for d in degree):
        raise FitProblem(f"Degree {degree[0]} x {degree[1]} is not possible", f"Use degrees from 1 to {LARGEST_DEGREE}")
    given = np.asarray(corners, dtype=float) if np.shape(corners) == (4, 3) else corners
    placed = lifted(scan, corners_on_scan(given, scan, tolerance))
    placed, along = at_curve_ends(placed, sides_of(given, placed, through))
    lines = border_lines(placed, scan, along)
    enclosed = enclosed_part(lines, scan)
    if borders is Borders.NATURAL:
        return natural_patch(placed, scan, tolerance, degree, enclosed, progress)
    return calm_patch(lines, scan, enclosed, tolerance, degree, began, progress)


def calm_patch(
    lines: Sequence[BorderLine],
    scan: Scan,
    enclosed: Enclosed | None,
    tolerance: float,
    degree: tuple[int, int] | None,
    began: float,
    progress: Progress = silent,
) -> PatchFit:
    """The lightest even patch between four border lines; began: when the clock was started, for its seconds."""
    part_of_it = part_near(lines, scan) if enclosed is None else enclosed.scan
    places = tuple(line.points for line in lines)
    first: PatchFit | None = None
    for share in STRICTER:
        search = CalmFit(lines, part_of_it, share * tolerance, scan.noise)
        if degree is not None:
            u, v = (search.lightest_rung(axis, d) for axis, d in enumerate(degree))
            found, stopped = search.tried(search.fitted(search.start(u, v), EVEN, 8), EVEN), Stop.FIXED
        else:
            found, ended = search.lightest(part(progress, 0.0, 0.8))
            stopped = _STOPS[ended]
        even = found if stopped is Stop.WITHIN else search.evened(found, progress)
        found = _polished(search, even, share * tolerance)
        done = finished(found.surface, scan, tolerance, stopped, began, progress, enclosed, places)
        first = first or done
        if done.figures.close(tolerance) and stopped is Stop.WITHIN:
            more = [search.one_step_more(found, axis) for axis in (0, 1)]
            return replace(done, next_u=more[0], next_v=more[1], seconds=time.perf_counter() - began)
        if done.figures.close(tolerance):
            return done
        if stopped is not Stop.WITHIN and (stopped is not Stop.TURNS or share < 1):
            break
        # what few samples found to be within failed before many: a little more is asked for
    assert first is not None
    # what was found by few samples did not stand: it is told for what it is
    return replace(first, stopped=Stop.LIMIT) if first.stopped is Stop.WITHIN else first


def quick_patch(lines: Sequence[BorderLine], scan: Scan, tolerance: float) -> Surface:
    """A light patch between border lines, roughly on the scan: for while the hand moves."""
    rung = Rung(3, uniform_knots(3, 2))
    search = CalmFit([replace(line, curve=None) for line in lines], scan, tolerance)
    return fit_patch(
        search.start(rung, rung), scan, FitSettings(tolerance, 14, 2, even=EVEN), border_of((rung.count, rung.count))
    )


def _polished(search: CalmFit, found: Try, tolerance: float) -> Try:
    """Fitted to more places of the scan, unless that loses what was won with few."""
    polished = search.tried(search.fitted(found.surface, found.even, 3, POLISH_SAMPLES), found.even)
    worse = found.within(tolerance) and not polished.within(tolerance)
    return found if worse or (found.net.fair and not polished.net.fair) else polished


def sides_of(given: ArrayLike, placed: Floats, through: Through) -> list[Floats | Curve | None]:
    """What each side of the placed corners goes through, where these were put in another order, or the other way."""
    found: list[Floats | Curve | None] = []
    for side, backwards in sides_after(np.asarray(given, dtype=float), placed):
        along = None if side is None else through[side]
        if backwards and along is not None:
            along = reversed_curve(along) if isinstance(along, Curve) else along[::-1]
        found.append(along)
    return found


def sides_after(before: Floats, after: Floats) -> list[tuple[int | None, bool]]:
    """Which side of the (4, 3) corners before each side is after they were put in another order, and whether it runs
    backwards; None for one that joins corners which were not joined."""
    order = [int(np.linalg.norm(before - corner, axis=1).argmin()) for corner in after]
    found: list[tuple[int | None, bool]] = []
    for k in range(4):
        a, b = order[k], order[(k + 1) % 4]
        ahead, behind = (a + 1) % 4 == b, (b + 1) % 4 == a
        found.append((a, False) if ahead else (b, True) if behind else (None, False))
    return found
