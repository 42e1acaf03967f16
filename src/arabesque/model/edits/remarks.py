"""Edits of what is written onto a model: notes, and distances that papers show."""

from __future__ import annotations

from dataclasses import replace

from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.remarks import Measure, Note, Place


def noted(document: Document, place: Place, words: str) -> Change:
    """A note more."""
    note = Note(place, words)
    return Change(f"note {len(document.notes) + 1}", replace(document, notes=(*document.notes, note)))


def ticked(document: Document, number: int) -> Change:
    """A note done, or not yet; number: its place among all, from 0."""
    notes = list(document.notes)
    notes[number] = replace(notes[number], done=not notes[number].done)
    word = "done" if notes[number].done else "open again"
    return Change(f"note {number + 1} {word}", replace(document, notes=tuple(notes)))


def reworded(document: Document, number: int, words: str) -> Change | None:
    """A note in other words; None for the same."""
    notes = list(document.notes)
    if notes[number].words == words:
        return None
    notes[number] = replace(notes[number], words=words)
    return Change(f"note {number + 1} in other words", replace(document, notes=tuple(notes)))


def note_removed(document: Document, number: int) -> Change:
    """A note less: the ones after it move up."""
    notes = document.notes[:number] + document.notes[number + 1 :]
    return Change(f"note {number + 1} removed", replace(document, notes=notes))


def measured(document: Document, one: Place, other: Place) -> Change:
    """A distance more, that papers show."""
    measure = Measure(one, other)
    return Change(f"{measure.length:.2f} mm measured", replace(document, measures=(*document.measures, measure)))


def measure_removed(document: Document, number: int) -> Change:
    """A distance less; number: its place among all, from 0."""
    measures = document.measures[:number] + document.measures[number + 1 :]
    return Change(f"distance {number + 1} removed", replace(document, measures=measures))
