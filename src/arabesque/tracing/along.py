"""A curve along a line that is there: a rim, a feature line, an edge, another curve."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, join_curves
from arabesque.tracing.fit import CORNER, FittedCurve, fit_polyline


def curve_along(
    points: Floats,
    closed: bool = False,
    poles: int | None = None,
    tolerance: float | None = None,
    degree: int = 3,
    corner: float = CORNER,
) -> FittedCurve:
    """One curve along (n, 3) places, of so many poles between its corners, or of as few as the tolerance needs.

    Corners sharper than ``corner`` degrees stay: the curve turns there, at a knot of full multiplicity.
    """
    # rims and lines of scans are ragged: most of their places have to keep the tolerance
    parts = fit_polyline(points, poles, tolerance, degree, closed, corner, mostly=True)
    if not parts:
        raise FitProblem("All places lie at one point", "Choose a longer line")
    weights = np.array([len(part.curve.points) for part in parts])
    return FittedCurve(
        end_to_end([part.curve for part in parts]),
        float(np.sqrt(np.average([part.rms**2 for part in parts], weights=weights))),
        max(part.worst for part in parts),
        max(part.most for part in parts),
    )


def runs_between(places: Floats, closed: bool, corners: Sequence[int]) -> list[Floats]:
    """(n, 3) places cut at their corners into open runs; a closed line begins at its first corner, and is none where it
    has no corner."""
    sharp = sorted({int(k) for k in corners if 0 <= k < len(places)})
    if closed and not sharp:
        return []
    if closed:
        places = np.vstack([np.roll(places, -sharp[0], axis=0), places[sharp[0]]])
        sharp = [k - sharp[0] for k in sharp]
    cuts = sorted({0, len(places) - 1, *sharp})
    return [places[a : b + 1] for a, b in pairwise(cuts)]


def end_to_end(parts: Sequence[Curve]) -> Curve:
    """One curve from several that follow each other, of the highest of their degrees."""
    highest = max(part.degree for part in parts)
    whole = parts[0].elevated(highest - parts[0].degree)
    for part in parts[1:]:
        whole = join_curves(whole, part.elevated(highest - part.degree))
    return whole
