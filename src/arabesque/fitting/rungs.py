"""The spline spaces a patch may have along one direction, from light to heavy."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry import Curve, basis_matrix, breakpoints, greville, uniform_knots

HIGHEST_DEGREE = 5
"""Single-span degree up to which patches climb before they get spans instead."""
SPAN_DEGREE = 3
FEWEST_SPANS, MOST_SPANS = 2, 40
CALM_SHARE = 0.1
"""However calm a part is, knots stand no further apart than if its change were this share of the mean."""
SAME_KNOT = 1e-9
PROBES = 14
"""Spans of the spline whose third derivative tells where the form changes."""


@dataclass(frozen=True, eq=False)
class Rung:
    """Degree and clamped knots on [0, 1]."""

    degree: int
    knots: Floats

    @property
    def count(self) -> int:
        """Control points along."""
        return len(self.knots) - self.degree - 1

    @cached_property
    def key(self) -> tuple[int, bytes]:
        """The same for rungs that are the same."""
        return self.degree, self.knots.tobytes()

    @cached_property
    def greville(self) -> Floats:
        """(count,) parameters at which the control points have most say."""
        return greville(self.knots, self.degree)


def even_rungs(most: int) -> list[Rung]:
    """Degrees 1 to 5 with one span, then cubics with more and more equal spans, up to ``most`` points along."""
    single = [Rung(degree, uniform_knots(degree, 1)) for degree in range(1, HIGHEST_DEGREE + 1)]
    spans = range(FEWEST_SPANS, MOST_SPANS + 1)
    more = [Rung(SPAN_DEGREE, uniform_knots(SPAN_DEGREE, n)) for n in spans]
    return sorted((rung for rung in single + more if rung.count <= most), key=lambda rung: rung.count)


def rungs_over(curves: Sequence[Curve], most: int, highest: int = HIGHEST_DEGREE) -> list[Rung]:
    """The spline spaces that hold curves over [0, 1] exactly, from the lightest on, up to ``most`` points along: with
    all their knots and degrees up to ``highest``, then with the longest span halved again and again."""
    lowest = max(curve.degree for curve in curves)
    found = []
    for degree in range(lowest, max(lowest, highest) + 1):
        inner: list[float] = []
        for at in np.unique(np.concatenate([breakpoints(curve.knots) for curve in curves]))[1:-1]:
            times = [np.count_nonzero(np.abs(c.knots - at) < SAME_KNOT) + degree - c.degree for c in curves]
            inner += [float(at)] * max(n for n, c in zip(times, curves, strict=True) if n > degree - c.degree)
        found.append(Rung(degree, _clamped(degree, inner)))
    finer = found[max(0, SPAN_DEGREE - lowest)] if lowest <= HIGHEST_DEGREE else found[0]
    while finer.count < most:
        breaks = breakpoints(finer.knots)
        longest = int(np.diff(breaks).argmax())
        middle = (breaks[longest] + breaks[longest + 1]) / 2
        finer = Rung(finer.degree, np.sort(np.append(finer.knots, middle)))
        found.append(finer)
    return sorted((rung for rung in found if rung.count <= most), key=lambda rung: rung.count)


def _clamped(degree: int, inner: Sequence[float] | Floats) -> Floats:
    return np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)])


def driven_rungs(lines: Floats, most: int) -> list[Rung]:
    """Cubics whose knots stand close where lines change much, and wide where they are calm.

    lines: (k, n, 3) places at even parameters. Knots share out the fourth root of the fourth derivative, which is
    what a cubic misses (de Boor, "A Practical Guide to Splines", revised edition, 2001, chapter XII).
    """
    places = np.linspace(0.0, 1.0, lines.shape[1])
    spans = min(PROBES, (lines.shape[1] - 1) // 3)
    knots = uniform_knots(SPAN_DEGREE, spans)
    flat = np.moveaxis(lines, 1, 0).reshape(len(places), -1)
    points = np.linalg.lstsq(basis_matrix(knots, SPAN_DEGREE, places, 0), flat, rcond=None)[0]
    middles = (np.arange(spans) + 0.5) / spans
    third = basis_matrix(knots, SPAN_DEGREE, middles, SPAN_DEGREE) @ points
    jumps = np.linalg.norm(np.diff(third, axis=0), axis=1)
    change = np.concatenate([jumps[:1], (jumps[1:] + jumps[:-1]) / 2, jumps[-1:]]) ** (1 / (SPAN_DEGREE + 1))
    change = np.maximum(change, CALM_SHARE * change.mean()) + 1e-12
    # from piece to piece the density changes by no more than a half: knots that jump make a net that jumps
    for _ in range(spans):
        change[1:] = np.maximum(change[1:], change[:-1] / 2)
        change[:-1] = np.maximum(change[:-1], change[1:] / 2)
    total = np.concatenate([[0.0], np.cumsum(change)])
    made = []
    for n in range(FEWEST_SPANS + 1, MOST_SPANS + 1):
        inner = np.interp(np.linspace(0, total[-1], n + 1)[1:-1], total, np.linspace(0, 1, spans + 1))
        made.append(Rung(SPAN_DEGREE, _clamped(SPAN_DEGREE, inner)))
    return [rung for rung in made if rung.count <= most]
