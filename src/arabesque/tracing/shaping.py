"""Shaping curves: their ends, joins and blends, places on them, their length and degree."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.errors import FitProblem
from arabesque.geometry import (
    LARGEST_DEGREE,
    Curve,
    Edge,
    Manner,
    Surface,
    basis_matrix,
    bezier_knots,
    curve_between,
    curve_feet,
    edge_curve,
    extended,
    join_curves,
    lower_degree,
    reversed_curve,
    section_bends,
    simplify_curve,
)
from arabesque.tracing.meeting import closest_approach

MOST_ORDER = 3
SAME_PLACE = 1e-9
TINY = 1e-12


class End(NamedTuple):
    """An end of a curve as it runs out: (3,) place, and first to third derivative by arc length, pointing outwards.

    tangent: unit. bend: 1/mm, square to the tangent. change: of the bend.
    """

    place: Floats
    tangent: Floats
    bend: Floats
    change: Floats


@dataclass(frozen=True)
class Pull:
    """How far a blend reaches at each end, as shares of the gap: more is rounder."""

    first: float = 1.0
    second: float = 1.0


def end_of(curve: Curve, at_end: bool) -> End:
    """How a curve runs out; raises FitProblem where it stands still there."""
    run = curve if at_end else reversed_curve(curve)
    d = run.derivatives(np.array([run.domain[1]]), 3)[:, 0]
    speed = float(np.linalg.norm(d[1]))
    if speed < TINY:
        raise FitProblem("A curve has no direction at its end: two of its poles lie at one place", "Move them apart")
    tangent = d[1] / speed
    bend = (d[2] - (d[2] @ tangent) * tangent) / speed**2
    # c = c(t(s)): third derivative by s, with t' = 1/v, t'' = -(c'.c'')/v^4
    a = -(d[1] @ d[2]) / speed**4
    change = d[3] / speed**3 + 3 * a * d[2] / speed
    change = change - (change @ tangent) * tangent
    return End(d[0], tangent, bend, change)


def end_beside(surface: Surface, edge: Edge, share: float) -> End:
    """How a patch runs out across an edge, at a share of it."""
    across, at_high = edge.side
    low, high = surface.domain[1 - across]
    uv = np.empty((1, 2))
    uv[0, across] = surface.domain[across][1 if at_high else 0]
    uv[0, 1 - across] = low + share * (high - low)
    d = surface.derivatives(uv, 3)
    outward = (d[1, 0] if across == 0 else d[0, 1]) * (1 if at_high else -1)
    along = d[0, 1] if across == 0 else d[1, 0]
    way = unit(along)
    outward = unit(outward - np.einsum("nc,nc->n", outward, way)[:, None] * way)
    normal = unit(np.cross(d[1, 0], d[0, 1]))
    bend, change = section_bends(d, outward)
    return End(d[0, 0, 0], outward[0], bend[0] * normal[0], change[0] * normal[0])


def matched(curve: Curve, at_end: bool, to: End, order: int) -> Curve:
    """The curve with an end brought to another: G0 place, G1 tangent, G2 bend. ``to`` runs out towards the curve.

    As many poles move as the order asks for; the rest stays. Raises FitProblem where the curve has too few.
    """
    if curve.weights is not None:
        raise FitProblem("A rational curve cannot be matched", "Fit a polynomial curve to it first")
    needed = order + 1
    if curve.degree < min(order, 2) or curve.count < needed + 1:
        raise FitProblem(
            f"{curve.count} poles of degree {curve.degree} are too few for G{order}", "Raise the degree first"
        )
    run = reversed_curve(curve) if at_end else curve
    d = run.derivatives(np.array([run.domain[0]]), 2)[:, 0]
    speed = max(float(np.linalg.norm(d[1])), TINY)
    # how its parameter gathers pace stays its own
    pace = float(d[2] @ d[1]) / speed
    wanted = [to.place, speed * to.tangent, speed**2 * to.bend + pace * to.tangent]
    points = run.points.copy()
    rows = [basis_matrix(run.knots, run.degree, np.array([run.domain[0]]), k)[0] for k in range(order + 1)]
    for k in range(order + 1):
        points[k] = (wanted[k] - rows[k][:k] @ points[:k]) / rows[k][k]
    moved = run.with_points(points)
    return reversed_curve(moved) if at_end else moved


def blended(one: End, two: End, order: int, pull: Pull = Pull()) -> Curve:
    """The single-span curve from one end to another that meets both with G1, G2 or G3.

    Both ends run out into the gap. Degree 3, 5 or 7: from each end as many poles as derivatives, at a speed of the gap
    times the pull.
    """
    if not 1 <= order <= MOST_ORDER:
        raise FitProblem(f"G{order} is no blend", "Choose G1, G2 or G3")
    gap = float(np.linalg.norm(two.place - one.place))
    if gap < SAME_PLACE:
        raise FitProblem("Both ends lie at one place", "Join them instead")
    n = 2 * order + 1
    halves = [_taylor_poles(end, order, n, gap * share) for end, share in ((one, pull.first), (two, pull.second))]
    return Curve(n, bezier_knots(n), np.vstack([halves[0], halves[1][::-1]]))


def _taylor_poles(end: End, order: int, n: int, speed: float) -> Floats:
    """The first poles of a Bézier curve of degree n that leaves an end with these derivatives."""
    d = [end.place, speed * end.tangent, speed**2 * end.bend, speed**3 * end.change]
    poles = [d[0], d[0] + d[1] / n]
    if order > 1:
        poles.append(2 * poles[1] - poles[0] + d[2] / (n * (n - 1)))
    if order > 2:
        poles.append(3 * poles[2] - 3 * poles[1] + poles[0] + d[3] / (n * (n - 1) * (n - 2)))
    return np.array(poles)


def nearest_ends(one: Curve, two: Curve) -> tuple[bool, bool]:
    """Which ends of two curves lie nearest: True for the end, False for the start."""
    choices = [(a, b) for a in (True, False) for b in (False, True)]
    return min(choices, key=lambda c: float(np.linalg.norm(one.points[-1 * c[0]] - two.points[-1 * c[1]])))


def joined_curves(one: Curve, two: Curve, order: int, within: float) -> Curve:
    """One curve from two: the nearest ends meet half-way, and there with G0, G1 or G2; run as the first.

    Ends further apart than ``within`` mm raise FitProblem, telling the gap. What can be one span afterwards is.
    """
    at_end, other_end = nearest_ends(one, two)
    first = one if at_end else reversed_curve(one)
    second = reversed_curve(two) if other_end else two
    degree = max(first.degree, second.degree, min(order + 1, 3))
    first, second = (c.elevated(degree - c.degree) for c in (first, second))
    a, b = end_of(first, True), end_of(second, False)
    gap = float(np.linalg.norm(a.place - b.place))
    if gap > within:
        raise FitProblem(
            f"The ends are {gap:.3g} mm apart", "Extend one to the other, blend between them, or allow more"
        )
    tangent = unit((a.tangent - b.tangent)[None])[0]
    bend = (a.bend + b.bend) / 2
    bend = bend - (bend @ tangent) * tangent
    place = (a.place + b.place) / 2
    middle = End(place, tangent, bend, np.zeros(3))
    back = End(place, -tangent, bend, np.zeros(3))
    first = matched(first, True, back, order)
    second = matched(second, False, middle, order)
    # of one speed at the joint, knots that are not needed any more can go
    speeds = [
        float(np.linalg.norm(c.derivatives(np.array([c.domain[k]]), 1)[1, 0])) for k, c in ((1, first), (0, second))
    ]
    scaled = Curve(degree, second.knots[0] + (second.knots - second.knots[0]) * speeds[1] / speeds[0], second.points)
    points = scaled.points.copy()
    points[0] = first.points[-1]
    whole, _ = simplify_curve(join_curves(first, scaled.with_points(points)), 1e-7)
    return whole if at_end else reversed_curve(whole)


def lengthened(curve: Curve, at_end: bool, length: float, manner: Manner = Manner.NATURAL) -> Curve:
    """The curve run on beyond an end by ``length`` mm, or trimmed back where that is negative."""
    return _on_ribbon(curve, lambda ribbon: extended(ribbon, 0, at_end, length, manner))


def reaching(curve: Curve, at_end: bool, other: Curve, manner: Manner = Manner.NATURAL) -> Curve:
    """The curve run on, or trimmed back, until it ends where it comes nearest to another curve."""
    near = float(curve_feet(other, curve.points[[-1 if at_end else 0]]).distance[0])
    whole = lengthened(curve, at_end, 3 * near + SAME_PLACE, manner) if near > SAME_PLACE else curve
    found = closest_approach(whole, other)
    low, high = whole.domain
    cut = (low, found.first) if at_end else (found.first, high)
    if cut[1] - cut[0] < 1e-9 * (high - low):
        raise FitProblem("Nothing of the curve would be left", "Choose the other end")
    return curve_between(whole, *cut)


def lower_curve(curve: Curve) -> tuple[Curve, float]:
    """The curve one degree lower, and how far that moved it, mm."""
    moved = 0.0

    def lower(ribbon: Surface) -> Surface:
        nonlocal moved
        found = lower_degree(ribbon, 0)
        moved = found.error
        return found.surface

    return _on_ribbon(curve, lower), moved


def raise_curve(curve: Curve) -> Curve:
    """The same curve one degree higher."""
    if curve.degree >= LARGEST_DEGREE:
        raise FitProblem(f"Degree {LARGEST_DEGREE} is the highest", "Split the curve instead")
    return curve.elevated()


def pulled(curve: Curve, parameter: float, to: Floats) -> Curve:
    """The curve through a place instead of where it was at a parameter, its poles moved as little as can be.

    The change of least squares: each pole by its share in that place (Bartels and Beatty, "A technique for the direct
    manipulation of spline curves", 1989).
    """
    shares = basis_matrix(curve.knots, curve.degree, np.array([parameter]), 0)[0]
    if curve.weights is not None:
        shares = shares * curve.weights / (shares @ curve.weights)
    move = np.asarray(to) - curve.at([parameter])[0]
    return curve.with_points(curve.points + np.outer(shares / (shares @ shares), move))


def with_end(curve: Curve, at_end: bool, tangent: Floats | None = None, bend: Floats | None = None) -> Curve:
    """The curve with a new derivative at an end: ``tangent`` (its length counts), or the place that the handle of the
    bend points to, from the end, in mm along and across; the end itself stays."""
    run = reversed_curve(curve) if at_end else curve
    points = run.points.copy()
    rows = [basis_matrix(run.knots, run.degree, np.array([run.domain[0]]), k)[0] for k in range(3)]
    if tangent is not None:
        before = rows[1] @ points
        points[1] = (np.asarray(tangent) - rows[1][0] * points[0]) / rows[1][1]
        if run.count > 3 and run.degree > 1:
            # the bend turns with the tangent as little as it can
            size = float(np.linalg.norm(np.asarray(tangent))) / max(float(np.linalg.norm(before)), TINY)
            second = (rows[2] @ run.points) * size**2
            points[2] = (second - rows[2][:2] @ points[:2]) / rows[2][2]
    if bend is not None:
        if run.degree < 2 or run.count < 4:
            raise FitProblem("The curve has no bend at its end", "Raise its degree first")
        speed = float(np.linalg.norm(rows[1] @ points))
        second = speed**2 * np.asarray(bend)
        way = unit((rows[1] @ points)[None])[0]
        kept = ((rows[2] @ points) @ way) * way
        points[2] = (second - (second @ way) * way + kept - rows[2][:2] @ points[:2]) / rows[2][2]
    moved = run.with_points(points)
    return reversed_curve(moved) if at_end else moved


def _on_ribbon(curve: Curve, change: Callable[[Surface], Surface]) -> Curve:
    """What is done to a patch along u, done to a curve: as both long edges of a ribbon without width."""
    weights = None if curve.weights is None else np.repeat(curve.weights[:, None], 2, axis=1)
    ribbon = Surface((curve.degree, 1), (curve.knots, bezier_knots(1)), np.repeat(curve.points[:, None], 2, 1), weights)
    return edge_curve(change(ribbon), Edge.V_LOW)
