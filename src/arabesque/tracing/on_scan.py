"""A smooth curve through clicked places that clings to the scan between them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, Plane
from arabesque.scan import Scan, rounded_places
from arabesque.tracing.along import end_to_end, runs_between
from arabesque.tracing.fit import checked_places, fit_curve, through

BETWEEN, FEWEST = 24, 120
"""Places between two clicks that are brought to the scan, and on a whole curve at least."""
ROUNDS = 6
ROUGH, SHARES = 4.0, (1.0, 0.7, 0.5, 0.25)
"""Of the tolerance: so near to the scan a drawn curve is tried to stay, so that what stands on it has the rest.
On rough ground it may be further off."""
WORTH, NOISY = 1.6, 2.5
"""Closer is not worth more poles than so many times those before, as in a dent; nor is noise followed."""


def curve_on_scan(
    places: Floats,
    scan: Scan,
    tolerance: float,
    closed: bool = False,
    corners: Sequence[int] = (),
    degree: int = 3,
    square: Plane | None = None,
) -> Curve:
    """The curve through (n, 3) places, between them as near to the scan as few poles bring it.

    corners: numbers of places at which it may turn sharply. square: where the curve ends on that plane, it ends square
    to it. A closed curve is smooth over its start. Raises FitProblem for too few places.
    """
    made = _drawn(places, scan, tolerance, closed, corners, degree)
    return made if square is None or closed else _square_to(made, square, tolerance)


def _square_to(curve: Curve, plane: Plane, tolerance: float) -> Curve:
    """The curve with the pole beside an end on the plane brought straight over that end."""
    points = curve.points.copy()
    for end, beside in ((0, 1), (-1, -2)):
        if abs(float(plane.height(points[[end]])[0])) <= tolerance and len(points) > 2:
            points[end] -= plane.height(points[[end]])[0] * plane.normal
            points[beside] = points[end] + plane.height(points[[beside]])[0] * plane.normal
    return curve.with_points(points)


def _drawn(places: Floats, scan: Scan, tolerance: float, closed: bool, corners: Sequence[int], degree: int) -> Curve:
    given = checked_places(places)
    if closed and np.linalg.norm(given[0] - given[-1]) < 1e-9:
        given = given[:-1]
    if len(given) < (3 if closed else 2):
        raise FitProblem("Too few places for a curve", f"Click {'three' if closed else 'two'} or more")
    runs = runs_between(given, closed, corners)
    if not runs:
        return _clinging(given, scan, tolerance, True, degree)
    return end_to_end([_clinging(run, scan, tolerance, False, degree) for run in runs])


def _clinging(places: Floats, scan: Scan, tolerance: float, closed: bool, degree: int) -> Curve:
    curve = through(places, closed, degree)
    line = curve.at(np.linspace(*curve.domain, max(FEWEST, BETWEEN * (len(places) - 1 + closed)) + 1))
    for _ in range(ROUNDS):
        # along the normals only: to the closest places a chord over a bend would crowd together
        closest = scan.closest(line)
        off = np.einsum("nc,nc->n", rounded_places(scan, closest) - line, closest.normals)
        line = line + np.where(closest.on_border, 0.0, off)[:, None] * closest.normals
    if closed:
        line = line[:-1]
    else:
        line[[0, -1]] = places[[0, -1]]
    heaviest = min(len(line) // 2, 60)  # more poles than that follow every jump of rough ground, and take seconds

    def near(share: float) -> Curve | None:
        within = max(share * tolerance, NOISY * scan.noise)
        try:
            return fit_curve(line, None, within, degree, closed, mostly=True, heaviest=heaviest).curve
        except FitProblem:  # rough ground: not as near as that
            return None

    found = near(SHARES[0])
    if found is None:
        return near(ROUGH) or fit_curve(line, heaviest, None, degree, closed).curve
    for share in SHARES[1:]:
        closer = near(share)
        if closer is None or closer.count > WORTH * found.count:
            break
        found = closer
    return found
