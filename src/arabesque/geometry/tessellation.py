"""Triangles of a surface within a chord tolerance."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.errors import InvalidShape
from arabesque.geometry.face import Face
from arabesque.geometry.knots import breakpoints
from arabesque.geometry.sampling import grid_triangles, trimmed_triangles
from arabesque.geometry.surface import Surface

MOST_STEPS = 2000
MOST_CUT = 500_000
REACHING = 2.0


def tessellate(surface: Surface, chord: float) -> tuple[Floats, Ints]:
    """Points (n, 3) and triangles (m, 3) that stay within ``chord`` mm of the surface; of a face, what its trim leaves.

    A linear triangle over steps h, k is off by at most (h²|Suu| + 2hk|Suv| +
    k²|Svv|) / 8 (Filip, Magedson and Markot, "Surface algorithms using bounds
    on derivatives", CAGD 3, 1986); the bounds are sampled, with a margin of a
    tenth. Raises InvalidShape for a chord that is not above 0 or asks for an
    absurd number of triangles.
    """
    if not chord > 0:
        raise InvalidShape("The chord tolerance must be above 0", "Write for example 0.05")
    (u0, u1), (v0, v1) = surface.domain
    d = surface.on_grid(np.linspace(u0, u1, 65), np.linspace(v0, v1, 65), 2)
    uu, uv, vv = (1.1 * float(np.linalg.norm(d[k], axis=-1).max()) for k in ((2, 0), (1, 1), (0, 2)))
    # triangles along a trim reach over up to half as much again as those of the grid
    share = 8 * chord / 3 / (REACHING if isinstance(surface, Face) else 1.0)
    steps_u = (u1 - u0) * np.sqrt(uu / share)
    steps_v = (v1 - v0) * np.sqrt(vv / share)
    mixed = 2 * uv * (u1 - u0) * (v1 - v0) / share
    grow = np.sqrt(max(1.0, mixed / max(max(steps_u, 1.0) * max(steps_v, 1.0), 1e-300)))
    if max(steps_u, steps_v) * grow > MOST_STEPS:
        raise InvalidShape("So small a chord tolerance asks for millions of triangles", "Choose a larger one")
    u = _steps(surface.knots[0], int(np.ceil(max(steps_u, 1.0) * grow)))
    v = _steps(surface.knots[1], int(np.ceil(max(steps_v, 1.0) * grow)))
    if isinstance(surface, Face):
        if len(u) * len(v) > MOST_CUT:
            raise InvalidShape("So small a chord tolerance asks for millions of triangles", "Choose a larger one")
        cut = trimmed_triangles(surface.trim, u, v)
        return surface.at(cut.uv), cut.triangles
    return surface.on_grid(u, v)[0, 0].reshape(-1, 3), grid_triangles(len(u), len(v))


def _steps(knots: Floats, count: int) -> Floats:
    """At least ``count`` steps over the knots, none of them across a knot."""
    breaks = breakpoints(knots)
    each = np.ceil(np.diff(breaks) / (breaks[-1] - breaks[0]) * count).astype(int)
    parts = [
        np.linspace(a, b, max(n, 1), endpoint=False) for a, b, n in zip(breaks[:-1], breaks[1:], each, strict=True)
    ]
    return np.concatenate([*parts, breaks[-1:]])
