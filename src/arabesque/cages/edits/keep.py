"""The surface is kept while the net below it changes."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csc_array, eye_array, vstack
from scipy.sparse.linalg import splu

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages.cage import Cage
from arabesque.cages.stencils import make_stencils

STAYS = 1e-3
"""Weight by which points stay where they are against one sample of the surface."""
INSIDE = (0.0, 1 / 3, 2 / 3, 1.0)
"""Where on a face the surface is compared, along both sides."""


def keeping_form(cage: Cage, free: Bools, face: Ints, uv: Floats, places: Floats) -> Cage:
    """The cage with its free (n,) points set so that its surface comes as near as it can to places.

    face: (m,), uv: (m, 2): where on this cage; places: (m, 3) where that is to lie.
    """
    if not free.any() or not len(face):
        return cage
    stencils = make_stencils(cage.quads, face, uv, 0)
    matrix = stencils.matrix(0, cage.quads.count)
    lacking = places - matrix @ cage.points
    chosen = np.flatnonzero(free)
    own = csc_array(matrix.tocsc()[:, chosen])
    system = vstack([own, STAYS * eye_array(len(chosen))]).tocsc()
    solved = splu((system.T @ system).tocsc()).solve(np.asarray(own.T @ lacking))
    points = cage.points.copy()
    points[chosen] += solved
    return cage.with_points(points)


def samples_within(faces: Ints) -> tuple[Ints, Floats]:
    """Faces and parameters of places evenly within faces."""
    grid = np.stack(np.meshgrid(INSIDE, INSIDE, indexing="ij"), axis=-1).reshape(-1, 2)
    return np.repeat(faces, len(grid)), np.tile(grid, (len(faces), 1))


def bilinear(corners: Floats, uv: Floats) -> Floats:
    """(n, d) places in quadrangles whose corners (n, 4, d) are given, at (n, 2) shares."""
    u, v = uv[:, :1], uv[:, 1:]
    weights = np.stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v], axis=1)
    return np.asarray((weights * corners).sum(axis=1))
