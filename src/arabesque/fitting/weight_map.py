"""The weight map: what a few control points more would bring, along u, along v and both."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.checking import shape_to_scan
from arabesque.fitting.ladder import CHECK_SAMPLES, raised
from arabesque.fitting.patch import EVEN, SLIDE, FitSettings, fit_patch, on_scan_borders
from arabesque.fitting.patch_fit import check_tolerance
from arabesque.geometry import Plane, Surface, Twin, TwinKind, tie_matrix
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

STEPS = 3


@dataclass(frozen=True, eq=False)
class Candidate:
    """A patch so many steps heavier along u and v, fitted, and the p99 distance of its inliers, mm."""

    steps: tuple[int, int]
    surface: Surface
    p99: float
    within: bool


def weight_map(
    surface: Surface,
    scan: Scan,
    tolerance: float,
    twin: Twin | None = None,
    plane: Plane | None = None,
    progress: Progress = silent,
) -> list[Candidate]:
    """The nine patches 0 to 2 steps heavier along u and along v, each fitted to the scan.

    A step is a degree, or from degree 5 on more spans. Corners are held, and
    borders that lie on the scan; a twin's ties to its plane too. In rows of u + 0, 1, 2.
    """
    check_tolerance(tolerance)
    settings = FitSettings(tolerance, rounds=4, slide=SLIDE, even=EVEN)
    found = []
    for u in range(STEPS):
        for v in range(STEPS):
            progress((STEPS * u + v) / STEPS**2, "Weighing")
            heavier = surface
            for k in range(max(u, v)):
                across = twin is not None and twin.kind is TwinKind.SPANS
                heavier = raised(heavier, int(k < u), int(k < v), even=across)
            tie = None if twin is None or plane is None else tie_matrix(twin, plane, heavier)
            held = on_scan_borders(heavier, scan, tolerance)
            fitted = fit_patch(heavier, scan, settings, held, trusted=True, tie=tie)
            if twin is not None and plane is not None:
                fitted = twin.kept(fitted, plane, heavier)
            figures = shape_to_scan(fitted, scan, CHECK_SAMPLES).figures(tolerance)
            found.append(Candidate((u, v), fitted, figures.inlier_p99, figures.within(tolerance)))
    return found


def lightest(candidates: list[Candidate]) -> Candidate | None:
    """The candidate with the fewest control points that keeps the tolerance; the closer one of equals."""
    good = [one for one in candidates if one.within]
    return min(good, key=lambda one: (one.surface.count, one.p99)) if good else None
