"""True shapes: planes, cylinders, cones, spheres and tori as exact rational surfaces."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import InvalidShape
from arabesque.geometry.knots import bezier_knots
from arabesque.geometry.motion import Plane
from arabesque.geometry.surface import Surface

FULL_TURN = 2 * np.pi
LONGEST = 1e9
"""mm"""


class ElementaryKind(Enum):
    """The kinds of true shapes; the value is the word for them."""

    PLANE = "plane"
    CYLINDER = "cylinder"
    CONE = "cone"
    SPHERE = "sphere"
    TORUS = "torus"


Range = tuple[float, float]


@dataclass(frozen=True, eq=False)
class Elementary(Surface):
    """A piece of a true shape, exact as a rational surface.

    frame: (4, 4) from the shape's own axes to space: its z is the axis (the normal of a plane).
    sizes: nothing for a plane; the radius of a cylinder and a sphere; radius at the frame's
           origin and half angle (radians, opening along z) of a cone; both radii of a torus.
    bounds: what is shown of it, along u and along v. Radians go round the axis from the
           frame's x; mm along x and y of a plane and along the axis; a sphere's v is the
           latitude, a torus's v the angle round its tube.
    """

    kind: ElementaryKind = ElementaryKind.PLANE
    frame: Floats = field(default_factory=lambda: np.eye(4))
    sizes: tuple[float, ...] = ()
    bounds: tuple[Range, Range] = ((0.0, 1.0), (0.0, 1.0))

    @classmethod
    def make(
        cls, kind: ElementaryKind, frame: ArrayLike, sizes: tuple[float, ...], bounds: tuple[Range, Range]
    ) -> Elementary:
        """The shape of a kind; raises InvalidShape for sizes or bounds that make none."""
        matrix = frozen_array(np.asarray(frame, dtype=float), (4, 4), np.float64, what="True shape")
        bounds = _checked(kind, sizes, bounds)
        points, weights = _net(kind, sizes, bounds)
        degrees, knots = [], []
        for axis, count in enumerate(points.shape[:2]):
            round_ = _is_round(kind, axis)
            degrees.append(2 if round_ else 1)
            knots.append(arc_knots((count - 1) // 2) if round_ else bezier_knots(1))
        in_space = points @ matrix[:3, :3].T + matrix[:3, 3]
        return cls((degrees[0], degrees[1]), (knots[0], knots[1]), in_space, weights, kind, matrix, sizes, bounds)

    @property
    def axis(self) -> Floats:
        """(3,) unit direction of the axis, or normal of a plane."""
        return self.frame[:3, 2]

    @property
    def origin(self) -> Floats:
        """(3,) origin of the frame, on the axis."""
        return self.frame[:3, 3]

    def parameters_of(self, own: Floats) -> Floats:
        """(n, 2) parameters of places that are given in the shape's own radians and mm, as ``bounds`` are."""
        found = np.empty_like(own)
        for axis, (low, high) in enumerate(self.bounds):
            if _is_round(self.kind, axis):
                found[:, axis] = arc_parameters(own[:, axis] - low, high - low)
            else:
                found[:, axis] = (own[:, axis] - low) / (high - low)
        return found

    def with_points(self, points: ArrayLike) -> Surface:
        """A free surface with other control points: it is no true shape any more."""
        return Surface(self.degree, self.knots, self.points, self.weights).with_points(points)

    def moved(self, matrix: Floats) -> Elementary:
        """The shape after a rigid motion."""
        return Elementary.make(self.kind, matrix @ self.frame, self.sizes, self.bounds)

    def mirrored(self, plane: Plane, axis: int = 0) -> Elementary:
        """The mirror image, a true shape too: its frame stays right-handed, so one parameter runs the other way."""
        ends = np.stack([self.origin, self.origin + self.frame[:3, 0], self.origin + self.axis])
        origin, x, z = plane.mirrored(ends)
        u, v = self.bounds
        turned = (u, (-v[1], -v[0])) if self.kind is ElementaryKind.PLANE else ((-u[1], -u[0]), v)
        return Elementary.make(self.kind, frame_of(origin, z - origin, x - origin), self.sizes, turned)

    def extended(self, u: Range = (0.0, 0.0), v: Range = (0.0, 0.0)) -> Elementary:
        """The same shape shown further (or less) at both ends along u and v, mm; angles by their arc."""
        bounds = []
        for axis, (more, (low, high)) in enumerate(zip((u, v), self.bounds, strict=True)):
            scale = self._arc(axis)
            low, high = low - more[0] / scale, high + more[1] / scale
            if _is_round(self.kind, axis) and high - low > FULL_TURN:
                middle = (low + high) / 2
                low, high = middle - np.pi, middle + np.pi
            bounds.append((float(low), float(high)))
        return Elementary.make(self.kind, self.frame, self.sizes, (bounds[0], bounds[1]))

    def _arc(self, axis: int) -> float:
        """Millimetres in one unit of a parameter."""
        if not _is_round(self.kind, axis):
            return 1.0
        if self.kind is ElementaryKind.TORUS:
            return self.sizes[0] + self.sizes[1] if axis == 0 else self.sizes[1]
        return self.sizes[0]


def _is_round(kind: ElementaryKind, axis: int) -> bool:
    if kind is ElementaryKind.PLANE:
        return False
    return axis == 0 or kind in (ElementaryKind.SPHERE, ElementaryKind.TORUS)


