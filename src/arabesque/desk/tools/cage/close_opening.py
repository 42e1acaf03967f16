"""Close an opening of a cage with a grid of faces."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages import Cage, border_chain
from arabesque.cages.edits import close_alike, close_opening, opening_sides
from arabesque.desk.facts import Fact
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.base import Reworks
from arabesque.desk.tools.options import whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.model import Item, edits


class CloseOpening(Reworks):
    """A click takes the opening; the grid is drawn at once, its corners where the border turns most."""

    id = "close-opening-cage"
    label = "Close an opening"
    hint = "Click the border of an opening: a grid of faces closes it"
    shortcut = "G"
    icon = "ph.grid-four"
    short = "Close"
    words: ClassVar[str] = "opening closed"

    @dataclass
    class Options:
        """along: faces along the first side, 0 by itself. turned: edges that the grid begins further round."""

        along: int = whole(0, 0, 60, "Along, 0 by itself")
        turned: int = whole(0, 0, 60, "Turned by")

    def clear(self) -> None:
        self._half: int | None = None
        self._hover: Ints | None = None

    @property
    def begun(self) -> bool:
        return self._half is not None

    @property
    def says(self) -> str:
        if self.made is not None:
            return "Enter keeps it; sides and turn are in the Inspector"
        return self.trouble or self.hint

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if dragging or self.made is not None:
            return
        found, cage = self.edge_under(pointer, border=True), self.cage
        self._hover = None if found is None or cage is None else border_chain(cage.quads, found[0])
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        found = self.edge_under(pointer, border=True)
        if found is None:
            self.select_under(pointer)
        self._half = None if found is None else found[0]
        self._hover = None
        self.refresh()

    def rework(self, item: Item) -> Cage | None:
        half, o = self._half, self.options
        if half is None:
            return None
        document = self.session.history.document
        along = o.along or None

        def close(cage: Cage, part: object) -> Cage:
            own = int(part.halves(np.array([half]))[0])  # type: ignore[attr-defined]
            return close_opening(cage, own, along, o.turned)

        if edits.cages.is_tied(item):
            ring = border_chain(item.shape.quads, half)
            height = item.shape.quads.starts[ring]
            sides = self.plane.height(item.shape.points[height])
            if (sides > 1e-6).any() and (sides < -1e-6).any():
                # closed as a whole, with a row of edges in the plane
                return close_alike(item.shape, half, self.plane, along)
        return edits.cages.reworked(document, item, np.array([half // 4]), close)

    def more_facts(self, before: Cage, made: Cage) -> list[Fact]:
        assert self._half is not None
        ring = border_chain(before.quads, self._half)
        along = self.options.along or opening_sides(before, ring)[0]
        return [Fact("Edges round it", str(len(ring))), Fact("Grid", f"{along} x {len(ring) // 2 - along}")]

    def picked_parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self._hover is None or self.made is not None:
            return []
        return [Lines(self.edge_lines(self._hover), now().accent, 2.6, on_top=True)]
