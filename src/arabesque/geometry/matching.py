"""Patches made alike: same degrees and knots, two of them as one, one between four borders."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry.curve import Curve
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import greville
from arabesque.geometry.reduction import lower_degree
from arabesque.geometry.removal import simplify_surface
from arabesque.geometry.reshaping import join_surfaces, swapped_surface
from arabesque.geometry.surface import Surface

SAME_KNOT = 1e-9


def same_as(surface: Surface, other: Surface) -> tuple[Surface, float]:
    """The surface with the degrees and spans of another, and how far that moved it at most, mm.

    Raising a degree and adding knots is exact; lowering a degree is not, and
    loses knots that the other does not have.
    """
    error = 0.0
    for axis in (0, 1):
        while surface.degree[axis] > other.degree[axis]:
            lowered = lower_degree(surface, axis)
            surface, error = lowered.surface, error + lowered.error
    surface = surface.elevated(*(max(0, other.degree[k] - surface.degree[k]) for k in (0, 1)))
    extra = []
    for axis in (0, 1):
        scaled = _scaled(other.knots[axis], *surface.domain[axis])
        extra.append(missing_knots(surface.knots[axis], scaled, surface.degree[axis]))
    return surface.with_knots(extra[0], extra[1]), error


def compatible_curves(curves: Sequence[Curve]) -> list[Curve]:
    """The same curves, on [0, 1], with one degree and one knot vector; exact. Polynomial curves only."""
    if any(curve.weights is not None for curve in curves):
        raise InvalidShape("Rational borders cannot be used", "Fit a polynomial curve or patch to them first")
    degree = max(curve.degree for curve in curves)
    first = curves[0].knots
    if first[0] == 0.0 and first[-1] == 1.0:
        keys = {(curve.degree, curve.knots.tobytes()) for curve in curves}
        if len(keys) == 1:
            return list(curves)
    raised = [curve.elevated(degree - curve.degree) for curve in curves]
    raised = [Curve(degree, _scaled(curve.knots, 0.0, 1.0), curve.points) for curve in raised]
    knots = raised[0].knots
    for other in {curve.knots.tobytes(): curve.knots for curve in raised}.values():
        knots = np.sort(np.append(knots, missing_knots(knots, other, degree)))
    # what rounding left apart is one knot
    return [
        Curve(degree, knots, curve.with_knots(missing_knots(curve.knots, knots, degree)).points) for curve in raised
    ]


def curve_in(curve: Curve, degree: int, knots: Floats) -> Curve | None:
    """The same polynomial curve with a degree and a knot vector; None where these do not hold it."""
    if degree < curve.degree:
        return None
    raised = curve.elevated(degree - curve.degree)
    raised = Curve(degree, _scaled(raised.knots, float(knots[0]), float(knots[-1])), raised.points)
    same = raised.with_knots(missing_knots(raised.knots, knots, degree))
    if len(same.knots) != len(knots) or not np.allclose(same.knots, knots, rtol=0, atol=SAME_KNOT):
        return None
    return Curve(degree, knots, same.points)


def between(low: Curve, high: Curve, left: Curve, right: Curve) -> Surface:
    """The patch between four borders that meet at their ends: Coons' bilinearly blended patch.

    low, high: run along u at low and high v; left, right: run along v at low
    and high u. The borders' control points, brought to one degree and one
    knot vector a pair, are the patch's own, to the last bit (Coons, "Surfaces
    for computer-aided design of space forms", MIT, 1967; in terms of control
    points by the linear precision of the Greville abscissae).
    """
    low, high = compatible_curves([low, high])
    left, right = compatible_curves([left, right])
    s, t = greville(low.knots, low.degree), greville(left.knots, left.degree)
    points = coons_net(low.points, high.points, left.points, right.points, s, t)
    return Surface((low.degree, left.degree), (low.knots, left.knots), points)


def coons_net(low: Floats, high: Floats, left: Floats, right: Floats, s: Floats, t: Floats) -> Floats:
    """(nu, nv, 3) net between rows of (nu, 3) and (nv, 3) control points; s, t: their Greville abscissae on [0, 1]."""
    s, t = s[:, None, None], t[None, :, None]
    a, b, c, d = low[0], low[-1], high[-1], high[0]
    ruled = (1 - t) * low[:, None] + t * high[:, None]
    across = (1 - s) * left[None] + s * right[None]
    flat = (1 - s) * (1 - t) * a + s * (1 - t) * b + s * t * c + (1 - s) * t * d
    points: Floats = ruled + across - flat
    points[0], points[-1] = left, right
    points[:, 0], points[:, -1] = low, high
    return points


def meeting_edges(one: Surface, two: Surface) -> tuple[int, int, float]:
    """Numbers of the edges of two patches that run closest together, and their largest gap, mm."""
    t = np.linspace(0, 1, 17)
    best = (0, 0, np.inf)
    first, second = ([_sampled(surface, k, t) for k in range(4)] for surface in (one, two))
    for i, a in enumerate(first):
        for k, b in enumerate(second):
            gap = min(float(np.linalg.norm(a - run, axis=1).max()) for run in (b, b[::-1]))
            best = min(best, (i, k, gap), key=lambda found: found[2])
    return best


def joined(one: Surface, two: Surface, tolerance: float) -> tuple[Surface, float]:
    """One patch from two neighbours, and how far it moved either at most, mm.

    Their nearest edges must lie within ``tolerance`` mm of each other. The
    second is turned to fit, both get the same degrees and knots across, the
    edge becomes the middle of both, and knots go that the tolerance can
    spare. Raises InvalidShape when the patches do not meet.
    """
    edge, other_edge, gap = meeting_edges(one, two)
    if gap > tolerance:
        raise InvalidShape(
            f"The nearest edges are {gap:.3g} mm apart", "Move them together, or allow a larger tolerance"
        )
    # the first runs up to the edge along u, the second away from it
    first = one if edge in (1, 3) else swapped_surface(one)
    first = first if edge in (1, 2) else first.reversed(0)
    second = two if other_edge in (1, 3) else swapped_surface(two)
    second = second if other_edge in (0, 3) else second.reversed(0)
    ends = [first.points[-1, [0, -1]], second.points[0, [0, -1]]]
    if np.linalg.norm(ends[0] - ends[1]) > np.linalg.norm(ends[0] - ends[1][::-1]):
        second = second.reversed(1)
    first, second = _alike_across(first, second)
    seam = (first.points[-1] + second.points[0]) / 2
    first = first.with_points(np.concatenate([first.points[:-1], seam[None]]))
    second = second.with_points(np.concatenate([seam[None], second.points[1:]]))
    whole, moved = simplify_surface(join_surfaces(first, second, 0), tolerance)
    back = whole if edge in (1, 2) else whole.reversed(0)
    return (back if edge in (1, 3) else swapped_surface(back)), moved + gap / 2


def _alike_across(first: Surface, second: Surface) -> tuple[Surface, Surface]:
    """Both with the same degrees, the same knots along v, and the speed across the common edge that agrees."""
    first, second = (
        Surface(s.degree, (s.knots[0], _scaled(s.knots[1], 0.0, 1.0)), s.points, s.weights) for s in (first, second)
    )
    raise_first = [max(0, second.degree[k] - first.degree[k]) for k in (0, 1)]
    raise_second = [max(0, first.degree[k] - second.degree[k]) for k in (0, 1)]
    first, second = first.elevated(*raise_first), second.elevated(*raise_second)
    p = first.degree[1]
    first = first.with_knots((), missing_knots(first.knots[1], second.knots[1], p))
    second = second.with_knots((), missing_knots(second.knots[1], first.knots[1], p))
    speeds = []
    for surface, end in ((first, 1), (second, 0)):
        u = np.array([surface.domain[0][end]])
        speeds.append(float(np.linalg.norm(surface.on_grid(u, np.linspace(0, 1, 9), 1)[1, 0], axis=-1).mean()))
    (u0, u1), share = second.domain[0], speeds[1] / max(speeds[0], 1e-12)
    stretched = _scaled(second.knots[0], u0, u0 + (u1 - u0) * share)
    second = Surface(second.degree, (stretched, first.knots[1]), second.points, second.weights)
    return first, second


def _sampled(surface: Surface, edge: int, t: Floats) -> Floats:
    start, end = surface.boundary()[edge]
    points = surface.at(start + t[:, None] * (end - start))
    return points if edge < 2 else points[::-1]


def _scaled(knots: Floats, low: float, high: float) -> Floats:
    scaled: Floats = low + (knots - knots[0]) * ((high - low) / (knots[-1] - knots[0]))
    scaled[knots == knots[-1]] = high
    return scaled


def missing_knots(knots: Floats, wanted: Floats, degree: int) -> list[float]:
    """Inner knots of ``wanted`` that ``knots`` does not have so often."""
    missing: list[float] = []
    for value in np.unique(wanted[degree + 1 : -degree - 1] if len(wanted) > 2 * degree + 2 else []):
        near = knots[np.abs(knots - value) < SAME_KNOT * float(knots[-1] - knots[0])]
        wanted_times = min(int(np.count_nonzero(wanted == value)), degree)
        missing += [float(near[0]) if len(near) else float(value)] * (wanted_times - len(near))
    return missing


def rebuilt(surface: Surface, degree: tuple[int, int], spans: tuple[int, int]) -> tuple[Surface, float]:
    """The surface with given degrees and spans, and how far it moved at most, mm (at equal parameters).

    Its edges' ends stay. Where the count of spans stays, so do their ends;
    else spans are even. Least squares over dense samples: exact, but for
    rounding, where the new splines contain the old. Raises InvalidShape for a
    rational patch.
    """
    if surface.weights is not None:
        raise InvalidShape("A rational patch cannot be rebuilt", "Fit a polynomial patch to it first")
    knots = []
    for axis in (0, 1):
        low, high = surface.domain[axis]
        if spans[axis] == surface.spans[axis]:
            inner = np.unique(surface.knots[axis])[1:-1]
        else:
            inner = low + (high - low) * np.linspace(0, 1, spans[axis] + 1)[1:-1]
        ends = np.repeat([low, high], degree[axis] + 1)
        knots.append(np.sort(np.concatenate([ends, inner])))
    both = (knots[0], knots[1])
    dense = []
    for axis in (0, 1):
        breaks = np.unique(np.concatenate([both[axis], surface.knots[axis]]))
        steps = np.linspace(0, 1, 4 * max(degree[axis], surface.degree[axis]) + 1)
        dense.append(np.unique(np.concatenate([a + (b - a) * steps for a, b in pairwise(breaks)])))
    wanted = surface.on_grid(dense[0], dense[1])[0, 0]
    made = nearest_surface(degree, both, dense, wanted)
    return made, float(np.linalg.norm(made.on_grid(dense[0], dense[1])[0, 0] - wanted, axis=2).max())


def nearest_surface(degree: tuple[int, int], knots: tuple[Floats, Floats], at: list[Floats], wanted: Floats) -> Surface:
    """The spline surface of least squares through a grid of points, its border rows exactly through their ends.

    at: parameters along u and v. wanted: (len(u), len(v), 3).
    """
    points = wanted
    for axis in (0, 1):
        basis = basis_matrix(knots[axis], degree[axis], at[axis], 0)
        rows = np.swapaxes(points, 0, axis)
        flat = rows.reshape(len(rows), -1)
        ends = flat[[0, -1]]
        inner = np.linalg.lstsq(basis[:, 1:-1], flat - basis[:, [0, -1]] @ ends, rcond=None)[0]
        made = np.concatenate([ends[:1], inner, ends[1:]])
        points = np.swapaxes(made.reshape(len(made), *rows.shape[1:]), 0, axis)
    return Surface(degree, knots, points)
