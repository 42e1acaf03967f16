"""Places of a cage's surface: anywhere on its faces, and nearest to places beside it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages.stencils import in_tangents, make_stencils
from arabesque.cages.tiles import Tiles
from arabesque.cores import in_runs
from arabesque.geometry.kernels import unit_cross
from arabesque.scan.tree import BoxTree

if TYPE_CHECKING:
    from arabesque.cages.cage import Cage

ALONG = 160
"""Places a side of the whole by whose triangles a nearest place is found first."""
STEPS, SHORT = 3, 0.01
AT_SIDE = 1e-9
DEPTH = 6


def on_tiles(cage: Cage, face: Ints, uv: Floats, tiles: Tiles, grid: Floats) -> Floats:
    """(3, n, 3) places with both first derivatives, (n,) faces and (n, 2) parameters."""
    tile, local = tiles.locate(face, uv)
    made = np.zeros((3, len(tile), 3))

    def evaluate(run: Ints) -> None:
        evaluate_tiles(grid, tiles.grids, tiles.lined, tiles.level, tile, local, run, made)

    in_runs(evaluate, np.flatnonzero(tile >= 0))
    # nearest to an irregular point no tile reaches
    lost = np.flatnonzero(tile < 0)
    if len(lost):
        made[:, lost] = make_stencils(cage.quads, face[lost], uv[lost], 1).apply(cage.points)
    return made


def nearest_places(cage: Cage, places: Floats) -> tuple[Floats, Floats, Bools]:
    """(n, 3) the places of the surface nearest to (n, 3) places, its unit normals there, and (n,) whether they lie
    inside it and not on its border.

    Nearest on triangles of the surface, then Newton's method on the face that was found (Piegl and Tiller, "The NURBS
    Book", section 6.1, without second derivatives).
    """
    samples = cage.sampler(ALONG).read(cage)
    hits = BoxTree(samples.points[samples.triangles].reshape(-1, 9)).closest(places, np.inf, None)
    corners = samples.triangles[hits.triangle]
    face = samples.part[corners[:, 0]]
    uv = np.einsum("nk,nkc->nc", hits.barycentric, samples.uv[corners])
    tiles = cage.whole.quads.tiles(DEPTH)
    grid = np.ascontiguousarray(tiles.stencil @ cage.whole.points)
    found = on_tiles(cage, face, uv, tiles, grid)
    gap = places - found[0]
    away, left = np.linalg.norm(gap, axis=1), np.arange(len(places))
    for _ in range(STEPS):
        step = in_tangents(found[1][left], found[2][left], gap[left]).T
        stepped = np.clip(uv[left] + np.clip(step, -0.1, 0.1), 0.0, 1.0)
        there = on_tiles(cage, face[left], stepped, tiles, grid)
        beyond = places[left] - there[0]
        size = np.linalg.norm(beyond, axis=1)
        # beside an irregular point a step may lead astray
        nearer = size < away[left]
        some = left[nearer]
        uv[some], found[:, some], gap[some], away[some] = (
            stepped[nearer],
            there[:, nearer],
            beyond[nearer],
            size[nearer],
        )
        # a step so short leaves only its square
        left = some[np.abs(step[nearer]).max(axis=1, initial=0.0) > SHORT]
        if not len(left):
            break
    normals = unit_cross(np.ascontiguousarray(found[1]), np.ascontiguousarray(found[2]))
    on_border = np.zeros(len(places), dtype=bool)
    if cage.quads.border.any():
        border = cage.quads.border.reshape(-1, 4)[face]
        at = [uv[:, 1] <= AT_SIDE, uv[:, 0] >= 1 - AT_SIDE, uv[:, 1] >= 1 - AT_SIDE, uv[:, 0] <= AT_SIDE]
        on_border = np.logical_or.reduce([border[:, side] & at[side] for side in range(4)])
    return found[0], normals, ~on_border


@njit(cache=True, nogil=True)
def evaluate_tiles(
    points: Floats, grids: Ints, lined: Bools, level: Ints, tile: Ints, local: Floats, some: Ints, found: Floats
) -> None:
    """Fill (3, n, 3) places and first derivatives along a face's parameters, on (n,) tiles at (n, 2) shares of them, at
    some of the n."""
    value, slope = np.empty((2, 4)), np.empty((2, 4))
    for n in some:
        k = tile[n]
        for axis in range(2):
            t = local[n, axis]
            s = 1 - t
            value[axis, 0] = s * s * s / 6
            value[axis, 1] = (3 * t * t * t - 6 * t * t + 4) / 6
            value[axis, 2] = (3 * s * s * s - 6 * s * s + 4) / 6
            value[axis, 3] = t * t * t / 6
            slope[axis, 0] = -s * s / 2
            slope[axis, 1] = (3 * t * t - 4 * t) / 2
            slope[axis, 2] = (-3 * s * s + 4 * s) / 2
            slope[axis, 3] = t * t / 2
            for w in (value, slope):
                if lined[k, 3 if axis == 0 else 0]:
                    w[axis, 1] += 2 * w[axis, 0]
                    w[axis, 2] -= w[axis, 0]
                    w[axis, 0] = 0.0
                if lined[k, 1 if axis == 0 else 2]:
                    w[axis, 2] += 2 * w[axis, 3]
                    w[axis, 1] -= w[axis, 3]
                    w[axis, 3] = 0.0
        scale = 2.0 ** level[k]
        for a in range(4):
            for b in range(4):
                p = grids[k, 4 * a + b]
                place = value[0, a] * value[1, b]
                du, dv = scale * slope[0, a] * value[1, b], scale * value[0, a] * slope[1, b]
                for c in range(3):
                    x = points[p, c]
                    found[0, n, c] += place * x
                    found[1, n, c] += du * x
                    found[2, n, c] += dv * x
