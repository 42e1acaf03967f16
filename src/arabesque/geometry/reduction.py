"""Lowering a degree: the nearest surface of the smaller spline space, and how far it moved."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import breakpoints
from arabesque.geometry.surface import Surface

SAMPLES_PER_SPAN = 24
MOVES_PER_SPAN, CLOSER = 9, 3
"""Places along each span at which moves are measured, and how often they are looked at more closely."""


class Lowered(NamedTuple):
    """surface: of the lower degree. error: largest distance between equal parameters, mm."""

    surface: Surface
    error: float


def lower_degree(surface: Surface, axis: int) -> Lowered:
    """The surface one degree lower along ``axis`` (0: u, 1: v).

    Least squares along each control row with its two ends held, every knot's
    multiplicity one less (an inner simple knot is lost). Polynomial surfaces
    only. Raises InvalidShape at degree 1 or for a rational surface.
    """
    degree = surface.degree[axis]
    if degree == 1:
        raise InvalidShape("Degree 1 cannot be lowered", "Leave it as it is")
    if surface.weights is not None:
        raise InvalidShape("A rational surface cannot be lowered", "Fit a patch to it instead")
    knots = surface.knots[axis]
    breaks = breakpoints(knots)
    multiplicity = np.array([np.count_nonzero(knots == b) for b in breaks]) - 1
    lower = np.repeat(breaks, multiplicity)
    nodes = np.cos(np.linspace(np.pi, 0.0, SAMPLES_PER_SPAN)) / 2 + 0.5
    at = np.unique(np.concatenate([a + (b - a) * nodes for a, b in pairwise(breaks)]))
    target = basis_matrix(knots, degree, at, 0) @ _rows(surface, axis)
    basis = basis_matrix(lower, degree - 1, at, 0)
    ends = target[[0, -1]]
    rest = target - basis[:, [0, -1]] @ ends
    inner = np.linalg.lstsq(basis[:, 1:-1], rest, rcond=None)[0]
    rows = np.concatenate([ends[:1], inner, ends[1:]])
    shape = (len(rows), *np.swapaxes(surface.points, 0, axis).shape[1:])
    points = np.swapaxes(rows.reshape(shape), 0, axis)
    both = (lower, surface.knots[1]) if axis == 0 else (surface.knots[0], lower)
    degrees = (degree - 1, surface.degree[1]) if axis == 0 else (surface.degree[0], degree - 1)
    lowered = Surface(degrees, both, points)
    return Lowered(lowered, largest_move(surface, lowered))


def largest_move(before: Surface, after: Surface) -> float:
    """Largest distance between equal parameters of two surfaces over the same domain, mm.

    Looked for in every span of either, and closer where it is largest.
    """
    at = []
    for axis in (0, 1):
        breaks = np.unique(np.concatenate([before.knots[axis], after.knots[axis]]))
        steps = np.linspace(0, 1, MOVES_PER_SPAN)
        at.append(np.unique(np.concatenate([a + (b - a) * steps for a, b in pairwise(breaks)])))
    largest = 0.0
    for _ in range(1 + CLOSER):
        moved = np.linalg.norm(after.on_grid(at[0], at[1])[0, 0] - before.on_grid(at[0], at[1])[0, 0], axis=2)
        i, j = np.unravel_index(int(moved.argmax()), moved.shape)
        largest = max(largest, float(moved[i, j]))
        worst = [(row, int(k)) for row, k in zip(at, (i, j), strict=True)]
        at = [np.linspace(row[max(k - 1, 0)], row[min(k + 1, len(row) - 1)], MOVES_PER_SPAN) for row, k in worst]
    return largest


def _rows(surface: Surface, axis: int) -> Floats:
    moved = np.swapaxes(surface.points, 0, axis)
    return moved.reshape(len(moved), -1)
