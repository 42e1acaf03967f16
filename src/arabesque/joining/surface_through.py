"""Patches near to any form that is given over their parameters: their rows kept, spans halved where they do not do."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry import Surface, greville
from arabesque.joining.collocation import through

Form = Callable[[Floats, Floats], Floats]
"""Of (n,) and (m,) parameters the (n, m, 3) places of a form."""
MOST_SPANS = 64
"""Along each way: a patch that asks for more comes as near as these do."""
BETWEEN = 4
"""Places in each step between Greville places at which is looked."""


def surface_through(like: Surface, form: Form, tolerance: float) -> tuple[Surface, float]:
    """The spline with the degree and the knots of a patch through a form over its parameters, spans halved where it is
    more than ``tolerance`` mm off; and how far it is off at most.

    Interpolation at the Greville places: Piegl and Tiller, "Computing offsets of NURBS curves and surfaces", CAD 31,
    1999.
    """
    knots = [like.knots[0], like.knots[1]]
    while True:
        made = _through(like, knots, form)
        worst, spans = _apart(made, form, tolerance)
        room = [len(np.unique(one)) <= MOST_SPANS for one in knots]
        if worst <= tolerance or not any(r and len(s) for r, s in zip(room, spans, strict=True)):
            return made, worst
        for axis in (0, 1):
            if room[axis]:
                breaks = np.unique(knots[axis])
                middles = [(breaks[k] + breaks[k + 1]) / 2 for k in spans[axis]]
                knots[axis] = np.sort(np.concatenate([knots[axis], middles]))


def _through(like: Surface, knots: list[Floats], form: Form) -> Surface:
    """The spline through the form at the Greville places of some knots."""
    at = [greville(one, p) for one, p in zip(knots, like.degree, strict=True)]
    points = form(at[0], at[1])
    for axis in (0, 1):
        points = np.swapaxes(through(np.swapaxes(points, 0, axis), like.degree[axis], knots[axis]), 0, axis)
    return Surface(like.degree, (knots[0], knots[1]), points)


def _apart(made: Surface, form: Form, tolerance: float) -> tuple[float, list[Floats]]:
    """How far a spline is from the form at most, and along each way the spans in which it is too far."""
    at, steps = [], np.linspace(0, 1, BETWEEN + 1)[:-1]
    for axis in (0, 1):
        g = greville(made.knots[axis], made.degree[axis])
        at.append(np.append((g[:-1, None] + np.diff(g)[:, None] * steps).ravel(), g[-1]))
    gap = np.linalg.norm(made.on_grid(at[0], at[1])[0, 0] - form(at[0], at[1]), axis=-1)
    spans = []
    for axis in (0, 1):
        breaks = np.unique(made.knots[axis])
        far = at[axis][gap.max(axis=1 - axis) > tolerance]
        spans.append(np.unique(np.clip(np.searchsorted(breaks, far, side="right") - 1, 0, len(breaks) - 2)))
    return float(gap.max()), spans
