"""Faces near a plane or a true form pushed past it, so that a later trim cuts clean."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.cages.cage import Cage
from arabesque.cages.net import through
from arabesque.cages.quads import CageProblem
from arabesque.geometry import Plane, Surface, foot_points

Ground = Callable[[Floats], tuple[Floats, Floats]]
"""Of (n, 3) places the nearest on a form, and its normals there."""


def on_plane(plane: Plane) -> Ground:
    """The ground that a plane is."""
    return lambda places: (
        places - plane.height(places)[:, None] * plane.normal, np.broadcast_to(plane.normal, places.shape),
    )  # fmt: skip


def on_surface(surface: Surface) -> Ground:
    """The ground that a patch or a true form is."""

    def nearest(places: Floats) -> tuple[Floats, Floats]:
        feet = foot_points(surface, places)
        return feet.points, surface.normals(feet.uv)

    return nearest


def near_ground(cage: Cage, ground: Ground, within: float) -> Bools:
    """(n,) points that come to lie within so many mm of a form."""
    feet, _ = ground(cage.limit)
    return np.asarray(np.linalg.norm(cage.limit - feet, axis=1) <= within)


def pushed_past(cage: Cage, grounds: list[Ground], within: float, by: float) -> Cage:
    """The cage with points that come to lie within ``within`` mm of a form lying ``by`` mm beyond it instead.

    Beyond is the side on which the rest of the cage does not lie. Raises CageProblem where no point is near.
    """
    if not (by > 0 and within > 0):
        raise CageProblem("Overshoot needs two lengths above 0", "Give how near, and how far past")
    places, moved = cage.limit.copy(), np.zeros(cage.quads.count, dtype=bool)
    for ground in grounds:
        feet, normals = ground(cage.limit)
        height = np.einsum("nc,nc->n", cage.limit - feet, normals)
        near = (np.linalg.norm(cage.limit - feet, axis=1) <= within) & ~moved
        if not near.any():
            continue
        rest = height[~near]
        side = np.sign(np.median(rest)) if len(rest) else 1.0
        places[near] = feet[near] - (side or 1.0) * by * normals[near]
        moved |= near
    if not moved.any():
        raise CageProblem(f"No face lies within {within:g} mm", "Give a larger reach, or choose another form")
    return through(cage, places, moved)
