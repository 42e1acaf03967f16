"""Feet of perpendiculars on a surface: where points in space are closest to it."""

from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from arabesque.arrays import Bools, Floats
from arabesque.geometry.surface import Surface

NEWTON_STEPS = 5


class Feet(NamedTuple):
    """uv: (n, 2) parameters; points: (n, 3); inside: (n,) strictly inside the domain."""

    uv: Floats
    points: Floats
    inside: Bools


def foot_points(surface: Surface, points: Floats, seeds_per_span: int = 12) -> Feet:
    """Closest points on ``surface`` for (n, 3) ``points``.

    Seeds from a sampled grid, then Newton's method on the two perpendicularity
    conditions, kept inside the domain: Piegl and Tiller, "The NURBS Book",
    2nd edition, section 6.1.
    """
    (u0, u1), (v0, v1) = surface.domain
    u = np.linspace(u0, u1, seeds_per_span * surface.spans[0] + 1)
    v = np.linspace(v0, v1, seeds_per_span * surface.spans[1] + 1)
    grid = surface.on_grid(u, v)[0, 0]
    nearest = cKDTree(grid.reshape(-1, 3)).query(points)[1]
    uv = np.column_stack([u[nearest // len(v)], v[nearest % len(v)]])
    low, high = np.array([u0, v0]), np.array([u1, v1])
    for _ in range(NEWTON_STEPS):
        uv = np.clip(uv + _newton_step(surface, points, uv), low, high)
    # a foot that rounding brings off the edge still counts as on it
    margin = 1e-9 * (high - low)
    inside = np.all((uv > low + margin) & (uv < high - margin), axis=1)
    return Feet(uv, surface.at(uv), inside)


def _newton_step(surface: Surface, points: Floats, uv: Floats) -> Floats:
    d = surface.derivatives(uv, 2)
    gap = d[0, 0] - points
    su, sv = d[1, 0], d[0, 1]
    f = np.einsum("nc,nc->n", gap, su)
    g = np.einsum("nc,nc->n", gap, sv)
    ee, ff, gg = _dot(su, su), _dot(su, sv), _dot(sv, sv)
    j11, j12, j22 = ee + _dot(gap, d[2, 0]), ff + _dot(gap, d[1, 1]), gg + _dot(gap, d[0, 2])
    det = j11 * j22 - j12 * j12
    # far from the surface Newton's matrix may turn indefinite: Gauss-Newton's never does
    poor = (det <= 0.1 * (ee * gg - ff * ff)) | (j11 <= 0)
    j11, j12, j22 = np.where(poor, ee, j11), np.where(poor, ff, j12), np.where(poor, gg, j22)
    det = j11 * j22 - j12 * j12
    det = np.where(np.abs(det) > 0, det, 1.0)
    return -np.column_stack([(j22 * f - j12 * g) / det, (j11 * g - j12 * f) / det])


def _dot(a: Floats, b: Floats) -> Floats:
    return np.einsum("nc,nc->n", a, b)
