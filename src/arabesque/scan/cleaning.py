"""Welding and compacting: the first order brought into raw triangles."""

import numpy as np

from arabesque.arrays import Bools, Floats, Ints


def weld(points: Floats, triangles: Ints) -> tuple[Floats, Ints]:
    """Join points with exactly the same coordinates, and drop triangles that lose a corner by it.

    points: (n, 3). triangles: (m, 3). A format without indices (STL) writes
    each corner once per triangle with identical bits, so exactness suffices.
    """
    bits = np.ascontiguousarray(points + 0.0).view(np.uint64)  # + 0.0 makes -0.0 and 0.0 one
    with np.errstate(over="ignore"):
        keys = bits[:, 0] * np.uint64(0x9E3779B97F4A7C15)
        keys ^= (bits[:, 1] ^ (keys >> np.uint64(31))) * np.uint64(0xC2B2AE3D27D4EB4F)
        keys ^= (bits[:, 2] ^ (keys >> np.uint64(29))) * np.uint64(0x165667B19E3779F9)
    _, first, inverse = np.unique(keys, return_index=True, return_inverse=True)
    if not np.array_equal(points[first[inverse]], points):  # two places with one key: sort in full
        _, first, inverse = np.unique(points + 0.0, axis=0, return_index=True, return_inverse=True)
    joined = inverse.reshape(-1)[triangles]
    return points[first], joined[has_three_corners(joined)]


def compact(points: Floats, triangles: Ints) -> tuple[Floats, Ints]:
    """Drop points that no triangle uses; the order of the others stays."""
    used = np.zeros(len(points), dtype=bool)
    used[triangles.ravel()] = True
    return points[used], (np.cumsum(used) - 1)[triangles]


def has_three_corners(triangles: Ints) -> Bools:
    """(m,) true for triangles (m, 3) with three different corners."""
    a, b, c = triangles.T
    kept: Bools = (a != b) & (b != c) & (c != a)
    return kept
