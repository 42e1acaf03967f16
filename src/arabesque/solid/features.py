"""True features by their numbers: holes with a wider mouth, bosses, slots; and rounded values for what was read."""

from __future__ import annotations

from enum import Enum
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry import Curve, Element, ElementKind, Sketch
from arabesque.solid.profiles import PushedProfile, TurnedProfile

STEPS = (10.0, 5.0, 2.0, 1.0, 0.5, 0.25, 0.1, 0.05)
"""mm: values that are drawn and drilled, coarsest first (common practice)."""


class FeatureKind(Enum):
    """The value is the word in files and for the reader."""

    HOLE = "hole"
    BOSS = "boss"
    SLOT = "slot"


def hole(
    frame: Floats, diameter: float, low: float, high: float, bore: float = 0.0, bored: float = 0.0
) -> TurnedProfile:
    """What a drill takes away: from ``low`` to ``high`` mm along z of a (4, 4) frame.

    bore: mm, diameter of a wider mouth, 0 for none; bored: mm, how deep that goes below the frame's origin. Raises
    InvalidShape for sizes that make none.
    """
    mouth = bore > 0
    if not (diameter > 0 and low < high) or (mouth and (bore <= diameter or not low < -bored < high)):
        raise InvalidShape(
            "These sizes make no hole", "A mouth has to be wider than the hole and less deep, and both above 0"
        )
    r, wide, step = diameter / 2, bore / 2, -bored
    half = [(0, high), (wide, high), (wide, step), (r, step), (r, low), (0, low)] if mouth else None
    return _turned(frame, half or [(0, high), (r, high), (r, low), (0, low)])


def boss(frame: Floats, diameter: float, low: float, high: float) -> TurnedProfile:
    """A round boss from ``low`` to ``high`` mm along z of a (4, 4) frame. Raises InvalidShape for no size."""
    if not (diameter > 0 and low < high):
        raise InvalidShape("These sizes make no boss", "Give a diameter and a height above 0")
    return _turned(frame, [(0, high), (diameter / 2, high), (diameter / 2, low), (0, low)])


def slot(frame: Floats, width: float, length: float, low: float, high: float) -> PushedProfile:
    """What a slot takes away: two half circles ``width`` mm wide whose centres are ``length`` apart along x of a (4, 4)
    frame, from ``low`` to ``high`` along its z. Raises InvalidShape for no size."""
    if not (width > 0 and length > 0 and low < high):
        raise InvalidShape("These sizes make no slot", "Give a width and a length above 0")
    x, r = length / 2, width / 2
    flat = [(-x, -r), (x, -r), (x, r), (-x, r), (x, 0), (-x, 0)]
    kinds = ElementKind
    elements = (
        Element(kinds.LINE, (0, 1)), Element(kinds.ARC, (4, 1, 2)), Element(kinds.LINE, (2, 3)),
        Element(kinds.ARC, (5, 3, 0)),
    )  # fmt: skip
    return PushedProfile(Sketch(frame, np.array(flat), elements).curves, frame[:3, 2], low, high)


def rounded_value(value: float, spread: float) -> float:
    """A value as it would be drawn: the coarsest of usual steps that is no further than ``spread``, mm, away.

    Where none is, the value as it is.
    """
    for step in STEPS:
        near = round(value / step) * step
        if near > 0 and abs(near - value) <= spread:
            return float(round(near, 6))
    return value


def _turned(frame: Floats, half: list[tuple[float, float]]) -> TurnedProfile:
    places = [frame[:3, 3] + radius * frame[:3, 0] + height * frame[:3, 2] for radius, height in half]
    profile = tuple(Curve.bezier([a, b]) for a, b in pairwise(places))
    return TurnedProfile(profile, frame[:3, 3], frame[:3, 2])
