"""Shape a cage: pull its points, edges and faces, one or whole rows of them, by hand or by nudges."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from functools import partial
from typing import ClassVar

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Bools, Floats
from arabesque.cages import Cage, loop_of, strip_of
from arabesque.cages.edits.keep import net_normals
from arabesque.cages.symmetry import mirror_pairs
from arabesque.checking import read_cage_net
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.theme import now
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.cage.base import CageTool
from arabesque.desk.tools.cage.chains import Twice, chain_from
from arabesque.desk.tools.moves import Way
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.patch.move_points import TWIN, MovePoints
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer, facing
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.geometry import FallOff
from arabesque.model import Item
from arabesque.shapes import Net

GATHERED = 0.5
"""Share of the way to their middle by which chosen points are drawn together at a time."""
FAR_SIDE = -0.25
"""Cosine between the net's normal at a point and the way to the eye from which on it lies on the far side."""
SWOLLEN = 0.05
"""Of the choice's size: so far are chosen points pushed out at a time."""


class Take(Enum):
    """What a click takes; the value is its words."""

    POINTS = "points"
    EDGES = "edges"
    FACES = "faces"


class ShapeCage(CageTool, MovePoints):
    """What pulls control points everywhere, over points, edges and faces of cages."""

    needs: ClassVar[Needs] = (Cage,)
    id = "shape-cage"
    step = Step.CAGE
    also: ClassVar[tuple[Step, ...]] = ()
    label = "Shape the cage"
    hint = "Click points, edges or faces, then drag them; a double click takes the whole row"
    shortcut = "M"
    icon = "ph.hand-grabbing"
    short = "Shape"
    applies = False

    @dataclass
    class Options:
        """take: what a click takes. The rest as for control points; cling: dragged points stay on the scan."""

        take: Take = Take.POINTS
        drag: Way = labelled(Way.FREE, "Drag")
        reach: float = 0.0
        fall_off: FallOff = FallOff.BELL
        hold_edges: bool = labelled(False, "Hold the border")
        hold_neighbours: bool = False
        loupe: int = whole(10, 1, 200, "Loupe x")

        keep_form = False

        @property
        def idle(self) -> tuple[str, ...]:
            """Without a reach nothing fades."""
            return () if self.reach > 0 else ("fall_off",)

    def start(self) -> None:
        MovePoints.start(self)
        CageTool.start(self)
        self._twice = Twice()

    @property
    def item(self) -> Item | None:
        return self.session.chosen(Cage)

    @property
    def items(self) -> list[Item]:
        return [item for item in self.session.selected_items if isinstance(item.shape, Cage)]

    @property
    def says(self) -> str:
        if self.item is None:
            return "Lay faces first, or begin with a first cage"
        if self._drag is not None or self._count():
            return MovePoints.says.fget(self)  # type: ignore[attr-defined]
        what = self.options.take.value
        return f"Click {what}, or draw a box; a double click takes the row, with Shift the strip across it; Ctrl adds"

    def options_changed(self) -> None:
        self.session.points.clear()
        self.session.elements.clear()
        MovePoints.options_changed(self)

    # choosing

    def press(self, pointer: Pointer) -> None:
        twice = self._twice.pressed(pointer)
        take = self.options.take
        if take is Take.POINTS and not twice:
            self.session.elements.clear()
            MovePoints.press(self, pointer)
            return
        if not self.items or self._handle_under(pointer) is not None:
            MovePoints.press(self, pointer)
            return
        mask = self._element_under(pointer, twice)
        item = self.item
        if mask is None or item is None:
            if not self.select_under(pointer):
                self._outline = [pointer]
            return
        cage = item.shape
        if take is Take.EDGES:
            chosen = self.session.elements.edges(item)
            chosen = chosen | mask if pointer.ctrl else (chosen if chosen[mask].all() and not twice else mask)
            self.session.elements.put_edges(item, chosen)
            points = np.bincount(cage.quads.edges[chosen].ravel(), minlength=cage.quads.count) > 0
        elif take is Take.FACES:
            chosen = self.session.elements.faces(item)
            chosen = chosen | mask if pointer.ctrl else (chosen if chosen[mask].all() and not twice else mask)
            self.session.elements.put_faces(item, chosen)
            points = np.bincount(cage.faces[chosen].ravel(), minlength=cage.quads.count) > 0
        else:
            points = mask | self.session.points.mask(item) if pointer.ctrl else mask
        self.session.points.clear()
        self.session.points.put(item, points)
        self._anchor = cage.points[points].mean(axis=0)
        way = Way.NORMAL if pointer.shift and not twice else self.options.drag
        self._drag = (way, pointer, self.session.history.document)
        self.changed.emit()

    def _element_under(self, pointer: Pointer, whole_row: bool) -> Bools | None:
        """What a press takes: a mask over edges, faces or points."""
        cage = self.cage
        if cage is None:
            return None
        quads = cage.quads
        if self.options.take is Take.FACES:
            face = self.face_under(pointer)
            if face is None:
                return None
            mask = np.zeros(cage.count, dtype=bool)
            mask[face] = True
            if whole_row:
                # the strip through the side that was clicked nearest
                found = self.edge_under(pointer)
                half = 4 * face if found is None else found[0]
                mask[strip_of(quads, half).faces] = True
            return mask
        found = self.edge_under(pointer)
        if found is None:
            return None
        half = found[0]
        if self.options.take is Take.POINTS:
            row = self._row(cage, half, pointer.shift)
            mask = np.zeros(quads.count, dtype=bool)
            mask[quads.edges[row].ravel()] = True
            return mask
        mask = np.zeros(len(quads.edges), dtype=bool)
        mask[self._row(cage, half, pointer.shift) if whole_row else quads.edge_of[half]] = True
        return mask

    @staticmethod
    def _row(cage: Cage, half: int, across: bool) -> np.ndarray:
        """The edges of the row that an edge lies in, or across: of the strip that it is a rung of."""
        quads = cage.quads
        if across:
            rungs = np.sort(strip_of(quads, half).rungs, axis=1)
            keys = quads.edges[:, 0] * quads.count + quads.edges[:, 1]
            return np.asarray(np.searchsorted(keys, rungs[:, 0] * quads.count + rungs[:, 1]))
        if quads.border[half]:
            return np.asarray(quads.edge_of[chain_from(cage, half)])
        return np.asarray(quads.edge_of[loop_of(quads, half)])

    def _choose_within(self, outline: list[Pointer]) -> None:
        MovePoints._choose_within(self, outline)
        item = self.item
        if item is None or not isinstance(item.shape, Cage):
            return
        mask, quads = self.session.points.mask(item), item.shape.quads
        if self.options.take is Take.EDGES:
            self.session.elements.put_edges(item, np.asarray(mask[quads.edges].all(axis=1)))
        elif self.options.take is Take.FACES:
            self.session.elements.put_faces(item, np.asarray(mask[quads.faces].all(axis=1)))

    def key(self, event: QKeyEvent) -> bool:
        takes = {Qt.Key.Key_1: Take.POINTS, Qt.Key.Key_2: Take.EDGES, Qt.Key.Key_3: Take.FACES}
        if event.key() in takes and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.options.take = takes[Qt.Key(event.key())]
            self.options_changed()
            self.form_changed.emit()
            return True
        return MovePoints.key(self, event)

    # what is told

    @property
    def facts(self) -> list[Fact]:
        facts, item = MovePoints.facts.fget(self), self.item  # type: ignore[attr-defined]
        if item is None or not isinstance(item.shape, Cage):
            return facts
        edges, faces = self.session.elements.edges(item), self.session.elements.faces(item)
        more = []
        if edges.any():
            more.append(Fact("Edges chosen", f"{int(edges.sum())} of {len(edges)}"))
        if faces.any():
            more.append(Fact("Faces chosen", f"{int(faces.sum())} of {len(faces)}"))
        if self._drag is None:
            net = self.session.kept(read_cage_net, item.shape)
            folded = int(net.folded.sum())
            more += [Fact("Legs", f"{net.leg:.2f} : 1"), Fact("Folded faces", str(folded), "bad" if folded else "")]
        return [*facts, *more]

    @property
    def choices(self) -> list[Choice]:
        shared = MovePoints.choices.fget(self)  # type: ignore[attr-defined]
        own = []
        if self._count() > 1:
            own = [
                Choice("Gather", partial(self._edit, "Gather", gathered)),
                Choice("Swell", partial(self._edit, "Swell", self._swollen)),
            ]
        return own + shared

    def _swollen(self, net: Net, chosen: Bools) -> Floats:
        """Points with the chosen ones pushed out evenly along the surface's normals."""
        item = self.item
        assert item is not None
        size = float(np.linalg.norm(np.ptp(net.points[chosen], axis=0)))
        normals = item.shape.frames().normals
        points = net.points.copy()
        points[chosen] += SWOLLEN * size * normals[chosen]
        return points

    def _states(self, item: Item, net: Net, chosen: Bools) -> Floats:
        states = np.zeros(len(chosen))
        if item.ties.twin is not None:
            pairs = mirror_pairs(item.shape, self.session.document.plane_of(item))
            if pairs is not None:
                states[pairs[chosen]] = TWIN
        for pin, _ in item.ties.pins:
            states[pin] = 4.0
        states[chosen] = 1.0
        if self._hover is not None and self._hover[0] == item.id and self._hover[1] < len(states):
            states[self._hover[1]] = states[self._hover[1]] or 2.0
        return states

    def in_sight(self, item: Item, camera: Camera) -> Bools:
        """Points on the far side of a form would hide those that one looks at."""
        cage = item.shape
        up = net_normals(cage, np.ones(cage.quads.count, dtype=bool))
        return np.asarray(up @ facing(camera) > FAR_SIDE)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = MovePoints.parts(self, camera)
        t = now()
        for item in self.items:
            cage = item.shape
            edges, faces = self.session.elements.edges(item), self.session.elements.faces(item)
            if edges.any():
                parts.append(Lines(cage.points[cage.quads.edges[edges]], t.accent, 3.0, on_top=True))
            for face in np.flatnonzero(faces)[:400]:
                parts.append(Lines(polyline(cage.points[cage.faces[face]], closed=True), t.accent, 2.4, on_top=True))
        return parts


def gathered(net: Net, chosen: Bools) -> Floats:
    """Points with the chosen ones drawn towards their middle."""
    points = net.points.copy()
    points[chosen] += GATHERED * (points[chosen].mean(axis=0) - points[chosen])
    return points
