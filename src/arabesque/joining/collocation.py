"""Splines through values at the Greville places of their basis, and how near they come to what is wanted between."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry import greville
from arabesque.geometry.kernels import basis_matrix

BETWEEN = 3
"""Places between two Greville places at which a spline is looked at."""


def through(values: Floats, degree: int, knots: Floats) -> Floats:
    """(k, ...) control points of the spline with (k, ...) values at its Greville places: never singular (Schoenberg and
    Whitney 1953; de Boor, "A practical guide to splines", chapter XIII)."""
    basis = basis_matrix(knots, degree, greville(knots, degree), 0)
    return np.asarray(np.linalg.solve(basis, values.reshape(len(values), -1)).reshape(values.shape))


def between(degree: int, knots: Floats) -> Floats:
    """(n,) places between the Greville places of a basis."""
    t = greville(knots, degree)
    steps = np.arange(1, BETWEEN + 1) / (BETWEEN + 1)
    return np.asarray((t[:-1, None] + np.diff(t)[:, None] * steps).ravel())


def apart(points: Floats, degree: int, knots: Floats, at: Floats, wanted: Floats) -> Floats:
    """(n, ...) how far a spline is from (n, ..., 3) wanted at (n,) places, mm."""
    made = basis_matrix(knots, degree, at, 0) @ points.reshape(len(points), -1)
    return np.asarray(np.linalg.norm(made.reshape(wanted.shape) - wanted, axis=-1))
