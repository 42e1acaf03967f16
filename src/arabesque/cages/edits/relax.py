"""The flow of a cage calmed: points slide along the surface until quads are even."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.sparse import coo_array, csr_array

from arabesque.arrays import Bools, Floats
from arabesque.cages.cage import Cage
from arabesque.cages.net import point_normals, point_stencils
from arabesque.cages.quads import CORNER, CREASE, Quads

On = Callable[[Floats], tuple[Floats, Floats]]
"""Nearest places (n, 3) and normals there, for (n, 3) places."""
STEP = 0.5
BACK = 3
"""Rounds in which the surface is brought back after each step: one leaves half of what is off."""


def relaxed(cage: Cage, rounds: int = 5, free: Bools | None = None, on: On | None = None) -> Cage:
    """The cage with its points slid towards the middle of their neighbours, along the surface.

    free: (n,) points that may move; all by default. on: what the surface is kept on, a scan for instance; by default
    it stays where it is, as far as its points can hold it. Points on sharp lines and borders slide along these,
    corners stay.
    """
    quads = cage.quads
    mean, line = neighbour_mean(quads)
    movable = (quads.kinds != CORNER) & (np.ones(quads.count, dtype=bool) if free is None else free)
    for _ in range(rounds):
        points, normals = cage.points, point_normals(cage)
        move = STEP * (mean @ points - points)
        ways = line @ points
        size = np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-300)
        on_line = quads.kinds == CREASE
        along = np.einsum("nc,nc->n", move, ways / size)[:, None] * ways / size
        flat = move - np.einsum("nc,nc->n", move, normals)[:, None] * normals
        move = np.where(on_line[:, None], along, flat) * movable[:, None]
        moved = cage.with_points(points + move)
        cage = _brought_back(cage, moved, movable & ~on_line, on)
    return cage


def _brought_back(before: Cage, moved: Cage, free: Bools, on: On | None) -> Cage:
    """The surface at its points brought back along the normals: onto what it is kept on, or to where it was."""
    stencils = point_stencils(moved.quads)
    target = before.limit
    for _ in range(BACK):
        places = stencils.apply(moved.points)[0]
        normals = point_normals(moved)
        nearest, there = (target, normals) if on is None else on(places)
        lift = np.einsum("nc,nc->n", nearest - places, there)[:, None] * there
        moved = moved.with_points(moved.points + np.where(free[:, None], lift, 0.0))
    return moved


def neighbour_mean(quads: Quads) -> tuple[csr_array, csr_array]:
    """(n, n) the mean of each point's neighbours, on sharp lines and borders of the two along the line; and of those
    two the way from one to the other, 0 for other points."""
    n = quads.count
    ends = np.concatenate([quads.edges, quads.edges[:, ::-1]])
    cut = np.tile(quads.edge_cut, 2)
    on_line = quads.kinds == CREASE
    counted = ~on_line[ends[:, 0]] | cut
    rows, columns = ends[counted].T
    size = np.bincount(rows, minlength=n)
    mean = coo_array((1.0 / size[rows], (rows, columns)), shape=(n, n)).tocsr()
    along = on_line[ends[:, 0]] & cut
    rows, columns = ends[along].T
    order = np.lexsort((columns, rows))
    rows, columns = rows[order], columns[order]
    sign = np.where(np.append(False, rows[1:] == rows[:-1])[: len(rows)], 1.0, -1.0)
    return mean, coo_array((sign, (rows, columns)), shape=(n, n)).tocsr()
