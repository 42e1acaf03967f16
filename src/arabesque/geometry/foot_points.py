"""Feet of perpendiculars on a surface: where points in space are closest to it."""

from typing import NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats, tree_of
from arabesque.geometry.kernels import step_to_feet
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
    nearest = tree_of(grid.reshape(-1, 3)).query(points)[1]
    uv = np.column_stack([u[nearest // len(v)], v[nearest % len(v)]])
    low, high = np.array([u0, v0]), np.array([u1, v1])
    for _ in range(NEWTON_STEPS):
        uv = step_to_feet(surface.derivatives(uv, 2), points, uv, low, high)[0]
    return Feet(uv, surface.at(uv), strictly_inside(surface, uv))


def strictly_inside(surface: Surface, uv: Floats) -> Bools:
    """Which of (n, 2) parameters are not on an edge; one that rounding brings off the edge still is on it."""
    low, high = np.array(surface.domain).T
    margin = 1e-9 * (high - low)
    return np.asarray(np.all((uv > low + margin) & (uv < high - margin), axis=1))
