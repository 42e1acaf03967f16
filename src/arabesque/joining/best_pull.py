"""The pulls with which a blend comes nearest to a scan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import shape_to_scan
from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface
from arabesque.joining.border import BlendSide
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
    made: Callable[[BlendSide, BlendSide], Surface],
    scan: Scan,
    tolerance: float,
    alike: bool = False,
    progress: Progress = silent,
) -> tuple[BlendSide, BlendSide, float]:
    """Both sides with the pulls, each the same all along, at which 99 % of the blend lie nearest to a scan, but for its
    dents and spikes by a tolerance, mm; and how near that is, mm. made: the blend of two sides. alike: both have one
    pull.

    Nelder and Mead, "A simplex method for function minimization", 1965, over the logarithms of both pulls. Raises
    ArabesqueError where there is no scan below the blend.
    """
    from scipy.optimize import minimize  # a fifth of a second at the start of the window

    count = 0

    def pulled(logs: Floats) -> tuple[BlendSide, BlendSide]:
        a, b = (float(np.exp(np.clip(one, np.log(LEAST), np.log(MOST)))) for one in (logs[0], logs[-1]))
        return replace(one, pull=(a,) * 3), replace(two, pull=(b,) * 3)

    def away(logs: Floats) -> float:
        nonlocal count
        progress(min(count / TRIES, 0.99), "Trying pulls")
        count += 1
        found = shape_to_scan(made(*pulled(logs)), scan, ALONG)
        return found.figures(tolerance).inlier_p99 if found.missing < MOST_MISSING else np.inf

    start = np.zeros(1 if alike else 2)
    first = away(start)
    if not np.isfinite(first):
        raise ArabesqueError("There is no scan below the blend", "Choose other edges, or pull by hand")
    simplex = np.vstack([start, 0.4 * np.eye(len(start))])
    settings = {"maxfev": TRIES, "xatol": SETTLED, "fatol": ALIKE, "initial_simplex": simplex}
    found = minimize(away, start, method="Nelder-Mead", options=settings)
    return *pulled(found.x), float(found.fun)
