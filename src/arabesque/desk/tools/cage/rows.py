"""Rows: loops of edges put in, slid and taken out, rows split and collapsed; what a click makes is drawn first."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages import Cage, loop_of, strip_of
from arabesque.cages.both_sides import Part
from arabesque.cages.edits import collapse_row, insert_loop, remove_loop, slide_loop, split_row
from arabesque.desk.facts import Fact
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.base import CageTool
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.model import Change, Document, Item, edits

MIDDLE = 0.06
"""Of a row: so near to its middle a loop goes through the middle."""
ENDS = 0.08
MOST_SLIDE = 0.9


class Do(Enum):
    """What a click does; the value is its words."""

    INSERT = "loop in"
    SPLIT = "split row"
    SLIDE = "slide loop"
    REMOVE = "loop out"
    COLLAPSE = "collapse row"


class Rows(CageTool):
    """The edge under the pointer says which row is meant."""

    id = "cage-rows"
    label = "Rows"
    hint = "Point at an edge: the row is drawn; a click puts a loop through it"
    shortcut = "V"
    icon = "ph.rows"
    applies = False

    @dataclass
    class Options:
        """do: what a click does. into: rows that one is split in. keep: the surface stays as near as it can."""

        do: Do = Do.INSERT
        into: int = whole(3, 2, 12, "Rows")
        keep: bool = labelled(True, "Keep the form")

        @property
        def idle(self) -> tuple[str, ...]:
            """Only a split has a number; sliding and collapsing change the form."""
            no_number = () if self.do is Do.SPLIT else ("into",)
            return no_number if self.do in (Do.INSERT, Do.SPLIT) else (*no_number, "keep")

    def start(self) -> None:
        super().start()
        self._hover: tuple[int, float] | None = None
        self._drag: tuple[int, float, Document] | None = None
        self._by = 0.0

    def stop(self) -> None:
        self.session.drop_shown()

    @property
    def says(self) -> str:
        if self._drag is not None:
            return f"Sliding by {100 * self._by:.0f} % of the row; Esc drops it"
        return {
            Do.INSERT: "Click an edge: a loop goes through its strip there; near the middle through the middle",
            Do.SPLIT: f"Click an edge: its row is split in {self.options.into}",
            Do.SLIDE: "Drag a loop to one side or the other",
            Do.REMOVE: "Click a loop: the faces to both sides of it become one",
            Do.COLLAPSE: "Click an edge: the strip across it is drawn together to a line",
        }[self.options.do]

    @property
    def facts(self) -> list[Fact]:
        cage = self.cage
        if cage is None:
            return []
        facts = [Fact("Faces", str(cage.count))]
        if self._hover is not None:
            half, share = self._hover
            facts.append(Fact("In the row", f"{len(strip_of(cage.quads, half).faces)} faces"))
            if self.options.do is Do.INSERT:
                facts.append(Fact("At", f"{100 * share:.0f} %"))
        return facts

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if dragging and self._drag is not None:
            self._slide(pointer)
            return
        found = self.edge_under(pointer)
        if found is not None:
            share = 0.5 if abs(found[1] - 0.5) < MIDDLE else float(np.clip(found[1], ENDS, 1 - ENDS))
            found = found[0], share
        if found != self._hover:
            self._hover = found
            self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        self.move(pointer, False)
        item = self.item
        if self._hover is None or item is None:
            self.select_under(pointer)
            return
        if self.options.do is Do.SLIDE:
            self._drag, self._by = (self._hover[0], 0.0, self.session.history.document), 0.0
            self._from = pointer
            return
        half, share = self._hover
        if self.session.edit(self._done, item, half, share):
            self._hover = None
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._drag is None:
            return
        half, _, _ = self._drag
        item, by = self.item, self._by
        self._drag = None
        self.session.drop_shown()
        if item is not None and abs(by) > 0.01:
            self.session.edit(self._slid, item, half, by)
        self.changed.emit()

    def escape(self) -> None:
        if self._drag is not None:
            self._drag = None
            self.session.drop_shown()
            self.changed.emit()
        else:
            self.left.emit()

    def _done(self, document: Document, item: Item, half: int, share: float) -> Change:
        o = self.options

        def work(cage: Cage, part: Part) -> Cage:
            own = int(part.halves(np.array([half]))[0])
            if o.do is Do.INSERT:
                return insert_loop(cage, own, share, o.keep)
            if o.do is Do.SPLIT:
                return split_row(cage, own, o.into, o.keep)
            return remove_loop(cage, own) if o.do is Do.REMOVE else collapse_row(cage, own)

        words = {
            Do.INSERT: "loop put in", Do.SPLIT: f"row split in {o.into}", Do.REMOVE: "loop taken out",
            Do.COLLAPSE: "row collapsed",
        }[o.do]  # fmt: skip
        return edits.cages.edited(document, item, words, np.array([half // 4]), work)

    def _slid(self, document: Document, item: Item, half: int, by: float) -> Change:
        def work(cage: Cage, part: Part) -> Cage:
            return slide_loop(cage, int(part.halves(np.array([half]))[0]), by)

        return edits.cages.edited(document, item, f"loop slid by {100 * by:.0f} %", np.array([half // 4]), work)

    def _slide(self, pointer: Pointer) -> None:
        """How far along the rung the pointer has gone, to the left of the loop's way or to the right."""
        assert self._drag is not None
        half, _, before = self._drag
        cage, item = self.cage, self.item
        if cage is None or item is None:
            return
        quads = cage.quads
        a, b, c, d = np.roll(quads.faces[half // 4], -(half % 4))
        seen = pointer.camera.project(cage.points[[a, b, c, d]])[:, :2]
        rung = (seen[2] + seen[3] - seen[0] - seen[1]) / 2
        moved = np.array([pointer.x - self._from.x, pointer.y - self._from.y])
        self._by = float(np.clip(moved @ rung / max(float(rung @ rung), 1e-9), -MOST_SLIDE, MOST_SLIDE))
        try:
            self.session.show(self.session.moving(self._slid(before, item, half, self._by).document))
        except ArabesqueError as problem:
            self._by = 0.0
            self.session.tell_problem(problem)
        self.changed.emit()

    def _drawn(self, cage: Cage) -> Floats | None:
        """(k, 2, 3) what the click would make, or take."""
        if self._hover is None or self._hover[0] >= len(cage.quads.starts):
            return None
        half, share = self._hover
        if self.options.do in (Do.SLIDE, Do.REMOVE):
            return self.edge_lines(loop_of(cage.quads, half))
        strip = strip_of(cage.quads, half)
        low, high = cage.points[strip.rungs[:, 0]], cage.points[strip.rungs[:, 1]]
        if self.options.do is Do.COLLAPSE:
            return np.stack([low, high], axis=1)
        shares = [share] if self.options.do is Do.INSERT else np.arange(1, self.options.into) / self.options.into
        return np.concatenate([polyline(low + at * (high - low), strip.closed) for at in shares])

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        cage = self.cage
        drawn = None if cage is None or self._drag is not None else self._drawn(cage)
        made = [] if drawn is None else [Lines(drawn, now().accent, 2.6, on_top=True)]
        return [*self.net_parts(), *made]
