"""Borders that go round an opening: put in order, and cut where those beside them end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.joining.border import SHORTEST, BlendSide, Leaving, Ways, nearest_shares

APART = 0.5
"""Of the shortest border: ends further apart are no corner."""
ON_IT = 0.01
"""Of the shorter of two borders: an end so near to the other one ends on it."""
AT_END = 1e-3
"""Of a border's way: what ends so near to its own end does not cut it."""
_ENDS = np.array([0.0, 1.0])


def ring_of(sides: Sequence[BlendSide]) -> list[Leaving]:
    """Borders going round, each run from where the one before ends.

    They come in any order and way. One that goes on past its neighbours is met only between the places where these end
    on it. Raises ArabesqueError where they are no ring.
    """
    if not sides:
        raise ArabesqueError("An opening has borders", "Click them")
    lengths = [_length(side) for side in sides]
    shortest = min(lengths)
    left = [Leaving(_cut(k, sides, lengths), Ways.ROWS) for k in range(len(sides))]
    ring = [left.pop(0)]
    begin = ring[0].places(_ENDS)[0]
    while left:
        here = ring[-1].places(_ENDS)[1]
        away = [(float(np.linalg.norm(side.places(_ENDS) - here, axis=1).min()), k) for k, side in enumerate(left)]
        _, k = min(away)
        side = left.pop(k)
        at = side.places(_ENDS)
        ring.append(side.backwards() if np.linalg.norm(at[1] - here) < np.linalg.norm(at[0] - here) else side)
        if min(away)[0] > APART * shortest:
            break
    closing = float(np.linalg.norm(ring[-1].places(_ENDS)[1] - begin))
    if left or closing > APART * shortest:
        raise ArabesqueError("The borders do not go round an opening", "Click those that do, one after the other")
    return ring


def _cut(number: int, sides: Sequence[BlendSide], lengths: Sequence[float]) -> BlendSide:
    """A border between the places at which others end on it."""
    side, found = sides[number], []
    places = _ends(side)
    for k, other in enumerate(sides):
        if k != number:
            ends = _ends(other)
            shares = nearest_shares(side.rim, ends)
            away = np.linalg.norm(side.rim.surface.at(side.rim.places(shares)) - ends, axis=1)
            # an end that meets the own end lies at a corner that is there
            near = np.linalg.norm(ends[:, None] - places[None], axis=2).min(axis=1) < AT_END * lengths[number]
            found += shares[(away <= ON_IT * min(lengths[number], lengths[k])) & ~near].tolist()
    low, high = side.part
    inside = [share for share in found if AT_END < (share - low) / (high - low) < 1 - AT_END]
    if not inside:
        return side
    if len(inside) == 1:
        # from there to the end at which another one begins
        met = [min(np.linalg.norm(_ends(o) - p, axis=1).min() for k, o in enumerate(sides) if k != number)
               for p in places]  # fmt: skip
        inside.append(side.part[int(np.argmin(met))])
    first, last = min(inside), max(inside)
    if last - first < SHORTEST:
        return side
    return replace(side, part=(first, last) if low < high else (last, first))


def _ends(side: BlendSide) -> Floats:
    """(2, 3) places of its ends."""
    return np.asarray(side.rim.surface.at(side.rim.places(np.array(side.part))))


def _length(side: BlendSide) -> float:
    places = side.rim.surface.at(side.rim.places(np.linspace(*side.part, 17)))
    return float(np.linalg.norm(np.diff(places, axis=0), axis=1).sum())
