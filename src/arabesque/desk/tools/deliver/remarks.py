"""What a client, or the workshop, has to say of a model: numbered notes at their places, and picked distances."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from functools import partial

import numpy as np

from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.body.picked_faces import place_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.model import edits

Place = tuple[float, float, float]


class What(Enum):
    """What a click begins."""

    NOTE = "a note"
    DISTANCE = "a distance"


class WriteRemarks(Tool):
    """A click puts a note there, in the words of the form; two clicks measure. A line of the list ticks a note off."""

    id = "remarks"
    step = Step.DELIVER
    label = "Notes and distances"
    short = "Notes"
    hint = "Write the words, click the place on the model; or choose a distance and click twice"
    shortcut = "N"
    icon = "ph.note-pencil"
    takes_places = True

    @dataclass
    class Options:
        """words: of the next note."""

        what: What = labelled(What.NOTE, "A click sets")
        words: str = labelled("", "Words")

    def start(self) -> None:
        self.one: Place | None = None
        self.place: Place | None = None

    @property
    def says(self) -> str:
        if self.options.what is What.DISTANCE:
            return "Click the first place" if self.one is None else "Click the other place"
        return "Click the place of the note" if self.place is None else "Write the words, then Enter"

    @property
    def can_apply(self) -> bool:
        return self.place is not None and bool(self.options.words.strip())

    @property
    def apply_word(self) -> str:
        return "Set the note"

    def options_changed(self) -> None:
        self.one = None
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        place = self._under(pointer)
        if place is None:
            self.session.tell_problem(ArabesqueError("There is nothing here to speak of", "Click on the model or scan"))
            return
        if self.options.what is What.NOTE:
            self.place = place
            if self.options.words.strip():
                self.apply()
        elif self.one is None:
            self.one = place
        else:
            self.session.edit(edits.remarks.measured, self.one, place)
            self.one = None
        self.changed.emit()

    def _under(self, pointer: Pointer) -> Place | None:
        on_face = place_under(self.session, pointer)
        found = on_face.place if on_face is not None else pointer.on_scan(self.session.scan)
        if found is None:
            return None
        x, y, z = (float(c) for c in found)
        return x, y, z

    def apply(self) -> None:
        if self.can_apply and self.session.edit(edits.remarks.noted, self.place, self.options.words.strip()):
            self.place, self.options.words = None, ""
            self.form_changed.emit()
            self.changed.emit()

    def escape(self) -> None:
        if self.one is None and self.place is None:
            self.left.emit()
        else:
            self.one = self.place = None
            self.changed.emit()

    @property
    def facts(self) -> list[Fact]:
        document = self.session.document
        open_notes = sum(not note.done for note in document.notes)
        told = [Fact("Notes", f"{len(document.notes)}, {open_notes} open")]
        return [*told, *(Fact(f"Distance {k}", f"{m.length:.2f} mm") for k, m in enumerate(document.measures, start=1))]

    @property
    def choices(self) -> list[Choice]:
        document, edit = self.session.document, self.session.edit
        lines = [
            Choice(f"{'☑' if note.done else '☐'} {k + 1}  {note.words}", partial(edit, edits.remarks.ticked, k))
            for k, note in enumerate(document.notes)
        ]
        if document.notes:
            lines.append(
                Choice("Take the last note away", partial(edit, edits.remarks.note_removed, len(document.notes) - 1))
            )
        if document.measures:
            last = len(document.measures) - 1
            lines.append(Choice("Take the last distance away", partial(edit, edits.remarks.measure_removed, last)))
        return lines

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        document, colours = self.session.document, theme.now()
        parts: list[Triangles | Lines | Discs | Label] = []
        for number, note in enumerate(document.notes, start=1):
            place = np.array(note.place)
            colour = colours.faint if note.done else colours.accent
            parts += [Discs(place[None], np.ones(1), 5.0, colour), Label(place, f"{number}{' ✓' if note.done else ''}")]
        for measure in document.measures:
            ends = np.array([measure.one, measure.other])
            parts += [
                Lines(polyline(ends), colours.ink, 1.6, on_top=True),
                Label(ends.mean(axis=0), f"{measure.length:.2f} mm"),
            ]
        begun = self.one if self.one is not None else self.place
        if begun is not None:
            parts.append(Discs(np.array([begun]), np.zeros(1), 5.0, colours.accent))
        return parts
