"""The control net as the eye of a modeler reads it: crossing rows, uneven spacing, points that dip inside."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.geometry import Surface, greville, unit

UNEVEN = 2.0
"""Neighbouring legs of a row that differ by more than this factor are uneven (common practice)."""
CALM_LEG = 1.1
CALM_BEND = 3.0
MOST_BEND = 30.0
"""Degrees a row may turn at a control point, seen along the surface's normal."""
MOSTLY = 0.75
"""The share of a net that must bend one way for a point that bends the other to count as dipping."""
NOTICED = 0.05
"""A dip counts from this share of the usual bend on."""


SPEED_PLACES = 21
"""Places along each parameter line where its speed is read."""


@dataclass(frozen=True)
class Evenness:
    """How evenly a net runs, at its worst place.

    leg: the largest ratio of neighbouring legs of a row, each over its Greville spacing. bend: the largest turn of a
    row at a control point, seen along the surface's normal, degrees. speed: from the fastest to the slowest place
    along one parameter line. leg_at, bend_at: the control point; bend_along: 0 where the row that turns runs along u, 1
    along v.
    """

    leg: float
    bend: float
    speed: float
    leg_at: tuple[int, int] = (0, 0)
    bend_at: tuple[int, int] = (0, 0)
    bend_along: int = 0

    @property
    def calm(self) -> bool:
        """True for a net that runs as if drawn: legs within a tenth, rows that turn by no more than 3°."""
        return self.leg <= CALM_LEG and self.bend <= CALM_BEND

    @property
    def fair(self) -> bool:
        """True for a net that can be worked with: legs within a factor of 2, no row that turns by over 30°."""
        return self.leg <= UNEVEN and self.bend <= MOST_BEND

    def as_record(self) -> dict[str, float]:
        """Plain numbers for a report."""
        return {"leg": self.leg, "bend": self.bend, "speed": self.speed}


def evenness(surface: Surface) -> Evenness:
    """Measure how evenly a net runs; independent of its size and place."""
    normals = _normals(surface)
    legs: list[tuple[float, tuple[int, int]]] = []
    bends: list[tuple[float, tuple[int, int], int]] = []
    for axis in (0, 1):
        rows, up = np.swapaxes(surface.points, 0, axis), np.swapaxes(normals, 0, axis)
        if len(rows) < 3:
            continue
        ratio = _leg_ratios(rows, surface, axis)
        steps = np.diff(rows, axis=0)
        flat = [s - np.einsum("ijc,ijc->ij", s, up[1:-1])[..., None] * up[1:-1] for s in (steps[:-1], steps[1:])]
        across = np.einsum("ijc,ijc->ij", np.cross(flat[0], flat[1]), up[1:-1])
        turn = np.degrees(np.abs(np.arctan2(across, np.einsum("ijc,ijc->ij", flat[0], flat[1]))))
        legs.append(_worst(ratio, axis))
        bends.append((*_worst(turn, axis), axis))
    leg, leg_at = max(legs, default=(1.0, (0, 0)))
    bend, bend_at, bend_along = max(bends, default=(0.0, (0, 0), 0))
    return Evenness(leg, bend, _speed(surface), leg_at, bend_at, bend_along)


def _worst(values: Floats, axis: int) -> tuple[float, tuple[int, int]]:
    """The largest of (n - 2, m) values at inner control points of rows along an axis, and its control point."""
    i, j = (int(k) for k in np.unravel_index(int(values.argmax()), values.shape))
    return float(values[i, j]), (i + 1, j) if axis == 0 else (j, i + 1)


def _speed(surface: Surface) -> float:
    u, v = (np.linspace(*ends, SPEED_PLACES) for ends in surface.domain)
    d = surface.on_grid(u, v, 1)
    worst = 1.0
    for along, axis in ((d[1, 0], 0), (d[0, 1], 1)):
        size = np.linalg.norm(along, axis=2)
        slowest = np.maximum(size.min(axis=axis), 1e-12 * max(float(size.max()), 1e-300))
        worst = max(worst, float((size.max(axis=axis) / slowest).max()))
    return worst


