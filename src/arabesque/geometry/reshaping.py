"""Splitting, joining, turning and swapping of curves and surfaces; Bézier pieces. All exact."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry.curve import Curve
from arabesque.geometry.face import Face
from arabesque.geometry.knots import breakpoints
from arabesque.geometry.surface import Surface
from arabesque.geometry.trimming import Trim

JOIN_TOLERANCE = 1e-9


def split_curve(curve: Curve, at: float) -> tuple[Curve, Curve]:
    """The two parts of a curve; raises InvalidShape unless ``at`` lies strictly inside its domain."""
    full = curve.with_knots(_to_full(curve.knots, curve.degree, at))
    (left, right), first = _cut_knots(full.knots, full.degree, at)
    points, weights, p = full.points, full.weights, full.degree
    one = Curve(p, left, points[: first + 1], None if weights is None else weights[: first + 1])
    two = Curve(p, right, points[first:], None if weights is None else weights[first:])
    return one, two


def split_surface(surface: Surface, axis: int, at: float) -> tuple[Surface, Surface]:
    """The two parts of a surface, cut at a parameter along u (axis 0) or v (axis 1).

    The parts of a face show what the face shows there. Raises InvalidShape
    when a part would show nothing, and unless ``at`` lies strictly inside the domain.
    """
    extra = _to_full(surface.knots[axis], surface.degree[axis], at)
    full = surface.with_knots(*((extra, ()) if axis == 0 else ((), extra)))
    (left, right), first = _cut_knots(full.knots[axis], full.degree[axis], at)
    parts = []
    for knots, chosen in ((left, slice(None, first + 1)), (right, slice(first, None))):
        both = (knots, full.knots[1]) if axis == 0 else (full.knots[0], knots)
        index = (chosen, slice(None)) if axis == 0 else (slice(None), chosen)
        weights = None if full.weights is None else full.weights[index]
        parts.append(Surface(full.degree, both, full.points[index], weights))
    if isinstance(surface, Face):
        parts = [_shown(part, surface.trim.clipped(axis, *part.domain[axis])) for part in parts]
    return parts[0], parts[1]


def _shown(part: Surface, trim: Trim) -> Surface:
    """A part with what is left of a trim."""
    (u0, u1), (v0, v1) = part.domain
    area = trim.area / ((u1 - u0) * (v1 - v0))
    if area < 1e-9:
        raise InvalidShape("One of the parts would lie wholly outside the trim", "Cut where the face shows")
    return part if area > 1 - 1e-9 else Face(part.degree, part.knots, part.points, part.weights, trim)


def curve_between(curve: Curve, start: float, end: float) -> Curve:
    """The part of a curve from one parameter to another, run that way; raises InvalidShape for no part."""
    low, high = sorted((start, end))
    a, b = curve.domain
    if not high > low:
        raise InvalidShape("Both ends lie at one place of the curve", "Move one of them along it")
    part = split_curve(curve, high)[0] if high < b else curve
    part = split_curve(part, low)[1] if low > a else part
    return part if start < end else reversed_curve(part)


def parts_of_curve(curve: Curve, at: Floats) -> list[Curve]:
    """The parts of a curve between rising parameters (k,) strictly inside its domain, in order; exact."""
    if not len(at):
        return [curve]
    full = curve.with_knots(np.concatenate([_to_full(curve.knots, curve.degree, float(one)) for one in at]))
    p, knots = full.degree, full.knots
    starts = np.searchsorted(knots, at, "left")
    ends = np.concatenate([[curve.domain[0]], at, [curve.domain[1]]])
    # a part between two places has the knots between them, and its own control points of the whole
    firsts = np.concatenate([[p + 1], starts + p])
    lasts = np.concatenate([starts, [len(knots) - p - 1]])
    parts = []
    for k, (first, last) in enumerate(zip(firsts.tolist(), lasts.tolist(), strict=True)):
        inner = knots[first:last]
        own = np.concatenate([np.full(p + 1, ends[k]), inner, np.full(p + 1, ends[k + 1])])
        own.setflags(write=False)
        rows = slice(first - p - 1, last)
        parts.append(_trusted(p, own, full.points[rows], None if full.weights is None else full.weights[rows]))
    return parts


def _trusted(degree: int, knots: Floats, points: Floats, weights: Floats | None) -> Curve:
    """A curve of read-only arrays that are known to make one: thousands of parts are not looked at again."""
    curve = object.__new__(Curve)
    for name, value in (("degree", degree), ("knots", knots), ("points", points), ("weights", weights)):
        object.__setattr__(curve, name, value)
    return curve


def join_curves(one: Curve, two: Curve) -> Curve:
    """One curve from two of the same degree, where the first ends and the second begins at the same place.

    The domains are laid end to end. Raises InvalidShape when they do not fit.
    """
    if one.degree != two.degree:
        raise InvalidShape("The curves have different degrees", "Raise the lower one first")
    if np.linalg.norm(one.points[-1] - two.points[0]) > JOIN_TOLERANCE:
        raise InvalidShape("The curves do not meet", "Move their ends together first")
    p = one.degree
    shifted = two.knots - two.knots[0] + one.knots[-1]
    knots = np.concatenate([one.knots[:-1], shifted[p + 1 :]])
    points = np.concatenate([one.points, two.points[1:]])
    if one.weights is None and two.weights is None:
        return Curve(p, knots, points)
    first = np.ones(one.count) if one.weights is None else one.weights
    second = np.ones(two.count) if two.weights is None else two.weights
    return Curve(p, knots, points, np.concatenate([first, second[1:] * first[-1] / second[0]]))


def join_surfaces(one: Surface, two: Surface, axis: int) -> Surface:
    """One surface from two that share an edge: the end of the first and the start of the second along ``axis``.

    Both need the same degrees, and the same knots across. Raises InvalidShape when they do not fit.
    """
    other = 1 - axis
    if one.degree != two.degree or len(one.knots[other]) != len(two.knots[other]):
        raise InvalidShape("The patches have different degrees or spans", "Give them the same first")
    if one.weights is not None or two.weights is not None:
        raise InvalidShape("Rational patches cannot be joined", "Fit polynomial patches to them first")
    a, b = np.swapaxes(one.points, 0, axis), np.swapaxes(two.points, 0, axis)
    if not np.allclose(one.knots[other], two.knots[other], atol=1e-12) or (
        np.linalg.norm(a[-1] - b[0], axis=-1).max() > JOIN_TOLERANCE
    ):
        raise InvalidShape("The patches do not share an edge", "Match their edges first")
    p = one.degree[axis]
    shifted = two.knots[axis] - two.knots[axis][0] + one.knots[axis][-1]
    along = np.concatenate([one.knots[axis][:-1], shifted[p + 1 :]])
    points = np.swapaxes(np.concatenate([a, b[1:]]), 0, axis)
    knots = (along, one.knots[1]) if axis == 0 else (one.knots[0], along)
    return Surface(one.degree, knots, points)


def reversed_curve(curve: Curve) -> Curve:
    """The curve run from its end to its start, on the same domain."""
    a, b = curve.domain
    weights = None if curve.weights is None else curve.weights[::-1]
    return replace(curve, knots=(a + b) - curve.knots[::-1], points=curve.points[::-1], weights=weights)


def swapped_surface(surface: Surface) -> Surface:
    """The surface with u and v exchanged; its normal turns over."""
    weights = None if surface.weights is None else surface.weights.T
    return Surface(surface.degree[::-1], surface.knots[::-1], surface.points.transpose(1, 0, 2), weights)


def curve_pieces(curve: Curve) -> list[Curve]:
    """The curve's Bézier pieces, in order, each on its own span."""
    return parts_of_curve(curve, breakpoints(curve.knots)[1:-1])


def surface_pieces(surface: Surface) -> list[list[Surface]]:
    """The surface's Bézier pieces: a list along u of lists along v, each on its own spans."""
    strips, rest = [], surface
    for at in breakpoints(surface.knots[0])[1:-1]:
        one, rest = split_surface(rest, 0, float(at))
        strips.append(one)
    rows = []
    for strip in [*strips, rest]:
        row, rest = [], strip
        for at in breakpoints(surface.knots[1])[1:-1]:
            one, rest = split_surface(rest, 1, float(at))
            row.append(one)
        rows.append([*row, rest])
    return rows


def _to_full(knots: Floats, degree: int, at: float) -> Floats:
    if not knots[0] < at < knots[-1]:
        raise InvalidShape("The place to split lies outside the parameter range", "Choose it strictly inside")
    return np.full(degree - np.count_nonzero(knots == at), at)


def _cut_knots(knots: Floats, degree: int, at: float) -> tuple[tuple[Floats, Floats], int]:
    """Knots of both parts, and the index of the control point that they share."""
    first = int(np.searchsorted(knots, at, "left"))
    left = np.concatenate([knots[: first + degree], [at]])
    right = np.concatenate([[at], knots[first:]])
    return (left, right), first - 1
