"""Patches and cages pushed past forms near them, so that a later trim cuts clean."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages.past import Ground
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.joining.morph import falling
from arabesque.joining.reformed import reformed
from arabesque.shapes import Sampled

LOOKED_AT = 49
"""Samples along by which is seen on which side of a form a shape lies."""


def past(shape: Sampled, grounds: Sequence[Ground], within: float, by: float, near: float = 0.005) -> Any:
    """A patch, patchwork or cage whose places that lie at forms lie ``by`` mm beyond them instead, and those on its own
    side less and less up to ``within`` mm; within ``near`` mm of that, with as many knots as it needs.

    Beyond is the side on which most of it does not lie. Raises InvalidShape for lengths that are not positive,
    ArabesqueError where no place is near, or it cannot be as near.
    """
    if not (by > 0 and within > 0):
        raise InvalidShape("Overshoot needs two lengths above 0", "Give how near, and how far past")
    some = shape.sampler(LOOKED_AT).read(shape).points
    sides = [_side(*_heights(ground, some)[:2], within) for ground in grounds]
    if not any(sides):
        raise ArabesqueError(f"No place of it lies within {within:g} mm", "Give a larger reach, or choose another form")

    def move(places: Floats) -> Floats:
        moved = places.copy()
        for ground, side in zip(grounds, sides, strict=True):
            if side:
                height, away, normals = _heights(ground, places)
                own = side * height
                share = np.where((own > -by) & (away <= within), falling(np.maximum(own, 0.0) / within), 0.0)
                moved -= side * (share * (by + own))[:, None] * normals
        return moved

    return reformed(shape, move, near)


def _heights(ground: Ground, places: Floats) -> tuple[Floats, Floats, Floats]:
    """(n,) mm that places stand above a form, and from it, and its (n, 3) normals there."""
    feet, normals = ground(places)
    return (
        np.einsum("nc,nc->n", places - feet, normals),
        np.linalg.norm(places - feet, axis=1),
        np.asarray(normals),
    )


def _side(height: Floats, away: Floats, within: float) -> float:
    """1 where most lies above a form, -1 below; 0 where nothing is near."""
    if not (away <= within).any():
        return 0.0
    rest = height[away > within]
    return float(np.sign(np.median(rest if len(rest) else height))) or 1.0
