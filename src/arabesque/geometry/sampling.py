"""Samples of surfaces: on a grid of parameters, or over the part that a trim leaves."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from scipy.sparse import csr_array

from arabesque.arrays import Bools, Floats, Ints, tree_of
from arabesque.geometry.kernels import basis_matrix, unit_cross
from arabesque.geometry.knots import breakpoints
from arabesque.geometry.rational import quotient_derivatives
from arabesque.geometry.trimming import Trim
from arabesque.shapes import Samples

CLEAR = 0.5
"""Of a step: places of the grid nearer to a trim loop than this give way to the places on the loop."""
CELLS = np.unique(np.concatenate([np.arange(1, 9), np.round(8 * 2 ** (np.arange(1, 33) / 4))]).astype(np.int64))
"""Numbers of cells that a span may have: every small one, then steps of a fifth."""
NEXT_TO_NOTHING = 0.25
"""Of the mean length of a span: a shorter one is one cell."""
FAR = 1.1
"""Of a step: cells whose corners are further from all loops are whole."""
POLE = 1e-9
"""Of the extent across it: an edge whose control points lie so near together is one place."""
AROUND, BESIDE = 16, 1e-4
"""Places round a pole, and of the domain how far beside it, where normals can be read."""
NO_AREA = 1e-6
"""Of a cell of the grid."""
LOOP_STEP = 0.6
"""Of a step: at most so far apart lie places on a trim loop, so that each piece of it is an edge of triangles."""


def even_parameters(knots: Floats, count: int) -> Floats:
    """About ``count`` parameters over the knot range, the same number in every span."""
    breaks = breakpoints(knots)
    each = max(2, -(-count // (len(breaks) - 1)))
    spans = [np.linspace(a, b, each, endpoint=False) for a, b in pairwise(breaks)]
    return np.concatenate([*spans, breaks[-1:]])


def length_parameters(surface: Any, count: int) -> tuple[Floats, Floats]:
    """Parameters along u and v, about ``count`` each, so that every span has its share of the length.

    A span's length is bounded by its control polygon (the derivative's control points: Piegl and Tiller, "The NURBS
    Book", 1997, section 3.3), so that no cell is longer than about the whole by ``count``. Graded knots, as those of
    cage patches, would else hold most samples on next to none of the area.
    """
    found = []
    for axis in (0, 1):
        breaks = breakpoints(surface.knots[axis])
        numbers = _span_counts(surface, axis, breaks, count)
        spans = [np.linspace(a, b, n, endpoint=False) for (a, b), n in zip(pairwise(breaks), numbers, strict=True)]
        found.append(np.concatenate([*spans, breaks[-1:]]))
    return found[0], found[1]


def _span_counts(surface: Any, axis: int, breaks: Floats, count: int) -> Ints:
    """(s,) how many cells each span gets along an axis, of a few numbers that change seldom in a drag."""
    if len(breaks) == 2:
        return np.array([max(2, count)])
    knots, degree = surface.knots[axis], surface.degree[axis]
    rows = np.moveaxis(surface.points, axis, 0)
    apart = np.linalg.norm(np.diff(rows, axis=0), axis=2).max(axis=1)
    width = knots[degree + 1 : degree + len(apart) + 1] - knots[1 : len(apart) + 1]
    speed = degree * apart / np.where(width > 0, width, np.inf)
    first = np.searchsorted(knots, breaks[:-1], "right") - 1 - degree
    lengths = np.array([speed[k : k + degree].max(initial=0.0) for k in first]) * np.diff(breaks)
    whole = float(lengths.sum())
    shares = lengths / whole if whole > 0 else np.full(len(lengths), 1 / len(lengths))
    # two at least, as bends ask for, but for those that hold next to nothing of the length
    wanted = np.maximum(np.ceil(count * shares - 1e-9), np.where(shares * len(shares) < NEXT_TO_NOTHING, 1, 2))
    return CELLS[np.minimum(np.searchsorted(CELLS, wanted), len(CELLS) - 1)]


def grid_triangles(rows: int, columns: int) -> Ints:
    """(m, 3) triangles over a grid of rows x columns points, counter-clockwise for Su x Sv."""
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    return np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])


@lru_cache(maxsize=16)
def _grid_tables(rows: int, columns: int) -> tuple[Ints, Ints]:
    """Triangles of a grid, and its points going round, the first again at the end: hundreds of patches share them."""
    index = np.arange(rows * columns).reshape(rows, columns)
    rim = np.concatenate([index[:-1, 0], index[-1, :-1], index[:0:-1, -1], index[0, ::-1]])
    triangles = grid_triangles(rows, columns)
    for table in (triangles, rim):
        table.setflags(write=False)
    return triangles, rim


class _OnBasis:
    """Knots and degrees that a sampler was made for."""

    def __init__(self, surface: Any) -> None:
        self._knots, self._degree = surface.knots, surface.degree
        self._along = 0
        self._at: tuple[Floats, Floats] = (np.zeros(0), np.zeros(0))

    def _same_basis(self, shape: Any) -> bool:
        return getattr(shape, "degree", None) == self._degree and all(
            np.array_equal(a, b) for a, b in zip(self._knots, shape.knots, strict=True)
        )

    def _same_places(self, shape: Any) -> bool:
        """True for what would be sampled at the same parameters: a figure must not hang on what was measured before."""
        return all(np.array_equal(a, b) for a, b in zip(self._at, length_parameters(shape, self._along), strict=True))


class SurfaceSampler(_OnBasis):
    """Reads a patch on one grid of parameters again and again: two small products a time."""

    def __init__(self, surface: Any, along: int) -> None:
        super().__init__(surface)
        self._along = along
        u, v = self._at = length_parameters(surface, along)
        self._basis = [
            [basis_matrix(knots, degree, at, k) for k in (0, 1)]
            for knots, degree, at in zip(surface.knots, surface.degree, (u, v), strict=True)
        ]
        self._uv = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2)
        self._part = np.zeros(len(self._uv), dtype=np.int64)
        self._triangles, rim = _grid_tables(len(u), len(v))
        self._rims = (rim,)

    def fits(self, shape: Any) -> bool:
        """True for a patch of the same degrees and knots, without a trim."""
        return not hasattr(shape, "trim") and self._same_basis(shape) and self._same_places(shape)

    def read(self, surface: Any) -> Samples:
        """Points and normals of the patch as it now is."""
        d = surface.on_basis(*self._basis)
        normals = unit_cross(d[1, 0].reshape(-1, 3), d[0, 1].reshape(-1, 3))
        _look_out_of_poles(surface, self._uv, normals)
        return Samples(d[0, 0].reshape(-1, 3), normals, self._triangles, self._part, self._uv, self._rims)


class FaceSampler(_OnBasis):
    """Reads what a face's trim leaves of its patch: two small products for its grid, a sparse one for its loops."""

    def __init__(self, face: Any, along: int) -> None:
        super().__init__(face)
        self._trim = face.trim
        self._along = along
        u, v = self._at = length_parameters(face, along)
        cut = trimmed_triangles(face.trim, u, v)
        self._cut, self._part = cut, np.zeros(len(cut.uv), dtype=np.int64)
        border = cut.uv[: len(cut.uv) - len(cut.inner)]
        self._on_loops = [_tensor_rows(face.knots, face.degree, border, order) for order in ((0, 0), (1, 0), (0, 1))]
        self._basis = [
            [basis_matrix(knots, degree, at, k) for k in (0, 1)]
            for knots, degree, at in zip(face.knots, face.degree, (u, v), strict=True)
        ]

    def fits(self, shape: Any) -> bool:
        """True for a face of the same degrees, knots and trim."""
        return getattr(shape, "trim", None) is self._trim and self._same_basis(shape) and self._same_places(shape)

    def read(self, face: Any) -> Samples:
        """Points and normals of what shows of the face."""
        sums = [rows @ face.coefficients.reshape(rows.shape[1], -1) for rows in self._on_loops]
        loops = np.zeros((2, 2, *sums[0].shape))
        loops[0, 0], loops[1, 0], loops[0, 1] = sums
        if face.weights is not None:
            loops = quotient_derivatives(loops)
        grid = face.on_basis(*self._basis)
        points, du, dv = (
            np.concatenate([loops[order], grid[order].reshape(-1, 3)[self._cut.inner]])
            for order in ((0, 0), (1, 0), (0, 1))
        )
        normals = unit_cross(du, dv)
        _look_out_of_poles(face, self._cut.uv, normals)
        return Samples(points, normals, self._cut.triangles, self._part, self._cut.uv, self._cut.rims)


