"""Sections of a scan as curves: one line a plane, all run alike, each fitted by few poles or to a tolerance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, Plane, reversed_curve
from arabesque.progress import Progress, silent
from arabesque.scan import Scan
from arabesque.tracing.cuts import Cut, CutLine, Heights, aligned, cut_scan
from arabesque.tracing.fit import FittedCurve, fit_curve

ALIKE = 0.5
"""Of the longest line of a section: others that are as long may be the one that goes on from the plane before."""
USUAL_POLES = 7
"""Enough for a last-like form (common practice)."""


@dataclass(frozen=True, eq=False)
class TracedSection:
    """A section where it was cut, and as it was fitted. others: how many more lines the plane cuts. poles: as they
    are asked for."""

    cut: Cut
    line: CutLine
    fitted: FittedCurve
    others: int
    poles: int


def trace_sections(
    scan: Scan,
    cuts: Sequence[Cut],
    poles: int | None = USUAL_POLES,
    tolerance: float | None = None,
    degree: int = 3,
    guide: Curve | Plane | None = None,
    alike: bool = False,
    progress: Progress = silent,
) -> list[TracedSection]:
    """One curve for each plane that cuts the scan, in the order of the planes.

    Of several lines the one that goes on from the plane before is taken. guide: closed sections begin where they come
    nearest to it, or pass it where it is a plane; else where they twist least. alike: what goes by a tolerance gets as
    many poles as the section that needs most, so that a loft through all of them is light. Raises FitProblem when no
    plane cuts the scan, or a line cannot be fitted.
    """
    found: list[tuple[Cut, CutLine, int]] = []
    heights: Heights | None = None
    for number, cut in enumerate(cuts):
        progress(0.5 * number / len(cuts), f"Section {number + 1} of {len(cuts)}")
        if heights is None or not np.array_equal(heights.normal, cut.plane.normal):
            # parallel planes share what is known along their normal
            more = number + 1 < len(cuts) and np.array_equal(cuts[number + 1].plane.normal, cut.plane.normal)
            heights = Heights(scan, cut.plane.normal) if more else None
        lines = cut_scan(scan, cut, heights)
        if lines:
            found.append((cut, _going_on(lines, found[-1][1] if found else None), len(lines) - 1))
    if not found:
        raise FitProblem("No plane cuts the scan", "Move the sections to where the scan is")
    made: list[TracedSection] = []
    for number, line in enumerate(aligned([line for _, line, _ in found], guide)):
        progress(0.5 + 0.5 * number / len(found), f"Fitting {number + 1} of {len(found)}")
        cut, _, others = found[number]
        fit = fitted_section(line, poles, tolerance, degree)
        made.append(TracedSection(cut, line, fit, others, fit.curve.count - degree * line.closed))
    most = max(one.poles for one in made)
    if alike and any(one.poles < most for one in made):
        return [
            one if one.poles == most else replace(one, fitted=fitted_section(one.line, most, None, degree), poles=most)
            for one in made
        ]
    return made


def fitted_section(line: CutLine, poles: int | None, tolerance: float | None, degree: int = 3) -> FittedCurve:
    """A section line as one curve; poles: of a closed one, besides those that come again at its end."""
    count = poles + degree if poles is not None and line.closed else poles
    # a cut carries the scan's noise: 95 % of it within the tolerance is what a curve can keep
    return fit_curve(
        line.points, count, None if poles is not None else tolerance, degree, line.closed, mostly=poles is None
    )


def section_like(scan: Scan, cut: Cut, near: Floats, start: Floats, way: Floats) -> CutLine:
    """The line of a section that lies about a (3,) place, begun beside another and run along a third.

    Raises FitProblem where the plane misses the scan.
    """
    lines = cut_scan(scan, cut)
    if not lines:
        raise FitProblem("The plane of this section misses the scan", "Move it to where the scan is")
    longest = max(line.length for line in lines)
    line = min(
        (line for line in lines if line.length > 0.1 * longest), key=lambda one: np.linalg.norm(one.middle - near)
    )
    points = line.points
    if line.closed:
        points = np.roll(points, -int(np.linalg.norm(points - start, axis=1).argmin()), axis=0)
        ahead = points[min(len(points) - 1, max(1, len(points) // 20))] - points[0]
        if ahead @ way < 0:
            points = np.vstack([points[:1], points[:0:-1]])
    elif np.linalg.norm(points[0] - start) > np.linalg.norm(points[-1] - start):
        points = points[::-1]
    return CutLine(points, line.closed, cut.plane)


def _going_on(lines: Sequence[CutLine], before: CutLine | None) -> CutLine:
    if before is None:
        return lines[0]
    long = [line for line in lines if line.length >= ALIKE * lines[0].length]
    return min(long, key=lambda line: float(np.linalg.norm(line.middle - before.middle)))


def set_figures(fitted: Sequence[FittedCurve]) -> tuple[float, float]:
    """rms and worst of several fitted curves together, mm: what window and reports tell."""
    return float(np.sqrt(np.mean([one.rms**2 for one in fitted]))), max(one.worst for one in fitted)


def turned_over(one: TracedSection) -> TracedSection:
    """The same section run the other way; a closed one begins where it began."""
    points = one.line.points
    back = np.vstack([points[:1], points[:0:-1]]) if one.line.closed else points[::-1]
    line = CutLine(back, one.line.closed, one.line.plane)
    return replace(one, line=line, fitted=replace(one.fitted, curve=reversed_curve(one.fitted.curve)))
