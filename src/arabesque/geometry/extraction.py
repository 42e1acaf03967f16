"""Bézier nets of a spline surface, span by span: by one fixed matrix a direction, quick enough for every frame."""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise
from math import comb

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import breakpoints
from arabesque.geometry.surface import Surface


def bezier_nets(surface: Surface) -> Floats:
    """(su, sv, p+1, q+1, 4) homogeneous Bézier points of all spans along u and v.

    Bézier extraction (Borden, Scott, Evans and Hughes, "Isogeometric finite
    element data structures based on Bézier extraction of NURBS", 2011).
    """
    points = surface.points
    weights = np.ones(points.shape[:2]) if surface.weights is None else surface.weights
    homogeneous = np.dstack([points * weights[..., None], weights])
    along_u, along_v = (_extraction(k.tobytes(), p) for k, p in zip(surface.knots, surface.degree, strict=True))
    nets: Floats = np.einsum("aim,mnc,bjn->abijc", along_u, homogeneous, along_v, optimize=True)
    return nets


def span_places(knots: Floats, at: Floats) -> Floats:
    """(n,) places of parameters among the spans: the number of the span and the share of it that lies before."""
    breaks = breakpoints(knots)
    return np.interp(at, breaks, np.arange(len(breaks), dtype=float))


@lru_cache(maxsize=256)
def _extraction(packed: bytes, degree: int) -> Floats:
    """(spans, degree+1, n) matrices from control points to the Bézier points of each span."""
    knots = np.frombuffer(packed)
    t = np.linspace(0, 1, degree + 1)
    bernstein = np.array([[comb(degree, i) * x**i * (1 - x) ** (degree - i) for i in range(degree + 1)] for x in t])
    back = np.linalg.inv(bernstein)
    # the ends are taken a hair inside, so that a break belongs to its own span
    spans = []
    for low, high in pairwise(breakpoints(knots)):
        inside = np.clip(low + (high - low) * t, low, np.nextafter(high, low))
        spans.append(back @ basis_matrix(knots, degree, inside, 0))
    return np.array(spans)
