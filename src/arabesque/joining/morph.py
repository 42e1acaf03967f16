"""Morphs: forms drawn along from one curve to another, within limits."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry import Curve, curve_feet

DENSE = 40
"""Places in each span of a curve at which its length is read."""


@dataclass(frozen=True, eq=False)
class Morph:
    """What moves each place of space as its foot on one curve moves to another, at the same share of their lengths.

    wholly, until: mm from the first curve up to which places move wholly, and from which on they stay; between, the
    share falls with the smoothest polynomial of degree 5. Raises InvalidShape for limits that are not in this order.
    """

    start: Curve
    end: Curve
    wholly: float
    until: float

    def __post_init__(self) -> None:
        if not 0 <= self.wholly < self.until:
            raise InvalidShape("A morph needs two limits", "Give a farther one that is larger than the nearer one")

    def moved(self, places: Floats) -> Floats:
        """(n, 3) places after the morph."""
        feet = curve_feet(self.start, places)
        falls = falling((feet.distance - self.wholly) / (self.until - self.wholly))
        return places + falls[:, None] * (self._ends_at(feet.parameters) - feet.points)

    def _ends_at(self, t: Floats) -> Floats:
        """(n, 3) places of the end curve at the same share of its length as the start curve has at (n,) parameters."""
        here, there = _lengths(self.start), _lengths(self.end)
        share = np.interp(t, *here) / here[1][-1]
        return self.end.at(np.interp(share * there[1][-1], there[1], there[0]))


def falling(share: Floats) -> Floats:
    """(n,) 1 up to a share of 0, 0 from 1 on, and between both the polynomial of degree 5 that is smoothest at both."""
    s = np.clip(share, 0.0, 1.0)
    return np.asarray(1 - s**3 * (10 - 15 * s + 6 * s * s))


def _lengths(curve: Curve) -> tuple[Floats, Floats]:
    """Parameters of a curve, and its length up to each."""
    t = np.linspace(*curve.domain, DENSE * curve.spans + 1)
    steps = np.linalg.norm(np.diff(curve.at(t), axis=0), axis=1)
    return t, np.concatenate([[0.0], np.cumsum(steps)])
