"""The states tried while a tool runs, with their figures: step among them, and pick the best."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from arabesque.checking import Distances
from arabesque.desk.facts import Choice
from arabesque.desk.session import Session
from arabesque.model import Document, Item

MOST_SHOWN = 12


@dataclass(frozen=True)
class _State:
    words: str
    document: Document
    item: str
    p99: float


class Tried:
    """Notes the figure of every state that is committed; states that undo gave up are forgotten."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._states: list[_State] = []

    def begin(self, item: Item | None) -> None:
        """Remember a patch as it is before the first change."""
        if not self._states:
            self.note("as it was", item)

    def note(self, words: str, item: Item | None) -> None:
        """Remember the present state of a patch."""
        measured = None if item is None else self._session.distances(item)
        if item is not None and measured is not None and measured.valid.any():
            p99 = self._session.kept(Distances.figures, measured, self._session.document.tolerance).inlier_p99
            self._states.append(_State(words, self._session.history.document, item.id, p99))

    def choices(self, item: Item | None) -> list[Choice]:
        """A line for each state of this patch that the history still has, latest first; the best is marked."""
        history = self._session.history
        places = {id(step.document): number for number, step in enumerate(history.steps)}
        known = [s for s in self._states if id(s.document) in places and item is not None and s.item == item.id]
        if len(known) < 2:
            return []
        best = min(known, key=lambda state: state.p99)
        return [
            Choice(
                f"{state.p99:.3f} mm  {state.words}{'  ● best' if state is best else ''}",
                partial(self._session.go_to, places[id(state.document)]),
                state.document is history.document,
            )
            for state in reversed(known[-MOST_SHOWN:])
        ]
