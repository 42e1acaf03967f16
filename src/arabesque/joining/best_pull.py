"""The pulls with which a blend comes nearest to a scan."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import shape_to_scan
from arabesque.errors import ArabesqueError
from arabesque.joining.blend import blend, laid_on_scan
from arabesque.joining.border import BlendSide, Ways
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

ALONG = 24
"""Places each way at which a tried blend is measured."""
TRIES = 80
LEAST, MOST = 0.3, 3.0
MOST_MISSING = 0.5
"""Of its area: a blend of which more has no scan below says nothing."""
SETTLED, ALIKE = 0.03, 5e-4
"""Shares of a pull, and mm: tries that differ by less are one."""


def best_pulls(
    one: BlendSide,
    two: BlendSide,
    scan: Scan,
    tolerance: float,
    ways: Ways = Ways.ROWS,
    middle: int = 0,
    progress: Progress = silent,
) -> tuple[BlendSide, BlendSide, float]:
    """Both sides with the pulls, each the same all along, at which 99 % of the blend lie nearest to a scan, but for its
    dents and spikes by a tolerance, mm; and how near that is, mm. middle: rows of it that lie on the scan.

    Nelder and Mead, "A simplex method for function minimization", 1965, over the logarithms of both pulls. Raises
    ArabesqueError where there is no scan below the blend.
    """
    from scipy.optimize import minimize  # a fifth of a second at the start of the window

    count = 0

    def pulled(logs: Floats) -> tuple[BlendSide, BlendSide]:
        a, b = (float(np.exp(np.clip(one, np.log(LEAST), np.log(MOST)))) for one in logs)
        return replace(one, pull=(a,) * 3), replace(two, pull=(b,) * 3)

    def away(logs: Floats) -> float:
        nonlocal count
        progress(min(count / TRIES, 0.99), "Trying pulls")
        count += 1
        made = blend(*pulled(logs), ways)
        if middle:
            made = laid_on_scan(made, (one.order, two.order), middle, scan, tolerance)
        found = shape_to_scan(made.surface, scan, ALONG)
        return found.figures(tolerance).inlier_p99 if found.missing < MOST_MISSING else np.inf

    first = away(np.zeros(2))
    if not np.isfinite(first):
        raise ArabesqueError("There is no scan below the blend", "Choose other edges, or pull by hand")
    simplex = np.array([[0.0, 0.0], [0.4, 0.0], [0.0, 0.4]])
    settings = {"maxfev": TRIES, "xatol": SETTLED, "fatol": ALIKE, "initial_simplex": simplex}
    found = minimize(away, np.zeros(2), method="Nelder-Mead", options=settings)
    return *pulled(found.x), float(found.fun)
