"""The two sides of a blend that run from one border to the other, laid along given lines."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats, tree_of, unit, way_along
from arabesque.geometry import Surface, greville
from arabesque.geometry.kernels import basis_matrix

SPANS = 4, 8, 16
"""Across, tried in turn until a side lies near enough to its line."""
NEAR = 1e-4
"""Of the line's length."""
WORTH = 0.6
"""Of the distance before: more knots that bring a side no nearer than this are not worth their rows."""
ROUNDS, READ, DENSE = 12, 97, 2001
SMOOTH = 1e-4
"""Weight of even changes, against nearness."""
Lines = tuple[Floats | None, Floats | None]
"""(n, 3) places along a line from the first border to the second, where the blend begins and where it ends."""


def directions(lines: Lines, square: Floats, back: bool) -> Floats:
    """(2, 3) unit ways in which a border is left at its ends: along the lines, and squarely where there is none.

    square: (2, 3) the square ways. back: of the second border, which the lines reach last.
    """
    found = np.array(square)
    for end, line in enumerate(lines):
        if line is not None:
            found[end] = unit((line[-2] - line[-1] if back else line[1] - line[0])[None])[0]
    return found


def along_lines(surface: Surface, orders: tuple[int, int], lines: Lines) -> tuple[Surface, float]:
    """A blend, one span across, whose sides follow lines, and how far they are from these at most, mm.

    Knots are added across; rows that meet the borders stay, so that these are met as before, and what a side moves
    fades evenly towards the other one.
    """
    best, near = surface, np.inf
    for spans in SPANS:
        made, off = _followed(surface.with_knots(np.arange(1, spans) / spans, ()), orders, lines)
        if off > WORTH * near:
            break
        best, near = made, off
        if off <= NEAR * max(float(way_along(line)[-1]) for line in lines if line is not None):
            break
    return best, near


def _followed(surface: Surface, orders: tuple[int, int], lines: Sequence[Floats | None]) -> tuple[Surface, float]:
    points, worst = surface.points.copy(), 0.0
    t = greville(surface.knots[1], surface.degree[1])
    fades = 1 - (t - t[0]) / (t[-1] - t[0])
    free = slice(orders[0] + 1, len(points) - orders[1] - 1)
    basis = basis_matrix(surface.knots[0], surface.degree[0], np.linspace(0, 1, READ), 0)
    for end, line in enumerate(lines):
        if line is None:
            continue
        own = surface.points[:, -end]
        side, off = _fitted(own, basis, free, line)
        worst = max(worst, off)
        fade = fades[::-1] if end else fades
        points[free] += (side - own)[free][:, None] * fade[None, :, None]
    return surface.with_points(points), worst


def _fitted(own: Floats, basis: Floats, free: slice, line: Floats) -> tuple[Floats, float]:
    """(n, 3) control points whose free ones bring a spline to a line, and how far it is at most."""
    along = way_along(line)
    even = np.linspace(0, along[-1], DENSE)
    dense = np.column_stack([np.interp(even, along, line[:, k]) for k in range(3)])
    tree = tree_of(dense)
    points = own.copy()
    part = basis[:, free]
    steps = np.diff(np.eye(len(own))[:, free], 2, axis=0)
    smooth = SMOOTH * steps.T @ steps
    for _ in range(ROUNDS):
        read = basis @ points
        wanted = dense[tree.query(read)[1]] - read
        points[free] += np.linalg.solve(part.T @ part + smooth, part.T @ wanted)
    return points, float(tree.query(basis @ points)[0].max())
