"""The control net as the eye of a modeler reads it: crossing rows, uneven spacing, points that dip inside."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.geometry import Surface, greville, unit

UNEVEN = 2.0
"""Neighbouring legs of a row that differ by more than this factor are uneven (common practice)."""
MOSTLY = 0.75
"""The share of a net that must bend one way for a point that bends the other to count as dipping."""
NOTICED = 0.05
"""A dip counts from this share of the usual bend on."""


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
        legs = np.linalg.norm(np.diff(rows, axis=0), axis=2)
        # the end legs of a clamped spline with inner knots are shorter by nature: legs are taken per knot length
        legs = legs / _spacing(surface, axis)[:, None]
        shorter = np.minimum(legs[1:], legs[:-1])
        ratio = np.maximum(legs[1:], legs[:-1]) / np.where(shorter > 0, shorter, np.nan)
        ratio = np.nan_to_num(ratio, nan=np.inf)
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


def _spacing(surface: Surface, axis: int) -> Floats:
    return np.diff(greville(surface.knots[axis], surface.degree[axis]))


def _crossing(points: Floats, normals: Floats) -> Bools:
    """Cells with a corner at which the net turns over, seen along the surface's normal."""
    a, b, c, d = points[:-1, :-1], points[1:, :-1], points[1:, 1:], points[:-1, 1:]
    up = normals[:-1, :-1] + normals[1:, :-1] + normals[1:, 1:] + normals[:-1, 1:]
    corners = ((b - a, d - a), (c - b, a - b), (d - c, b - c), (a - d, c - d))
    turned = [np.einsum("ijc,ijc->ij", np.cross(one, two), up) <= 0 for one, two in corners]
    found: Bools = np.logical_or.reduce(turned)
    return found
