"""Borders of shapes: the four edges of a patch, and what a trim leaves of a face."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np

from arabesque.arrays import Floats, Ints, unit, way_along

CORNER = 25.0
"""Degrees: a border that turns more than this at one of its places has a corner there."""
SAME_PLACE = 1e-9
POLE_STEP = 1e-6
"""Of the range of a parameter: a step at least so long that ends in one place runs along a pole."""
SPLINE = 3
"""Degree of a border between its corners."""
BESIDE = 1e-3
"""Of the patch: so far beside a border is looked which side of it shows."""


class Edge(IntEnum):
    """The four edges of a patch, going round; files and recipes hold the numbers."""

    V_LOW = 0
    U_HIGH = 1
    V_HIGH = 2
    U_LOW = 3

    @property
    def side(self) -> tuple[int, bool]:
        """The direction that runs across the edge, 0 for u and 1 for v, and whether the edge lies at its end."""
        return int(self in (Edge.V_LOW, Edge.V_HIGH)), self in (Edge.U_HIGH, Edge.V_HIGH)


@dataclass(frozen=True, eq=False)
class Rim:
    """One border of a shape, on the patch that bears it.

    surface: that patch. uv: (k, 2) its places in the patch's parameters; two places make an edge. inwards: 1 where
    what shows lies to the left of the way in parameters, -1 where to the right. lined: true where it is among the
    lines that the shape is read along. at: (k,) shares of the way for the places, where these are not those in space.
    """

    surface: Any
    uv: Floats
    inwards: float = 1.0
    lined: bool = False
    at: Floats | None = None

    @property
    def straight(self) -> bool:
        """True for an edge of the patch, or any other straight line in its parameters."""
        return len(self.uv) == 2

    @cached_property
    def _shares(self) -> Floats:
        """(k,) shares of the way at which the places lie."""
        if self.at is not None:
            return self.at
        if self.straight:
            return np.array([0.0, 1.0])
        along = way_along(self.surface.at(self.uv))
        return along / along[-1] if along[-1] > 0 else np.linspace(0, 1, len(along))

    @property
    def _closes(self) -> bool:
        """True where it goes all round, without a corner."""
        return len(self.uv) > SPLINE and np.array_equal(self.uv[0], self.uv[-1])

    @cached_property
    def _curve(self) -> Any:
        """Between corners a border is smooth: through its places, which lie on it, runs a cubic spline."""
        from scipy.interpolate import make_interp_spline  # a fifth of a second at the start of the window

        degree = min(SPLINE, len(self.uv) - 1)
        return make_interp_spline(self._shares, self.uv, degree, bc_type="periodic" if self._closes else None)

    @property
    def flat_curve(self) -> tuple[int, Floats, Floats]:
        """Degree, clamped knots and (n, 2) control points of the border in the patch's parameters."""
        if self.straight:
            return 1, np.array([0.0, 0.0, 1.0, 1.0]), self.uv
        curve = self._curve
        if self._closes:  # a periodic spline has its knots going round
            degree, inner = int(curve.k), curve.t[curve.k : -curve.k]
            from scipy.interpolate import make_interp_spline

            clamped = np.concatenate([np.repeat(inner[0], degree), inner, np.repeat(inner[-1], degree)])
            ends = [[(1, d)] for d in (curve(0.0, 1), curve(1.0, 1))]
            made = make_interp_spline(self._shares, self.uv, degree, t=clamped, bc_type=tuple(ends))
            return degree, np.asarray(made.t), np.asarray(made.c)
        return int(curve.k), np.asarray(curve.t), np.asarray(curve.c)

    def places(self, t: Floats) -> Floats:
        """(n, 2) parameters at shares of the way."""
        if self.straight:
            return self.uv[0] + t[:, None] * (self.uv[1] - self.uv[0])
        found: Floats = self._curve(t)
        return found

    def ways(self, t: Floats) -> Floats:
        """(n, 2) how the parameters change with the share of the way; (1, 2) where that is the same all along."""
        if self.straight:
            return (self.uv[1] - self.uv[0])[None]
        found: Floats = self._curve(t, 1)
        return found

    def inward(self, t: Floats) -> Floats:
        """Half the width of the patch's parameters, square to the border, to the side that shows; as ``ways``."""
        (u0, u1), (v0, v1) = self.surface.domain
        ways = self.ways(t)
        a, b = ways[:, 0] / (u1 - u0), ways[:, 1] / (v1 - v0)
        half = self.inwards * 0.5 / np.hypot(a, b)
        return np.column_stack([-b * half * (u1 - u0), a * half * (v1 - v0)])


def edge_rims(surface: Any) -> tuple[Rim, ...]:
    """The four edges of a patch; going round as they do, what shows lies to the left."""
    return tuple(Rim(surface, np.array(ends), lined=True) for ends in surface.boundary())


def trim_rims(face: Any) -> tuple[Rim, ...]:
    """The borders of a face from corner to corner; a border without corners is one all round."""
    return tuple(rim for loop in loop_rims(face) for rim in loop)


def loop_rims(face: Any) -> tuple[tuple[Rim, ...], ...]:
    """The borders of a face, loop by loop."""
    found = []
    trim = face.trim
    for number, loop in enumerate(trim.loops):
        rims = []
        for uv in _smooth_runs(face, loop, trim.corners[number] if trim.corners else None):
            rim = Rim(face, uv)
            middle = np.array([0.5])
            beside = rim.places(middle) + BESIDE * rim.inward(middle)
            rims.append(Rim(face, uv, 1.0 if face.shows(beside)[0] else -1.0))
        found.append(tuple(rims))
    return tuple(found)


def _smooth_runs(surface: Any, loop: Floats, known: Ints | None) -> list[Floats]:
    """The parts (n, 2) of a closed polygon in parameters between its corners: those that are known, and places where
    its line on the surface turns sharply."""
    points, before = surface.at(loop), np.roll(loop, 1, axis=0)
    # along an edge that closes on itself the ends are one place, but not what lies between
    between = surface.at((loop + before) / 2)
    moves = (
        np.maximum(
            np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1), np.linalg.norm(points - between, axis=1)
        )
        > SAME_PLACE
    )
    marked = np.zeros(len(loop), dtype=bool)
    if known is not None:
        marked[known] = True
    # along an edge that is one place, as the pole of a ball, the loop goes on, but no border does
    wide = np.array([high - low for low, high in surface.domain])
    poles = ~moves & (np.abs(loop - before) > POLE_STEP * wide).any(axis=1)
    marked |= poles | np.roll(poles, -1)
    stays = moves | poles
    loop, marked, poles = loop[stays], marked[stays], poles[stays]
    if len(loop) < 3:
        return []
    points = surface.at(loop)
    onward = unit(np.roll(points, -1, axis=0) - points)
    turn = np.einsum("nc,nc->n", onward, np.roll(onward, 1, axis=0))
    corners = np.flatnonzero(marked | (turn < np.cos(np.radians(CORNER))))
    if not len(corners):
        return [np.vstack([loop, loop[:1]])]
    ring, skipped = np.roll(loop, -corners[0], axis=0), np.roll(poles, -corners[0] - 1)
    cuts = [*(corners - corners[0]), len(loop)]
    ring = np.vstack([ring, ring[:1]])
    return [ring[start : end + 1] for start, end in pairwise(cuts) if not skipped[start:end].all()]
