"""Lofts: one surface through sections, smooth or straight between them, open or closed round."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.fitting import looks_outward
from arabesque.geometry import (
    Curve,
    Manner,
    Surface,
    basis_matrix,
    compatible_curves,
    extended,
    foot_points,
    greville,
    join_curves,
    reversed_curve,
    split_curve,
)
from arabesque.geometry.nets import flat_normal
from arabesque.scan import Scan
from arabesque.tracing.crossings import every_crossing
from arabesque.tracing.fit import clamped_rows

SAME_PLACE = 1e-6
"""mm: a curve whose ends lie nearer to each other is closed."""
READ = 33
HALF_ROUND, ONCE_ROUND = 180.0, 400.0
"""Degrees: an open polygon that turns no further than the one, and a closed one no further than the other, does not
cross itself."""
GUIDE_PLACES = 200
BETWEEN = (1 / 3, 2 / 3)
"""Shares of the way from section to section at which a loft with guides has sections more."""
"""Places at which two sections are compared."""
NO_TWIST, TURNED, BEGUN = 0.2, 1.05, 0.7
"""Of their size: sections that lie less apart about their middles correspond. And how much less twist it takes that a
section is turned round, or begun anew."""


@dataclass(frozen=True)
class LoftWay:
    """How a loft runs from section to section.

    degree: across them, at most (1 is straight). closed: from the last back to the first. before, after: mm beyond
    the first and the last section. corresponding: sections are turned round, and closed ones begun anew, to correspond.
    square_first, square_last: how strongly it sets out square to the plane of its first and last section, as a share of
    the way to the next one; 0 leaves it free.
    """

    degree: int = 3
    closed: bool = False
    before: float = 0.0
    after: float = 0.0
    corresponding: bool = True
    square_first: float = 0.0
    square_last: float = 0.0


def loft(sections: Sequence[Curve], way: LoftWay = LoftWay(), guides: Sequence[Curve] = ()) -> Surface:
    """The surface through sections in their order; u runs along them, v across.

    guides: curves that it passes between the sections too.

    Skinning: common degree and knots along, and across interpolation of the control points at the mean chord lengths
    (Piegl and Tiller, "The NURBS Book", 2nd edition, section 10.3). Raises FitProblem, naming the section and the
    cure, where sections do not correspond.
    """
    curves = list(sections)
    if len(curves) < (3 if way.closed else 2):
        raise FitProblem(f"{len(curves)} sections make no loft", f"Choose {'three' if way.closed else 'two'} or more")
    if any(curve.weights is not None for curve in curves):
        raise FitProblem("A rational curve is among the sections", "Fit a polynomial curve to it first")
    _check_alike(curves)
    curves = corresponding(curves) if way.corresponding else curves
    alike = compatible_curves(curves)
    made = _skinned(alike, way)
    if guides:
        made = _skinned(_passing(made, alike, guides, way.closed), way)
    if not way.closed:
        for at_end, length in ((False, way.before), (True, way.after)):
            made = extended(made, 1, at_end, length, Manner.NATURAL) if length else made
    return made


def _skinned(alike: Sequence[Curve], way: LoftWay) -> Surface:
    """Through sections of one degree and knot vector."""
    rows = np.array([curve.points for curve in alike])
    degree = min(way.degree, len(rows) - 1 + way.closed)
    if way.closed:
        knots, points = _closed_across(rows, degree)
    elif (way.square_first or way.square_last) and way.degree > 1:
        knots, points, degree = _square_across(alike, way)
    else:
        knots, points = _across(rows, degree)
    return Surface((alike[0].degree, degree), (alike[0].knots, knots), points.swapaxes(0, 1))


def _square_across(alike: Sequence[Curve], way: LoftWay) -> tuple[Floats, Floats, int]:
    """As ``_across``, but cubic, and with given derivatives at the ends: square to the sections there."""
    from scipy.interpolate import make_interp_spline  # not needed at the start of the window

    rows = np.array([curve.points for curve in alike])
    t = _parameters(rows, False)
    ends: list[list[tuple[int, Floats]]] = []
    for k, beside, strength in ((0, 1, way.square_first), (-1, -2, way.square_last)):
        normal = flat_normal(rows[k])
        chord = rows[beside].mean(axis=0) - rows[k].mean(axis=0)
        step = abs(float(t[beside] - t[k]))
        sign = np.sign(normal @ chord) * (1.0 if k == 0 else -1.0)
        slope = strength * float(np.linalg.norm(chord)) / step * sign * normal
        flat = np.tile(slope, rows.shape[1])
        ends.append([(1, flat)] if strength else [(2, np.zeros(flat.shape))])
    found = make_interp_spline(t, rows.reshape(len(rows), -1), k=3, bc_type=(ends[0], ends[1]))
    points = found.c.reshape(-1, *rows.shape[1:])
    points[0], points[-1] = rows[0], rows[-1]
    return np.asarray(found.t), points, 3


def _passing(made: Surface, alike: Sequence[Curve], guides: Sequence[Curve], closed: bool) -> list[Curve]:
    """The sections with others between them, bent so that they pass the guides.

    Raises FitProblem for a guide that misses the loft: one that ends before it has met two sections, or that lies
    further off than the sections lie apart.
    """
    v0, v1 = made.domain[1]
    count = len(alike) - 1 + closed
    at = v0 + (v1 - v0) * _parameters(np.array([curve.points for curve in alike]), closed)
    places, feet = [], []
    for number, guide in enumerate(guides, 1):
        dense = guide.at(np.linspace(*guide.domain, GUIDE_PLACES))
        foot = foot_points(made, dense)
        apart = float(np.linalg.norm(np.diff([c.points.mean(axis=0) for c in alike], axis=0), axis=1).max())
        off = np.linalg.norm(foot.points - dense, axis=1)
        if np.ptp(foot.uv[:, 1]) < 0.5 * (v1 - v0) / count or off.max() > apart:
            raise FitProblem(
                f"Guide {number} misses the sections: it lies up to {off.max():.3g} mm off the loft",
                "Draw it across the sections, or leave it out",
            )
        places.append(dense)
        feet.append(foot.uv)
    rows: list[Curve] = []
    for k in range(count):
        rows.append(alike[k])
        for share in BETWEEN:
            v = (1 - share) * at[k] + share * at[k + 1]
            rows.append(_bent(made, v, alike[0], places, feet))
    return rows if closed else [*rows, alike[-1]]


def _bent(made: Surface, v: float, like: Curve, places: Sequence[Floats], feet: Sequence[Floats]) -> Curve:
    """The line of a loft at v, moved by what the guides are off there; between guides by what lies between."""
    basis = basis_matrix(made.knots[1], made.degree[1], np.array([v]), 0)[0]
    points = np.tensordot(made.points, basis, axes=(1, 0))
    at, moves = [], []
    for dense, uv in zip(places, feet, strict=True):
        k = int(np.abs(uv[:, 1] - v).argmin())
        if uv[:, 1].min() - 1e-9 <= v <= uv[:, 1].max() + 1e-9:
            at.append(float(uv[k, 0]))
            moves.append(dense[k] - made.at(uv[[k]])[0])
    if at:
        order = np.argsort(at)
        places_u, found = np.array(at)[order], np.array(moves)[order]
        u = greville(like.knots, like.degree)
        period = like.domain[1] - like.domain[0] if is_closed(like) else None
        points = points + np.column_stack([np.interp(u, places_u, found[:, c], period=period) for c in range(3)])
        if period is not None:
            points[-1] = points[0]
    return like.with_points(points)


def odd_sections(sections: Sequence[Curve]) -> list[int]:
    """Numbers of the sections that keep a loft from being made: open among closed ones, or the other way round, and
    those that lie where the one before lies."""
    closed = np.array([is_closed(curve) for curve in sections])
    few = closed if closed.sum() <= len(closed) / 2 else ~closed
    odd = set(np.flatnonzero(few).tolist()) if closed.any() and not closed.all() else set()
    read = [_read(curve) for curve in sections]
    odd |= {k + 1 for k, (one, two) in enumerate(pairwise(read)) if np.abs(one - two).max() < SAME_PLACE}
    return sorted(odd)


def is_closed(curve: Curve) -> bool:
    """True for a curve that ends where it begins."""
    return bool(np.linalg.norm(curve.points[0] - curve.points[-1]) < SAME_PLACE)


def in_order(sections: Sequence[Curve]) -> list[int]:
    """Numbers of sections so that each lies beside the next, whatever order they came in.

    The furthest pair of middles are the ends; in between by the way from one of them to the other, then improved by
    swapping neighbours while that makes the way through all middles shorter.
    """
    middles = np.array([_read(curve).mean(axis=0) for curve in sections])
    apart = np.linalg.norm(middles[:, None] - middles[None], axis=2)
    first, last = np.unravel_index(int(apart.argmax()), apart.shape)
    if len(sections) < 3 or apart.max() == 0:
        return list(range(len(sections)))
    order = [int(min(first, last))]
    left = set(range(len(sections))) - set(order)
    while left:
        order.append(min(left, key=lambda k: float(apart[order[-1], k])))
        left.discard(order[-1])
    # a greedy walk may leave one behind: turning stretches round shortens the way (2-opt: Croes 1958)
    shorter = True
    while shorter:
        shorter = False
        for i in range(len(order) - 1):
            for k in range(i + 1, len(order)):
                trial = order[:i] + order[i : k + 1][::-1] + order[k + 1 :]
                if _way(apart, trial) < _way(apart, order) - 1e-9:
                    order, shorter = trial, True
    return order


def _way(apart: Floats, order: Sequence[int]) -> float:
    return float(apart[order[:-1], order[1:]].sum())


def corresponding(sections: Sequence[Curve]) -> list[Curve]:
    """The sections turned round, and closed ones begun anew, so that each corresponds to the one before.

    What is there is kept unless another way twists plainly less: a new start costs knots.
    """
    read = _read_all(sections)
    straight, turned = _twists(read[:-1], read[1:]), _twists(read[:-1], read[1:, ::-1])
    if (straight <= TURNED * turned).all() and (straight <= NO_TWIST * _sizes(read[:-1])).all():
        return list(sections)
    made, before = [sections[0]], read[0]
    for curve in sections[1:]:
        now = _read(curve)
        as_is, back = _twist(before, now), _twist(before, now[::-1])
        choice, twist = (curve, as_is) if as_is <= TURNED * back else (reversed_curve(curve), back)
        if twist > NO_TWIST * float(_sizes(before[None])[0]) and is_closed(curve):
            for run in (curve, reversed_curve(curve)):
                anew = begun_at(run, _start_like(before, run))
                found = _twist(before, _read(anew))
                if found < BEGUN * twist:
                    choice, twist = anew, found
        made.append(choice)
        before = now if choice is curve else _read(choice)
    return made


def begun_at(curve: Curve, parameter: float) -> Curve:
    """A closed curve begun at another of its places; as smooth there as the knots say."""
    low, high = curve.domain
    if parameter - low < 1e-9 * (high - low) or high - parameter < 1e-9 * (high - low):
        return curve
    one, two = split_curve(curve, parameter)
    return join_curves(two, one)


def _start_like(before: Floats, curve: Curve) -> float:
    """The parameter of the place that lies about the middle as the first of other places lies about theirs."""
    t = np.linspace(*curve.domain, 8 * READ)
    places = curve.at(t)
    away = np.linalg.norm(places - places.mean(axis=0) - (before[0] - before.mean(axis=0)), axis=1)
    return float(t[int(away.argmin())])


def _read(curve: Curve) -> Floats:
    return curve.at(np.linspace(*curve.domain, READ))


def _read_all(curves: Sequence[Curve]) -> Floats:
    """(n, READ, 3) places of curves; of one basis for all where they have the same."""
    first = curves[0]
    if first.weights is None and len({(curve.degree, curve.knots.tobytes()) for curve in curves}) == 1:
        basis = basis_matrix(first.knots, first.degree, np.linspace(*first.domain, READ), 0)
        return np.asarray(np.matmul(basis, np.array([curve.points for curve in curves])))
    return np.array([_read(curve) for curve in curves])


def _sizes(read: Floats) -> Floats:
    """(n,) mean distances of (n, READ, 3) places from their middles, mm."""
    return np.asarray(np.linalg.norm(read - read.mean(axis=1, keepdims=True), axis=2).mean(axis=1))


def _twists(one: Floats, two: Floats) -> Floats:
    """(n,) how far places at equal shares of pairs of curves lie apart, about their middles and for their size, mm."""
    a, b = (read - read.mean(axis=1, keepdims=True) for read in (one, two))
    share = _sizes(one) / np.maximum(_sizes(two), 1e-300)
    return np.asarray(np.linalg.norm(a - b * share[:, None, None], axis=2).mean(axis=1))


def _twist(one: Floats, two: Floats) -> float:
    return float(_twists(one[None], two[None])[0])


def _check_alike(curves: Sequence[Curve]) -> None:
    closed = [is_closed(curve) for curve in curves]
    if any(closed) and not all(closed):
        odd = closed.index(not (sum(closed) > len(closed) / 2))
        raise FitProblem(
            f"Section {odd + 1} is {'closed' if closed[odd] else 'open'}, most of the others are not",
            "Cut all of them by the same half plane, or leave this one out",
        )
    read = _read_all(curves)
    same = np.flatnonzero(np.abs(np.diff(read, axis=0)).max(axis=(1, 2)) < SAME_PLACE)
    if len(same):
        raise FitProblem(f"Sections {same[0] + 1} and {same[0] + 2} lie at one place", "Leave one of them out")
    _check_apart(curves)


def _check_apart(curves: Sequence[Curve]) -> None:
    """Raises FitProblem, saying where, for sections that cross or touch each other or themselves.

    Most cannot: their boxes lie apart, and their polygons turn round no more than once.
    """
    low, high = (np.array([getattr(curve.points, end)(axis=0) for curve in curves]) for end in ("min", "max"))
    over = (low[:, None] <= high[None]).all(axis=2)
    near = over & over.T & ~np.eye(len(curves), dtype=bool)
    wound = [_turning(curve.points) > (ONCE_ROUND if is_closed(curve) else HALF_ROUND) for curve in curves]
    numbers = np.flatnonzero(near.any(axis=1) | np.array(wound)).tolist()
    if not numbers:
        return
    for one in every_crossing([curves[k] for k in numbers], SAME_PLACE, SAME_PLACE).found:
        first, second = numbers[one.first], numbers[one.second]
        x, y, z = one.place
        where = f"at {x:.1f}, {y:.1f}, {z:.1f}"
        if first == second:
            raise FitProblem(f"Section {first + 1} touches itself {where}", "Pull its poles apart there")
        raise FitProblem(f"Sections {first + 1} and {second + 1} cross {where}", "Move one of them, or leave it out")


def _turning(points: Floats) -> float:
    """Degrees by which a polygon turns in all."""
    legs = points[1:] - points[:-1]
    legs = legs[(legs != 0).any(axis=1)]
    dots, squares = (legs[:-1] * legs[1:]).sum(axis=1), (legs**2).sum(axis=1)
    cosine = dots / np.sqrt(squares[:-1] * squares[1:])
    return float(np.degrees(np.arccos(cosine.clip(-1.0, 1.0))).sum())


def _parameters(rows: Floats, closed: bool) -> Floats:
    """Mean over the control points of the chord lengths from row to row, on [0, 1]; points that stay do not count."""
    ring = np.concatenate([rows, rows[:1]]) if closed else rows
    chords = np.linalg.norm(np.diff(ring, axis=0), axis=2)
    lengths = chords.sum(axis=0)
    moving = lengths > 1e-9 * max(float(lengths.max()), 1e-300)
    share = (chords[:, moving] / lengths[moving]).mean(axis=1)
    return np.concatenate([[0.0], np.cumsum(share)]) / share.sum()


def _across(rows: Floats, degree: int) -> tuple[Floats, Floats]:
    """Knots, and (rows, n, 3) control points whose spline goes through all rows (The NURBS Book, 9.8)."""
    t = _parameters(rows, False)
    inner = [t[j : j + degree].mean() for j in range(1, len(rows) - degree)]
    knots = np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)])
    flat = np.linalg.solve(basis_matrix(knots, degree, t, 0), rows.reshape(len(rows), -1))
    points = flat.reshape(rows.shape)
    points[0], points[-1] = rows[0], rows[-1]
    return knots, points


def _closed_across(rows: Floats, degree: int) -> tuple[Floats, Floats]:
    from scipy.interpolate import make_interp_spline  # not needed at the start of the window

    t = _parameters(rows, True)
    ring = np.concatenate([rows, rows[:1]]).reshape(len(rows) + 1, -1)
    if degree == 1:
        return np.concatenate([[0.0], t, [1.0]]), ring.reshape(-1, *rows.shape[1:])
    found = make_interp_spline(t, ring, k=3, bc_type="periodic")
    knots, points = clamped_rows(found.t, 3, found.c)
    return knots, points.reshape(-1, *rows.shape[1:])


class OutwardLoft(NamedTuple):
    """A loft that looks the way a scan does. order: numbers of its sections; way: how it runs in that order."""

    order: list[int]
    way: LoftWay
    surface: Surface


def outward_loft(curves: Sequence[Curve], way: LoftWay, scan: Scan | None, guides: Sequence[Curve] = ()) -> OutwardLoft:
    """The loft through sections in their order, or the other way round, so that it looks the way the scan does."""
    order = list(range(len(curves)))
    made = loft(curves, way, guides)
    if scan is None or looks_outward(made, scan):
        return OutwardLoft(order, way, made)
    turned = backwards(way)
    return OutwardLoft(order[::-1], turned, loft(curves[::-1], turned, guides))


def backwards(way: LoftWay) -> LoftWay:
    """The way for the same sections in the other order."""
    return replace(way, before=way.after, after=way.before, square_first=way.square_last, square_last=way.square_first)
