"""A smooth curve through clicked places that clings to the scan between them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, join_curves
from arabesque.scan import Scan, lifted, rounded_places
from arabesque.tracing.fit import checked_places, fit_curve, through

BETWEEN = 24
"""Places between two clicks that are brought to the scan."""
ROUNDS = 3
CLING, NOISY = 0.4, 2.5
"""Of the tolerance: so near to the scan a drawn curve stays, so that what stands on it has the rest. But it follows no
noise: so many times the noise is as near as can be."""


def curve_on_scan(
    places: Floats, scan: Scan, tolerance: float, closed: bool = False, corners: Sequence[int] = (), degree: int = 3
) -> Curve:
    """The curve through (n, 3) places, between them as near to the scan as a quarter of the tolerance, where it can.

    corners: numbers of places at which it may turn sharply. A closed curve is smooth over its start. Raises
    FitProblem for too few places.
    """
    given = checked_places(places)
    if closed and np.linalg.norm(given[0] - given[-1]) < 1e-9:
        given = given[:-1]
    if len(given) < (3 if closed else 2):
        raise FitProblem("Too few places for a curve", f"Click {'three' if closed else 'two'} or more")
    sharp = sorted({int(k) for k in corners if 0 <= k < len(given)})
    if closed and not sharp:
        return _clinging(given, scan, tolerance, True, degree)
    if closed:
        given = np.vstack([np.roll(given, -sharp[0], axis=0), given[sharp[0]]])
        sharp = [k - sharp[0] for k in sharp]
    cuts = sorted({0, len(given) - 1, *sharp})
    parts = [_clinging(given[a : b + 1], scan, tolerance, False, degree) for a, b in pairwise(cuts)]
    whole = parts[0]
    highest = max(part.degree for part in parts)
    for part in parts[1:]:
        whole = join_curves(whole.elevated(highest - whole.degree), part.elevated(highest - part.degree))
    return whole


def _clinging(places: Floats, scan: Scan, tolerance: float, closed: bool, degree: int) -> Curve:
    curve = through(places, closed, degree)
    line = curve.at(np.linspace(*curve.domain, BETWEEN * (len(places) - 1 + closed) + 1))
    for _ in range(ROUNDS):
        line = rounded_places(scan, scan.closest(line))
    line = lifted(scan, line)
    if closed:
        line = line[:-1]
    else:
        line[[0, -1]] = places[[0, -1]]
    closest = max(CLING * tolerance, NOISY * scan.noise)
    for allowed in (closest, 2 * closest, 8 * closest):
        try:
            return fit_curve(line, None, allowed, degree, closed, mostly=True).curve
        except FitProblem:  # rough ground: as near as it can be
            continue
    return fit_curve(line, min(len(line) // 2, 60), None, degree, closed).curve
