"""What keeps a cage calm while it is fitted: fairness of its form along rows, evenness of its net in the surface."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.sparse import coo_array, csr_array, diags_array, eye_array, hstack, vstack

from arabesque.arrays import Floats, Ints
from arabesque.cages import Cage
from arabesque.cages.edits.relax import neighbour_mean
from arabesque.checking import row_triples

Spacing = Callable[[Floats], Floats]
LAPLACIAN = 1e-3
"""Of the fairness: so much counts how far points stand from the middle of their neighbours, for those in no row."""


def fairness_rows(cage: Cage) -> csr_array:
    """(k, n) rows whose squares are the fairness of the form: third differences along rows, mm.

    Rows end at irregular points, borders and sharp edges that they cross; points there are held to the middle of
    their neighbours, far more weakly. Scaled so that the sum of squares is a mean over the net.
    """
    n = cage.quads.count
    middle, first, last = row_triples(cage)
    second = _differences(n, [(first, 1.0), (middle, -2.0), (last, 1.0)])
    # two that overlap on a row by two points: their difference is the third
    ends: dict[tuple[int, int], list[int]] = {}
    for k, (a, b, c) in enumerate(zip(first.tolist(), middle.tolist(), last.tolist(), strict=True)):
        ends.setdefault((a, b), []).append(k)
        ends.setdefault((c, b), []).append(k)
    pairs = []
    for (a, b), ones in ends.items():
        pairs += [(k, other) for k in ones for other in ends.get((b, a), []) if k < other]
    chosen = np.unique(np.array(pairs, dtype=np.int64).reshape(-1, 2), axis=0)
    third = second[chosen[:, 0]] - second[chosen[:, 1]] if len(chosen) else second[:0]
    mean, _ = neighbour_mean(cage.quads)
    bent = np.sqrt(LAPLACIAN) * (mean - eye_array(n, format="csr"))
    return csr_array(vstack([third, bent]) / np.sqrt(n))


def evenness_rows(cage: Cage, spacing: Spacing | None = None) -> csr_array:
    """(3 k, 3 n) rows whose squares are the evenness of the net: second differences along rows and twists of faces, as
    far as they lie in the surface; the form is left alone. Coordinates x of all points come first, then y, then z.

    spacing: takes (k, 3) places to (k,) how far apart points are to be there, as to elsewhere.
    """
    n = cage.quads.count
    normals = cage.frames().normals
    middle, first, last = row_triples(cage)
    if spacing is None:
        second = _differences(n, [(first, 1.0), (middle, -2.0), (last, 1.0)])
    else:
        before, behind = (spacing((cage.points[middle] + cage.points[end]) / 2) for end in (first, last))
        share = 2 * behind / (before + behind)
        second = _differences(n, [(first, share), (middle, -2.0), (last, 2 - share)])
    a, b, c, d = cage.faces.T
    twist = _differences(n, [(a, 1.0), (b, -1.0), (c, 1.0), (d, -1.0)])
    looks = normals[cage.faces].sum(axis=1)
    looks = looks / np.maximum(np.linalg.norm(looks, axis=1, keepdims=True), 1e-300)
    rows = vstack([second, np.sqrt(2.0) * twist], format="csr")
    up = np.concatenate([normals[middle], looks])
    parts = []
    for axis in range(3):
        flat = -up[:, axis : axis + 1] * up
        flat[:, axis] += 1.0
        parts.append(_scaled(rows, flat))
    return csr_array(vstack(parts) / np.sqrt(n))


def _scaled(rows: csr_array, factors: Floats) -> csr_array:
    """(k, 3 n) rows times a factor for x, y and z each."""
    return csr_array(hstack([diags_array(factors[:, axis]) @ rows for axis in range(3)]))


def _differences(n: int, terms: list[tuple[Ints, float | Floats]]) -> csr_array:
    k = len(terms[0][0])
    columns = np.concatenate([at for at, _ in terms])
    values = np.concatenate([np.broadcast_to(value, k) for _, value in terms])
    return coo_array((values, (np.tile(np.arange(k), len(terms)), columns)), shape=(k, n)).tocsr()
