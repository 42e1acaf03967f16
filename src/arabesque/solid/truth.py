"""Whether what the kernel put together is what was asked for: at places by chance. Runs only inside the worker."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_IN, TopAbs_OUT, TopAbs_SOLID

from arabesque.solid.solids import CLEAR, ends_of
from arabesque.solid.stored import parts

PLACES = 32
"""That are looked at in all, shared among the tools; each is looked at once at least."""
DRAWN = 12
"""Places drawn for the first one of a tool: the first that lies in it is taken, for there a missed tool shows."""
AMONG: dict[str, Callable[[bool, bool], bool]] = {
    "cut": lambda one, other: one and not other,
    "add": lambda one, other: one or other,
    "common": lambda one, other: one and other,
}
"""Whether a place lies in the result, by whether it lies in the one and in any of the others."""


def comes_true(how: str, one: Any, others: Sequence[Any], made: Any) -> bool:
    """True where places in the boxes round some others lie in the result as they have to.

    The kernel calls results valid in which it missed a whole tool, as it does where surfaces lie in each other.
    """
    rng = np.random.default_rng(0)
    low, high = ends_of(one)
    state_one, state_made = _states(one), _states(made)
    tools = [(ends_of(other), _states(other)) for other in others]
    for (first, last), state in tools:
        # what is added may lie outside
        start, end = (first, last) if how == "add" else (np.maximum(low, first), np.minimum(high, last))
        if not (start < end).all():
            continue
        drawn = start + rng.random((DRAWN + PLACES // len(tools), 3)) * (end - start)
        first_in = next((number for number, place in enumerate(drawn[:DRAWN]) if state(place)), 0)
        for place in [drawn[first_in], *drawn[DRAWN + 1 :]]:
            here, there, among = state_one(place), state_made(place), state(place)
            if among is False:
                beside = [other(place) for _, other in tools if other is not state]
                among = None if None in beside else any(beside)
            if here is None or there is None or among is None:
                continue  # on a skin
            if there != AMONG[how](here, among):
                return False
    return True


def _states(shape: Any) -> Callable[[Any], bool | None]:
    """What tells whether a place lies in a shape; None on its skin."""
    known = [BRepClass3d_SolidClassifier(solid) for solid in parts(shape, TopAbs_SOLID)]

    def state(place: Any) -> bool | None:
        found = []
        for classifier in known:
            classifier.Perform(gp_Pnt(*map(float, place)), CLEAR)
            found.append(classifier.State())
        if any(one not in (TopAbs_IN, TopAbs_OUT) for one in found):
            return None
        return TopAbs_IN in found

    return state
