"""Where curves meet: closest approaches, and four curves that go round a patch."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import permutations
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, tree_of
from arabesque.errors import FitProblem
from arabesque.fitting import border_line
from arabesque.geometry import Curve, curve_between, curve_feet
from arabesque.scan import Scan
from arabesque.tracing.fit import fit_curve

READ = 200
ROUNDS = 60
SETTLED = 1e-13
SAME = 1e-9


class Approach(NamedTuple):
    """Where two curves come closest: parameters on each, the (3,) middle between, and how far apart, mm."""

    first: float
    second: float
    place: Floats
    gap: float


@dataclass(frozen=True, eq=False)
class Ring:
    """Four curves in order round a patch. order: their numbers. corners: (4, 3), where each begins.

    gaps: (4,) mm there. sides: the parts between the corners, run round.
    """

    order: tuple[int, int, int, int]
    corners: Floats
    gaps: Floats
    sides: tuple[Curve, ...]


def closest_approach(one: Curve, two: Curve) -> Approach:
    """The places where two curves come closest: the nearest of many, then feet from one to the other in turn."""
    t, s = (np.linspace(*curve.domain, READ) for curve in (one, two))
    places = two.at(s)
    away, near = tree_of(places).query(one.at(t))
    best = int(away.argmin())
    a, b = float(t[best]), float(s[near[best]])
    for _ in range(ROUNDS):
        before = a, b
        b = _foot(two, one.at([a]))
        a = _foot(one, two.at([b]))
        if abs(a - before[0]) + abs(b - before[1]) < SETTLED:
            break
    here, there = one.at([a])[0], two.at([b])[0]
    return Approach(a, b, (here + there) / 2, float(np.linalg.norm(here - there)))


def closed_ring(curves: Sequence[Curve], scan: Scan | None, tolerance: float) -> list[Curve]:
    """Two curves that face each other with calm lines over the scan between their ends (straight ones without a scan);
    any other number as they are."""
    if len(curves) != 2:
        return list(curves)
    one, two = curves
    ends = one.points[[0, -1]]
    straight = np.linalg.norm(two.points[[0, -1]] - ends, axis=1).sum()
    turned = np.linalg.norm(two.points[[-1, 0]] - ends, axis=1).sum()
    facing = two.points[[0, -1]] if straight <= turned else two.points[[-1, 0]]
    lines = []
    for start, end in zip(ends, facing, strict=True):
        if scan is None:
            lines.append(Curve.bezier(np.array([start, end])))
        else:
            lines.append(fit_curve(border_line(start, end, scan).points, None, tolerance / 2).curve)
    return [one, lines[1], two, lines[0]]


def _foot(curve: Curve, place: Floats) -> float:
    return float(curve_feet(curve, place).parameters[0])


def ring_of_curves(curves: Sequence[Curve], reach: float) -> Ring:
    """Four curves that go round, meeting at their ends or crossing; each has to come within ``reach`` mm of the next.

    Raises FitProblem, naming two curves and their gap, where they do not.
    """
    if len(curves) != 4:
        raise FitProblem(
            f"{len(curves)} curves go round no patch", "Choose four that meet or cross one after the other"
        )
    if any(curve.weights is not None for curve in curves):
        raise FitProblem("A rational curve is among them", "Fit a polynomial curve to it first")
    pairs = {(i, k): closest_approach(curves[i], curves[k]) for i in range(4) for k in range(i + 1, 4)}

    def gap(order: Sequence[int], k: int) -> float:
        return pairs[min(order[k - 1], order[k]), max(order[k - 1], order[k])].gap

    rounds = [(0, *rest) for rest in permutations((1, 2, 3)) if rest[0] < rest[2]]
    order = min(rounds, key=lambda one: max(gap(one, k) for k in range(4)))
    gaps = np.array([gap(order, k) for k in range(4)])
    worst = int(gaps.argmax())
    if gaps[worst] > reach:
        raise FitProblem(
            f"Curves {order[worst - 1] + 1} and {order[worst] + 1} do not meet: they are {gaps[worst]:.3g} mm apart",
            "Draw one of them on to the other, or allow a larger tolerance",
        )
    corners, ends = [], []
    for k in range(4):
        i, j = order[k - 1], order[k]
        found = pairs[min(i, j), max(i, j)]
        corners.append(found.place)
        ends.append((found.first, found.second) if i < j else (found.second, found.first))
    sides = []
    for k in range(4):
        start, end = ends[k][1], ends[(k + 1) % 4][0]
        if abs(end - start) < SAME * np.ptp(curves[order[k]].domain):
            raise FitProblem(
                f"Curve {order[k] + 1} is met by both its neighbours at one place", "Choose curves that go round"
            )
        sides.append(curve_between(curves[order[k]], start, end))
    a, b, c, d = order
    return Ring((a, b, c, d), np.array(corners), gaps, tuple(sides))
