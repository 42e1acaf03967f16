"""Weights by which places of the limit surface follow from a cage's points, and how they are applied."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages.masks import corner_mask
from arabesque.cages.quads import Quads
from arabesque.cages.tiles import Tiles, basis, make_tiles, within_lines

if TYPE_CHECKING:
    from scipy.sparse import csr_array

PLACE, DU, DV, DUU, DUV, DVV = range(6)
_ORDERS = ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
FEW = 0.25
"""Of all faces: of fewer the tiles are made for themselves and not kept."""
ROUNDED = 1e-9
DEEPEST = 24
"""Places nearer to an irregular point than 2^-24 of a face are taken for it."""


@dataclass(frozen=True, eq=False)
class Stencils:
    """Rows of weights over a cage's points, one row a place, several weights an entry.

    starts: (n + 1,) where each row's entries begin. points: (nnz,) of the cage. weights: (k, nnz): of the place, and
    as far as they were asked for of its derivatives along u and v (the parameters of its face, 0 to 1), uu, uv, vv.
    At irregular points the first derivatives are tangents of some length, u x v outward, and the second are 0.
    special: rows at irregular points. face: (n,) of each place.
    """

    starts: Ints
    points: Ints
    weights: Floats
    special: Ints
    face: Ints

    def apply(self, points: Floats) -> Floats:
        """(k, n, 3) the places and derivatives for the cage's (count, 3) points."""
        return apply_rows(self.starts, self.points, self.weights, np.ascontiguousarray(points))

    def only(self, rows: Ints) -> Stencils:
        """Some of the rows."""
        sizes = np.diff(self.starts)[rows]
        starts = np.concatenate([[0], np.cumsum(sizes)])
        entries = np.repeat(self.starts[rows] - starts[:-1], sizes) + np.arange(starts[-1])
        special = np.flatnonzero(np.isin(rows, self.special))
        return Stencils(starts, self.points[entries], self.weights[:, entries], special, self.face[rows])

    def matrix(self, which: int, count: int) -> csr_array:
        """(n, count) one kind of weights as a sparse matrix."""
        from scipy.sparse import csr_array

        return csr_array((self.weights[which], self.points, self.starts), shape=(len(self.starts) - 1, count))

    def over(self, matrix: csr_array) -> Stencils:
        """The rows over other points, from which these follow by a (count, others) matrix."""
        sizes = np.diff(matrix.indptr)[self.points]
        ends = np.cumsum(sizes)
        place = np.repeat(matrix.indptr[self.points] - (ends - sizes), sizes) + np.arange(int(ends[-1]))
        row = np.repeat(np.arange(len(self.starts) - 1), np.diff(self.starts))
        keys, entry = np.unique(np.repeat(row, sizes) * matrix.shape[1] + matrix.indices[place], return_inverse=True)
        share = matrix.data[place]
        weights: Floats = np.stack(
            [np.bincount(entry, np.repeat(one, sizes) * share, len(keys)).astype(float) for one in self.weights]
        )
        rows, points = np.divmod(keys, matrix.shape[1])
        starts = np.searchsorted(rows, np.arange(len(self.starts)))
        return Stencils(starts.astype(np.int64), points.astype(np.int64), weights, self.special, self.face)

    def rows_of(self, chosen: Bools) -> Ints:
        """Rows in which any of the points of a (count,) mask has a say."""
        touched = np.add.reduceat(chosen[self.points].astype(np.int64), self.starts[:-1])
        return np.flatnonzero(touched)


def make_stencils(quads: Quads, face: Ints, uv: Floats, order: int = 1) -> Stencils:
    """The rows of places (n,) faces and (n, 2) parameters; order: 0, 1 or 2 of the derivatives."""
    if quads.beyond is not None:
        return make_stencils(quads.beyond.quads, face, uv, order).over(quads.beyond.matrix)
    uv = np.clip(np.asarray(uv, dtype=float), 0.0, 1.0)
    uv = np.where(uv < ROUNDED, 0.0, np.where(uv > 1 - ROUNDED, 1.0, uv))
    face = np.asarray(face, dtype=np.int64)
    kinds = (1, 3, 6)[order]
    depth = depth_for(uv)
    faces = np.unique(face)
    few = len(faces) < FEW * len(quads.faces)
    tiles = make_tiles(quads, depth, faces) if few else quads.tiles(depth)
    tile, local = tiles.locate(face, uv)
    lost = tile < 0
    columns = np.zeros((len(face), 16), dtype=np.int64)
    values = np.zeros((kinds, len(face), 16))
    inside = np.flatnonzero(~lost)
    at = tile[inside]
    columns[inside] = tiles.grids[at]
    values[:, inside] = tile_weights(tiles, at, local[inside], order)
    special = np.flatnonzero(lost)
    stencil = tiles.stencil
    starts, points, weights = expand_rows(
        columns, values, lost, stencil.indptr.astype(np.int64), stencil.indices.astype(np.int64), stencil.data,
        quads.count,
    )  # fmt: skip
    if len(special):
        masks = [_mask_rows(quads, int(face[k]), uv[k], kinds) for k in special]
        starts, points, weights = _with_rows(starts, points, weights, special, masks)
    return Stencils(starts, points, weights, special, face)


def depth_for(uv: Floats) -> int:
    """How far tiles must be divided so that of (n, 2) places only corners themselves lie in the last cell at one."""
    beside = np.minimum(uv, 1 - uv).max(axis=1, initial=0.0)
    beside = beside[beside > 0]
    # a place between two cells counts to the upper one
    return int(np.clip(np.floor(-np.log2(beside.min(initial=0.5))) + 1, 1, DEEPEST))


