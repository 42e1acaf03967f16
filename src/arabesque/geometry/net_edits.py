"""Edits of a control net: soft moves, straight and even rows, flat parts."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, tree_of, unit
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import greville
from arabesque.geometry.surface import Surface
from arabesque.shapes import Net


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


def reach_weights(places: Floats, chosen: Bools, reach: float, fall_off: FallOff = FallOff.BELL) -> Floats:
    """(n,) shares of a move: 1 for chosen points, fading to 0 at ``reach`` mm from them.

    Distances are taken between the (n, 3) places where control points have
    most say, so that steep nets do not distort them.
    """
    weights = chosen.astype(float)
    if not reach > 0 or not chosen.any() or chosen.all():
        return weights
    away, _ = tree_of(places[chosen]).query(places)
    return np.where(chosen, 1.0, _FADES[fall_off](np.clip(1 - away / reach, 0.0, 1.0)))


def grown_choice(net: Net, chosen: Bools) -> Bools:
    """The mask with the points beside it in the net's rows."""
    grown, legs = chosen.copy(), net.legs
    grown[legs[chosen[legs].any(axis=1)]] = True
    return grown


def straightened(net: Net, chosen: Bools) -> Floats:
    """Chosen runs of each row laid on the straight line between their ends, at their share of the way."""
    result = net.points.copy()
    for run in _runs(net, chosen):
        line = net.points[run]
        way = line[-1] - line[0]
        length = float(way @ way)
        if length > 0:
            result[run] = line[0] + np.clip((line - line[0]) @ way / length, 0, 1)[:, None] * way
    return result


def evened(net: Net, chosen: Bools) -> Floats:
    """Chosen runs spaced evenly along the polyline they make: as their Greville abscissae are; their ends stay."""
    result = net.points.copy()
    for run, at in _placed_runs(net, chosen):
        line = net.points[run]
        along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        if along[-1] > 0:
            wanted = along[-1] * (at - at[0]) / (at[-1] - at[0])
            result[run] = np.column_stack([np.interp(wanted, along, line[:, c]) for c in range(3)])
    return result


def averaged(net: Net, chosen: Bools) -> Floats:
    """Each inner point of a chosen run halfway to the middle of its two neighbours."""
    result = net.points.copy()
    for run in _runs(net, chosen):
        line = net.points[run]
        result[run[1:-1]] = (line[1:-1] + (line[:-2] + line[2:]) / 2) / 2
    return result


def flattened(net: Net, chosen: Bools) -> Floats:
    """Chosen points laid in the plane that fits them best; fewer than four are in one already."""
    result = net.points.copy()
    some = net.points[chosen]
    if len(some) > 3:
        middle = some.mean(axis=0)
        normal = np.linalg.eigh((some - middle).T @ (some - middle))[1][:, 0]
        result[chosen] = some - ((some - middle) @ normal)[:, None] * normal
    return result


def parallel(net: Net, chosen: Bools) -> Floats:
    """Chosen rows given legs that are parallel from row to row: each its own place and length, the shape of the mean.

    The chosen points must make a block of at least two rows of at least two;
    others stay as they are. The rows run along the longer side of the block.
    """
    result = net.points.copy()
    across, along = (_touched(net, chosen, axis) for axis in (0, 1))
    rows = [row[chosen[row]] for row in (along if len(across) >= len(along) else across)]
    if len(rows) < 2 or len(rows[0]) < 2 or any(len(row) != len(rows[0]) for row in rows):
        return result
    lines = net.points[np.array(rows)]
    middles = lines.mean(axis=1, keepdims=True)
    lengths = np.linalg.norm(np.diff(lines, axis=1), axis=2).sum(axis=1)[:, None, None]
    shape = ((lines - middles) / np.where(lengths > 0, lengths, 1.0)).mean(axis=0)
    length = float(np.linalg.norm(np.diff(shape, axis=0), axis=1).sum()) or 1.0
    result[np.array(rows)] = middles + shape * lengths / length
    return result


def _touched(net: Net, chosen: Bools, axis: int) -> list[Ints]:
    """Rows along an axis that have a chosen point."""
    return [row for row, along in zip(net.rows, net.along, strict=True) if along == axis and chosen[row].any()]


def _runs(net: Net, chosen: Bools) -> list[Ints]:
    """Runs of at least three chosen neighbours, in the rows along the longer side of what is chosen."""
    return [run for run, _ in _placed_runs(net, chosen)]


def _placed_runs(net: Net, chosen: Bools) -> list[tuple[Ints, Floats]]:
    """Runs as ``_runs`` has them, with the places at which their points would stand evenly."""
    touched = [[n for n, row in enumerate(net.rows) if net.along[n] == along and chosen[row].any()] for along in (0, 1)]
    runs = []
    for number in touched[0] if len(touched[1]) >= len(touched[0]) or not touched[1] else touched[1]:
        row = net.rows[number]
        at = net.at[number] if net.at else np.arange(float(len(row)))
        edges = np.flatnonzero(np.diff(np.concatenate([[0], chosen[row].astype(int), [0]])))
        runs += [(row[first:last], at[first:last]) for first, last in edges.reshape(-1, 2) if last - first >= 3]
    return runs


def kept_on(surface: Surface, moved: Floats, shares: Floats, on: Callable[[Floats], tuple[Floats, Floats]]) -> Surface:
    """The surface with moved control points, shifted along the normals so that it stays on something.

    moved: (n, 3) control points after a move. shares: (n,), above 0
    for points that may be shifted. on: for (n, 3) places, the nearest places
    and their unit normals there. Gauss-Newton, two rounds, over samples
    where those points have most say.
    """
    free = np.flatnonzero(shares > 0)
    (ku, kv), (p, q) = surface.knots, surface.degree
    u, v = (_with_middles(greville(k, d)) for k, d in ((ku, p), (kv, q)))
    basis = np.einsum("ri,sj->rsij", basis_matrix(ku, p, u, 0), basis_matrix(kv, q, v, 0)).reshape(len(u) * len(v), -1)
    told = basis[:, free].max(axis=1) > 0.05
    basis = basis[told]
    points = moved.copy()
    for _ in range(2):
        places = basis @ points
        nearest, normals = on(places)
        gap = np.einsum("nc,nc->n", nearest - places, normals)
        ways = unit(basis[:, free].T @ normals)
        system = basis[:, free] * (normals @ ways.T)
        # points with little say where nothing is sampled stay where they are
        damped = system.T @ system + 1e-4 * np.eye(len(free))
        points[free] += np.linalg.solve(damped, system.T @ gap)[:, None] * ways
    return surface.with_points(points)


def _with_middles(at: Floats) -> Floats:
    return np.sort(np.concatenate([at, (at[1:] + at[:-1]) / 2]))
