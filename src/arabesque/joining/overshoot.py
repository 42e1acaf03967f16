"""Patches pushed past forms near them, so that a later trim cuts clean."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages.past import Ground
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Face, Surface
from arabesque.joining.morph import falling
from arabesque.joining.surface_through import surface_through

LOOKED_AT = 49
"""Places each way at which is seen on which side of a form a patch lies."""


def patch_past(patch: Surface, grounds: Sequence[Ground], within: float, by: float, near: float = 0.005) -> Surface:
    """A patch whose places that lie at forms lie ``by`` mm beyond them instead, and those on its own side less and less
    up to ``within`` mm; within ``near`` mm of that, with as many knots as it needs.

    Beyond is the side on which most of the patch does not lie. Raises InvalidShape for lengths that are not positive,
    ArabesqueError where no place is near, or the patch cannot be as near.
    """
    if not (by > 0 and within > 0):
        raise InvalidShape("Overshoot needs two lengths above 0", "Give how near, and how far past")
    whole = patch.whole
    u, v = (np.linspace(*ends, LOOKED_AT) for ends in whole.domain)
    some = whole.on_grid(u, v)[0, 0].reshape(-1, 3)
    sides = [_side(*_heights(ground, some), within) for ground in grounds]
    if not any(sides):
        raise ArabesqueError(f"No place of it lies within {within:g} mm", "Give a larger reach, or choose another form")

    def form(u: Floats, v: Floats) -> Floats:
        grid = whole.on_grid(u, v)[0, 0]
        places = grid.reshape(-1, 3)
        moved = places.copy()
        for ground, side in zip(grounds, sides, strict=True):
            if side:
                height, away, normals = _heights(ground, places)
                own = side * height
                share = np.where((own > -by) & (away <= within), falling(np.maximum(own, 0.0) / within), 0.0)
                moved -= side * (share * (by + own))[:, None] * normals
        return moved.reshape(grid.shape)

    made, off = surface_through(whole, form, near)
    if off > near:
        raise ArabesqueError(f"The patch comes within {off:.3g} mm of that only", "Reach further, or push it less far")
    return made if not isinstance(patch, Face) else Face(made.degree, made.knots, made.points, made.weights, patch.trim)


def _heights(ground: Ground, places: Floats) -> tuple[Floats, Floats, Floats]:
    """(n,) mm that places stand above a form, and from it, and its (n, 3) normals there."""
    feet, normals = ground(places)
    return (
        np.einsum("nc,nc->n", places - feet, normals),
        np.linalg.norm(places - feet, axis=1),
        np.asarray(normals),
    )


def _side(height: Floats, away: Floats, _: Floats, within: float) -> float:
    """1 where most lies above a form, -1 below; 0 where nothing is near."""
    if not (away <= within).any():
        return 0.0
    rest = height[away > within]
    return float(np.sign(np.median(rest if len(rest) else height))) or 1.0
