"""A curve along a line that is there: a rim, a feature line, an edge, another curve."""

from __future__ import annotations

from collections.abc import Sequence

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


def end_to_end(parts: Sequence[Curve]) -> Curve:
    """One curve from several that follow each other, of the highest of their degrees."""
    highest = max(part.degree for part in parts)
    whole = parts[0].elevated(highest - parts[0].degree)
    for part in parts[1:]:
        whole = join_curves(whole, part.elevated(highest - part.degree))
    return whole
