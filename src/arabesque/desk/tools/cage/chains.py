"""Parts of a cage's border, as a click means them: one edge, or the chain it lies in from corner to corner."""

from __future__ import annotations

import time

import numpy as np

from arabesque.arrays import Ints, unit
from arabesque.cages import Cage, border_chain
from arabesque.desk.view.pointer import Pointer

TURN = 50.0
"""Degrees: a border that turns more has a corner there."""
TWICE = 0.45
"""Seconds within which a second press at the same place is a double click."""
STILL = 3.0
"""Pixels."""


def chain_from(cage: Cage, half: int) -> Ints:
    """The border half-edges about one, in order, up to corners: points of one face, or where the border turns."""
    quads = cage.quads
    ring = border_chain(quads, half)
    points = cage.points[quads.starts[ring]]
    ahead = unit(np.roll(points, -1, axis=0) - points)
    turn = np.degrees(np.arccos(np.clip(np.einsum("nc,nc->n", ahead, np.roll(ahead, 1, axis=0)), -1, 1)))
    corner = (turn > TURN) | (quads.valence[quads.starts[ring]] == 1)
    if not corner.any():
        return ring
    first = int(np.flatnonzero(corner)[corner.nonzero()[0] <= 0][-1]) if corner[0] else int(np.flatnonzero(corner)[-1])
    ring, corner = np.roll(ring, -first), np.roll(corner, -first)
    cuts = [*np.flatnonzero(corner).tolist(), len(ring)]
    at = int(np.flatnonzero(ring == half)[0])
    k = max(i for i, cut in enumerate(cuts[:-1]) if cut <= at)
    return ring[cuts[k] : cuts[k + 1]]


class Twice:
    """Tells double clicks from single ones."""

    def __init__(self) -> None:
        self._last: tuple[float, float, float] | None = None

    def pressed(self, pointer: Pointer) -> bool:
        """True for a press that follows another at the same place at once."""
        now = time.monotonic()
        last, self._last = self._last, (now, pointer.x, pointer.y)
        if last is None or now - last[0] > TWICE:
            return False
        again = abs(pointer.x - last[1]) + abs(pointer.y - last[2]) <= STILL
        if again:
            self._last = None
        return again
