"""Curves that are lines or arcs of circles, whatever they are stored as."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.geometry.curve import Curve

EXACT = 1e-6
"""mm: a curve that lies no further off a line or a circle is one."""
READ = 33


class Circle(NamedTuple):
    """A circle in space: (3,) centre, unit normal (the arc runs round it counter-clockwise), radius in mm."""

    centre: Floats
    normal: Floats
    radius: float


def is_straight(curve: Curve) -> bool:
    """True where no pole is further than EXACT off the chord."""
    chord = curve.points[-1] - curve.points[0]
    length = float(np.linalg.norm(chord))
    if length < EXACT:
        return False
    off = np.cross(curve.points - curve.points[0], chord / length)
    return bool(np.linalg.norm(off, axis=1).max() < EXACT)


def circle_of(curve: Curve) -> Circle | None:
    """The circle that a curve is a part of; None where it is none."""
    places = curve.at(np.linspace(*curve.domain, READ))
    middle = places.mean(axis=0)
    _, size, axes = np.linalg.svd(places - middle)
    if size[1] < 1e-3 * size[0] * 1e-3 or np.abs((places - middle) @ axes[2]).max() > EXACT:
        return None
    flat = (places - middle) @ axes[:2].T
    found = np.linalg.lstsq(np.column_stack([2 * flat, np.ones(READ)]), (flat**2).sum(axis=1), rcond=None)[0]
    centre = middle + found[:2] @ axes[:2]
    away = np.linalg.norm(places - centre, axis=1)
    if np.ptp(away) > EXACT:
        return None
    a, b = places[0] - centre, places[READ // 8] - centre
    normal = unit(np.cross(a, b)[None])[0]
    return Circle(centre, normal, float(away.mean()))
