"""Edges that are pulled back along their own form while what stands on them is looked at, and the states tried so."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.facts import Choice
from arabesque.desk.session import Session
from arabesque.desk.tools.patch.picked_border import Border
from arabesque.geometry import Face, Surface
from arabesque.joining import along_form, pulled_back
from arabesque.model import Document

REACH, KNOTS, STEPS = 0.4, 17, 12
"""Of a patch's size: how far its edge can be pulled, forward too; lengths that are tried, and places between two."""
MOST_STATES = 6


def can_be_pulled(session: Session, border: Border) -> bool:
    """True for an edge of a patch that shows as a whole."""
    shape = session.document[border.key].shape if border.key in session.document else None
    return isinstance(shape, Surface) and not isinstance(shape, Face) and border.rim >= 0


def pulled_shapes(document: Document, picked: Sequence[Border], lengths: Sequence[float]) -> dict[str, Surface]:
    """Of the patches whose edges are pulled back by so many mm the shapes that they have then, by their ids; raises
    InvalidShape where nothing would be left of one."""
    found: dict[str, Surface] = {}
    for border, length in zip(picked, lengths, strict=True):
        if length:
            shape = found.get(border.key) or document[border.key].shape
            assert isinstance(shape, Surface)
            found[border.key] = pulled_back(shape, border.rim, length)
    return found


def way_back(session: Session, border: Border) -> tuple[Floats, Floats]:
    """(n, 3) where the middle of an edge lies for (n,) lengths by which it is pulled back."""
    found: tuple[Floats, Floats] = session.kept(_way_back, session.document[border.key].shape, border.rim)
    return found


def _way_back(surface: Surface, edge: int) -> tuple[Floats, Floats]:
    size = float(np.linalg.norm(np.ptp(surface.points.reshape(-1, 3), axis=0)))
    lengths = np.linspace(-REACH, REACH, KNOTS) * size
    places = along_form(surface, edge, lengths)
    good = np.isfinite(places[:, 0])
    fine = np.linspace(lengths[good][0], lengths[good][-1], (int(good.sum()) - 1) * STEPS + 1)
    line = np.column_stack([np.interp(fine, lengths[good], places[good, k]) for k in range(3)])
    return line, fine


@dataclass(frozen=True)
class TriedState:
    """What was tried: the form's values, and how near 99 % were to the scan, mm."""

    values: dict[str, Any]
    away: float


class TriedStates:
    """The last states of a form, with their figures, the best one marked; a click brings one back."""

    def __init__(self, words: Callable[[dict[str, Any]], str], bring: Callable[[dict[str, Any]], None]) -> None:
        self._words, self._bring = words, bring
        self._states: list[TriedState] = []

    def note(self, values: dict[str, Any], away: float) -> None:
        """Remember a state; one that is known already moves to the end."""
        kept = [state for state in self._states if state.values != values]
        self._states = [*kept, TriedState(values, away)][-MOST_STATES:]

    def forget(self) -> None:
        """Nothing was tried."""
        self._states = []

    def choices(self, now: dict[str, Any]) -> list[Choice]:
        """A line for each state, the latest first."""
        if len(self._states) < 2:
            return []
        best = min(self._states, key=lambda state: state.away)
        return [
            Choice(
                f"{state.away:.3f} mm  {self._words(state.values)}{'  ● best' if state is best else ''}",
                partial(self._bring, state.values),
                state.values == now,
            )
            for state in reversed(self._states)
        ]
