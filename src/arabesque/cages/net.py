"""What of a cage's rows and points stays while its points move: kept with the net."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from scipy.sparse.linalg import splu

from arabesque.arrays import Bools, Floats
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
    share = np.linspace(BESIDE, 1 - BESIDE, PLACES_AN_EDGE)[:, None]
    found = []
    for half in range(len(quads.starts)):
        if seen[quads.edge_of[half]]:
            continue
        loop = loop_of(quads, half)
        seen[quads.edge_of[loop]] = True
        sides = loop % 4
        start, end = ENDS[sides], ENDS[(sides + 1) % 4]
        uv = (start[:, None] + share * (end - start)[:, None]).reshape(-1, 2)
        face = np.repeat(loop // 4, PLACES_AN_EDGE)
        sides = np.repeat(sides, PLACES_AN_EDGE)
        sign = np.where(sides < 2, 1.0, -1.0)
        found.append(RowStencils(make_stencils(quads, face, uv, 2), sides % 2 == 0, sign))
    return tuple(found)
