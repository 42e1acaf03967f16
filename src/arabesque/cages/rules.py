"""The rules of Catmull and Clark, with sharp edges, corners and borders, as sparse matrices."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.sparse import coo_array, csr_array

from arabesque.arrays import Bools, Ints
from arabesque.cages.quads import CORNER, CREASE, Quads, numbered_anew

CHILD_CORNERS = ((0, 0), (1, 0), (1, 1), (0, 1))
"""Where the four parts of a face lie in it: part i holds its point i, and runs the way the face does."""


class Step(NamedTuple):
    """One step of subdivision. faces, cut: (4 m, 4), the four parts of face f at 4 f. matrix: (points after, points
    before); first come the points as they were, then those of the edges, then those of the faces. held: (points
    after,)."""

    faces: Ints
    cut: Bools
    held: Bools
    matrix: csr_array


def subdivided(faces: Ints, cut: Bools, held: Bools) -> Step:
    """One step over quads that may be a part of a net.

    faces: (m, 4). cut: (m, 4) sides that are sharp or border. held: (n,) points that stay.
    Catmull and Clark, "Recursively generated B-spline surfaces on arbitrary topological meshes", CAD 10, 1978; sharp
    edges: Hoppe et al., "Piecewise smooth surface reconstruction", SIGGRAPH 1994, and DeRose, Kass and Truong,
    "Subdivision surfaces in character animation", SIGGRAPH 1998. Points whose faces are not all there get places
    that mean nothing.
    """
    n, m = len(held), len(faces)
    starts, ends = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    low, high = np.minimum(starts, ends), np.maximum(starts, ends)
    keys, edge_of = np.unique(low * n + high, return_inverse=True)
    a, b = np.divmod(keys, n)
    e = len(keys)
    cut_edge = np.zeros(e, dtype=bool)
    cut_edge[edge_of[cut.ravel()]] = True
    face_of, corners = np.repeat(np.arange(m), 4), np.repeat(faces, 4, axis=0)
    # edges: the middle, or where it is smooth the mean of ends and both face points
    smooth = ~(cut_edge | (np.bincount(edge_of, minlength=e) < 2))
    ends_weight = np.where(smooth, 0.25, 0.5)
    beside = np.where(smooth[edge_of], 0.25, 0.0)
    # points
    count = np.bincount(starts, minlength=n)
    cuts = np.bincount(np.concatenate([a[cut_edge], b[cut_edge]]), minlength=n)
    kind = np.where(held, CORNER, np.minimum(cuts, CORNER))
    inside = kind < CREASE
    own = np.where(inside, (count - 2) / np.maximum(count, 1), np.where(kind == CREASE, 0.75, 1.0))
    share = np.where(inside[starts], 1.0 / np.maximum(count[starts], 1) ** 2, 0.0)
    along = np.where(kind == CREASE, 0.125, 0.0)
    low_cut, high_cut = a[cut_edge], b[cut_edge]
    each = np.arange(n)
    # (rows, columns, weights): of a face point its corners have a quarter each, wherever it has a share
    parts = [
        (each, each, own), (starts, ends, share), (starts[:, None], corners, share[:, None] / 4),
        (low_cut, high_cut, along[low_cut]), (high_cut, low_cut, along[high_cut]),
        (n + np.arange(e), a, ends_weight), (n + np.arange(e), b, ends_weight),
        (n + edge_of[:, None], corners, beside[:, None] / 4), (n + e + face_of, starts, np.full(4 * m, 0.25)),
    ]  # fmt: skip
    rows, columns, weights = (
        np.concatenate([np.broadcast_arrays(*part)[k].ravel() for part in parts]) for k in range(3)
    )
    some = weights != 0
    matrix = coo_array((weights[some], (rows[some], columns[some])), shape=(n + e + m, n)).tocsr()
    on_edge = (n + edge_of).reshape(m, 4)
    middle = n + e + np.arange(m)
    children = np.empty((m, 4, 4), dtype=np.int64)
    child_cut = np.zeros((m, 4, 4), dtype=bool)
    for i in range(4):
        # each part in the face's own order, so that its parameters run as the face's do
        children[:, i, i] = faces[:, i]
        children[:, i, (i + 1) % 4] = on_edge[:, i]
        children[:, i, (i + 2) % 4] = middle
        children[:, i, (i + 3) % 4] = on_edge[:, (i + 3) % 4]
        child_cut[:, i, i] = cut[:, i]
        child_cut[:, i, (i + 3) % 4] = cut[:, (i + 3) % 4]
    stays = np.zeros(n + e + m, dtype=bool)
    stays[:n] = held
    return Step(children.reshape(-1, 4), child_cut.reshape(-1, 4), stays, matrix)


def refined(quads: Quads) -> tuple[Quads, csr_array]:
    """The quads after one step over all faces, and the (after, before) matrix of the points; the surface stays."""
    beyond = quads.beyond
    net = quads if beyond is None else beyond.quads
    step = subdivided(net.faces, net.cut.reshape(-1, 4), net.held)
    sharp, bent = (_divided(net, edges) for edges in (quads.sharp, quads.bent))
    if beyond is None:
        return Quads(step.faces, sharp, quads.corners, step.matrix.shape[0]), step.matrix
    # only what the net's own faces became; points stay first
    faces = step.faces[: 4 * len(quads.faces)]
    used, new = numbered_anew(faces, step.matrix.shape[0])
    made = Quads(new[faces], new[sharp], new[quads.corners], len(used), new[bent])
    return made, csr_array((step.matrix @ beyond.matrix)[used])


def _divided(net: Quads, edges: Ints) -> Ints:
    """(2 k, 2) both parts of (k, 2) edges after a step over a net that holds them."""
    middles = net.count + net.numbers(edges)
    return np.concatenate([np.column_stack([edges[:, k], middles]) for k in (0, 1)])
