"""Edits of a cage that is its own mirror image: done on one half, the other made its image anew."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages.cage import Cage
from arabesque.cages.edits.join import halved, mirror_and_weld, on_plane
from arabesque.geometry import Plane

NEAR_PLANE = 0.1
"""Of a usual edge: so near to the plane the border of an edited half belongs on it."""


class Part(NamedTuple):
    """Where the points and faces of a cage are in a part of it: (n,) and (f,) numbers there, -1 for those that are
    not."""

    points: Ints
    faces: Ints

    def halves(self, halves: Ints) -> Ints:
        """Half-edges of the part for half-edges of the whole; those of other faces are left out."""
        halves = np.asarray(halves, dtype=np.int64)
        faces = self.faces[halves // 4]
        return np.asarray(4 * faces + halves % 4)[faces >= 0]

    def some_faces(self, faces: Ints) -> Ints:
        """Faces of the part for faces of the whole; others are left out."""
        found = self.faces[np.asarray(faces, dtype=np.int64)]
        return np.asarray(found[found >= 0])

    def some_points(self, points: Ints) -> Ints:
        """Points of the part for points of the whole; others are left out."""
        found = self.points[np.asarray(points, dtype=np.int64)]
        return np.asarray(found[found >= 0])


Work = Callable[[Cage, Part], Cage]
"""An edit of a part of a cage."""


def whole(cage: Cage) -> Part:
    """All of a cage."""
    return Part(np.arange(cage.quads.count), np.arange(cage.count))


def on_both_sides(cage: Cage, plane: Plane, faces: Ints, work: Work) -> Cage:
    """What an edit makes of the half on which most of some faces lie, and its mirror image.

    Raises CageProblem where faces lie across the plane.
    """
    middles = cage.points[cage.faces[np.asarray(faces, dtype=np.int64)]].mean(axis=1)
    upper = bool(plane.height(middles).sum() >= 0) if len(middles) else True
    height = plane.height(cage.points)
    half = halved(cage, plane, upper)
    size = float(np.linalg.norm(np.ptp(cage.points, axis=0)))
    corner = np.where(np.abs(height) <= 1e-6 * size, 0.0, height)[cage.faces]
    side = (corner > 0).any(axis=1) if upper else (corner < 0).any(axis=1)
    used = np.unique(cage.faces[side])
    points, kept = np.full(cage.quads.count, -1), np.full(cage.count, -1)
    points[used] = np.arange(len(used))
    kept[side] = np.arange(int(side.sum()))
    made = work(half, Part(points, kept))
    edges = made.points[made.quads.edges]
    reach = NEAR_PLANE * float(np.median(np.linalg.norm(edges[:, 0] - edges[:, 1], axis=1)))
    near = made.quads.on_border & (np.abs(plane.height(made.points)) <= reach)
    put = made.points.copy()
    put[near] = on_plane(plane, put[near])
    return mirror_and_weld(made.with_points(put), plane)
