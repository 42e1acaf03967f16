"""Trim loops: the part of a surface that a face of a body shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, frozen_array
from arabesque.errors import InvalidShape
from arabesque.geometry.kernels import inside_loop


@dataclass(frozen=True, eq=False)
class Trim:
    """Closed polygons in a surface's parameters: the outer loop and the holes, (n, 2) each, in any order.

    corners: of each loop the places at which one line ends and the next begins; where there are none given at all, a
    loop has them where it turns sharply. Between corners a border runs as a spline through its places.
    """

    loops: tuple[Floats, ...]
    corners: tuple[Ints, ...] = ()

    def __post_init__(self) -> None:
        loops = tuple(frozen_array(loop, (None, 2), np.float64, what="Trim loop") for loop in self.loops)
        if any(len(loop) < 3 for loop in loops):
            raise InvalidShape("A trim loop needs at least three places", "Export the face again from its source")
        object.__setattr__(self, "loops", loops)
        if self.corners:
            pairs = zip(self.corners, loops, strict=True)
            corners = tuple(frozen_array(c, (None,), np.int64, what="Corners", below=len(loop)) for c, loop in pairs)
            object.__setattr__(self, "corners", corners)

    def contains(self, uv: Floats) -> Bools:
        """Which of the (n, 2) parameters lie inside, by the even-odd rule over all loops."""
        odd = np.zeros(len(uv), dtype=bool)
        places = np.ascontiguousarray(uv, dtype=float)
        for loop in self.loops:
            odd ^= inside_loop(loop, places)
        return odd

    def with_loops(self, loops: Sequence[Floats]) -> Trim:
        """The trim with its loops' places elsewhere."""
        return Trim(tuple(loops), self.corners)

    def turned(self, axis: int, low: float, high: float) -> Trim:
        """The trim of a surface that is run backwards along u (axis 0) or v (axis 1), over a domain that stays."""
        loops = []
        for loop in self.loops:
            turned = np.array(loop)
            turned[:, axis] = low + high - turned[:, axis]
            loops.append(turned)
        return self.with_loops(loops)

    def clipped(self, axis: int, low: float, high: float) -> Trim:
        """The part between two parameters along u (axis 0) or v (axis 1).

        Sutherland and Hodgman, "Reentrant polygon clipping", Communications of the ACM 17, 1974; what it leaves
        lying on the cut encloses nothing.
        """
        loops = [_clipped(_clipped(loop, axis, low, 1.0), axis, high, -1.0) for loop in self.loops]
        return Trim(tuple(loop for loop in loops if len(loop) > 2))

    @property
    def area(self) -> float:
        """Enclosed area in parameters."""
        return float(polygon_area(self.loops))


def _clipped(loop: Floats, axis: int, at: float, side: float) -> Floats:
    """The part of a polygon at or beyond ``at``, on the side whose sign is given."""
    height = side * (loop[:, axis] - at)
    kept: list[Floats] = []
    for place, following, h0, h1 in zip(loop, np.roll(loop, -1, axis=0), height, np.roll(height, -1), strict=True):
        if h0 >= 0:
            kept.append(place)
        if (h0 >= 0) != (h1 >= 0):
            crossing = place + h0 / (h0 - h1) * (following - place)
            crossing[axis] = at
            kept.append(crossing)
    return np.array(kept).reshape(-1, 2)


def polygon_area(loops: Sequence[Floats]) -> float:
    """Area of the largest loop less that of the others (shoelace formula)."""
    areas = []
    for loop in loops:
        x, y = loop.T
        areas.append(abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))) / 2)
    return 2 * max(areas, default=0.0) - sum(areas)
