"""Lengths, boxes and closest points of curves; boxes of surfaces."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, tree_of
from arabesque.geometry.curve import Curve
from arabesque.geometry.knots import breakpoints
from arabesque.geometry.reshaping import curve_pieces, surface_pieces
from arabesque.geometry.surface import Surface

QUADRATURE = 16
NEWTON_STEPS, SETTLED = 12, 1e-15
SAME_PLACE = 1e-9
"""mm: a curve whose ends lie nearer to each other is closed."""


def arc_length(curve: Curve, start: float | None = None, end: float | None = None, tolerance: float = 1e-10) -> float:
    """Length between two parameters (the whole curve by default), mm.

    Gauss-Legendre quadrature on every span, halved until the relative change
    is below ``tolerance``.
    """
    a = curve.domain[0] if start is None else start
    b = curve.domain[1] if end is None else end
    breaks = breakpoints(curve.knots)
    edges = np.concatenate([[a], breaks[(breaks > a) & (breaks < b)], [b]])
    nodes, weights = np.polynomial.legendre.leggauss(QUADRATURE)
    before = np.inf
    for _ in range(12):
        half = np.diff(edges) / 2
        at = (edges[:-1] + half)[:, None] + half[:, None] * nodes
        speed = np.linalg.norm(curve.derivatives(at.ravel(), 1)[1], axis=1).reshape(at.shape)
        total = float((speed @ weights) @ half)
        if abs(total - before) <= tolerance * max(total, 1e-300):
            break
        before = total
        edges = np.sort(np.concatenate([edges, edges[:-1] + half]))
    return total


def curve_box(curve: Curve) -> tuple[Floats, Floats]:
    """Box round the curve: the hull of its finely split
    Bézier pieces' control points; always contains the curve."""
    return _tight_box([piece.points for piece in curve_pieces(curve.with_knots(_extra(curve.knots)))])


def surface_box(surface: Surface) -> tuple[Floats, Floats]:
    """Box round the surface: from finely split Bézier pieces' control points; always contains the surface."""
    finer = surface.with_knots(_extra(surface.knots[0], 7), _extra(surface.knots[1], 7))
    return _tight_box([piece.points.reshape(-1, 3) for row in surface_pieces(finer) for piece in row])


def _extra(knots: Floats, inside: int = 31) -> Floats:
    breaks = breakpoints(knots)
    steps = np.arange(1, inside + 1) / (inside + 1)
    return np.concatenate([a + (b - a) * steps for a, b in pairwise(breaks)])


def _tight_box(hulls: list[Floats]) -> tuple[Floats, Floats]:
    points = np.concatenate(hulls)
    return points.min(axis=0), points.max(axis=0)


class CurveFeet(NamedTuple):
    """parameters: (n,); points: (n, 3); distance: (n,)."""

    parameters: Floats
    points: Floats
    distance: Floats


def curve_feet(curve: Curve, points: Floats, seeds_per_span: int = 24) -> CurveFeet:
    """Closest points on a curve for (n, 3) ``points``.

    Seeds from samples, then Newton's method kept inside the domain: Piegl and
    Tiller, "The NURBS Book", 2nd edition, section 6.1.
    """
    a, b = curve.domain
    samples = np.unique(np.concatenate([breakpoints(curve.knots), np.linspace(a, b, seeds_per_span * curve.spans + 1)]))
    places = curve.at(samples)
    seed, nearest = tree_of(places).query(points)
    t, found, distance = _feet_from(curve, points, samples[nearest])
    if np.linalg.norm(places[0] - places[-1]) < SAME_PLACE:
        # a foot just before the start of a closed curve has the start as its nearest seed: look from the end too
        ends = np.flatnonzero((t <= a) | (t >= b))
        other = _feet_from(curve, points[ends], np.where(t[ends] <= a, b, a))
        nearer = other[2] < distance[ends]
        for values, others in zip((t, found, distance), other, strict=True):
            values[ends[nearer]] = others[nearer]
    worse = seed < distance
    return CurveFeet(
        np.where(worse, samples[nearest], t),
        np.where(worse[:, None], places[nearest], found),
        np.minimum(seed, distance),
    )


def _feet_from(curve: Curve, points: Floats, t: Floats) -> tuple[Floats, Floats, Floats]:
    """Parameters, feet and distances that Newton's method finds from parameters."""
    t = nearer_feet(curve, points, t, NEWTON_STEPS)
    found = curve.at(t)
    return t, found, np.linalg.norm(found - points, axis=1)


def nearer_feet(curve: Curve, points: Floats, t: Floats, steps: int = 2, closed: bool = False) -> Floats:
    """(n,) parameters some steps of Newton's method nearer to the feet of (n, 3) points, kept inside the domain.

    closed: of a curve that is smooth over its start, which may be passed. Piegl and Tiller, section 6.1.
    """
    low, high = curve.domain
    for _ in range(steps):
        at, first, second = curve.derivatives(t, 2)
        gap = at - points
        slope = np.einsum("nc,nc->n", gap, first)
        speed = np.einsum("nc,nc->n", first, first)
        bend = speed + np.einsum("nc,nc->n", gap, second)
        step = slope / np.where(bend > 0.1 * speed, bend, np.maximum(speed, 1e-300))
        before, t = t, low + np.mod(t - step - low, high - low) if closed else np.clip(t - step, low, high)
        if np.abs(t - before).max(initial=0.0) < SETTLED:
            break
    return t