def _look_out_of_poles(surface: Any, uv: Floats, normals: Floats) -> None:
    """Put normals in place at (n, 2) parameters on edges that are one place, as at the pole of a ball.

    There the derivative along the edge is nothing but rounding, and so is the product; the mean of the normals beside
    it is taken.
    """
    points = surface.points
    for axis in (0, 1):
        rows = np.moveaxis(points, axis, 0)
        low, high = surface.domain[axis]
        for end, at in ((0, low), (-1, high)):
            row = rows[end]
            if np.abs(row - row[0]).max() > POLE * np.abs(rows[0] - rows[-1]).max():
                continue
            there = np.flatnonzero(uv[:, axis] == at)
            if not len(there):
                continue
            beside = np.empty((AROUND, 2))
            beside[:, axis] = at + (high - low) * (BESIDE if end == 0 else -BESIDE)
            first, last = surface.domain[1 - axis]
            beside[:, 1 - axis] = np.linspace(first, last, AROUND, endpoint=False)
            mean = surface.normals(beside).mean(axis=0)
            length = float(np.linalg.norm(mean))
            if length > 0:
                normals[there] = mean / length


def _tensor_rows(knots: tuple[Floats, Floats], degree: tuple[int, int], uv: Floats, order: tuple[int, int]) -> Any:
    """(n, nu * nv) values of the tensor product basis at scattered parameters, differentiated ``order`` times."""
    (ku, kv), (p, q) = knots, degree
    u, v = (np.ascontiguousarray(uv[:, axis]) for axis in (0, 1))
    along = [basis_matrix(ku, p, u, order[0]), basis_matrix(kv, q, v, order[1])]
    n, (nu, nv) = len(uv), (along[0].shape[1], along[1].shape[1])
    (iu, cu), (iv, cv) = (_band(rows, p + 1) for rows, p in zip(along, degree, strict=True))
    columns = (iu[:, :, None] * nv + iv[:, None, :]).reshape(n, -1)
    values = (cu[:, :, None] * cv[:, None, :]).reshape(n, -1)
    starts = np.arange(n + 1) * columns.shape[1]
    return csr_array((values.ravel(), columns.ravel(), starts), shape=(n, nu * nv))