@dataclass(frozen=True, eq=False)
class NetReport:
    """What is found in a net of (nu, nv) control points.

    crossing: (nu-1, nv-1) cells whose rows cross or fold over. uneven: (nu,
    nv) points between legs of very different lengths. dips: (nu, nv) points
    that bend against the rest of the net. worst_ratio: of neighbouring legs.
    """

    crossing: Bools
    uneven: Bools
    dips: Bools
    worst_ratio: float

    @property
    def calm(self) -> bool:
        """True when nothing is found."""
        return not (self.crossing.any() or self.uneven.any() or self.dips.any())


def read_net(surface: Surface) -> NetReport:
    """Judge a control net; every figure is independent of the net's size and place."""
    points = surface.points
    normals = _normals(surface)
    crossing = _crossing(points, normals)
    uneven = np.zeros(points.shape[:2], dtype=bool)
    dips = np.zeros(points.shape[:2], dtype=bool)
    worst = 1.0
    for axis in (0, 1):
        rows, up = np.swapaxes(points, 0, axis), np.swapaxes(normals, 0, axis)
        if len(rows) < 3:
            continue
        ratio = _leg_ratios(rows, surface, axis)
        worst = max(worst, float(ratio.max()))
        np.swapaxes(uneven, 0, axis)[1:-1] |= ratio > UNEVEN
        bend = np.einsum("ijc,ijc->ij", rows[2:] - 2 * rows[1:-1] + rows[:-2], up[1:-1])
        np.swapaxes(dips, 0, axis)[1:-1] |= _against(bend)
    return NetReport(crossing, uneven, dips, worst)


def _against(bend: Floats) -> Bools:
    """Places that bend the other way than most, by more than a trifle."""
    usual = float(np.median(np.abs(bend)))
    side = 1.0 if np.count_nonzero(bend > 0) > np.count_nonzero(bend < 0) else -1.0
    against: Bools = side * bend < -NOTICED * usual
    return against if against.mean() <= 1 - MOSTLY else np.zeros_like(against)


def _normals(surface: Surface) -> Floats:
    (ku, kv), (p, q) = surface.knots, surface.degree
    d = surface.on_grid(greville(ku, p), greville(kv, q), 1)
    return unit(np.cross(d[1, 0], d[0, 1]))


def _leg_ratios(rows: Floats, surface: Surface, axis: int) -> Floats:
    """(n - 2, m) ratios of neighbouring legs of (n, m, 3) rows along an axis; infinite where one has no length.

    The end legs of a clamped spline with inner knots are shorter by nature: legs are taken per knot length.
    """
    spacing = np.diff(greville(surface.knots[axis], surface.degree[axis]))
    legs = np.linalg.norm(np.diff(rows, axis=0), axis=2) / spacing[:, None]
    shorter = np.minimum(legs[1:], legs[:-1])
    ratio = np.maximum(legs[1:], legs[:-1]) / np.where(shorter > 0, shorter, np.nan)
    return np.asarray(np.nan_to_num(ratio, nan=np.inf))


def _crossing(points: Floats, normals: Floats) -> Bools:
    """Cells with a corner at which the net turns over, seen along the surface's normal."""
    a, b, c, d = points[:-1, :-1], points[1:, :-1], points[1:, 1:], points[:-1, 1:]
    up = normals[:-1, :-1] + normals[1:, :-1] + normals[1:, 1:] + normals[:-1, 1:]
    corners = ((b - a, d - a), (c - b, a - b), (d - c, b - c), (a - d, c - d))
    turned = [np.einsum("ijc,ijc->ij", np.cross(one, two), up) <= 0 for one, two in corners]
    found: Bools = np.logical_or.reduce(turned)
    return found
