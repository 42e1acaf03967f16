"""How control points move: directions, soft shares, sliding without changing the form, neighbours that follow."""

from __future__ import annotations

from enum import Enum

import numpy as np

from arabesque.arrays import Floats, tree_of
from arabesque.geometry import Surface, foot_points, grown_choice, kept_on
from arabesque.model import Document
from arabesque.scan import Scan
from arabesque.shapes import Netted, can

SAME_POINT = 1e-6
"""mm: control points of two shapes nearer than this are one point of the form."""
CLINGING = 12
"""Rounds in which what is no patch is brought onto the scan: each leaves at most four fifths of what is off."""


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


def directions(shape: Netted, way: Way, scan: Scan | None) -> Floats:
    """(n, 3) unit vectors, one a control point: of space, or the shape's where the point has most say."""
    frames = shape.frames()
    if way.axis is not None:
        return np.broadcast_to(np.eye(3)[way.axis], frames.places.shape)
    if way in (Way.ROW, Way.COLUMN):
        return frames.along_u if way is Way.ROW else frames.along_v
    if scan is None:
        return frames.normals
    # up is away from the scan, whichever way round the shape was laid
    outward = scan.closest(frames.places).normals
    return -frames.normals if np.sum(frames.normals * outward) < 0 else frames.normals


def slid(surface: Surface, move: Floats) -> Surface:
    """The surface with an (n, 3) move of its control points, and shifts along the normals that keep its form.

    Points beside the moved ones help; those of the border stay, unless they were moved.
    """
    net = surface.net()
    moved = (move != 0).any(axis=1)
    helping = (grown_choice(net, moved) & ~net.border) | moved

    def on(places: Floats) -> tuple[Floats, Floats]:
        feet = foot_points(surface, places)
        return feet.points, surface.normals(feet.uv)

    return kept_on(surface, net.points + move, helping.astype(float), on)


def clung(shape: Netted, move: Floats, scan: Scan) -> Netted:
    """The shape with an (n, 3) move of its control points, brought onto the scan where they have most say."""
    points = shape.net().points + move
    moved = (move != 0).any(axis=1)

    def on(places: Floats) -> tuple[Floats, Floats]:
        closest = scan.closest(places)
        return closest.points, closest.normals

    if isinstance(shape, Surface):
        return kept_on(shape, points, moved.astype(float), on)
    made: Netted = shape.with_points(points)
    for _ in range(CLINGING):
        places = made.frames().places[moved]
        nearest, normals = on(places)
        points = points.copy()
        points[moved] += np.einsum("nc,nc->n", nearest - places, normals)[:, None] * normals
        made = shape.with_points(points)
    return made


def neighbours_follow(before: Document, after: Document, changed: list[str]) -> Document:
    """``after`` with border points of other shapes, that lay on moved border points, still lying on them.

    A shape that is derived from a changed one is left to its recipe.
    """
    old, new = [np.empty((0, 3))], [np.empty((0, 3))]
    for key in changed:
        first, second = before[key].shape.net(), after[key].shape.net()
        moved = first.border & (first.points != second.points).any(axis=1)
        old.append(first.points[moved])
        new.append(second.points[moved])
    places, targets = np.concatenate(old), np.concatenate(new)
    if not len(places):
        return after
    tree = tree_of(places)
    for item in before:
        if item.id in changed or not can(item.shape, Netted) or not before.shows(item):
            continue
        if item.recipe is not None and not set(item.recipe.inputs).isdisjoint(changed):
            continue
        net = item.shape.net()
        rim = np.flatnonzero(net.border)
        away, number = tree.query(net.points[rim], distance_upper_bound=SAME_POINT)
        hit = np.isfinite(away)
        if hit.any():
            points = net.points.copy()
            points[rim[hit]] = targets[number[hit]]
            after = after.with_shape(item.id, item.shape.with_points(points))
    return after
