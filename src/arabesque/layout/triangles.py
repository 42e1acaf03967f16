"""What the triangles of a stand-in tell: sides, axes, angles, and which of their sides are rims.

Side 3 t + k of a mesh runs from corner k of triangle t to the next.
"""

from __future__ import annotations

from typing import TypeVar

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, unit
from arabesque.scan import Scan

Side = TypeVar("Side", int, Ints)


def next_side(side: Side) -> Side:
    """The side after one, or after each of many, round the same triangle."""
    return side - side % 3 + (side + 1) % 3


def side_vectors(scan: Scan) -> Floats:
    """(3 m, 3) from the start of each side to its end, mm."""
    corners = scan.points[scan.triangles]
    return np.asarray((np.roll(corners, -1, axis=1) - corners).reshape(-1, 3))


def frames_of(scan: Scan) -> Floats:
    """(m, 2, 3) axes in the plane of each triangle, the first along its first side."""
    first = unit(side_vectors(scan)[::3])
    return np.stack([first, np.cross(unit(scan.area_vectors), first)], axis=1)


def angles_round(scan: Scan) -> Floats:
    """(n,) the sum of the triangles' angles at each point, radians."""
    ahead = unit(side_vectors(scan)).reshape(-1, 3, 3)
    angles = np.arccos(np.clip(-np.einsum("tkc,tkc->tk", ahead, np.roll(ahead, 1, axis=1)), -1, 1))
    return np.bincount(scan.triangles.ravel(), angles.ravel(), len(scan.points)).astype(float)


def rim_sides(scan: Scan) -> Ints:
    """(b,) sides with no triangle beyond."""
    lone: Bools = np.ones(scan.triangles.size, dtype=bool)
    lone[scan.shared_sides.ravel()] = False
    return np.flatnonzero(lone)


def hat_gradients(scan: Scan) -> Floats:
    """(m, 3, 3) of each corner the gradient of its hat function."""
    corners = scan.points[scan.triangles]
    normal = 2 * scan.area_vectors
    size = np.maximum(np.einsum("tc,tc->t", normal, normal), 1e-300)
    opposite = np.roll(corners, -2, axis=1) - np.roll(corners, -1, axis=1)
    return np.asarray(np.cross(normal[:, None], opposite) / size[:, None, None])