def _band(rows: Floats, width: int) -> tuple[Ints, Floats]:
    """Columns and values, (n, width) each, of the few entries of each row of a basis matrix that are not 0."""
    first = np.minimum((rows != 0).argmax(axis=1), rows.shape[1] - width)
    columns = first[:, None] + np.arange(width)
    return columns, np.take_along_axis(rows, columns, axis=1)


@dataclass(frozen=True, eq=False)
class CutGrid:
    """uv: (n, 2) parameters, those on trim loops first. inner: which places of the grid the others are. triangles:
    (m, 3), counter-clockwise. rims: closed rings of indices, one a trim loop."""

    uv: Floats
    inner: Ints
    triangles: Ints
    rims: tuple[Ints, ...]


def trimmed_triangles(trim: Trim, u: Floats, v: Floats) -> CutGrid:
    """Triangles over the part of a grid of parameters (r,), (s,) that a trim leaves, its loops being edges of them.

    Cells of the grid that no loop comes near are cut in two. Round them lie Delaunay triangles of the other inner
    places of the grid and of places on the loops, which lie closer to each other than to any place of the grid, so
    that every piece of a loop is an edge, and so is the border of the cells (Gabriel edges: de Berg et al.,
    "Computational Geometry", 3rd edition, section 9.3); those outside are dropped.
    """
    from scipy.spatial import Delaunay  # see ``tree_of``

    steps = np.array([np.diff(u).max(), np.diff(v).max()])
    low = np.array([u[0], v[0]])
    loops = [_refined(loop, steps * LOOP_STEP) for loop in trim.loops]
    border = np.concatenate(loops) if loops else np.empty((0, 2))
    starts = np.concatenate([[0], np.cumsum([len(loop) for loop in loops])]).astype(np.int64)
    rims = tuple(np.append(np.arange(a, b), a) for a, b in pairwise(starts))
    grid = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2)
    away = _away_from(border, u, v, steps)
    stays = _inside(trim, grid, np.isinf(away)) & (away.ravel() >= CLEAR)
    far = stays.reshape(away.shape) & np.isinf(away)
    cells = far[:-1, :-1] & far[1:, :-1] & far[1:, 1:] & far[:-1, 1:]
    number = np.full(len(grid), -1, dtype=np.int64)
    number[stays] = len(border) + np.arange(np.count_nonzero(stays))
    uv = np.concatenate([border, grid[stays]])
    if len(uv) < 3:
        return CutGrid(uv, np.flatnonzero(stays), np.empty((0, 3), dtype=np.int64), rims)
    # places with cells all round need no other triangles
    round_it = np.pad(cells, 1)
    surrounded = round_it[:-1, :-1] & round_it[1:, :-1] & round_it[1:, 1:] & round_it[:-1, 1:]
    loose = np.concatenate([np.arange(len(border)), number[stays & ~surrounded.ravel()]])
    # three places are one triangle, and too few for qhull
    triangles = loose[None] if len(loose) == 3 else np.empty((0, 3), dtype=np.int64)
    if len(loose) > 3:
        triangles = loose[Delaunay((uv[loose] - low) / steps, qhull_options="QJ Pp").simplices.astype(np.int64)]
    if len(triangles):
        middles = uv[triangles].mean(axis=1)
        row, column = (
            np.clip(np.searchsorted(at, middles[:, k], "right") - 1, 0, len(at) - 2) for k, at in enumerate((u, v))
        )
        triangles = triangles[~cells[row, column] & trim.contains(middles)]
        a, b, c = np.swapaxes(uv[triangles] / steps, 0, 1)
        doubled = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
        triangles[doubled < 0] = triangles[doubled < 0][:, ::-1]
        # places along a straight side of a loop make triangles of no area
        triangles = triangles[np.abs(doubled) > NO_AREA]
    whole = number[_grid_tables(len(u), len(v))[0].reshape(2, *cells.shape, 3)[:, cells].reshape(-1, 3)]
    return CutGrid(uv, np.flatnonzero(stays), np.concatenate([whole, triangles]), rims)


