"""Laying a scan square: from features picked on it to the rigid motion that brings them to the axes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane, motion, rotation_about, unit
from arabesque.scan import Scan

PARALLEL = np.cos(np.radians(2.0))


class FeatureKind(Enum):
    """What can be picked on a scan."""

    PLANE = "plane"
    LINE = "line"
    POINT = "point"


class Target(Enum):
    """Where a feature is to lie; the value is its words and its axis number."""

    X_AXIS = ("along x", 0)
    Y_AXIS = ("along y", 1)
    Z_AXIS = ("along z", 2)
    X_PLANE = ("in x = 0", 0)
    Y_PLANE = ("in y = 0", 1)
    Z_PLANE = ("in z = 0", 2)
    ORIGIN = ("at the origin", -1)

    @property
    def axis(self) -> int:
        """0, 1, 2 for x, y, z; -1 for the origin."""
        return self.value[1]


AXES = (Target.X_AXIS, Target.Y_AXIS, Target.Z_AXIS)
PLANES = (Target.X_PLANE, Target.Y_PLANE, Target.Z_PLANE)


@dataclass(frozen=True, eq=False)
class Feature:
    """A plane (a point of it and its normal), a line (a point and its direction) or a point. mm."""

    kind: FeatureKind
    point: Floats
    direction: Floats | None = None
    name: str = ""


@dataclass(frozen=True, eq=False)
class Placement:
    """A feature and where it is to lie."""

    feature: Feature
    target: Target


def lay_square(placements: Sequence[Placement]) -> Floats:
    """The (4, 4) motion that brings features to their targets, in order of importance.

    The first direction is met exactly; the second as far as the first
    leaves it free (turned about the first); positions likewise, coordinate
    by coordinate. What nothing fixes is turned and moved as little as
    possible.

    Raises ArabesqueError when a feature cannot lie at its target, or the
    second direction is parallel to the first.
    """
    if not placements:
        raise ArabesqueError("Nothing is picked yet", "Pick a feature on the scan and say where it is to lie")
    directions: list[tuple[Floats, int]] = []
    for placed in placements:
        _check(placed)
        direction = placed.feature.direction
        if direction is not None and all(axis != placed.target.axis for _, axis in directions):
            directions.append((unit(direction), placed.target.axis))
    rotation = _rotation(directions)
    shift = np.zeros(3)
    free = {0, 1, 2}
    for placed in placements:
        place = rotation @ placed.feature.point
        for axis in _fixed(placed) & free:
            shift[axis] = -place[axis]
        free -= _fixed(placed)
    return motion(rotation, shift)


def three_points(origin: Floats, on_x: Floats, in_xy: Floats) -> Floats:
    """The motion that takes the first point to the origin, the second onto +x, the third into the plane z = 0.

    Raises ArabesqueError when the points lie on one line.
    """
    x = unit(on_x - origin)
    z = np.cross(x, in_xy - origin)
    if np.linalg.norm(z) < 1e-6 * max(float(np.linalg.norm(in_xy - origin)), 1e-12):
        raise ArabesqueError("The three points lie on one line", "Pick the third point beside the other two")
    z = unit(z)
    rotation = np.array([x, np.cross(z, x), z])
    return motion(rotation, -rotation @ origin)


def principal_axes(scan: Scan) -> Floats:
    """The motion that lays the scan's longest direction along x, its shortest along z, its middle at the origin.

    The axes are turned the way that needs the least turning.
    """
    areas = scan.areas
    middles = scan.points[scan.triangles].mean(axis=1)
    centre = (middles * areas[:, None]).sum(axis=0) / areas.sum()
    away = middles - centre
    axes = np.linalg.eigh(away.T @ (away * areas[:, None]))[1].T[::-1]
    choices = []
    for signs in ((1, 1), (1, -1), (-1, 1), (-1, -1)):
        x, y = signs[0] * axes[0], signs[1] * axes[1]
        choices.append(np.array([x, y, np.cross(x, y)]))
    rotation = max(choices, key=np.trace)
    return motion(rotation, -rotation @ centre)


def lay_plane(plane: Plane, axis: int) -> Floats:
    """The smallest motion that makes a plane the coordinate plane of an axis (0, 1, 2 for x, y, z = 0)."""
    direction = plane.normal if plane.normal[axis] >= 0 else -plane.normal
    rotation = _rotation([(direction, axis)])
    shift = np.zeros(3)
    shift[axis] = -(rotation @ plane.origin)[axis]
    return motion(rotation, shift)


def nearest_axis(plane: Plane) -> int:
    """Number of the axis that a plane's normal is nearest to."""
    return int(np.abs(plane.normal).argmax())


def turned_and_shifted(degrees: Floats, shift: Floats, about: Floats) -> Floats:
    """The motion that turns about x, then y, then z through ``about``, then shifts; degrees and mm."""
    rotation = np.eye(3)
    for axis in range(3):
        rotation = rotation_about(np.eye(3)[axis], float(degrees[axis])) @ rotation
    return motion(rotation, about - rotation @ about + shift)


def _rotation(directions: list[tuple[Floats, int]]) -> Floats:
    if not directions:
        return np.eye(3)
    first, axis = directions[0]
    rotation = _least_turn(first, np.eye(3)[axis])
    for second, other in directions[1:2]:
        goal = np.eye(3)[other]
        if abs(first @ second) > PARALLEL:
            raise ArabesqueError(
                "The second direction is parallel to the first", "Pick a feature that runs across the first"
            )
        place = rotation @ second
        across = np.eye(3)[3 - axis - other]
        # turn about the first axis until the second direction has no part across the goal
        angle = np.degrees(np.arctan2(place @ across, place @ goal))
        sign = 1.0 if np.cross(across, goal)[axis] > 0 else -1.0
        rotation = rotation_about(sign * np.eye(3)[axis], float(angle)) @ rotation
    return rotation


def _least_turn(start: Floats, end: Floats) -> Floats:
    """(3, 3) smallest rotation that takes one unit vector to another."""
    axis = np.cross(start, end)
    sine, cosine = float(np.linalg.norm(axis)), float(start @ end)
    if sine < 1e-14:
        if cosine > 0:
            return np.eye(3)
        axis = np.cross(start, np.eye(3)[np.abs(start).argmin()])
    return rotation_about(axis, float(np.degrees(np.arctan2(sine, cosine))))


def _check(placed: Placement) -> None:
    kind, target = placed.feature.kind, placed.target
    if kind is FeatureKind.LINE and target in PLANES:
        raise ArabesqueError("A line cannot be laid in a plane alone", "Lay it along an axis")
    if kind is not FeatureKind.POINT and target is Target.ORIGIN:
        raise ArabesqueError(f"A {kind.value} has no single point", "Only a point can be laid at the origin")


def _fixed(placed: Placement) -> set[int]:
    """Numbers of the coordinates that a placement fixes."""
    kind, target = placed.feature.kind, placed.target
    if target is Target.ORIGIN:
        return {0, 1, 2}
    if kind is FeatureKind.PLANE or target in PLANES:
        return {target.axis} if target in PLANES else set()
    return {0, 1, 2} - {target.axis}
