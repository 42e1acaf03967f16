"""A cage's limit surface at even places of every face, read again and again while its points move."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np
from numba import njit

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages.quads import Quads
from arabesque.cages.stencils import make_stencils, outward
from arabesque.cages.tiles import basis
from arabesque.geometry.sampling import grid_triangles
from arabesque.shapes import Samples

if TYPE_CHECKING:
    from arabesque.cages.cage import Cage

FEWEST_A_SIDE = 2
FEW_MOVED = 0.2
"""Of the points: where fewer have moved, only what they have a say in is read anew."""


class CageSampler:
    """Reads faces on which the surface is one bicubic piece as such, the others by their stencils.

    along: places a side of the whole, about.
    """

    def __init__(self, cage: Cage, along: int) -> None:
        quads = cage.quads
        self._quads = quads
        each = max(FEWEST_A_SIDE, round(along / len(quads.faces) ** 0.5)) + 1
        self._each, self._square = each, each * each
        at = np.linspace(0.0, 1.0, each)
        self._basis, self._slope = basis(at, 0), basis(at, 1)
        # what lies beyond bent borders is read too, though it is not of the surface
        net = quads if quads.beyond is None else quads.beyond.quads
        tiles = net.tiles(3)
        plain = tiles.tile[: len(quads.faces)]
        self._whole = np.flatnonzero(plain >= 0)
        self._grids, self._lined = tiles.grids[plain[self._whole]], tiles.lined[plain[self._whole]]
        others = np.flatnonzero(plain < 0)
        uv = np.stack(np.meshgrid(at, at, indexing="ij"), axis=-1).reshape(-1, 2)
        self._rows = (others[:, None] * self._square + np.arange(self._square)).ravel()
        self._stencils = make_stencils(net, np.repeat(others, self._square), np.tile(uv, (len(others), 1)))
        n = len(quads.faces)
        self._uv = np.tile(uv, (n, 1))
        self._part = np.repeat(np.arange(n), self._square)
        starts = np.arange(n)[:, None, None] * self._square
        self._triangles = (grid_triangles(each, each)[None] + starts).reshape(-1, 3)
        self._rims, self._welds = _rims(quads, each), _welds(quads, each)
        for array in (self._uv, self._part, self._triangles, self._welds):
            array.setflags(write=False)
        self._last: tuple[Floats, Samples] | None = None

    def fits(self, shape: Any) -> bool:
        """True for a cage over the same faces with the same sharp edges."""
        quads = getattr(shape, "quads", None)
        return quads is self._quads or (isinstance(quads, Quads) and same_net(quads, self._quads))

    def read(self, cage: Cage) -> Samples:
        """Points and normals of the surface as it now is."""
        points, last = cage.whole.points, self._last
        if last is not None:
            moved = (points != last[0]).any(axis=1)
            if moved.mean() <= FEW_MOVED:
                samples = self._following(points, moved, last[1])
                self._last = points, samples
                return samples
        places, normals = np.empty((len(self._uv), 3)), np.empty((len(self._uv), 3))
        every = np.arange(len(self._whole))
        read_grids(self._grids, self._lined, self._whole, every, self._basis, self._slope, points, places, normals)
        found = self._stencils.apply(points)
        places[self._rows] = found[0]
        normals[self._rows] = outward(self._stencils, self._quads, points, found)
        self._last = points, self._samples(places, normals)
        return self._last[1]

    def _following(self, points: Floats, moved: Bools, before: Samples) -> Samples:
        """Only what the moved points have a say in; the rest is copied."""
        places, normals = before.points.copy(), before.normals.copy()
        some = np.flatnonzero(moved[self._grids].any(axis=1))
        read_grids(self._grids, self._lined, self._whole, some, self._basis, self._slope, points, places, normals)
        rows = self._stencils.rows_of(moved) if len(self._rows) else np.empty(0, dtype=np.int64)
        if len(rows):
            some_rows = self._stencils.only(rows)
            found = some_rows.apply(points)
            at = self._rows[rows]
            places[at] = found[0]
            normals[at] = outward(some_rows, self._quads, points, found)
        return self._samples(places, normals)

    def _samples(self, places: Floats, normals: Floats) -> Samples:
        return Samples(places, normals, self._triangles, self._part, self._uv, self._rims, self._welds)


def same_net(a: Quads, b: Quads) -> bool:
    """True for nets of the same faces, sharp edges and corners."""
    pairs = ((a.faces, b.faces), (a.sharp, b.sharp), (a.corners, b.corners), (a.bent, b.bent))
    return a.count == b.count and all(np.array_equal(one, other) for one, other in pairs)


def _rims(quads: Quads, each: int) -> tuple[Ints, ...]:
    """Places along each border, closed by its first; and along each sharp edge, for it is drawn as a border is."""
    side = _sides(each)
    start = each * each * (np.arange(4 * len(quads.faces)) // 4)
    found = []
    for ring in quads.borders():
        places = start[ring][:, None] + side[ring % 4][:, :-1]
        found.append(np.append(places.ravel(), places[0, 0]))
    sharp = np.flatnonzero(quads.is_sharp & ~quads.border & (np.arange(len(quads.twins)) < quads.twins))
    return (*found, *(start[h] + side[h % 4] for h in sharp))


def _welds(quads: Quads, each: int) -> Ints:
    """(k, 2) places that two faces share along their edge."""
    side = _sides(each)
    half = np.flatnonzero(~quads.border & (np.arange(len(quads.twins)) < quads.twins))
    other = quads.twins[half]
    here, there = (each * each * (h // 4)[:, None] + side[h % 4] for h in (half, other))
    return np.column_stack([here.ravel(), there[:, ::-1].ravel()])


@lru_cache(maxsize=32)
def _sides(each: int) -> Ints:
    """(4, each) the places along each side of a face, in the order of its points; u is slower."""
    index = np.arange(each * each).reshape(each, each)
    return np.stack([index[:, 0], index[-1], index[::-1, -1], index[0, ::-1]])


@njit(cache=True, nogil=True, error_model="numpy")
def read_grids(
    grids: Ints, lined: Bools, face: Ints, some: Ints, basis: Floats, slope: Floats, at: Floats, places: Floats,
    normals: Floats,
) -> None:  # fmt: skip
    """Places and unit normals on the grids of some faces that are one bicubic piece each, put where they belong."""
    each = len(basis)
    net = np.empty((4, 4, 3))
    row, across = np.empty((4, 3)), np.empty((4, 3))
    for number in range(len(some)):
        tile = some[number]
        for a in range(4):
            for b in range(4):
                for c in range(3):
                    net[a, b, c] = at[grids[tile, 4 * a + b], c]
        # a row that is not there is twice the line less the row inside
        for a in range(4):
            for c in range(3):
                if lined[tile, 0]:
                    net[a, 0, c] = 2 * net[a, 1, c] - net[a, 2, c]
                if lined[tile, 2]:
                    net[a, 3, c] = 2 * net[a, 2, c] - net[a, 1, c]
        for b in range(4):
            for c in range(3):
                if lined[tile, 3]:
                    net[0, b, c] = 2 * net[1, b, c] - net[2, b, c]
                if lined[tile, 1]:
                    net[3, b, c] = 2 * net[2, b, c] - net[1, b, c]
        start = face[tile] * each * each
        for i in range(each):
            for b in range(4):
                for c in range(3):
                    p = q = 0.0
                    for a in range(4):
                        p += basis[i, a] * net[a, b, c]
                        q += slope[i, a] * net[a, b, c]
                    row[b, c], across[b, c] = p, q
            for j in range(each):
                x = y = z = ux = uy = uz = vx = vy = vz = 0.0
                for b in range(4):
                    w, s = basis[j, b], slope[j, b]
                    x += w * row[b, 0]
                    y += w * row[b, 1]
                    z += w * row[b, 2]
                    ux += w * across[b, 0]
                    uy += w * across[b, 1]
                    uz += w * across[b, 2]
                    vx += s * row[b, 0]
                    vy += s * row[b, 1]
                    vz += s * row[b, 2]
                k = start + i * each + j
                places[k, 0], places[k, 1], places[k, 2] = x, y, z
                nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
                length = np.sqrt(nx * nx + ny * ny + nz * nz)
                length = length if length > 0 else 1.0
                normals[k, 0], normals[k, 1], normals[k, 2] = nx / length, ny / length, nz / length
