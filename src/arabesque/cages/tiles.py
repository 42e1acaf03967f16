"""A cage's limit surface as bicubic tiles: whole faces where the net is regular, ever smaller ones towards points where
it is not."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit
from scipy.sparse import csr_array, eye_array, vstack

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages.quads import Quads, numbered_anew, sectors, twins_of
from arabesque.cages.rules import subdivided

QUARTER = np.array([[0, 3], [1, 2]])
"""Which part of a face holds a place: by whether it lies in the upper half along u and v."""


@dataclass(frozen=True, eq=False)
class Tiles:
    """Bicubic tiles over the faces of a net, and the tree by which a place of a face finds its own.

    stencil: (p, n) sparse: the points of all levels from the cage's n points, those of level 0 first, as they are.
    grids: (t, 16) points whose uniform cubic B-spline a tile is, u slower. lined: (t, 4) sides (v low, u high, v
    high, u low) beyond which the row is twice the line less the row inside. face, level, origin: (t,), (t,), (t, 2)
    where the tile lies: of size 2^-level on its face. child: (k, 4) nodes below a node, -1 for none; the first nodes
    are the faces. tile: (k,) the tile of a node, -1 for one that is divided, or a corner cell at the last level.
    depth: the last level.

    Feature-adaptive refinement: Niessner et al., "Feature-adaptive GPU rendering of Catmull-Clark subdivision
    surfaces", ACM TOG 31, 2012, section 3; the tiles as uniform B-splines: Catmull and Clark 1978.
    """

    stencil: csr_array
    grids: Ints
    lined: Bools
    face: Ints
    level: Ints
    origin: Floats
    child: Ints
    tile: Ints
    depth: int

    def locate(self, face: Ints, uv: Floats) -> tuple[Ints, Floats]:
        """(n,) tiles of places, -1 in corner cells, and (n, 2) where in them they lie, from 0 to 1."""
        node = face.copy()
        local = np.clip(uv, 0.0, 1.0)
        moving = np.flatnonzero(self.tile[node] < 0)
        while len(moving):
            upper = local[moving] >= 0.5
            part = QUARTER[upper[:, 0].astype(int), upper[:, 1].astype(int)]
            below = self.child[node[moving], part]
            there = below >= 0
            moving, upper = moving[there], upper[there]
            node[moving] = below[there]
            local[moving] = 2 * local[moving] - upper
            moving = moving[self.tile[node[moving]] < 0]
        return self.tile[node], local


class _Level(NamedTuple):
    """A part of the net after some steps. node: (m,) of the tree, -1 for faces that are only there for others."""

    faces: Ints
    cut: Bools
    held: Bools
    node: Ints


def make_tiles(quads: Quads, depth: int, wanted: Ints | None = None) -> Tiles:
    """The tiles of a net down to 2^-depth of a face; wanted: only of these faces."""
    level = _Level(quads.faces, quads.cut.reshape(-1, 4), quads.held, np.arange(len(quads.faces)))
    stencils = [eye_array(quads.count, format="csr")]
    if wanted is not None:
        some = np.zeros(len(quads.faces), dtype=bool)
        some[wanted] = True
        level, stencils[0] = _around(level, some, stencils[0])
    offset = 0
    face, origin = np.arange(len(quads.faces)), np.zeros((len(quads.faces), 2))
    child = [np.full((len(quads.faces), 4), -1)]
    tile = [np.full(len(quads.faces), -1)]
    found: list[tuple[Ints, Bools, Ints, Ints, Floats]] = []
    made = 0
    for step in range(depth + 1):
        twins = twins_of(level.faces, len(level.held))
        regular = _regular(level, twins)
        done = np.flatnonzero(regular & (level.node >= 0))
        grids = tile_grids(level.faces, twins, level.cut.ravel(), done)
        node = level.node[done]
        lined = level.cut[done]
        found.append((grids + offset, lined, face[node], np.full(len(done), step), origin[node]))
        _put(tile, node, made + np.arange(len(done)))
        made += len(done)
        rest = ~regular & (level.node >= 0)
        if not rest.any() or step == depth:
            break
        part, stencil = _around(level, rest, stencils[-1])
        after = subdivided(part.faces, part.cut, part.held)
        offset += stencils[-1].shape[0]
        stencils.append(after.matrix @ stencil)
        fresh = np.flatnonzero(part.node >= 0)
        first = sum(len(one) for one in tile)
        numbers = first + np.arange(4 * len(fresh)).reshape(-1, 4)
        _put(child, part.node[fresh], numbers)
        shift = np.array([(0, 0), (1, 0), (1, 1), (0, 1)]) * 0.5 ** (step + 1)
        parents = part.node[fresh]
        face = np.concatenate([face, np.repeat(face[parents], 4)])
        origin = np.concatenate([origin, (origin[parents][:, None] + shift).reshape(-1, 2)])
        child.append(np.full((4 * len(fresh), 4), -1))
        tile.append(np.full(4 * len(fresh), -1))
        below = np.full((len(part.faces), 4), -1)
        below[fresh] = numbers
        level = _Level(after.faces, after.cut, after.held, below.ravel())
    columns = [np.concatenate([one[k] for one in found]) for k in range(5)]
    return Tiles(
        vstack(stencils, format="csr"), columns[0], columns[1], columns[2], columns[3], columns[4],
        np.concatenate(child), np.concatenate(tile), depth,
    )  # fmt: skip


def _put(parts: list[Ints], at: Ints, values: Ints) -> None:
    """Set values by number in arrays that follow each other."""
    start = 0
    for part in parts:
        here = (at >= start) & (at < start + len(part))
        part[at[here] - start] = values[here]
        start += len(part)


def _regular(level: _Level, twins: Ints) -> Bools:
    """(m,) faces all of whose corners go on as those of a uniform B-spline do."""
    cut, starts, n = level.cut.ravel(), level.faces.ravel(), len(level.held)
    ends = np.roll(level.faces, -1, axis=1).ravel()
    low, high = np.minimum(starts, ends)[cut], np.maximum(starts, ends)[cut]
    cuts = np.bincount(np.concatenate(np.divmod(np.unique(low * n + high), n)), minlength=n)
    return np.asarray(plain_corners(sectors(twins, cut), level.held[starts], cuts[starts]).reshape(-1, 4).all(axis=1))


def plain_corners(size: Ints, held: Bools, cuts: Ints) -> Bools:
    """(k,) corners of faces at which the surface is one bicubic piece with the faces beside, by the number of faces
    between the cuts there, whether the point is held, and how many of its edges are cut."""
    corner = held | (cuts > 2)
    corners = np.where(corner, size == 1, np.where(cuts == 0, size == 4, (cuts == 2) & (size == 2)))
    # a point that is held without cuts is a tip
    plain = np.asarray(corners & ~(corner & (cuts == 0)), dtype=bool)
    return plain


def _around(level: _Level, rest: Bools, stencil: csr_array) -> tuple[_Level, csr_array]:
    """The faces that are to be divided with all that touch them, over their own points."""
    touched = np.zeros(len(level.held), dtype=bool)
    touched[level.faces[rest]] = True
    kept = touched[level.faces].any(axis=1)
    used, new = numbered_anew(level.faces[kept], len(level.held))
    node = np.where(rest, level.node, -1)[kept]
    return _Level(new[level.faces[kept]], level.cut[kept], level.held[used], node), stencil[used]


@njit(cache=True, nogil=True)
def tile_grids(faces: Ints, twins: Ints, cut: Bools, wanted: Ints) -> Ints:
    """(t, 16) the points round regular faces, u slower; beyond a cut any point stands for the row that is not there."""
    grids = np.empty((len(wanted), 16), dtype=np.int64)
    # where in the grid the four points are, and beyond each side those next to its start and its end, and the corners
    own = np.array([5, 9, 10, 6])
    first = np.array([4, 13, 11, 2])
    last = np.array([8, 14, 7, 1])
    corner = np.array([0, 12, 15, 3])
    flat = faces.ravel()
    for k in range(len(wanted)):
        f = wanted[k]
        grids[k, :] = faces[f, 0]
        for i in range(4):
            grids[k, own[i]] = faces[f, i]
        for i in range(4):
            h = 4 * f + i
            if cut[h]:
                continue
            t = twins[h]
            beyond = t - t % 4 + (t + 1) % 4
            grids[k, first[i]] = flat[beyond - beyond % 4 + (beyond + 1) % 4]
            grids[k, last[i]] = flat[t - t % 4 + (t + 3) % 4]
            if not cut[4 * f + (i + 3) % 4]:
                across = twins[beyond]
                grids[k, corner[i]] = flat[across - across % 4 + (across + 3) % 4]
    return grids


def basis(t: Floats, order: int) -> Floats:
    """(n, 4) uniform cubic B-splines, or a derivative of them, at places t from 0 to 1."""
    s = 1 - t
    if order == 0:
        return np.stack([s**3, 3 * t**3 - 6 * t**2 + 4, 3 * s**3 - 6 * s**2 + 4, t**3], axis=-1) / 6
    if order == 1:
        return np.stack([-(s**2), 3 * t**2 - 4 * t, -3 * s**2 + 4 * s, t**2], axis=-1) / 2
    return np.stack([s, 3 * t - 2, 3 * s - 2, t], axis=-1)


def within_lines(weights: Floats, low: Bools, high: Bools) -> Floats:
    """(n, 4) weights with those of rows that are not there given to the two rows beside: twice the line less the row
    inside."""
    made = weights.copy()
    made[low, 1] += 2 * made[low, 0]
    made[low, 2] -= made[low, 0]
    made[low, 0] = 0.0
    made[high, 2] += 2 * made[high, 3]
    made[high, 1] -= made[high, 3]
    made[high, 3] = 0.0
    return made
