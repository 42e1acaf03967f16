"""The surface is kept while the net below it changes."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csc_array, eye_array
from scipy.sparse.linalg import splu

from arabesque.arrays import Bools, Floats, Ints, summed, unit
from arabesque.cages.cage import Cage
from arabesque.cages.stencils import make_stencils, outward

STAYS = 1e-3
"""Weight by which points stay where they are against one sample of the surface."""
INSIDE = (0.3, 0.7)
"""Where on a face the surface is compared, along both sides: two steps of subdivision from an irregular point."""


def keeping_form(cage: Cage, free: Bools, face: Ints, uv: Floats, places: Floats) -> Cage:
    """The cage with its free (n,) points moved along the normals so that its surface comes as near as it can to
    another; along the surface they stay where they were put.

    face: (m,), uv: (m, 2): where on this cage; places: (m, 3) of the other surface, near there.
    """
    if not free.any() or not len(face):
        return cage
    stencils = make_stencils(cage.quads, face, uv, 1)
    found = stencils.apply(cage.points)
    up = outward(stencils, cage.quads, cage.points, found)
    lacking = np.einsum("nc,nc->n", places - found[0], up)
    chosen = np.flatnonzero(free)
    ways = net_normals(cage, free)[chosen]
    # of a move along a point's normal a sample takes what lies along its own
    number = np.full(cage.quads.count, -1)
    number[chosen] = np.arange(len(chosen))
    rows, columns = np.repeat(np.arange(len(face)), np.diff(stencils.starts)), number[stencils.points]
    some = columns >= 0
    rows, columns = rows[some], columns[some]
    shares = stencils.weights[0][some] * np.einsum("nc,nc->n", up[rows], ways[columns])
    own = csc_array((shares, (rows, columns)), shape=(len(face), len(chosen)))
    system = own.T @ own + STAYS**2 * eye_array(len(chosen), format="csc")
    heights = splu(system.tocsc()).solve(np.asarray(own.T @ lacking))
    points = cage.points.copy()
    points[chosen] += heights[:, None] * ways
    return cage.with_points(points)


def net_normals(cage: Cage, wanted: Bools) -> Floats:
    """(n, 3) unit normals of the net at (n,) wanted points: of the faces round each, by their areas."""
    faces = cage.faces[wanted[cage.faces].any(axis=1)]
    a, b, c, d = (cage.points[column] for column in faces.T)
    turned = np.repeat(np.cross(c - a, d - b), 4, axis=0)
    return unit(summed(faces.ravel(), turned, cage.quads.count))


def samples_within(faces: Ints) -> tuple[Ints, Floats]:
    """Faces and parameters of places evenly within faces."""
    grid = np.stack(np.meshgrid(INSIDE, INSIDE, indexing="ij"), axis=-1).reshape(-1, 2)
    return np.repeat(faces, len(grid)), np.tile(grid, (len(faces), 1))


def bilinear(corners: Floats, uv: Floats) -> Floats:
    """(n, d) places in quadrangles whose corners (n, 4, d) are given, at (n, 2) shares."""
    u, v = uv[:, :1], uv[:, 1:]
    weights = np.stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v], axis=1)
    return np.asarray((weights * corners).sum(axis=1))
