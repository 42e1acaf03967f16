"""Walls and drafts of a body by rays: how thick it is straight inwards, and how it leaves a mould."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, tree_of, unit
from arabesque.errors import ArabesqueError
from arabesque.scan import BoxTree
from arabesque.shapes import Samples

LIFTED = 1e-6
"""Of the size of a shape: rays begin this far inside, clear of the triangles round where they begin."""
NEWTON = 6
"""Steps from a chord to the surface."""
SELF = 1e-5
"""Of the size of a shape: a wall thinner than this is the place itself."""
BLADE = float(np.cos(np.radians(30)))
"""Faces that meet at less than 30° are a blade, whose wall does end in nothing; from there on it is an edge."""
BESIDE = 1e-3
"""Of the size of a shape: borders of neighbouring faces are sampled, and lie this near to each other somewhere."""
ASIDE = 0.01
"""Of the way to the middle of a triangle there: so far rays begin off a border, or they would run along a neighbour."""
PASSED, GRAZING = 8, 0.1
"""Triangles that a ray passes at most, and the least cosine to a triangle at which it goes out."""
CLEAR, UPRIGHT = 1e-4, 0.05
"""Of the size of a shape, how far off it rays to a mould begin; degrees up to which a wall is upright."""


def wall_thickness(samples: Samples, shape: Any = None) -> Floats:
    """Return the (n,) mm from each place of a closed body straight inwards to where it ends; infinite for nothing met.

    shape : the ``shapes.Sampled`` whose samples they are. With it walls end on its surface; by triangles alone they end
    on chords, which stand off a round wall by as much as it is thick where it is thin.
    """
    return wall_ends(samples, shape).thickness


class WallEnds(NamedTuple):
    """thickness: (n,) mm straight inwards, infinite where nothing is met. edge: (n,) true where an edge makes it: the
    faces at both ends meet there at less than a right angle, so that it goes to nothing whatever the wall is."""

    thickness: Floats
    edge: Bools


def wall_ends(samples: Samples, shape: Any = None) -> WallEnds:
    """Return where walls end; see ``wall_thickness``."""
    tree = BoxTree(samples.points[samples.triangles].reshape(-1, 9))
    lift = LIFTED * samples.size
    start = samples.points + ASIDE * (_middles(samples) - samples.points) - lift * samples.normals
    corners = samples.points[samples.triangles]
    out = unit(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    found, gone = np.full(len(start), np.inf), np.zeros(len(start))
    other_side = np.zeros_like(start)
    last = np.full(len(start), -1, dtype=np.int64)
    left = np.arange(len(start))
    surfaces = None if shape is None else shape.patches()
    for _ in range(PASSED):
        triangle, t = tree.first_hits(start[left] - gone[left, None] * samples.normals[left], -samples.normals[left])
        hit = triangle >= 0
        left, triangle, t = left[hit], triangle[hit], t[hit]
        gone[left] += t + lift
        # a wall ends where a ray goes out; chords that stand off their surface are passed before
        ends = -np.einsum("nc,nc->n", out[triangle], samples.normals[left]) > GRAZING
        length, normals = gone[left], out[triangle]
        if surfaces is not None:
            length, normals, done = _on_surface(samples, surfaces, left, triangle, length, normals)
            # the chords round where a ray begins belong to that place itself, whose normal is its own; at a pole no
            # surface is found, and they lie nearer than they are long
            away = np.einsum("nc,nc->n", normals, samples.normals[left]) < 0
            sides = np.linalg.norm(np.ptp(corners[triangle], axis=1), axis=1)
            ends &= away & (length > np.where(done, SELF * samples.size, sides))
        found[left[ends]], other_side[left[ends]] = length[ends], normals[ends]
        last[left[ends]] = triangle[ends]
        left = left[~ends]
        if not len(left):
            break
    return WallEnds(found, _made_by_edges(samples, last, other_side))


def _on_surface(
    samples: Samples, surfaces: Sequence[Any], left: Ints, triangle: Ints, length: Floats, normals: Floats
) -> tuple[Floats, Floats, Bools]:
    """Lengths of rays, and the normals where they end, on the surfaces instead of on (k,) triangles of theirs; and of
    which that was found.

    Newton's method for S(u, v) = p - t n, from the middle of the triangle; where it leaves its neighbourhood the chord
    stays.
    """
    corners = samples.triangles[triangle]
    uv, t = samples.uv[corners].mean(axis=1), length.copy()
    reach = np.ptp(samples.uv[corners], axis=1) + 1e-12
    start, way = samples.points[left], -samples.normals[left]
    part = samples.part[corners[:, 0]]
    kept_length, kept_normals, found = length.copy(), normals.copy(), np.zeros(len(left), dtype=bool)
    for number in np.unique(part):
        some = np.flatnonzero(part == number)
        surface, at, far = surfaces[number], uv[some], t[some]
        low, high = (np.array([bounds[k] for bounds in surface.domain]) for k in (0, 1))
        for _ in range(NEWTON):
            d = surface.derivatives(np.clip(at, low, high), 1)
            off = d[0, 0] - (start[some] + far[:, None] * way[some])
            matrix = np.stack([d[1, 0], d[0, 1], -way[some]], axis=2)
            good = np.abs(np.linalg.det(matrix)) > 0
            step = np.zeros_like(off)
            step[good] = np.linalg.solve(matrix[good], -off[good][:, :, None])[:, :, 0]
            at, far = at + np.clip(step[:, :2], -reach[some], reach[some]), far + step[:, 2]
        at = np.clip(at, low, high)
        d = surface.derivatives(at, 1)
        met = np.linalg.norm(d[0, 0] - (start[some] + far[:, None] * way[some]), axis=1) < LIFTED * samples.size
        near = (np.abs(at - uv[some]) <= 2 * reach[some]).all(axis=1)
        done = met & near
        found[some[done]] = True
        kept_length[some[done]] = far[done]
        kept_normals[some[done]] = unit(np.cross(d[1, 0], d[0, 1]))[done]
    return kept_length, kept_normals, found


def _made_by_edges(samples: Samples, last: Ints, other_side: Floats) -> Bools:
    """(n,) true where a ray ends on a face that meets the one it began on at an edge of less than a right angle."""
    edge = np.zeros(len(samples.points), dtype=bool)
    there = np.flatnonzero(last >= 0)
    if not len(there):
        return edge
    begun, ended = samples.part[there], samples.part[samples.triangles[last[there], 0]]
    lean = np.einsum("nc,nc->n", samples.normals[there], other_side[there])
    beside = _neighbours(samples)
    number = begun * (int(samples.part.max()) + 1) + ended
    edge[there] = (begun != ended) & (lean > -BLADE) & np.isin(number, beside)
    return edge


def _neighbours(samples: Samples) -> Ints:
    """Pairs of faces that have a place of their borders in common, each as one number, first * count + second."""
    rims = np.unique(np.concatenate([*samples.rims, np.zeros(0, dtype=np.int64)]))
    pairs = tree_of(samples.points[rims]).query_pairs(BESIDE * samples.size, output_type="ndarray")
    one, other = samples.part[rims[pairs[:, 0]]], samples.part[rims[pairs[:, 1]]]
    count = int(samples.part.max()) + 1
    return np.unique(np.concatenate([one * count + other, other * count + one]))


def _middles(samples: Samples) -> Floats:
    """(n, 3) the middle of one of the triangles round each place."""
    found = samples.points.copy()
    found[samples.triangles] = samples.points[samples.triangles].mean(axis=1)[:, None]
    return found


def draft_angles(samples: Samples, direction: Floats) -> Floats:
    """(n,) degrees by which each place leans out of a mould that is drawn along a direction (3,): 90 where it looks
    along it, 0 for an upright wall, below 0 for what is undercut from there."""
    way = unit(np.asarray(direction, dtype=float)[None])[0]
    if not np.linalg.norm(way) > 0:
        raise ArabesqueError("A draft angle needs a direction", "Give one that is not 0, 0, 0")
    return np.degrees(np.arcsin(np.clip(samples.normals @ way, -1, 1)))


def mould_drafts(samples: Samples, direction: Floats) -> Floats:
    """Return the (n,) degrees by which places lean out of a mould of two halves, drawn apart along a direction (3,).

    Each place belongs to the half that it looks to; where something of the shape is in the way of that half it is
    undercut, and its angle below 0. An upright wall has 0.
    """
    angles = draft_angles(samples, direction)
    way = unit(np.asarray(direction, dtype=float)[None])[0]
    tree = BoxTree(samples.points[samples.triangles].reshape(-1, 9))
    lift = CLEAR * samples.size
    start = samples.points + ASIDE * (_middles(samples) - samples.points) + lift * samples.normals

    def hidden(side: Floats) -> Bools:
        return np.asarray(tree.first_hits(start, side[:, None] * way)[0] >= 0)

    upright = np.abs(angles) < UPRIGHT
    own = hidden(np.where(angles < 0, -1.0, 1.0))
    # what stands upright leaves with either half
    own &= ~upright | hidden(np.where(angles < 0, 1.0, -1.0))
    return np.asarray(np.where(own, -np.maximum(np.abs(angles), UPRIGHT), np.abs(angles)))
