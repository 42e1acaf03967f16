"""How control points move: directions, soft shares, sliding without changing the form, neighbours that follow."""

from __future__ import annotations

from enum import Enum

import numpy as np
from scipy.spatial import cKDTree

from arabesque.arrays import Bools, Floats
from arabesque.geometry import Surface, foot_points, greville, grown_choice, kept_on, unit
from arabesque.model import Document
from arabesque.scan import Scan

SAME_POINT = 1e-6
"""mm: control points of two patches nearer than this are one point of the form."""


class Way(Enum):
    """A direction in which points move; the value is the word in the history."""

    FREE = "in the view"
    NORMAL = "along the normal"
    ROW = "along the row"
    COLUMN = "along the column"
    X = "along x"
    Y = "along y"
    Z = "along z"
    CLING = "on the scan"

    @property
    def axis(self) -> int | None:
        """0, 1 or 2 for a direction of space."""
        return {Way.X: 0, Way.Y: 1, Way.Z: 2}.get(self)


def directions(surface: Surface, way: Way, scan: Scan | None) -> Floats:
    """(nu, nv, 3) unit vectors, one a control point: of space, or the surface's where the point has most say."""
    if way.axis is not None:
        return np.broadcast_to(np.eye(3)[way.axis], surface.points.shape)
    u, v = (greville(k, p) for k, p in zip(surface.knots, surface.degree, strict=True))
    d = surface.on_grid(u, v, 1)
    if way is Way.ROW:
        return unit(d[1, 0])
    if way is Way.COLUMN:
        return unit(d[0, 1])
    normals = unit(np.cross(d[1, 0], d[0, 1]))
    if scan is not None:
        # up is away from the scan, whichever way round the patch was clicked
        outward = scan.closest(d[0, 0].reshape(-1, 3)).normals.reshape(normals.shape)
        if np.sum(normals * outward) < 0:
            normals = -normals
    return normals


def border_of(shape: tuple[int, ...]) -> Bools:
    """(nu, nv) mask of the points on the edges."""
    border = np.ones(shape[:2], dtype=bool)
    border[1:-1, 1:-1] = False
    return border


def slid(surface: Surface, move: Floats) -> Surface:
    """The surface with a move of its control points, and shifts along the normals that keep its form.

    Points beside the moved ones help; those of the border stay, unless they were moved.
    """
    moved = np.linalg.norm(move, axis=2) > 0
    helping = (grown_choice(moved) & ~border_of(moved.shape)) | moved
    helping[np.ix_([0, -1], [0, -1])] &= moved[np.ix_([0, -1], [0, -1])]

    def on(places: Floats) -> tuple[Floats, Floats]:
        feet = foot_points(surface, places)
        return feet.points, surface.normals(feet.uv)

    return kept_on(surface, surface.points + move, helping.astype(float), on)


def clung(surface: Surface, move: Floats, scan: Scan) -> Surface:
    """The surface with a move of its control points, brought onto the scan where they have most say."""
    moved = np.linalg.norm(move, axis=2) > 0

    def on(places: Floats) -> tuple[Floats, Floats]:
        closest = scan.closest(places)
        return closest.points, closest.normals

    return kept_on(surface, surface.points + move, moved.astype(float), on)


def neighbours_follow(before: Document, after: Document, changed: list[str]) -> Document:
    """``after`` with border points of other patches, that lay on moved border points, still lying on them.

    A patch that is derived from a changed one is left to its recipe.
    """
    old, new = [np.empty((0, 3))], [np.empty((0, 3))]
    for key in changed:
        first, second = before[key].shape, after[key].shape
        assert isinstance(first, Surface) and isinstance(second, Surface)
        border = border_of(first.points.shape)
        moved = border & (first.points != second.points).any(axis=2)
        old.append(first.points[moved])
        new.append(second.points[moved])
    places, targets = np.concatenate(old), np.concatenate(new)
    if not len(places):
        return after
    tree = cKDTree(places)
    for item in before.of(Surface):
        shape = item.shape
        follows = item.recipe is not None and not set(item.recipe.inputs).isdisjoint(changed)
        if item.id in changed or follows or not before.shows(item):
            continue
        rim = np.argwhere(border_of(shape.points.shape))
        away, number = tree.query(shape.points[tuple(rim.T)], distance_upper_bound=SAME_POINT)
        hit = np.isfinite(away)
        if hit.any():
            points = shape.points.copy()
            points[tuple(rim[hit].T)] = targets[number[hit]]
            after = after.with_shape(item.id, shape.with_points(points))
    return after
