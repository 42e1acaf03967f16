"""Edits of a control net: soft moves, straight and even rows, flat parts."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum

import numpy as np

from arabesque.arrays import Bools, Floats, unit
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import greville
from arabesque.geometry.surface import Surface


class FallOff(Enum):
    """How a soft move fades from the points that are moved to the end of its reach."""

    BELL = "bell"
    CONE = "cone"
    DOME = "dome"


_FADES: dict[FallOff, Callable[[Floats], Floats]] = {
    FallOff.BELL: lambda s: s * s * (3 - 2 * s),
    FallOff.CONE: lambda s: s,
    FallOff.DOME: lambda s: np.sqrt(np.maximum(1 - (1 - s) ** 2, 0.0)),
}


def reach_weights(surface: Surface, chosen: Bools, reach: float, fall_off: FallOff = FallOff.BELL) -> Floats:
    """(nu, nv) shares of a move: 1 for chosen points, fading to 0 at ``reach`` mm from them.

    Distances are taken on the surface, between the places where control
    points have most say (Greville abscissae), so that steep nets do not
    distort them.
    """
    weights = chosen.astype(float)
    if not reach > 0 or not chosen.any() or chosen.all():
        return weights
    (ku, kv), (p, q) = surface.knots, surface.degree
    places = surface.on_grid(greville(ku, p), greville(kv, q))[0, 0]
    away = np.linalg.norm(places[:, :, None] - places[chosen][None, None], axis=-1).min(axis=2)
    share = np.clip(1 - away / reach, 0.0, 1.0)
    return np.where(chosen, 1.0, _FADES[fall_off](share))


def grown_choice(chosen: Bools) -> Bools:
    """The mask with the points beside it in row and column."""
    padded = np.pad(chosen, 1)
    found: Bools = padded[1:-1, 1:-1] | padded[:-2, 1:-1] | padded[2:, 1:-1] | padded[1:-1, :-2] | padded[1:-1, 2:]
    return found


def straightened(points: Floats, chosen: Bools) -> Floats:
    """Chosen runs of each row and column laid on the straight line between their ends, at their share of the way."""
    result = points.copy()
    for run in _runs(chosen):
        line = points[run]
        way = line[-1] - line[0]
        length = float(way @ way)
        if length > 0:
            result[run] = line[0] + np.clip((line - line[0]) @ way / length, 0, 1)[:, None] * way
    return result


def evened(points: Floats, chosen: Bools) -> Floats:
    """Chosen runs spaced evenly along the polyline they make; their ends stay."""
    result = points.copy()
    for run in _runs(chosen):
        line = points[run]
        along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        if along[-1] > 0:
            wanted = np.linspace(0, along[-1], len(line))
            result[run] = np.column_stack([np.interp(wanted, along, line[:, c]) for c in range(3)])
    return result


def averaged(points: Floats, chosen: Bools) -> Floats:
    """Each inner point of a chosen run halfway to the middle of its two neighbours."""
    result = points.copy()
    for run in _runs(chosen):
        line = points[run]
        result[run[0][1:-1], run[1][1:-1]] = (line[1:-1] + (line[:-2] + line[2:]) / 2) / 2
    return result


def flattened(points: Floats, chosen: Bools) -> Floats:
    """Chosen points laid in the plane that fits them best; fewer than four are in one already."""
    result = points.copy()
    some = points[chosen]
    if len(some) > 3:
        middle = some.mean(axis=0)
        normal = np.linalg.eigh((some - middle).T @ (some - middle))[1][:, 0]
        result[chosen] = some - ((some - middle) @ normal)[:, None] * normal
    return result


def _runs(chosen: Bools) -> list[tuple[np.ndarray, np.ndarray]]:
    """Index arrays of runs of at least three chosen neighbours: along columns where a block is taller than wide."""
    rows, columns = np.flatnonzero(chosen.any(axis=1)), np.flatnonzero(chosen.any(axis=0))
    along_u = len(rows) >= len(columns)
    runs = []
    for fixed in columns if along_u else rows:
        line = chosen[:, fixed] if along_u else chosen[fixed]
        edges = np.flatnonzero(np.diff(np.concatenate([[0], line.astype(int), [0]])))
        for first, last in edges.reshape(-1, 2):
            if last - first >= 3:
                places = np.arange(first, last)
                held = np.full(len(places), fixed)
                runs.append((places, held) if along_u else (held, places))
    return runs


def parallel(points: Floats, chosen: Bools) -> Floats:
    """Chosen rows given legs that are parallel from row to row: each its own place and length, the shape of the mean.

    The chosen points must make a block of at least two rows of at least two;
    others stay as they are. The rows run along the longer side of the block.
    """
    rows, columns = np.flatnonzero(chosen.any(axis=1)), np.flatnonzero(chosen.any(axis=0))
    if min(len(rows), len(columns)) < 2 or not chosen[np.ix_(rows, columns)].all():
        return points.copy()
    block = points[np.ix_(rows, columns)]
    lines = block if len(columns) >= len(rows) else block.swapaxes(0, 1)
    middles = lines.mean(axis=1, keepdims=True)
    lengths = np.linalg.norm(np.diff(lines, axis=1), axis=2).sum(axis=1)[:, None, None]
    shape = ((lines - middles) / np.where(lengths > 0, lengths, 1.0)).mean(axis=0)
    length = float(np.linalg.norm(np.diff(shape, axis=0), axis=1).sum()) or 1.0
    made = middles + shape * lengths / length
    result = points.copy()
    result[np.ix_(rows, columns)] = made if len(columns) >= len(rows) else made.swapaxes(0, 1)
    return result


def kept_on(surface: Surface, moved: Floats, shares: Floats, on: Callable[[Floats], tuple[Floats, Floats]]) -> Surface:
    """The surface with moved control points, shifted along the normals so that it stays on something.

    moved: (nu, nv, 3) control points after a move. shares: (nu, nv), above 0
    for points that may be shifted. on: for (n, 3) places, the nearest places
    and their unit normals there. Gauss-Newton, two rounds, over samples
    where those points have most say.
    """
    free = np.flatnonzero(shares.ravel() > 0)
    (ku, kv), (p, q) = surface.knots, surface.degree
    u, v = (_with_middles(greville(k, d)) for k, d in ((ku, p), (kv, q)))
    basis = np.einsum("ri,sj->rsij", basis_matrix(ku, p, u, 0), basis_matrix(kv, q, v, 0)).reshape(len(u) * len(v), -1)
    told = basis[:, free].max(axis=1) > 0.05
    basis = basis[told]
    points = moved.reshape(-1, 3).copy()
    for _ in range(2):
        places = basis @ points
        nearest, normals = on(places)
        gap = np.einsum("nc,nc->n", nearest - places, normals)
        ways = unit(basis[:, free].T @ normals)
        system = basis[:, free] * (normals @ ways.T)
        # points with little say where nothing is sampled stay where they are
        damped = system.T @ system + 1e-4 * np.eye(len(free))
        points[free] += np.linalg.solve(damped, system.T @ gap)[:, None] * ways
    return surface.with_points(points.reshape(moved.shape))


def _with_middles(at: Floats) -> Floats:
    return np.sort(np.concatenate([at, (at[1:] + at[:-1]) / 2]))
