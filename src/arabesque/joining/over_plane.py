"""Surfaces as heights over a plane, with slopes and bends, and splines over it."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface, greville
from arabesque.joining.border import Leaving

STEEPEST = 0.25
"""Cosine between a neighbour's normal and the plane's: steeper ones no patch over a plane can follow."""


class Seen:
    """A border as seen from above: (n, 2) places on the plane, and height and its derivatives there by their orders."""

    def __init__(self, at: Floats, derivatives: dict[tuple[int, int], Floats]) -> None:
        self.at, self.derivatives = at, derivatives


class OverPlane:
    """The plane over which an opening is filled. frame: (3, 3) rows x, y and normal."""

    def __init__(self, origin: Floats, frame: Floats) -> None:
        self.origin, self._frame = origin, frame

    @classmethod
    def of(cls, places: Floats, normals: Floats) -> OverPlane:
        """Nearest to some places, looking where the neighbours do."""
        origin = places.mean(axis=0)
        ways = np.linalg.svd(places - origin, full_matrices=False)[2]
        # neighbours may look to either side: all to that of the flat one
        up = ways[2]
        mean = (normals * np.sign(normals @ up)[:, None]).sum(axis=0)
        up = unit((mean if float(np.linalg.norm(mean)) > STEEPEST * len(normals) else up)[None])[0]
        x = unit((ways[0] - (ways[0] @ up) * up)[None])[0]
        return cls(origin, np.array([x, np.cross(up, x), up]))

    @property
    def normal(self) -> Floats:
        """(3,)"""
        up: Floats = self._frame[2]
        return up

    def flat(self, places: Floats) -> tuple[Floats, Floats]:
        """(n, 2) places on the plane and heights above it."""
        seen = (places - self.origin) @ self._frame.T
        return seen[:, :2], seen[:, 2]

    def seen(self, side: Leaving, t: Floats) -> Seen:
        """A border with how its surface goes on there, as a height over the plane."""
        rim = side.side.rim
        d = rim.surface.derivatives(rim.places(side.shares(t)), 2)
        d[0, 0] -= self.origin
        d = d @ self._frame.T
        x, z = d[..., :2], d[..., 2]
        jacobian = np.stack([x[1, 0], x[0, 1]], axis=2)  # (n, 2, 2): columns are the ways of u and v
        lean = np.abs(side.normals(t) @ self.normal)
        if lean.min() < STEEPEST:
            raise ArabesqueError(
                "A border stands too steep for one patch over the opening", "Divide it by a blend first"
            )
        inverse = np.linalg.inv(jacobian)
        slope = np.einsum("nk,nki->ni", np.stack([z[1, 0], z[0, 1]], axis=1), inverse)
        bends = []
        for k, m in ((2, 0), (1, 1), (0, 2)):
            bends.append(z[k, m] - np.einsum("ni,ni->n", slope, x[k, m]))
        bend = np.stack([bends[0], bends[1], bends[1], bends[2]], axis=1).reshape(-1, 2, 2)
        bend = np.einsum("nki,nkm,nmj->nij", inverse, bend, inverse)
        return Seen(x[0, 0], {
            (0, 0): z[0, 0], (1, 0): slope[:, 0], (0, 1): slope[:, 1],
            (2, 0): bend[:, 0, 0], (1, 1): bend[:, 0, 1], (0, 2): bend[:, 1, 1],
        })  # fmt: skip

    def sheet(self, degree: int, knots: tuple[Floats, Floats], low: Floats, spans: Floats) -> Surface:
        """A piece of the plane as a spline patch: from (2,) places ``low`` on, ``spans`` mm long."""
        x, y = (low[k] + greville(knots[k], degree) * spans[k] for k in (0, 1))
        points = self.origin + x[:, None, None] * self._frame[0] + y[None, :, None] * self._frame[1]
        return Surface((degree, degree), knots, points)
