"""Cages that the tests of cages share."""

import numpy as np

from arabesque.cages import Cage
from arabesque.cages.edits import subdivide
from arabesque.cages.through import grid_faces

CUBE_FACES = np.array([[0, 3, 2, 1], [4, 5, 6, 7], [0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7]])
CUBE_POINTS = np.array(
    [[-1, -1, -1], [1, -1, -1], [1, 1, -1], [-1, 1, -1], [-1, -1, 1], [1, -1, 1], [1, 1, 1], [-1, 1, 1]], dtype=float
)


def cube(sharp: object = (), size: float = 50.0, shaken: float = 0.0, seed: int = 0) -> Cage:
    """A cube of six faces about the origin; shaken: mm by which its points stand askew."""
    rng = np.random.default_rng(seed)
    return Cage.of(size * CUBE_POINTS + shaken * rng.normal(size=(8, 3)), CUBE_FACES, sharp)


def bumpy(levels: int = 2, seed: int = 0) -> Cage:
    """A closed cage with points of three and four faces, uneven."""
    made = cube(shaken=5.0, seed=seed)
    for _ in range(levels):
        made = subdivide(made)
    rng = np.random.default_rng(seed)
    return made.with_points(made.points + rng.normal(scale=1.0, size=made.points.shape))


def open_grid(nu: int = 5, nv: int = 4, step: float = 10.0) -> Cage:
    """A flat sheet with a border, bulging a little."""
    x, y = np.meshgrid(np.arange(nu + 1) * step, np.arange(nv + 1) * step, indexing="ij")
    z = 8 * np.sin(x / 25) * np.cos(y / 20)
    return Cage.of(np.stack([x, y, z], -1).reshape(-1, 3), grid_faces(nu, nv))


def fan(n: int) -> Cage:
    """A bowl of n faces round one point, with a ring of faces more about them."""
    turn = 2 * np.pi * np.arange(2 * n) / (2 * n)
    ring = np.column_stack([20 * np.cos(turn), 20 * np.sin(turn), np.full(2 * n, -4.0)])
    outer = np.column_stack([40 * np.cos(turn), 40 * np.sin(turn), np.full(2 * n, -14.0)])
    points = np.concatenate([[[0, 0, 0]], ring, outer])
    inner = [[0, 1 + 2 * k, 2 + 2 * k, 1 + (2 * k + 2) % (2 * n)] for k in range(n)]
    rim = [[1 + k, 1 + 2 * n + k, 1 + 2 * n + (k + 1) % (2 * n), 1 + (k + 1) % (2 * n)] for k in range(2 * n)]
    return Cage.of(points, inner + rim)


def volume(cage: Cage, along: int = 300) -> float:
    """mm³ inside a closed cage, from its triangles."""
    samples = cage.sampler(along).read(cage)
    a, b, c = np.swapaxes(samples.points[samples.triangles], 0, 1)
    return float(np.einsum("nc,nc->n", a, np.cross(b, c)).sum() / 6)


def euler(cage: Cage) -> int:
    """Points - edges + faces."""
    return cage.quads.count - len(cage.quads.edges) + cage.count
