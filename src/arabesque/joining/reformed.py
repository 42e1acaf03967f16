"""Shapes after a map of space: patches and curves with as many knots as that needs."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.cages.net import through as through_places
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Face, Patchwork, Surface, greville
from arabesque.joining.collocation import apart, between, through
from arabesque.joining.surface_through import MOST_SPANS, surface_through

Map = Callable[[Floats], Floats]
"""Of (n, 3) places where they come to lie."""


def reformed(shape: Any, move: Map, near: float) -> Any:
    """A patch, face, patchwork, curve or cage whose places come to lie where a map says, within ``near`` mm of that.

    Rows and knots are kept, and spans halved where these do not do; faces keep what shows of them; of a cage the points
    come to lie there. Raises ArabesqueError where it cannot be as near.
    """
    if isinstance(shape, Patchwork):
        return Patchwork(tuple(reformed(one, move, near) for one in shape.surfaces))
    if isinstance(shape, Cage):
        return through_places(shape, move(shape.limit))
    if isinstance(shape, Curve):
        return _curve(shape, move, near)
    if not isinstance(shape, Surface):
        raise ArabesqueError("This has no form that could be moved so", "Choose a patch, a cage, a curve or a body")
    whole = shape.whole

    def form(u: Floats, v: Floats) -> Floats:
        places = whole.on_grid(u, v)[0, 0]
        return move(places.reshape(-1, 3)).reshape(places.shape)

    made, off = surface_through(whole, form, near)
    if off > near:
        raise _too_far(off)
    return Face(made.degree, made.knots, made.points, made.weights, shape.trim) if isinstance(shape, Face) else made


def _curve(curve: Curve, move: Map, near: float) -> Curve:
    """Interpolated at the Greville places, as ``surface_through`` does; a straight line gets the degree to bend."""
    like = curve if curve.degree > 2 else curve.elevated(3 - curve.degree)
    knots = like.knots
    while True:
        points = through(move(curve.at(greville(knots, like.degree))), like.degree, knots)
        at = between(like.degree, knots)
        off = apart(points, like.degree, knots, at, move(curve.at(at)))
        breaks = np.unique(knots)
        if off.max() <= near:
            return Curve(like.degree, knots, points)
        if len(breaks) > MOST_SPANS:
            raise _too_far(float(off.max()))
        spans = np.unique(np.clip(np.searchsorted(breaks, at[off > near], side="right") - 1, 0, len(breaks) - 2))
        knots = np.sort(np.concatenate([knots, (breaks[spans] + breaks[spans + 1]) / 2]))


def _too_far(off: float) -> ArabesqueError:
    return ArabesqueError(f"It comes within {off:.3g} mm of that only", "Let it fall off more slowly, or move it less")
