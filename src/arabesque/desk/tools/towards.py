"""The way something is brought onto a form."""

from __future__ import annotations

from enum import Enum

import numpy as np

from arabesque.arrays import Floats


class Towards(Enum):
    """The way a curve is projected: its words, and the axis."""

    CLOSEST = ("to the closest place", None)
    X = ("along x", 0)
    Y = ("along y", 1)
    Z = ("along z", 2)

    @property
    def direction(self) -> Floats | None:
        """(3,), or None for the closest places."""
        axis = self.value[1]
        return None if axis is None else np.eye(3)[axis]

    @classmethod
    def of(cls, direction: Floats | None) -> Towards:
        """The way that a direction is, about."""
        return cls.CLOSEST if direction is None else (cls.X, cls.Y, cls.Z)[int(np.abs(direction).argmax())]
