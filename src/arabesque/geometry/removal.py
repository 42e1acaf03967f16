"""Knot removal: a lighter spline within a tolerance, and how far it moved."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry.curve import Curve
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import breakpoints
from arabesque.geometry.reduction import SAMPLES_PER_SPAN, Lowered, largest_move, lower_degree
from arabesque.geometry.surface import Surface


class Removed(NamedTuple):
    """knots: what is left. points: (n, c) control points. error: bound of the distance moved, mm."""

    knots: Floats
    points: Floats
    error: float


def remove_knots(knots: Floats, degree: int, points: Floats, tolerance: float, only: float | None = None) -> Removed:
    """Take away as many inner knots as the tolerance allows, the cheapest first.

    points: (n, c). only: the one knot that may go, as often as it is there.
    Each removal solves the nearest spline (least squares at the
    Greville-dense samples, ends held) in the space without the knot; the
    knot whose loss moves the spline least goes, until none is left that keeps
    the whole within ``tolerance`` of the start. After Lyche and Mørken, "Knot
    removal for parametric B-spline curves and surfaces", CAGD 4, 1987.
    """
    at = _samples(knots)
    target = basis_matrix(knots, degree, at, 0) @ points
    best = Removed(knots, points, 0.0)
    while True:
        inner = np.unique(best.knots[degree + 1 : -degree - 1])
        inner = inner if only is None else inner[inner == only]
        tried = [_without(best.knots, degree, knot, at, target) for knot in inner]
        if not tried:
            return best
        lightest = min(tried, key=lambda removed: removed.error)
        if lightest.error > tolerance:
            return best
        best = lightest


def simplify_curve(curve: Curve, tolerance: float) -> tuple[Curve, float]:
    """The curve with fewer knots, and the largest distance it moved (at equal parameters), mm."""
    if curve.weights is not None:
        raise InvalidShape("A rational curve cannot be made lighter", "Fit a polynomial curve to it first")
    removed = remove_knots(curve.knots, curve.degree, curve.points, tolerance)
    return Curve(curve.degree, removed.knots, removed.points), removed.error


def simplify_surface(surface: Surface, tolerance: float) -> tuple[Surface, float]:
    """The surface with fewer knots along u and v, and the largest distance it moved, mm.

    Half the tolerance is spent on each direction. Polynomial surfaces only.
    """
    if surface.weights is not None:
        raise InvalidShape("A rational surface cannot be made lighter", "Fit a patch to it first")
    lighter = surface
    for axis in (0, 1):
        rows = np.swapaxes(lighter.points, 0, axis)
        shape = rows.shape
        removed = remove_knots(lighter.knots[axis], lighter.degree[axis], rows.reshape(shape[0], -1), tolerance / 2)
        points = np.swapaxes(removed.points.reshape(len(removed.points), *shape[1:]), 0, axis)
        knots = (removed.knots, lighter.knots[1]) if axis == 0 else (lighter.knots[0], removed.knots)
        lighter = Surface(surface.degree, knots, points)
    return lighter, largest_move(surface, lighter)


def lower_degree_within(surface: Surface, axis: int, tolerance: float) -> Lowered | None:
    """The surface one degree lower where that moves it by at most ``tolerance`` mm, else None."""
    lowered = lower_degree(surface, axis)
    return lowered if lowered.error <= tolerance else None


def _without(knots: Floats, degree: int, knot: float, at: Floats, target: Floats) -> Removed:
    fewer = np.delete(knots, np.flatnonzero(knots == knot)[0])
    basis = basis_matrix(fewer, degree, at, 0)
    ends = target[[0, -1]]
    inner = np.linalg.lstsq(basis[:, 1:-1], target - basis[:, [0, -1]] @ ends, rcond=None)[0]
    points = np.concatenate([ends[:1], inner, ends[1:]])
    moved = (basis @ points - target).reshape(len(at), -1, 3)
    return Removed(fewer, points, float(np.linalg.norm(moved, axis=2).max()))


def _samples(knots: Floats) -> Floats:
    breaks = breakpoints(knots)
    steps = np.linspace(0, 1, SAMPLES_PER_SPAN)
    return np.unique(np.concatenate([a + (b - a) * steps for a, b in pairwise(breaks)]))
