"""Lay faces: clicks on the scan make quads one after another."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.cages.edits import lay_face
from arabesque.cages.net import through
from arabesque.desk.facts import Fact
from arabesque.desk.theme import now
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.cage.base import CageTool
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.model import Change, Document, Item, edits
from arabesque.scan import Scan

Corner = int | Floats


class LayFaces(CageTool):
    """Each face needs only the points that are new; points that are there already are taken where one clicks near."""

    needs: ClassVar[Needs] = (Scan,)
    id = "lay-faces"
    label = "Lay faces"
    hint = "Click four corners on the scan; the next face goes on from the last edge"
    shortcut = "N"
    icon = "ph.selection-plus"
    short = "Lay"
    takes_places = True

    @dataclass
    class Options:
        """through: the smooth surface passes where one clicks; else the points themselves lie there. seat: clicks so
        near to the twin plane, in mm, lie on it."""

        through: bool = labelled(True, "Surface through clicks")
        seat: float = labelled(2.0, "On the plane within")

    def start(self) -> None:
        self.corners: list[Corner] = []
        self._from_edge = False
        self._pointer: Pointer | None = None
        chosen = self.session.chosen(Cage)
        self._target = None if chosen is None else chosen.id

    @property
    def item(self) -> Item | None:
        return self.session.history.document.items.get(self._target or "")

    @property
    def says(self) -> str:
        left = 4 - len(self.corners)
        if not self.corners and self.cage is not None:
            return "Click an edge of the border to go on from it, or four new places; Esc ends"
        if left == 4:
            return "Click the first of four corners on the scan"
        more = "; Enter takes three" if left == 1 else ""
        corners = "1 more corner" if left == 1 else f"{left} more corners"
        return f"{corners}, new or there already{more}; Backspace takes one back"

    @property
    def facts(self) -> list[Fact]:
        cage = self.cage
        return [] if cage is None else [Fact("Faces", str(cage.count)), Fact("Points", str(cage.quads.count))]

    @property
    def can_apply(self) -> bool:
        return len(self.corners) == 3

    @property
    def apply_word(self) -> str:
        return "Close with a fourth"

    def place(self, corner: Corner) -> Floats:
        """Where a corner lies."""
        cage = self.cage
        return cage.points[corner] if isinstance(corner, int) and cage is not None else np.asarray(corner)

    def _corner_at(self, pointer: Pointer) -> Corner | None:
        at = self.point_under(pointer)
        if at is not None:
            return at
        place = pointer.on_scan(self.session.scan)
        if place is None:
            return None
        height = float(self.plane.height(place[None])[0])
        if abs(height) <= self.options.seat:
            place = place - height * self.plane.normal
        return place

    def move(self, pointer: Pointer, dragging: bool) -> None:
        self._pointer = pointer
        self.changed.emit()

    def _edge_to_go_on(self, pointer: Pointer) -> int:
        """The border edge under the pointer from which a next face may go on, in place of one that only was begun
        with; -1 for none."""
        begun = len(self.corners) == 2 and self._from_edge
        if self.cage is None or (self.corners and not begun) or self.point_under(pointer) is not None:
            return -1
        found = self.edge_under(pointer, border=True)
        return -1 if found is None else int(found[0])

    def _go_on(self, half: int) -> None:
        """Begin a face at a border edge; it lies to the other side of that."""
        cage = self.cage
        assert cage is not None
        self.corners, self._from_edge = [int(cage.quads.ends[half]), int(cage.quads.starts[half])], True

    def press(self, pointer: Pointer) -> None:
        self._pointer = pointer
        half = self._edge_to_go_on(pointer)
        if half >= 0:
            self._go_on(half)
            self.changed.emit()
            return
        if not self.corners:
            self._from_edge = False
        corner = self._corner_at(pointer)
        if corner is None:
            self.session.tell("There is no scan here: click on it, or near a point", True)
            return
        if isinstance(corner, int) and corner in [c for c in self.corners if isinstance(c, int)]:
            return
        self.corners.append(corner)
        if len(self.corners) == 4:
            self._lay()
        self.changed.emit()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.corners:
            self.corners.pop()
            self.changed.emit()
            return True
        return False

    def apply(self) -> None:
        if self.can_apply:
            self._lay()
            self.changed.emit()

    def escape(self) -> None:
        if self.corners:
            self.corners = []
            self.changed.emit()
        else:
            self.left.emit()

    def _going_round(self, corners: list[Corner]) -> list[Corner]:
        """The corners so that a face from an edge does not cross itself, whichever of its new ones came first."""
        if len(corners) < 4 or not self._from_edge:
            return corners
        p, q, r, s = (self.place(corner) for corner in corners)
        crossed = np.linalg.norm(np.cross(r - p, s - q)) < np.linalg.norm(np.cross(s - p, r - q))
        return [*corners[:2], corners[3], corners[2]] if crossed else corners

    def _lay(self) -> None:
        """Lay the face, and begin the next one from its last edge."""
        corners, self.corners = self._going_round(self.corners), []
        before = self.cage
        places = [self.place(corner) for corner in corners]
        known = 0 if before is None else before.quads.count
        if not self.session.edit(self._laid, corners):
            return
        cage = self.cage
        if cage is None:
            return
        # the two corners that were new and clicked last
        last = [k for k in (2, 3) if k < len(corners) and not isinstance(corners[k], int)]
        if len(last) == 2 and known < cage.quads.count:
            limit = cage.limit if self.options.through else cage.points
            ends = [int(np.linalg.norm(limit - places[k], axis=1).argmin()) for k in last]
            half = cage.quads.half_edge(*ends)
            half = half if half >= 0 else cage.quads.half_edge(ends[1], ends[0])
            if half >= 0 and cage.quads.border[half]:
                self._go_on(half)

    def _laid(self, document: Document, corners: list[Corner]) -> Change:
        """The document with one face more, on both sides where the cage is its own mirror image."""
        places = np.array([self.place(corner) for corner in corners])
        scan = document.reference_scan
        up = scan.closest(places).normals.mean(axis=0) if scan is not None else np.array([0, 0, 1.0])
        item = document.items.get(self._target or "")
        if item is None:
            made = self._passing(None, lay_face(None, corners, up), places)
            change = edits.items.added(document, "first face laid", "Cage", made, (), "laid by hand")
            self._target = change.select
            return change
        if edits.cages.is_tied(item):
            faces = np.flatnonzero(np.isin(item.shape.faces, [c for c in corners if isinstance(c, int)]).any(axis=1))

            def work(half: Cage, part: object) -> Cage:
                own = [part.points[c] if isinstance(c, int) else c for c in corners]  # type: ignore[attr-defined]
                if any(isinstance(c, np.integer) and c < 0 for c in own):
                    raise ArabesqueError("The corners lie on both sides of the twin plane", "Stay on one side")
                taken = [int(c) if isinstance(c, np.integer) else c for c in own]
                return self._passing(half, lay_face(half, taken, up), places)

            return edits.cages.edited(document, item, "face laid", faces, work)
        made = self._passing(item.shape, lay_face(item.shape, corners, up), places)
        return Change(f"{item.name}: face laid", document.with_shape(item.id, made), item.id)

    def _passing(self, before: Cage | None, made: Cage, places: Floats) -> Cage:
        """The cage with its surface through the new places; what was there stays where it came to lie."""
        if not self.options.through:
            return made
        wanted = made.points.copy()
        if before is not None:
            wanted[: before.quads.count] = before.limit
        return through(made, wanted)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        t = now()
        parts: list[Triangles | Lines | Discs | Label] = []
        cage = self.cage
        if cage is not None:
            parts += [*self.net_parts(), Discs(cage.points, np.zeros(cage.quads.count), 3.0)]
        corners = [self.place(corner) for corner in self.corners]
        pointer = self._pointer
        ahead = None if pointer is None else self._corner_at(pointer)
        half = -1 if pointer is None else self._edge_to_go_on(pointer)
        if half >= 0:
            parts.append(Lines(self.edge_lines(np.array([half])), t.accent, 3.0, on_top=True))
            return parts
        if ahead is not None:
            corners.append(self.place(ahead))
            parts.append(Discs(corners[-1][None], np.array([2.0]), 5.0))
        if len(corners) > 1:
            line = np.array([self.place(corner) for corner in self._going_round(list(corners))])
            parts.append(Lines(polyline(line, len(corners) > 2), t.accent, 2.0, on_top=True))
        if self.corners:
            parts.append(Discs(np.array([self.place(c) for c in self.corners]), np.ones(len(self.corners)), 4.5))
        return parts
