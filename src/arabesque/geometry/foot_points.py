"""Feet of perpendiculars on a surface: where points in space are closest to it."""

from typing import NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats, tree_of, unit
from arabesque.geometry.kernels import step_to_feet
from arabesque.geometry.surface import Surface

NEWTON_STEPS = 5
ALONG_SEEDS, ALONG_STEPS, MEETS = 60, 25, 1e-6
"""Of lines: samples each way to begin from, steps, and mm, how near to one it meets."""
DAMPED_STEPS = 20
SEEDS = 4
ARRIVED = 1e-8
"""mm: after a step so short the next one would be rounding, for Newton's method squares its error."""
SETTLED = 1e-6
"""mm, for each of distance: a longer last step is no end."""


class Feet(NamedTuple):
    """uv: (n, 2) parameters; points: (n, 3); inside: (n,) strictly inside the domain."""

    uv: Floats
    points: Floats
    inside: Bools


def foot_points(surface: Surface, points: Floats, seeds_per_span: int = 12) -> Feet:
    """Closest points on ``surface`` for (n, 3) ``points``.

    Seeds from a sampled grid, then Newton's method on the two perpendicularity
    conditions, kept inside the domain: Piegl and Tiller, "The NURBS Book",
    2nd edition, section 6.1. Where that leads astray, from several seeds with
    steps that only ever come closer.
    """
    (u0, u1), (v0, v1) = surface.domain
    u = np.linspace(u0, u1, seeds_per_span * surface.spans[0] + 1)
    v = np.linspace(v0, v1, seeds_per_span * surface.spans[1] + 1)
    grid = surface.on_grid(u, v)[0, 0]
    tree = tree_of(grid.reshape(-1, 3))
    seed_size, nearest = tree.query(points)
    uv = np.column_stack([u[nearest // len(v)], v[nearest % len(v)]])
    low, high = np.array([u0, v0]), np.array([u1, v1])
    gone = np.full(len(points), np.inf)
    left = np.arange(len(points))
    for _ in range(NEWTON_STEPS):
        uv[left], _, _, gone[left] = step_to_feet(surface.derivatives(uv[left], 2), points[left], uv[left], low, high)
        left = left[gone[left] > ARRIVED]
        if not len(left):
            break
    feet = surface.at(uv)
    size = np.linalg.norm(feet - points, axis=1)
    # Newton's method went astray where it ends further off than it began, or still moves inside the surface
    moving = strictly_inside(surface, uv) & (gone > SETTLED * (1 + size))
    astray = np.flatnonzero((size > seed_size) | moving)
    if len(astray):
        best = np.full(len(astray), np.inf)
        _, seeds = tree.query(points[astray], k=min(SEEDS, grid.size // 3))
        for seed in np.atleast_2d(seeds.T):
            begun = np.column_stack([u[seed // len(v)], v[seed % len(v)]])
            found, off = _damped(surface, points[astray], begun, low, high)
            better = off < best
            best[better], uv[astray[better]] = off[better], found[better]
        feet[astray] = surface.at(uv[astray])
    return Feet(uv, feet, strictly_inside(surface, uv))


def _damped(surface: Surface, points: Floats, uv: Floats, low: Floats, high: Floats) -> tuple[Floats, Floats]:
    """Feet from the seeds uv by steps that never lead further off; with their distances."""
    uv, size = uv.copy(), np.linalg.norm(surface.at(uv) - points, axis=1)
    left = np.arange(len(uv))
    for _ in range(DAMPED_STEPS):
        wanted = step_to_feet(surface.derivatives(uv[left], 2), points[left], uv[left], low, high)[0] - uv[left]
        waiting = np.arange(len(left))
        for share in (1.0, 0.5, 0.1, 0.01):
            rows = left[waiting]
            trial = uv[rows] + share * wanted[waiting]
            off = np.linalg.norm(surface.at(trial) - points[rows], axis=1)
            good = off < size[rows] * (1 - 1e-12)
            uv[rows[good]], size[rows[good]] = trial[good], off[good]
            waiting = waiting[~good]
            if not len(waiting):
                break
        # what no step brings closer has arrived
        left = np.delete(left, waiting)
        if not len(left):
            break
    return uv, size


def strictly_inside(surface: Surface, uv: Floats) -> Bools:
    """Which of (n, 2) parameters are not on an edge; one that rounding brings off the edge still is on it."""
    low, high = np.array(surface.domain).T
    margin = 1e-9 * (high - low)
    return np.asarray(np.all((uv > low + margin) & (uv < high - margin), axis=1))


def feet_along(surface: Surface, places: Floats, way: Floats) -> Feet:
    """Where lines through (n, 3) places along a direction of length 1, either way, meet a patch: Newton's method on the
    two gaps across the line, from the sample that lies nearest to it. ``inside`` tells which meet what shows of it."""
    u, v = (np.linspace(*domain, ALONG_SEEDS) for domain in surface.domain)
    grid = surface.on_grid(u, v)[0, 0].reshape(-1, 3)
    side = unit(np.cross(way, np.eye(3)[np.abs(way).argmin()])[None])[0]
    across = np.array([side, np.cross(way, side)])
    _, near = tree_of(grid @ across.T).query(places @ across.T)
    uv = np.column_stack([u[near // ALONG_SEEDS], v[near % ALONG_SEEDS]])
    low, high = np.array(surface.domain).T
    for _ in range(ALONG_STEPS):
        d = surface.derivatives(uv, 1)
        gap = (places - d[0, 0]) @ across.T
        a, b = d[1, 0] @ across.T, d[0, 1] @ across.T
        root = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
        root = np.where(np.abs(root) < 1e-14, np.inf, root)
        step = np.column_stack([gap[:, 0] * b[:, 1] - gap[:, 1] * b[:, 0], a[:, 0] * gap[:, 1] - a[:, 1] * gap[:, 0]])
        uv = np.clip(uv + step / root[:, None], low, high)
    points = surface.at(uv)
    left = np.linalg.norm((places - points) @ across.T, axis=1)
    return Feet(uv, points, (left < MEETS) & surface.shows(uv))


def steps_along(surface: Surface, uv: Floats, way: Floats) -> Floats:
    """(n, 2) steps in parameters for (n, 3) steps along the tangent planes."""
    d = surface.derivatives(uv, 1)
    a, b = d[1, 0], d[0, 1]
    aa, ab, bb = (np.einsum("nc,nc->n", x, y) for x, y in ((a, a), (a, b), (b, b)))
    wa, wb = np.einsum("nc,nc->n", way, a), np.einsum("nc,nc->n", way, b)
    area = aa * bb - ab * ab
    return np.column_stack([(wa * bb - wb * ab) / area, (wb * aa - wa * ab) / area])
