"""Planes and rigid motions of space."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, frozen_array, unit
from arabesque.errors import InvalidShape


@dataclass(frozen=True, eq=False)
class Plane:
    """The points x with normal · x = offset. normal: (3,), made unit. offset: mm.

    Raises InvalidShape for a normal without a direction.
    """

    normal: Floats
    offset: float = 0.0

    def __post_init__(self) -> None:
        normal = np.asarray(self.normal, dtype=float)
        length = float(np.linalg.norm(normal))
        if not np.isfinite(length) or length < 1e-12 or not np.isfinite(self.offset):
            raise InvalidShape("A plane needs a direction", "Give its normal three numbers that are not all 0")
        # a unit normal stays to the bit, so that mirroring at a coordinate plane is exact
        normal = normal if abs(length - 1) < 1e-15 else normal / length
        object.__setattr__(self, "normal", frozen_array(normal, (3,), np.float64, what="Plane normal"))
        object.__setattr__(self, "offset", float(self.offset))

    @classmethod
    def through(cls, point: ArrayLike, normal: ArrayLike) -> Plane:
        """The plane through a point."""
        direction = unit(np.asarray(normal, dtype=float))
        return cls(direction, float(direction @ np.asarray(point, dtype=float)))

    @classmethod
    def coordinate(cls, axis: int) -> Plane:
        """x = 0, y = 0 or z = 0 for axis 0, 1 or 2."""
        return cls(np.eye(3)[axis])

    @property
    def origin(self) -> Floats:
        """The point of the plane nearest to the origin."""
        return self.normal * self.offset

    def height(self, points: Floats) -> Floats:
        """(n,) signed distance of (n, 3) points."""
        return points @ self.normal - self.offset

    def mirrored(self, points: Floats) -> Floats:
        """(n, 3) mirror images; exact to the bit for a coordinate plane."""
        axis = np.flatnonzero(self.normal)
        if len(axis) == 1:
            image = points.copy()
            image[:, axis[0]] = 2 * self.offset * np.sign(self.normal[axis[0]]) - points[:, axis[0]]
            return image
        return points - 2 * self.height(points)[:, None] * self.normal

    def moved(self, motion: Floats) -> Plane:
        """The plane after a rigid motion."""
        return Plane.through(apply(motion, self.origin[None])[0], motion[:3, :3] @ self.normal)


def motion(rotation: ArrayLike | None = None, shift: ArrayLike = (0.0, 0.0, 0.0)) -> Floats:
    """The (4, 4) matrix that rotates about the origin, then shifts."""
    matrix = np.eye(4)
    if rotation is not None:
        matrix[:3, :3] = rotation
    matrix[:3, 3] = shift
    return matrix


def rotation_about(axis: ArrayLike, degrees: float) -> Floats:
    """(3, 3) rotation about an axis through the origin (Rodrigues 1840)."""
    x, y, z = unit(np.asarray(axis, dtype=float))
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    angle = np.radians(degrees)
    return np.eye(3) + np.sin(angle) * cross + (1 - np.cos(angle)) * cross @ cross


def apply(matrix: Floats, points: Floats) -> Floats:
    """(..., 3) points moved by a (4, 4) rigid motion."""
    return points @ matrix[:3, :3].T + matrix[:3, 3]


def inverse(matrix: Floats) -> Floats:
    """The (4, 4) motion that takes everything back."""
    back = matrix[:3, :3].T
    return motion(back, -back @ matrix[:3, 3])


def angle_and_shift(matrix: Floats) -> tuple[float, float]:
    """How far a rigid motion turns, degrees, and how far it carries the origin, mm."""
    cosine = (np.trace(matrix[:3, :3]) - 1) / 2
    return float(np.degrees(np.arccos(np.clip(cosine, -1, 1)))), float(np.linalg.norm(matrix[:3, 3]))
