"""Looks along the axes, and one from the side and above: rows right, up and towards the eye, in space."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats, unit

VIEWS: dict[str, Floats] = {
    "top": np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1]]),
    "bottom": np.array([[1.0, 0, 0], [0, -1, 0], [0, 0, -1]]),
    "left side": np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
    "right side": np.array([[-1.0, 0, 0], [0, 0, 1], [0, 1, 0]]),
    "front": np.array([[0.0, 1, 0], [0, 0, 1], [1, 0, 0]]),
    "back": np.array([[0.0, -1, 0], [0, 0, 1], [-1, 0, 0]]),
}


def slanted(eye: Sequence[float] = (-0.45, -0.75, 0.85)) -> Floats:
    """(3, 3) of an upright look from a direction (3,)."""
    back = unit(np.array([eye], dtype=float))[0]
    right = unit(np.cross([0.0, 0.0, 1.0], back)[None])[0]
    return np.array([right, np.cross(back, right), back])