def _checked(kind: ElementaryKind, sizes: tuple[float, ...], bounds: tuple[Range, Range]) -> tuple[Range, Range]:
    cure = "Give sizes above 0, and ends that are apart"
    if not all(np.isfinite([*sizes, *bounds[0], *bounds[1]])) or any(high <= low for low, high in bounds):
        raise InvalidShape(f"This makes no {kind.value}", cure)
    wanted = {ElementaryKind.PLANE: 0, ElementaryKind.CONE: 2, ElementaryKind.TORUS: 2}.get(kind, 1)
    if len(sizes) != wanted or (wanted and sizes[0] <= 0) or (kind is ElementaryKind.TORUS and sizes[1] <= 0):
        raise InvalidShape(f"This makes no {kind.value}", cure)
    for axis, (low, high) in enumerate(bounds):
        if high - low > (FULL_TURN * (1 + 1e-9) if _is_round(kind, axis) else LONGEST):
            raise InvalidShape(f"This {kind.value} goes round more than once, or on for ever", cure)
    u, v = bounds
    if kind is ElementaryKind.SPHERE:
        v = (max(v[0], -np.pi / 2), min(v[1], np.pi / 2))
    if kind is ElementaryKind.CONE:
        # a cone ends at its tip
        slope = np.tan(sizes[1])
        tip = -sizes[0] / slope if slope else -np.inf * np.sign(sizes[1] or 1)
        v = (max(v[0], tip), v[1]) if slope > 0 else (v[0], min(v[1], tip)) if slope < 0 else v
        if v[0] >= v[1]:
            raise InvalidShape("This lies wholly beyond the cone's tip", cure)
    return u, v


def arc_knots(pieces: int) -> Floats:
    """Knots on [0, 1] of an arc of so many quadratic pieces."""
    inner = np.repeat(np.arange(1, pieces) / pieces, 2)
    return np.concatenate([np.zeros(3), inner, np.ones(3)])


def unit_arc(low: float, high: float) -> tuple[Floats, Floats]:
    """Control points (2k+1, 2) and weights of an arc of the unit circle, in pieces of at most a quarter.

    Piegl and Tiller, "The NURBS Book", 2nd edition, section 7.3.
    """
    pieces = max(1, int(np.ceil((high - low) / (np.pi / 2) - 1e-9)))
    half = (high - low) / (2 * pieces)
    angles = low + half * np.arange(2 * pieces + 1)
    radius = np.where(np.arange(len(angles)) % 2, 1 / np.cos(half), 1.0)
    points = radius[:, None] * np.column_stack([np.cos(angles), np.sin(angles)])
    return points, np.where(np.arange(len(angles)) % 2, np.cos(half), 1.0)


def arc_parameters(angles: Floats, whole: float) -> Floats:
    """(n,) parameters in [0, 1] at which ``unit_arc`` of a whole angle has turned by some angles, radians.

    In a piece of half angle h, tan(a / 2) = t sin h / (1 - t + t cos h), from its quadratic with weights 1, cos h, 1.
    """
    pieces = max(1, int(np.ceil(whole / (np.pi / 2) - 1e-9)))
    width = whole / pieces
    angles = np.clip(angles, 0.0, whole)
    piece = np.minimum((angles / width).astype(np.int64), pieces - 1)
    tangent = np.tan((angles - piece * width) / 2)
    half = width / 2
    return (piece + tangent / (np.sin(half) + tangent * (1 - np.cos(half)))) / pieces


def _net(kind: ElementaryKind, sizes: tuple[float, ...], bounds: tuple[Range, Range]) -> tuple[Floats, Floats | None]:
    """Control points (nu, nv, 3) and weights, in the shape's own axes."""
    (u0, u1), (v0, v1) = bounds
    if kind is ElementaryKind.PLANE:
        x, y = np.meshgrid([u0, u1], [v0, v1], indexing="ij")
        return np.stack([x, y, np.zeros((2, 2))], -1), None
    circle, along = unit_arc(u0, u1)
    # the profile: distance from the axis and height, with weights
    if kind in (ElementaryKind.CYLINDER, ElementaryKind.CONE):
        slope = np.tan(sizes[1]) if kind is ElementaryKind.CONE else 0.0
        profile = np.array([[sizes[0] + slope * v, v] for v in (v0, v1)])
        weights = np.ones(2)
    else:
        ring, tube = (0.0, sizes[0]) if kind is ElementaryKind.SPHERE else sizes
        arc, weights = unit_arc(v0, v1)
        profile = tube * arc + [ring, 0.0]
    points = np.empty((len(circle), len(profile), 3))
    points[..., :2] = circle[:, None, :] * profile[None, :, :1]
    points[..., 2] = profile[:, 1]
    return points, along[:, None] * weights


def frame_of(origin: ArrayLike, axis: ArrayLike, towards: ArrayLike | None = None) -> Floats:
    """The (4, 4) frame at a point whose z is ``axis``, and whose x looks towards a direction as far as it can."""
    z = np.asarray(axis, dtype=float) / np.linalg.norm(axis)
    hint = np.eye(3)[np.abs(z).argmin()] if towards is None else np.asarray(towards, dtype=float)
    x = hint - (hint @ z) * z
    if np.linalg.norm(x) < 1e-9 * max(float(np.linalg.norm(hint)), 1e-300):
        return frame_of(origin, z)
    x /= np.linalg.norm(x)
    frame = np.eye(4)
    frame[:3, :3] = np.column_stack([x, np.cross(z, x), z])
    frame[:3, 3] = origin
    return frame