def _away_from(border: Floats, u: Floats, v: Floats, steps: Floats) -> Floats:
    """(r, s) how far places of a grid are from the nearest place on the loops, in steps; infinite beyond FAR."""
    away = np.full((len(u), len(v)), np.inf)
    if not len(border):
        return away
    near = np.zeros(away.shape, dtype=bool)
    reach = FAR * steps
    rows = [np.searchsorted(u, border[:, 0] + side * reach[0]) for side in (-1, 1)]
    columns = [np.searchsorted(v, border[:, 1] + side * reach[1]) for side in (-1, 1)]
    for r in range(int((rows[1] - rows[0]).max(initial=0))):
        for c in range(int((columns[1] - columns[0]).max(initial=0))):
            row, column = rows[0] + r, columns[0] + c
            there = (row < rows[1]) & (column < columns[1])
            near[row[there], column[there]] = True
    some = np.argwhere(near)
    places = np.column_stack([u[some[:, 0]], v[some[:, 1]]])
    away[near] = tree_of(border / steps).query(places / steps, distance_upper_bound=FAR)[0]
    return away


def _inside(trim: Trim, grid: Floats, clear: Bools) -> Bools:
    """(n,) which places of a grid lie inside a trim: one of each run of places that are clear of the loops tells it of
    all."""
    from scipy.ndimage import label  # see ``tree_of``

    runs = label(clear)[0].ravel()
    numbers, firsts = np.unique(runs, return_index=True)
    inside = trim.contains(grid[firsts])[np.searchsorted(numbers, runs)]
    near = runs == 0
    inside[near] = trim.contains(grid[near])
    return inside


def _refined(loop: Floats, steps: Floats) -> Floats:
    """A closed polygon with places added so that none are further apart than ``steps`` in u and v."""
    following = np.roll(loop, -1, axis=0)
    counts = np.ceil(np.linalg.norm((following - loop) / steps, axis=1)).astype(np.int64)
    if not counts.any():
        return loop
    of = np.repeat(np.arange(len(loop)), counts)
    within = np.arange(len(of)) - np.repeat(np.cumsum(counts) - counts, counts)
    return np.asarray(loop[of] + (within / counts[of])[:, None] * (following - loop)[of])
