"""What of a cage's rows and points stays while its points move: kept with the net."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from scipy.sparse.linalg import splu

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages.quads import Quads
from arabesque.cages.rows import loop_of
from arabesque.cages.stencils import Stencils, make_stencils, outward

if TYPE_CHECKING:
    from arabesque.cages.cage import Cage

PLACES_AN_EDGE = 8
ENDS = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], dtype=float)
"""Parameters of a face's four points."""
BESIDE = 1 / 64
"""Of an edge: so far from its ends bends are read, for at an irregular point they have no bounds."""


def on_sides(halves: Ints, share: Floats) -> Floats:
    """(n, 2) parameters, on the faces of (n,) half-edges, of places at (n,) shares of their way."""
    start, end = ENDS[halves % 4], ENDS[(halves % 4 + 1) % 4]
    return np.asarray(start + share[:, None] * (end - start))


class RowStencils(NamedTuple):
    """A row of the net on the surface. along_u, sign: (n,) which parameter runs along it, and which way."""

    stencils: Stencils
    along_u: Bools
    sign: Floats


def point_stencils(quads: Quads) -> Stencils:
    """Where each point comes to lie, with two tangents, as seen from its first face."""
    return quads.kept("points", lambda: make_stencils(quads, quads.outgoing // 4, ENDS[quads.outgoing % 4], 1))


def point_normals(cage: Cage) -> Floats:
    """(n, 3) unit normals of a cage's surface where its points come to lie."""
    stencils = point_stencils(cage.quads)
    return outward(stencils, cage.quads, cage.points, stencils.apply(cage.points))


def through(cage: Cage, places: Floats, free: Bools | None = None) -> Cage:
    """The cage with its points set so that they come to lie at (n, 3) places; free: (n,) only these move.

    Halstead, Kass and DeRose 1993, section 3: one linear system over the limit masks.
    """
    matrix = point_stencils(cage.quads).matrix(0, cage.quads.count)
    if free is None:
        return cage.with_points(splu(matrix.tocsc()).solve(np.asarray(places, dtype=float)))
    chosen = np.flatnonzero(free)
    if not len(chosen):
        return cage
    lacking = (places - matrix @ cage.points)[chosen]
    points = cage.points.copy()
    points[chosen] += splu(matrix[chosen][:, chosen].tocsc()).solve(lacking)
    return cage.with_points(points)


def row_stencils(quads: Quads) -> tuple[RowStencils, ...]:
    """Every row, with second derivatives, at places between its points."""
    return quads.kept("rows", lambda: _make_rows(quads))


def _make_rows(quads: Quads) -> tuple[RowStencils, ...]:
    seen = np.zeros(len(quads.edges), dtype=bool)
    share = np.linspace(BESIDE, 1 - BESIDE, PLACES_AN_EDGE)
    found = []
    for half in range(len(quads.starts)):
        if seen[quads.edge_of[half]]:
            continue
        loop = loop_of(quads, half)
        seen[quads.edge_of[loop]] = True
        halves = np.repeat(loop, PLACES_AN_EDGE)
        stencils = make_stencils(quads, halves // 4, on_sides(halves, np.tile(share, len(loop))), 2)
        found.append(RowStencils(stencils, halves % 2 == 0, np.where(halves % 4 < 2, 1.0, -1.0)))
    return tuple(found)
