"""Where many curves cross, and where they nearly meet: all places at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, tree_of, unit
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, breakpoints, parts_of_curve

STEPS_A_PIECE = 6
"""Straight steps by which a polynomial piece is looked at first."""
ROUNDS, ALONE, RESTS = 12, 4, 1e-10
"""Steps at most, how many of them move one foot at a time, and the share of a curve that is no step any more."""
MET = 1e-9
"""mm: nearer than that, curves have met."""
ALONG = 0.05
"""Of the domain: curves that cross themselves do so at parameters further apart than that."""
SIDE_BY_SIDE = 0.05
"""Sine of the angle below which curves run side by side, rather than cross."""
AT_END = 1e-6
"""Of the domain: a crossing so near to an end lies at it."""
SAME_PLACE = 1e-6
NEAR, PASSING = 10.0, 3.0
"""Tolerances: an end that comes so near to a curve nearly meets it, and so near pass two that seem to cross."""


class Crossing(NamedTuple):
    """Where two curves meet: their numbers, the parameters on them, the (3,) middle, and how far apart they pass."""

    first: int
    second: int
    t: float
    s: float
    place: Floats
    gap: float


@dataclass(frozen=True, eq=False)
class Crossings:
    """found: within the tolerance. nearly: further apart, but near; the smallest gaps first."""

    found: tuple[Crossing, ...]
    nearly: tuple[Crossing, ...]


def every_crossing(curves: Sequence[Curve], tolerance: float, near: float | None = None) -> Crossings:
    """All places where curves cross, end on each other, or cross themselves, within ``tolerance`` mm.

    near: mm up to which an end that misses counts as nearly meeting; ten tolerances if not given. Curves that pass
    each other do so up to three: one of them follows a dent that the other one spans; further apart, they are meant
    to. Candidates come from straight steps, then both feet move at once
    (Gauss-Newton on the squared distance) until they rest.
    """
    if not tolerance > 0:
        raise FitProblem(f"A tolerance of {tolerance} mm is not possible", "Give a length above 0")
    near = NEAR * tolerance if near is None else max(near, tolerance)
    if not curves:
        return Crossings((), ())
    pieces = _Pieces(curves)
    number, t = pieces.candidates(near)
    if not len(number):
        return Crossings((), ())
    t, gap = pieces.closest(number, t)
    places = pieces.at(number.ravel(), t.ravel(), 1)
    points, ways = (values.reshape(-1, 2, 3) for values in places)
    beside = np.linalg.norm(np.cross(unit(ways[:, 0]), unit(ways[:, 1])), axis=1) < SIDE_BY_SIDE
    at_end = pieces.at_end(number, t)
    same = number[:, 0] == number[:, 1]
    width = pieces.width[number[:, 0]]
    apart = np.abs(t[:, 0] - t[:, 1])
    closed = pieces.closed[number[:, 0]]
    apart = np.where(closed, np.minimum(apart, width - apart), apart)
    good = (gap <= near) & ~(same & (apart < ALONG * width)) & ~(beside & ~at_end.any(axis=1))
    good &= (gap <= min(near, PASSING * tolerance)) | at_end.any(axis=1)
    order = np.flatnonzero(good)
    order = order[np.lexsort((gap[order], gap[order] > tolerance))]
    return _apart(number[order], t[order], points[order], gap[order], at_end[order], tolerance, near)


def _apart(
    number: Ints, t: Floats, points: Floats, gap: Floats, at_end: Bools, tolerance: float, near: float
) -> Crossings:
    """The crossings without those that say the same again."""
    if not len(number):
        return Crossings((), ())
    middles = points.mean(axis=1)
    pair = np.sort(number, axis=1) @ [1, int(number.max()) + 1]
    # most say the same to rounding: one of each stays
    keys = np.column_stack([pair, np.round(middles / (10 * SAME_PLACE))])
    _, first = np.unique(keys, axis=0, return_index=True)
    first = np.sort(first)
    number, t, middles, gap, pair = number[first], t[first], middles[first], gap[first], pair[first]
    at_end = at_end[first]
    tree = tree_of(middles)
    within = gap <= tolerance
    beside = tree.query_ball_point(middles, np.where(within, max(tolerance, SAME_PLACE), near))
    alive = np.ones(len(number), dtype=bool)
    found: list[Crossing] = []
    nearly: list[tuple[Crossing, set[int]]] = []
    for k in range(len(number)):
        if not alive[k]:
            continue
        one = Crossing(int(number[k, 0]), int(number[k, 1]), float(t[k, 0]), float(t[k, 1]), middles[k], float(gap[k]))
        if within[k]:
            found.append(one)
        else:
            nearly.append((one, {int(n) for n in number[k][at_end[k]]}))
        # the same pair again says the same
        same = np.array(beside[k])
        alive[same[pair[same] == pair[k]]] = False
    return Crossings(tuple(found), tuple(_untold(nearly, found, near)))


def _untold(nearly: Sequence[tuple[Crossing, set[int]]], found: Sequence[Crossing], near: float) -> list[Crossing]:
    """What nearly meets where it does not meet beside that, nor has been told of; each with the curves that end there.

    An end has met where its curve meets any other close by; two that pass each other, where both meet.
    """
    kept: list[Crossing] = []
    places = np.array([one.place for one in found] if nearly else []).reshape(-1, 3)
    for one, ends in nearly:
        others = [found[int(k)] for k in np.flatnonzero(np.linalg.norm(places - one.place, axis=1) <= near)]
        others += [other for other in kept if np.linalg.norm(other.place - one.place) <= near]
        if ends:
            told = ends <= {number for other in others for number in (other.first, other.second)}
        else:
            told = any({other.first, other.second} == {one.first, one.second} for other in others)
        if not told:
            kept.append(one)
    return kept


def parts_at(curves: Sequence[Curve], crossings: Sequence[Crossing]) -> list[list[Curve]]:
    """Each curve cut at its crossings, exactly; its parts in order."""
    return [parts_of_curve(curve, at) for curve, at in zip(curves, cuts_of(curves, crossings), strict=True)]


def cuts_of(curves: Sequence[Curve], crossings: Sequence[Crossing]) -> list[Floats]:
    """For each curve the rising parameters strictly inside at which it is crossed."""
    at: list[list[float]] = [[] for _ in curves]
    for one in crossings:
        at[one.first].append(one.t)
        at[one.second].append(one.s)
    cuts = []
    for curve, params in zip(curves, at, strict=True):
        low, high = curve.domain
        margin = AT_END * (high - low)
        rising = np.unique(params)
        inside = rising[(rising > low + margin) & (rising < high - margin)]
        kept = np.concatenate([[True], np.diff(inside) > margin]) if len(inside) else np.zeros(0, dtype=bool)
        cuts.append(inside[kept])
    return cuts


class _Pieces:
    """The polynomial pieces of curves as Bézier nets of one degree, in homogeneous coordinates, read together."""

    def __init__(self, curves: Sequence[Curve]) -> None:
        degree = max(curve.degree for curve in curves)
        shares = (1 - np.cos(np.pi * (np.arange(degree + 1) + 0.5) / (degree + 1))) / 2
        inverse = np.linalg.inv(_bernstein(degree, shares))
        nets, lows, widths, starts = [], [], [], [0]
        for curve in curves:
            breaks = breakpoints(curve.knots)
            t = (breaks[:-1, None] + np.diff(breaks)[:, None] * shares).ravel()
            values = np.column_stack([curve.at(t), np.ones(len(t))])
            if curve.weights is not None:
                one = Curve(curve.degree, curve.knots, np.repeat(curve.weights[:, None], 3, 1))
                values *= one.at(t)[:, :1]
            nets.append(np.matmul(inverse, values.reshape(len(breaks) - 1, degree + 1, 4)))
            lows.append(breaks[:-1])
            widths.append(np.diff(breaks))
            starts.append(starts[-1] + len(breaks) - 1)
        self._degree = degree
        self._nets, self._lows, self._widths = np.concatenate(nets), np.concatenate(lows), np.concatenate(widths)
        self._starts = np.array(starts)
        self._owner = np.repeat(np.arange(len(curves)), np.diff(self._starts))
        domains = np.array([curve.domain for curve in curves])
        self.low, self.high = domains.T
        self.width = self.high - self.low
        # parameters of all curves one after the other, so that one search finds the piece
        self._offset = np.concatenate([[0.0], np.cumsum(self.width + 1.0)[:-1]]) - self.low
        self._table = self._lows + self._offset[self._owner]
        ends = self.at(np.arange(len(curves)), self.low)[0], self.at(np.arange(len(curves)), self.high)[0]
        self.closed: Bools = np.linalg.norm(ends[0] - ends[1], axis=1) < SAME_PLACE

    def at(self, number: Ints, t: Floats, order: int = 0) -> Floats:
        """(order + 1, n, 3) places and derivatives of curves of a number at parameters."""
        found = np.searchsorted(self._table, t + self._offset[number], side="right") - 1
        piece = np.clip(found, self._starts[number], self._starts[number + 1] - 1)
        share = (t - self._lows[piece]) / self._widths[piece]
        values = [np.einsum("nk,nkc->nc", _bernstein(self._degree, share), self._nets[piece])]
        if order:
            slope = np.diff(self._nets[piece], axis=1) * (self._degree / self._widths[piece])[:, None, None]
            values.append(np.einsum("nk,nkc->nc", _bernstein(self._degree - 1, share), slope))
        place = values[0][:, :3] / values[0][:, 3:]
        found_ = [place]
        if order:
            found_.append((values[1][:, :3] - place * values[1][:, 3:]) / values[0][:, 3:])
        return np.array(found_)

    def candidates(self, near: float) -> tuple[Ints, Floats]:
        """(k, 2) numbers of curves and parameters of straight steps that come near each other."""
        share = (np.arange(STEPS_A_PIECE) + 0.5) / STEPS_A_PIECE
        t = (self._lows[:, None] + self._widths[:, None] * share).ravel()
        number = np.repeat(self._owner, STEPS_A_PIECE)
        points, ways = self.at(number, t, 1)
        half = np.linalg.norm(ways, axis=1) * np.repeat(self._widths, STEPS_A_PIECE) / STEPS_A_PIECE
        tree = tree_of(points)
        pairs = tree.query_pairs(float(1.1 * half.max()) + near, output_type="ndarray")
        if not len(pairs):
            return np.empty((0, 2), dtype=np.int64), np.empty((0, 2))
        a, b = pairs.T
        away = np.linalg.norm(points[a] - points[b], axis=1)
        keep = away <= 0.6 * (half[a] + half[b]) + near
        beside = (number[a] == number[b]) & (np.abs(a - b) < 3)
        a, b = a[keep & ~beside], b[keep & ~beside]
        return np.column_stack([number[a], number[b]]), np.column_stack([t[a], t[b]])

    def closest(self, number: Ints, t: Floats) -> tuple[Floats, Floats]:
        """The parameters moved to where the curves come closest, and the distances there, mm."""
        low, high = self.low[number], self.high[number]
        t = t.copy()
        moving = np.arange(len(number))
        for step in range(ROUNDS):
            alone = step >= ROUNDS - ALONE
            if step == ROUNDS - ALONE:
                moving = np.flatnonzero(self._gaps(number, t) > MET)
            if not len(moving):
                continue
            t_now, (lo, hi) = t[moving], (low[moving], high[moving])
            points, ways = (v.reshape(-1, 2, 3) for v in self.at(number[moving].ravel(), t_now.ravel(), 1))
            off = points[:, 0] - points[:, 1]
            a, c = (np.einsum("nc,nc->n", ways[:, k], ways[:, k]) for k in (0, 1))
            p, q = -np.einsum("nc,nc->n", ways[:, 0], off), np.einsum("nc,nc->n", ways[:, 1], off)
            if alone:
                # one at a time: a foot that lies at an end is not to hold the other one off
                move = np.zeros_like(t_now)
                move[:, step % 2] = (q / np.where(c > 0, c, 1.0)) if step % 2 else (p / np.where(a > 0, a, 1.0))
            else:
                b = np.einsum("nc,nc->n", ways[:, 0], ways[:, 1])
                root = np.maximum(a * c - b * b, 1e-6 * a * c)
                root[root == 0] = 1.0
                move = np.column_stack([(c * p + b * q) / root, (b * p + a * q) / root])
                # a step goes no further than a quarter of the curve
                move = np.clip(move, -0.25 * (hi - lo), 0.25 * (hi - lo))
            t[moving] = np.clip(t_now + move, lo, hi)
            if not alone:
                rests = (np.abs(move) < RESTS * (hi - lo)).all(axis=1)
                moving = moving[~rests]
        return t, self._gaps(number, t)

    def _gaps(self, number: Ints, t: Floats) -> Floats:
        points = self.at(number.ravel(), t.ravel())[0].reshape(-1, 2, 3)
        return np.asarray(np.linalg.norm(points[:, 0] - points[:, 1], axis=1))

    def at_end(self, number: Ints, t: Floats) -> Bools:
        """(n, 2) which of the parameters lie at the end of an open curve."""
        width, closed = self.width[number], self.closed[number]
        near = np.minimum(t - self.low[number], self.high[number] - t) < AT_END * width
        return np.asarray(near & ~closed)


def _bernstein(degree: int, share: Floats) -> Floats:
    """(n, degree + 1) Bernstein polynomials at (n,) shares, by the recursion over degrees."""
    values = np.zeros((degree + 1, len(share)))
    values[0] = 1.0
    rest = 1.0 - share
    for d in range(1, degree + 1):
        values[d] = share * values[d - 1]
        for k in range(d - 1, 0, -1):
            values[k] = share * values[k - 1] + rest * values[k]
        values[0] *= rest
    return np.ascontiguousarray(values.T)
