"""Profiles turned about an axis or pushed along a direction: true shapes where they are, exact surfaces elsewhere."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.errors import FitProblem, InvalidShape
from arabesque.geometry import (
    Curve,
    Elementary,
    ElementaryKind,
    Patchwork,
    Surface,
    bezier_knots,
    circle_of,
    frame_of,
    is_straight,
)
from arabesque.geometry.elementary import arc_knots, unit_arc
from arabesque.geometry.recognised import EXACT, READ


def turned(
    profile: Sequence[Curve], origin: Floats, axis: Floats, angle: float = 360.0
) -> Surface | Elementary | Patchwork:
    """The surface that a profile makes when it is turned about an axis by ``angle`` degrees.

    Lines become cylinders and cones, arcs in a plane with the axis spheres and tori; what is none of these becomes an
    exact rational surface (Piegl and Tiller, "The NURBS Book", 2nd edition, section 8.5). Raises FitProblem for a
    profile that lies on the axis, or no angle.
    """
    if not (np.isfinite(angle) and 0 < angle <= 360.0):
        raise FitProblem(f"An angle of {angle:g}° makes no turned surface", "Give more than 0, and 360° at most")
    axis = unit(np.asarray(axis, dtype=float)[None])[0]
    made = [_turned(piece, np.asarray(origin, dtype=float), axis, np.radians(angle)) for piece in _some(profile)]
    return made[0] if len(made) == 1 else Patchwork(tuple(made))


def pushed(profile: Sequence[Curve], direction: Floats, low: float, high: float) -> Surface | Elementary | Patchwork:
    """The surface that a profile makes when it is pushed along a direction, from ``low`` to ``high`` mm.

    Lines become planes and arcs square to it cylinders; raises FitProblem where it has no length.
    """
    if not (np.isfinite([low, high]).all() and high > low):
        raise FitProblem("A pushed surface needs a length", "Give two ends that are apart")
    way = unit(np.asarray(direction, dtype=float)[None])[0]
    made = [_pushed(piece, way, low, high) for piece in _some(profile)]
    return made[0] if len(made) == 1 else Patchwork(tuple(made))


def _some(profile: Sequence[Curve]) -> Sequence[Curve]:
    if not profile:
        raise FitProblem("There is no profile", "Choose a curve, or draw in the sketch")
    return profile


def _turned(piece: Curve, origin: Floats, axis: Floats, angle: float) -> Surface:
    ends = piece.points[[0, -1]] - origin
    heights = ends @ axis
    radial = ends - heights[:, None] * axis
    radii = np.linalg.norm(radial, axis=1)
    places = piece.at(np.linspace(*piece.domain, READ)) - origin
    away = places - np.outer(places @ axis, axis)
    distances = np.linalg.norm(away, axis=1)
    if distances.max() < EXACT:
        raise FitProblem("The profile lies on the axis", "Choose another axis")
    out = unit(away[[int(distances.argmax())]])[0]
    planar = bool(np.abs(away @ np.cross(axis, out)).max() < EXACT and (away @ out).min() > -EXACT)
    if planar and is_straight(piece) and abs(heights[1] - heights[0]) > EXACT:
        low, high = (0, 1) if heights[0] < heights[1] else (1, 0)
        if abs(radii[0] - radii[1]) < EXACT:
            frame = frame_of(origin, axis, out)
            return Elementary.make(
                ElementaryKind.CYLINDER, frame, (float(radii.mean()),), ((0.0, angle), (heights[low], heights[high]))
            )
        base = int(radii.argmax())
        slope = (radii[high] - radii[low]) / (heights[high] - heights[low])
        frame = frame_of(origin + heights[base] * axis, axis, out)
        bounds = (float(heights[low] - heights[base]), float(heights[high] - heights[base]))
        return Elementary.make(
            ElementaryKind.CONE, frame, (float(radii[base]), float(np.arctan(slope))), ((0.0, angle), bounds)
        )
    circle = circle_of(piece) if planar and not is_straight(piece) else None
    if circle is not None and abs(abs(circle.normal @ np.cross(axis, out)) - 1) < 1e-9:
        centre = circle.centre - origin
        height, ring = float(centre @ axis), float(centre @ out)
        flat = np.column_stack([places @ out - ring, places @ axis - height])
        around = np.unwrap(np.arctan2(flat[:, 1], flat[:, 0]))
        bounds = (float(around.min()), float(around.max()))
        frame = frame_of(origin + height * axis, axis, out)
        if abs(ring) < EXACT:
            return Elementary.make(ElementaryKind.SPHERE, frame, (circle.radius,), ((0.0, angle), bounds))
        if ring > 0:
            return Elementary.make(ElementaryKind.TORUS, frame, (ring, circle.radius), ((0.0, angle), bounds))
    return _revolved(piece, origin, axis, angle)


def _revolved(piece: Curve, origin: Floats, axis: Floats, angle: float) -> Surface:
    """u goes round, v along the profile."""
    circle, weights = unit_arc(0.0, angle)
    away = piece.points - origin
    heights = away @ axis
    x = away - np.outer(heights, axis)
    y = np.cross(axis, x)
    middle = origin + np.outer(heights, axis)
    points = middle[None] + circle[:, 0, None, None] * x[None] + circle[:, 1, None, None] * y[None]
    along = np.ones(piece.count) if piece.weights is None else piece.weights
    return Surface(
        (2, piece.degree), (arc_knots((len(circle) - 1) // 2), piece.knots), points, weights[:, None] * along
    )


def _pushed(piece: Curve, way: Floats, low: float, high: float) -> Surface:
    if is_straight(piece):
        chord = piece.points[-1] - piece.points[0]
        length = float(np.linalg.norm(chord))
        if abs(chord @ way) < EXACT:
            frame = frame_of(piece.points[0], np.cross(chord, way), chord)
            return Elementary.make(ElementaryKind.PLANE, frame, (), ((0.0, length), (low, high)))
    else:
        circle = circle_of(piece)
        if circle is not None and abs(abs(circle.normal @ way) - 1) < 1e-9:
            places = piece.at(np.linspace(*piece.domain, READ)) - circle.centre
            x = unit(places[[0]])[0]
            y = np.cross(way, x)
            around = np.unwrap(np.arctan2(places @ y, places @ x))
            frame = frame_of(circle.centre, way, x)
            bounds = (float(around.min()), float(around.max()))
            try:
                return Elementary.make(ElementaryKind.CYLINDER, frame, (circle.radius,), (bounds, (low, high)))
            except InvalidShape as problem:
                raise FitProblem(problem.cause, problem.cure) from problem
    rows = np.array([piece.points + low * way, piece.points + high * way]).swapaxes(0, 1)
    weights = None if piece.weights is None else np.repeat(piece.weights[:, None], 2, axis=1)
    return Surface((piece.degree, 1), (piece.knots, bezier_knots(1)), rows, weights)
