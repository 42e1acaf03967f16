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
    u, v = (np.linspace(a, b, 60) for a, b in surface.domain)
    moved = lowered.on_grid(u, v)[0, 0] - surface.on_grid(u, v)[0, 0]
    return Lowered(lowered, float(np.linalg.norm(moved, axis=2).max()))


def _rows(surface: Surface, axis: int) -> Floats:
    moved = np.swapaxes(surface.points, 0, axis)
    return moved.reshape(len(moved), -1)
