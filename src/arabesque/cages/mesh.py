"""Triangles of a cage's surface within a chord tolerance."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats, Ints, leaders
from arabesque.cages.cage import Cage
from arabesque.errors import InvalidShape
from arabesque.scan.cleaning import weld

FEWEST, MOST = 2, 64
MOST_TRIANGLES = 20_000_000


def cage_triangles(cage: Cage, chord: float) -> tuple[Floats, Ints]:
    """Points (n, 3) and triangles (m, 3), closed where the cage is, that stay within ``chord`` mm of its surface.

    Every face is divided alike, twice as finely until the places halfway between neighbours lie near enough.
    Raises InvalidShape for a chord that is not above 0 or asks for an absurd number of triangles.
    """
    if not chord > 0:
        raise InvalidShape("The chord tolerance must be above 0", "Write for example 0.05")
    each = FEWEST
    while True:
        fine = cage.sampler(round(2 * each * cage.count**0.5)).read(cage)
        side = round((len(fine.points) / cage.count) ** 0.5)
        grid = fine.points.reshape(cage.count, side, side, 3)
        # halfway along both ways: the middle of a coarse cell against the mean of its corners
        flat = (grid[:, :-2:2, :-2:2] + grid[:, 2::2, :-2:2] + grid[:, :-2:2, 2::2] + grid[:, 2::2, 2::2]) / 4
        off = float(np.linalg.norm(grid[:, 1::2, 1::2] - flat, axis=-1).max())
        if off <= 4 * chord:
            # what is written is twice as fine: off by a quarter
            break
        each *= 2
        if each > MOST or 8 * each * each * cage.count > MOST_TRIANGLES:
            raise InvalidShape("So small a chord tolerance asks for millions of triangles", "Choose a larger one")
    # places that two faces share may differ in the last bits
    return weld(_settled(fine.points, fine.welds), fine.triangles)


def _settled(points: Floats, welds: Ints | None) -> Floats:
    """Points with all that are one at the very same place."""
    if welds is None or not len(welds):
        return points
    return points[leaders(len(points), welds)]