def tile_weights(tiles: Tiles, tile: Ints, local: Floats, order: int) -> Floats:
    """(k, n, 16) weights of the tiles' own grids for places in them, and derivatives along the faces' parameters."""
    lined = tiles.lined[tile]
    scale = 2.0 ** tiles.level[tile]
    along = [
        [within_lines(basis(local[:, axis], k), lined[:, low], lined[:, high]) for k in range(order + 1)]
        for axis, low, high in ((0, 3, 1), (1, 0, 2))
    ]
    kinds = _ORDERS[: (1, 3, 6)[order]]
    return np.stack([products(along[0][k], along[1][m], scale ** (k + m)) for k, m in kinds])


@njit(cache=True, nogil=True)
def products(u: Floats, v: Floats, scale: Floats) -> Floats:
    """(n, 16) products of four weights along u with four along v, times a factor; u slower."""
    made = np.empty((len(u), 16))
    for n in range(len(u)):
        for i in range(4):
            for j in range(4):
                made[n, 4 * i + j] = u[n, i] * v[n, j] * scale[n]
    return made


def _mask_rows(quads: Quads, face: int, uv: Floats, kinds: int) -> tuple[Ints, Floats]:
    """Points and (kinds, m) weights at the corner of a face that is nearest to a place."""
    upper = uv >= 0.5
    corner = ((0, 3), (1, 2))[int(upper[0])][int(upper[1])]
    mask = corner_mask(quads, 4 * face + corner)
    weights = np.zeros((kinds, len(mask.points)))
    weights[: min(3, kinds)] = mask.weights[: min(3, kinds)]
    return mask.points, weights


def _with_rows(
    starts: Ints, points: Ints, weights: Floats, rows: Ints, made: list[tuple[Ints, Floats]]
) -> tuple[Ints, Ints, Floats]:
    """The rows with some that are empty filled."""
    sizes = np.diff(starts)
    sizes[rows] = [len(one) for one, _ in made]
    after = np.concatenate([[0], np.cumsum(sizes)])
    all_points = np.empty(after[-1], dtype=np.int64)
    all_weights = np.empty((len(weights), after[-1]))
    filled = np.zeros(after[-1], dtype=bool)
    for row, (one, values) in zip(rows, made, strict=True):
        place = slice(after[row], after[row + 1])
        all_points[place], all_weights[:, place], filled[place] = one, values, True
    all_points[~filled], all_weights[:, ~filled] = points, weights
    return after, all_points, all_weights


def in_tangents(du: Floats, dv: Floats, ways: Floats) -> Floats:
    """(2, n) shares of both tangents (n, 3) in (n, 3) ways, as near as their plane has them."""
    a, b, c = (np.einsum("nc,nc->n", x, y) for x, y in ((du, du), (du, dv), (dv, dv)))
    p, q = (np.einsum("nc,nc->n", ways, x) for x in (du, dv))
    area = np.maximum(a * c - b * b, 1e-300)
    return np.stack([(c * p - b * q) / area, (a * q - b * p) / area])


def outward(stencils: Stencils, quads: Quads, points: Floats, found: Floats) -> Floats:
    """(n, 3) unit normals from what was applied; where tangents tell nothing (a tip, or a corner that is bent back)
    the face's own."""
    from arabesque.geometry.kernels import unit_cross

    normals = unit_cross(np.ascontiguousarray(found[DU]), np.ascontiguousarray(found[DV]))
    rows = stencils.special
    if len(rows):
        corners = points[quads.faces[stencils.face[rows]]]
        plain = unit_cross(
            np.ascontiguousarray(corners[:, 2] - corners[:, 0]), np.ascontiguousarray(corners[:, 3] - corners[:, 1])
        )
        odd = np.einsum("nc,nc->n", normals[rows], plain) <= 0
        normals[rows[odd]] = plain[odd]
    return normals


@njit(cache=True, nogil=True)
def expand_rows(
    columns: Ints, values: Floats, empty: Bools, starts: Ints, points: Ints, data: Floats, count: int
) -> tuple[Ints, Ints, Floats]:
    """Rows over points of many levels as rows over the points of the first: the product with their own stencils."""
    kinds, n, width = values.shape
    sizes = np.zeros(n + 1, dtype=np.int64)
    mark = np.full(count, -1, dtype=np.int64)
    for row in range(n):
        size = 0
        if not empty[row]:
            for k in range(width):
                for e in range(starts[columns[row, k]], starts[columns[row, k] + 1]):
                    if mark[points[e]] != row:
                        mark[points[e]] = row
                        size += 1
        sizes[row + 1] = sizes[row] + size
    found = np.empty(sizes[n], dtype=np.int64)
    weights = np.zeros((kinds, sizes[n]))
    place = np.empty(count, dtype=np.int64)
    mark[:] = -1
    for row in range(n):
        if empty[row]:
            continue
        at = sizes[row]
        for k in range(width):
            for e in range(starts[columns[row, k]], starts[columns[row, k] + 1]):
                point = points[e]
                if mark[point] != row:
                    mark[point] = row
                    place[point] = at
                    found[at] = point
                    at += 1
                for m in range(kinds):
                    weights[m, place[point]] += values[m, row, k] * data[e]
    return sizes, found, weights


@njit(cache=True, nogil=True)
def apply_rows(starts: Ints, points: Ints, weights: Floats, at: Floats) -> Floats:
    """(k, n, 3) the sums that rows of weights make of (count, 3) points."""
    kinds, n = len(weights), len(starts) - 1
    found = np.zeros((kinds, n, 3))
    for row in range(n):
        for e in range(starts[row], starts[row + 1]):
            x, y, z = at[points[e], 0], at[points[e], 1], at[points[e], 2]
            for m in range(kinds):
                w = weights[m, e]
                found[m, row, 0] += w * x
                found[m, row, 1] += w * y
                found[m, row, 2] += w * z
    return found
