"""How far the inputs of a blend are pulled back along their own form, so that it comes nearest to a scan."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import shape_to_scan
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Edge, Face, Rim, Surface, extended
from arabesque.joining.best_pull import ALONG, MOST_MISSING
from arabesque.joining.blend import blend
from arabesque.joining.border import BlendSide, Ways
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

STEPS, TRIES = 4, (60, 40)
"""Lengths that are tried along each way at first, and blends in each search after that."""
SETTLED = 0.005
"""mm"""
SIMPLEX = np.array([[0.0, 0.0], [1.0, 0.3], [-0.3, 1.0]])


class PulledBack(NamedTuple):
    """Two lengths, mm, by which the edges are pulled back, and how near 99 % of the blend are to the scan then, mm."""

    one: float
    two: float
    away: float


def pulled_back(surface: Surface, edge: int, length: float) -> Surface:
    """A patch with an edge pulled back along its own form by so many mm on average, forward below 0.

    Raises InvalidShape for a trimmed face, whose borders stand on other edges, and where nothing would be left.
    """
    if length == 0:
        return surface
    if isinstance(surface, Face):
        raise InvalidShape("A trimmed border cannot be pulled back", "Move what trims it")
    return extended(surface, *Edge(edge).side, -length)


def side_back(side: BlendSide, edge: int, length: float) -> BlendSide:
    """A side of a blend whose edge is pulled back."""
    made = pulled_back(side.rim.surface, edge, length)
    rims: tuple[Rim, ...] = made.rims()
    return replace(side, rim=rims[edge])


def best_backs(
    sides: tuple[BlendSide, BlendSide],
    edges: tuple[int, int],
    most: float,
    scan: Scan,
    tolerance: float,
    ways: Ways = Ways.ROWS,
    progress: Progress = silent,
) -> PulledBack:
    """The two lengths between 0 and ``most`` mm at which 99 % of the blend lie nearest to a scan.

    First all pairs of a few even lengths, then a search from the best of them (Nelder and Mead, "A simplex method for
    function minimization", 1965), begun anew once where it ends. Raises ArabesqueError where no blend has scan below.
    """
    from scipy.optimize import minimize  # a fifth of a second at the start of the window

    count, whole = 0, (STEPS + 1) ** 2 + sum(TRIES)

    def away(lengths: Floats) -> float:
        nonlocal count
        progress(min(count / whole, 0.99), "Pulling edges back")
        count += 1
        one, two = np.clip(lengths, 0.0, most).tolist()
        return _away(sides, edges, (one, two), scan, tolerance, ways)

    pairs = [np.array([a, b]) for a in np.linspace(0, most, STEPS + 1) for b in np.linspace(0, most, STEPS + 1)]
    tried = [away(pair) for pair in pairs]
    if not np.isfinite(tried).any():
        raise ArabesqueError("There is no scan below the blend", "Choose other edges, or pull by hand")
    best, near = pairs[int(np.argmin(tried))], min(tried)
    for tries, step in zip(TRIES, (0.5 * most / STEPS, 0.15 * most / STEPS), strict=True):
        settings = {"maxfev": tries, "xatol": SETTLED, "fatol": 1e-4, "initial_simplex": best + step * SIMPLEX}
        found = minimize(away, best, method="Nelder-Mead", options=settings)
        if found.fun < near:
            best, near = np.clip(found.x, 0.0, most), float(found.fun)
    return PulledBack(float(best[0]), float(best[1]), near)


def _away(
    sides: tuple[BlendSide, BlendSide],
    edges: tuple[int, int],
    lengths: tuple[float, float],
    scan: Scan,
    tolerance: float,
    ways: Ways,
) -> float:
    """How near 99 % of a blend are to the scan, mm; infinite where it cannot be, or has no scan below."""
    try:
        one, two = (side_back(side, edge, by) for side, edge, by in zip(sides, edges, lengths, strict=True))
        found = shape_to_scan(blend(one, two, ways).surface, scan, ALONG)
    except InvalidShape:
        return float("inf")
    return found.figures(tolerance).inlier_p99 if found.missing < MOST_MISSING else float("inf")


def along_form(surface: Surface, edge: int, lengths: Floats) -> Floats:
    """(n, 3) where the middle of an edge lies for (n,) lengths by which it is pulled back; NaN where it cannot be."""
    found = np.full((len(lengths), 3), np.nan)
    for k, length in enumerate(lengths.tolist()):
        try:
            rim = pulled_back(surface, edge, length).rims()[edge]
        except InvalidShape:
            continue
        found[k] = rim.surface.at(rim.places(np.array([0.5])))[0]
    return found
