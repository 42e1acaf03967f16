"""Span: faces between two parts of the border."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages import Cage
from arabesque.cages.edits import span
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.base import Reworks
from arabesque.desk.tools.cage.chains import chain_from
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.model import Item, edits


class SpanBorders(Reworks):
    """Two clicks take two borders with as many edges each; the faces between are drawn at once."""

    id = "span-borders"
    label = "Span"
    hint = "Click two parts of the border: faces come between them"
    shortcut = "S"
    icon = "ph.link-simple"
    words: ClassVar[str] = "borders spanned"

    @dataclass
    class Options:
        """count: faces across. chains: a click takes the border up to its corners; else one edge, and Ctrl adds."""

        count: int = whole(1, 1, 40, "Faces across")
        chains: bool = labelled(True, "Up to corners")

    def clear(self) -> None:
        self._picked: list[Ints] = []
        self._hover: Ints | None = None

    @property
    def begun(self) -> bool:
        return bool(self._picked)

    @property
    def says(self) -> str:
        if self.made is not None:
            return "Enter keeps the faces; the number across is in the Inspector"
        if self.trouble:
            return self.trouble
        return "Click the first part of the border" if not self._picked else "Click the other part of the border"

    def _under(self, pointer: Pointer) -> Ints | None:
        found, cage = self.edge_under(pointer, border=True), self.cage
        if found is None or cage is None:
            return None
        return chain_from(cage, found[0]) if self.options.chains else np.array([found[0]])

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if not dragging and self.made is None:
            self._hover = self._under(pointer)
            self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        found = self._under(pointer)
        if found is None:
            self.select_under(pointer)
            self.clear()
        elif pointer.ctrl and self._picked:
            self._picked[-1] = np.unique(np.concatenate([self._picked[-1], found]))
        else:
            self._picked = [*self._picked[-1:], found] if len(self._picked) < 2 else [found]
        self._hover = None
        self.refresh()

    def rework(self, item: Item) -> Cage | None:
        if len(self._picked) < 2:
            return None
        first, second = self._picked
        document, count = self.session.history.document, self.options.count
        faces = np.concatenate([first, second]) // 4
        return edits.cages.reworked(
            document, item, faces, lambda cage, part: span(cage, part.halves(first), part.halves(second), count)
        )

    def picked_parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = self.chosen_lines(*self._picked)
        if self._hover is not None:
            parts.append(Lines(self.edge_lines(self._hover), now().accent, 2.2, 0.6, on_top=True))
        return parts
