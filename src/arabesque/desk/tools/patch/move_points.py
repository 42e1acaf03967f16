"""Move control points and rows of one or several patches, curves or whatever has a net, by hand or by nudges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, ClassVar

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Bools, Floats
from arabesque.checking import close_ups
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.patches import size_of
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Needs, Tool
from arabesque.desk.tools.moves import Way, clung, directions, neighbours_follow, slid
from arabesque.desk.tools.on_patches import patch_under, take_one
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.prepare.mark import on_screen
from arabesque.desk.tools.tried import Tried
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import along_line, nearest_point, nearest_row, on_plane
from arabesque.desk.view.pointer import Pointer, facing
from arabesque.desk.view.scene import Discs, Label, Lines, Loupe, Triangles, net_segments, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    FallOff,
    Surface,
    TwinKind,
    averaged,
    evened,
    flattened,
    grown_choice,
    parallel,
    reach_weights,
    straightened,
    unit,
)
from arabesque.mending import within
from arabesque.model import Document, Item
from arabesque.shapes import Net, Netted, can

HANDLE_PIXELS = 46.0
FIRST_STEP = 0.1
LOUPE_SHARE = 0.08
"""The loupe looks this share of the shape's size far to both sides."""
DRAWN_PIXELS = 6.0
"""A shorter drag over nothing is a click."""
TWIN, PINNED = 3.0, 4.0
"""States of discs: a point that follows its mirror image, and one that fits leave alone."""


class MovePoints(Tool):
    """Pulls control points; shapes, distance and figures follow."""

    needs: ClassVar[Needs] = (Netted,)
    id = "move-points"
    step = Step.PATCH
    also: ClassVar[tuple[Step, ...]] = (Step.TRACE,)
    label = "Move control points"
    hint = "Click a control point, then drag it"
    shortcut = "M"
    icon = "ph.dots-nine"
    short = "Points"
    applies = False

    @dataclass
    class Options:
        """drag: where a plain drag goes. reach: how far a soft move goes, mm; 0 for none.

        hold_edges: the border stays. keep_form: rows slide along the form.
        hold_neighbours: patches that share an edge do not follow.
        """

        drag: Way = labelled(Way.FREE, "Drag")
        reach: float = 0.0
        fall_off: FallOff = FallOff.BELL
        hold_edges: bool = False
        keep_form: bool = labelled(False, "Slide on the form")
        hold_neighbours: bool = False
        loupe: int = whole(10, 1, 200, "Loupe x")

        @property
        def idle(self) -> tuple[str, ...]:
            """Without a reach nothing fades."""
            return () if self.reach > 0 else ("fall_off",)

    def start(self) -> None:
        self.step_mm = FIRST_STEP
        self._hover: tuple[str, int] | None = None
        self._drag: tuple[Way, Pointer, Document] | None = None
        self._anchor: Floats | None = None
        self._outline: list[Pointer] = []
        self._sizing = False
        self._tried = Tried(self.session)
        take_one(self.session, Netted)

    def stop(self) -> None:
        self.session.drop_shown()

    # what is edited

    @property
    def item(self) -> Item | None:
        """What is edited: the selected item."""
        return self.session.chosen(Netted)

    @property
    def items(self) -> list[Item]:
        """All that is edited: the selected items that have a net, as they now are."""
        return [item for item in self.session.selected_items if can(item.shape, Netted)]

    @property
    def chosen(self) -> Bools | None:
        """(n,) mask of the chosen points of the selected item."""
        item = self.item
        return None if item is None else self.session.points.mask(item)

    def _nets(self) -> list[tuple[Item, Net, Bools]]:
        return [(item, item.shape.net(), self.session.points.mask(item)) for item in self.items]

    def _count(self) -> int:
        return self.session.points.count(self.items)

    @property
    def says(self) -> str:
        if self.item is None:
            return "Make a patch or a curve first"
        if self._drag is not None:
            return f"Moving {self._drag[0].value}: Esc drops it"
        if self._count() == 0:
            return "Click a control point, or draw a box; Alt-click the net for a row; Ctrl and arrows go along"
        return f"Drag it, Shift along the normal, or nudge by {self.step_mm:g} mm; hold F and move for a soft reach"

    @property
    def facts(self) -> list[Fact]:
        item, chosen = self.item, self.chosen
        if item is None or chosen is None:
            return []
        count, nets = self._count(), self._nets()
        facts = [Fact("Points chosen", f"{count} of {sum(len(net.points) for _, net, _ in nets)}")]
        if len(nets) > 1:
            facts.append(Fact("Patches and curves", str(len(nets))))
        if count == 1 and chosen.any():
            net, at = item.shape.net(), int(chosen.argmax())
            x, y, z = net.points[at]
            i, j = net.place(at)
            place = f"u {i + 1}, v {j + 1}" if net.columns > 1 else f"{i + 1}"
            facts += [Fact("Point", place), Fact("At", f"{x:.3f}  {y:.3f}  {z:.3f}")]
        if self.options.reach > 0:
            soft = sum(int((self._weights(i.shape, mask) > 0).sum()) for i, _, mask in nets)
            facts.append(Fact("Moved along", f"{soft - count} points softly"))
        if item.ties.twin is not None:
            facts.append(Fact("Twin", item.ties.twin.kind.value))
        if item.ties.pins:
            facts.append(Fact("Pinned", str(len(item.ties.pins))))
        return [*facts, Fact("Nudge", f"{self.step_mm:g} mm")]

    @property
    def choices(self) -> list[Choice]:
        made = []
        if self._count() >= 3:
            edits: tuple[tuple[str, Callable[[Net, Bools], Floats]], ...] = (
                ("Straighten", straightened),
                ("Space evenly", evened),
                ("Average", averaged),
                ("Flatten", flattened),
                ("Make rows parallel", parallel),
            )
            made = [Choice(words, partial(self._edit, words, edit)) for words, edit in edits]
        if self._count():
            made.append(Choice("Pin, or let go" if self._pinned() else "Pin", self._pin))
        return made + self._tried.choices(self.item)

    def _edit(self, words: str, edit: Callable[[Net, Bools], Floats]) -> None:
        """Commit an edit of the chosen points."""
        document = self.session.history.document
        changed = {i.id: i.shape.with_points(edit(net, mask)) for i, net, mask in self._nets() if mask.any()}
        self._finish(self._with(document, changed), f"{self._what()}, {words.lower()}")

    def _pinned(self) -> bool:
        return any(item.ties.pins for item in self.items)

    def _pin(self) -> None:
        """Pin the chosen points, or let them go where all of them are pinned."""
        document = self.session.history.document
        for item, net, mask in self._nets():
            some = frozenset(net.place(at) for at in np.flatnonzero(mask).tolist())
            pins = item.ties.pins - some if some <= item.ties.pins else item.ties.pins | some
            document = document.changed(item.id, ties=replace(item.ties, pins=pins))
        self.session.commit(f"{self._name()}: pins of {self._what()}", document)
        self.changed.emit()

    def options_changed(self) -> None:
        self.changed.emit()

    @property
    def loupe(self) -> Loupe | None:
        item, scan, chosen = self.item, self.session.scan, self.chosen
        if item is None or scan is None or chosen is None or not chosen.any():
            return None
        measured = self.session.distances(item)
        if measured is None:
            return None
        frames = item.shape.frames()
        # where the chosen point nearest to the middle of the choice has most say
        places = frames.places[chosen]
        at = np.flatnonzero(chosen)[np.linalg.norm(places - places.mean(axis=0), axis=1).argmin()]
        place = frames.places[at]
        normal = scan.closest(place[None]).normals[0]
        radius = max(LOUPE_SHARE * size_of([item]), 1.0)
        ways = (frames.along_u[at], frames.along_v[at])
        near = close_ups(measured.samples, scan, place, normal, ways, radius)
        words = ("along the row", "along the column")
        charts = [(word, one.along, one.scan, one.surface) for word, one in zip(words, near, strict=True)]
        return Loupe(charts, float(self.options.loupe))

    def _weights(self, shape: Netted, chosen: Bools) -> Floats:
        """(n,) share of the move that each control point takes."""
        if not self.options.reach > 0:
            return chosen.astype(float)
        weights = reach_weights(shape.frames().places, chosen, self.options.reach, self.options.fall_off)
        if self.options.hold_edges:
            weights = np.where(shape.net().border & ~chosen, 0.0, weights)
        return weights

    # choosing

    def _choose(self, item: Item, mask: Bools, add: bool) -> None:
        """Choose points of an item; without ``add`` no others, of any item."""
        before = self.session.points.mask(item)
        if not add:
            self.session.points.clear()
        self.session.points.put(item, before ^ mask if add else mask)
        self.changed.emit()

    def _each(self, change: Callable[[Net, Bools], Bools]) -> None:
        for item, net, mask in self._nets():
            self.session.points.put(item, change(net, mask))

    # the hand

    def press(self, pointer: Pointer) -> None:
        if not self.items:
            self._select_under(pointer)
            return
        way = self._handle_under(pointer)
        if way is None:
            found = self._point_under(pointer)
            if pointer.alt and self._row_under(pointer):
                return
            if found is None:
                self._outline = [pointer]
                return
            item, net, index = found
            if pointer.ctrl or not self.session.points.mask(item)[index]:
                self._choose(item, net.only(index), pointer.ctrl)
            if not self.session.points.mask(item)[index]:
                return
            self._anchor = net.points[index]
            way = Way.NORMAL if pointer.shift else self.options.drag
        self._drag = (way, pointer, self.session.history.document)

    def _point_under(self, pointer: Pointer) -> tuple[Item, Net, int] | None:
        nets = self._nets()
        points = np.concatenate([net.points for _, net, _ in nets])
        at = nearest_point(pointer.camera, points, pointer.x, pointer.y)
        if at is None:
            return None
        for item, net, _ in nets:
            if at < len(net.points):
                return item, net, at
            at -= len(net.points)
        return None

    def _row_under(self, pointer: Pointer) -> bool:
        for item, net, _ in self._nets():
            number = nearest_row(pointer.camera, net, pointer.x, pointer.y)
            if number is not None:
                self._choose(item, net.only(net.rows[number]), pointer.ctrl)
                return True
        return False

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if not self.items:
            return
        if dragging and self._outline:
            self._outline.append(pointer)
            self.changed.emit()
        elif self._sizing and self._count():
            middle = self._middle()
            place = on_plane(pointer.camera, pointer.x, pointer.y, middle, facing(pointer.camera))
            if place is not None:
                self.options.reach = float(f"{np.linalg.norm(place - middle):.3g}")
                self.changed.emit()
        elif dragging and self._drag is not None:
            self._show(self._pulled(pointer))
        elif not dragging:
            found = self._point_under(pointer)
            hover = None if found is None else (found[0].id, found[2])
            if hover != self._hover:
                self._hover = hover
                self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._outline:
            outline, self._outline = self._outline, []
            self._choose_within(outline)
        if self._drag is None:
            return
        way, pressed, _ = self._drag
        if (pointer.x, pointer.y) == (pressed.x, pressed.y):
            self._drag = None
            self.session.drop_shown()
        else:
            changed = self._pulled(pointer)
            self._drag = None
            self._commit(changed, way)
        self.changed.emit()

    def escape(self) -> None:
        if self._drag is not None:
            self._drag = None
            self.session.drop_shown()
            self.changed.emit()
        elif self._count():
            self.session.points.clear()
            self.changed.emit()
        else:
            self.left.emit()

    def _choose_within(self, outline: list[Pointer]) -> None:
        """Points in the drawn box (with Alt: in the drawn line); a mere click chooses nothing, or another item."""
        first, last = outline[0], outline[-1]
        if abs(last.x - first.x) + abs(last.y - first.y) < DRAWN_PIXELS and len(outline) < 12:
            if self._count() and not first.ctrl:
                self.session.points.clear()
                self.changed.emit()
            else:
                self._select_under(first)
            return
        drawn = self._drawn(outline)
        for item, net, chosen in self._nets():
            mask = within(drawn, np.nan_to_num(first.camera.project(net.points)[:, :2], nan=-1e9))
            self.session.points.put(item, chosen | mask if first.ctrl else mask)
        self.changed.emit()

    @staticmethod
    def _drawn(outline: list[Pointer]) -> Floats:
        """Corners of the box between the ends of a drag; with Alt, the line itself."""
        if outline[0].alt:
            return np.array([(p.x, p.y) for p in outline])
        (a, b), (c, d) = ((p.x, p.y) for p in (outline[0], outline[-1]))
        return np.array([[a, b], [c, b], [c, d], [a, d]])

    def _select_under(self, pointer: Pointer) -> None:
        found = patch_under(self.session, pointer, Netted)
        if found is not None:
            self.session.select(found[0].id, add=pointer.ctrl)

    # the move

    def _pulled(self, pointer: Pointer) -> dict[str, Any]:
        """The shapes for the drag so far, by the ids of their items."""
        assert self._drag is not None
        way, pressed, before = self._drag
        anchor = self._anchor if self._anchor is not None else self._middle()
        if way in (Way.FREE, Way.CLING):
            normal = facing(pointer.camera)
            start = on_plane(pressed.camera, pressed.x, pressed.y, anchor, normal)
            now = on_plane(pointer.camera, pointer.x, pointer.y, anchor, normal)
            free = np.zeros(3) if start is None or now is None else now - start
            return self._moved(before, way, free)
        along = self._mean_direction(before, way)
        length = along_line(pointer.camera, pointer.x, pointer.y, anchor, along)
        length -= along_line(pressed.camera, pressed.x, pressed.y, anchor, along)
        return self._moved(before, way, length)

    def _mean_direction(self, document: Document, way: Way) -> Floats:
        found = []
        for item, _, mask in self._nets():
            if mask.any():
                found.append(self.session.kept(directions, document[item.id].shape, way, self.session.scan)[mask])
        return unit(np.concatenate(found).mean(axis=0))

    def _moved(self, before: Document, way: Way, by: Floats | float) -> dict[str, Any]:
        """The shapes of a document with the chosen points moved: by a vector, or so many mm along a way."""
        changed: dict[str, Any] = {}
        scan = self.session.scan
        for item, _, mask in self._nets():
            if not mask.any():
                continue
            shape = before[item.id].shape
            shares = self._weights(shape, mask)[:, None]
            if isinstance(by, np.ndarray):
                move = shares * by
            else:
                move = shares * self.session.kept(directions, shape, way, scan) * by
            if way is Way.CLING and scan is not None:
                changed[item.id] = clung(shape, move, scan)
            elif way in (Way.ROW, Way.COLUMN) and self.options.keep_form and isinstance(shape, Surface):
                changed[item.id] = slid(shape, move)
            else:
                changed[item.id] = shape.with_points(shape.net().points + move)
        return changed

    # the keys

    def key(self, event: QKeyEvent) -> bool:
        if not self.items:
            return False
        key = event.key()
        ways = {
            Qt.Key.Key_PageUp: (Way.NORMAL, 1), Qt.Key.Key_PageDown: (Way.NORMAL, -1),
            Qt.Key.Key_Right: (Way.ROW, 1), Qt.Key.Key_Left: (Way.ROW, -1),
            Qt.Key.Key_Up: (Way.COLUMN, 1), Qt.Key.Key_Down: (Way.COLUMN, -1),
        }  # fmt: skip
        if key in ways and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._step_along(ways[Qt.Key(key)])
        elif key in ways and self._count():
            way, sign = ways[Qt.Key(key)]
            self._commit(self._moved(self.session.history.document, way, sign * self.step_mm), way)
        elif key in (Qt.Key.Key_Comma, Qt.Key.Key_Period):
            self.step_mm *= 0.5 if key == Qt.Key.Key_Comma else 2.0
        elif key in (Qt.Key.Key_R, Qt.Key.Key_C) and self._count() and not event.modifiers():
            along = 0 if key == Qt.Key.Key_R else 1
            self._each(lambda net, mask: net.whole_rows(mask, along))
        elif key == Qt.Key.Key_F and self._count() and not event.isAutoRepeat():
            self._sizing = True
        elif key == Qt.Key.Key_Plus:
            self._each(grown_choice)
        elif key == Qt.Key.Key_Minus:
            self._each(lambda net, mask: ~grown_choice(net, ~mask))
        elif key == Qt.Key.Key_A and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._each(lambda _, mask: np.ones_like(mask))
        elif key == Qt.Key.Key_I and not event.modifiers():
            self._each(lambda _, mask: ~mask)
        else:
            return False
        self.changed.emit()
        return True

    def key_up(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F and self._sizing:
            self._sizing = False
            self.form_changed.emit()
            self.changed.emit()

    def _step_along(self, where: tuple[Way, int]) -> None:
        """Choose the next point along the row or column; the first point when none is chosen."""
        item, chosen = self.item, self.chosen
        if item is None or chosen is None:
            return
        way, sign = where
        net = item.shape.net()
        at = net.beside(int(chosen.argmax()), 1 if way is Way.COLUMN else 0, sign) if chosen.any() else 0
        self._choose(item, net.only(at), False)

    # the change

    def _with(self, document: Document, changed: dict[str, Any]) -> Document:
        """A document with changed shapes, twins tied and neighbours followed; measured at once."""
        after = document
        for key, shape in changed.items():
            after = after.with_shape(key, shape)
        if not self.options.hold_neighbours:
            after = neighbours_follow(document, after, list(changed))
        return self.session.moving(after)

    def _show(self, changed: dict[str, Any]) -> None:
        assert self._drag is not None
        self.session.show(self._with(self._drag[2], changed))

    def _commit(self, changed: dict[str, Any], way: Way) -> None:
        before = self.session.history.document
        after = self._with(before, changed)
        self._finish(after, f"{self._what()} {self._words(before, after, way)}")

    def _finish(self, document: Document, words: str) -> None:
        item = self.item
        before = self.session.history.document
        self._tried.begin(before[item.id] if item is not None and item.id in before else None)
        try:
            self.session.commit(f"{self._name()}: {words}", document)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return
        self._tried.note(words, self.item)
        self.changed.emit()

    def _name(self) -> str:
        items = [item for item, _, mask in self._nets() if mask.any()] or self.items
        if len(items) == 1:
            return items[0].name
        return f"{len(items)} {'patches' if all(isinstance(i.shape, Surface) for i in items) else 'shapes'}"

    def _what(self) -> str:
        some = [(net, mask) for _, net, mask in self._nets() if mask.any()]
        return some[0][0].words(some[0][1]) if len(some) == 1 else f"{self._count()} points"

    def _words(self, before: Document, after: Document, way: Way) -> str:
        moves, normals = [], []
        for item, _, mask in self._nets():
            old, new = before[item.id].shape, after[item.id].shape
            if mask.any():
                moves.append((new.net().points - old.net().points)[mask])
                normals.append(self.session.kept(directions, old, Way.NORMAL, self.session.scan)[mask])
        move = np.concatenate(moves)
        length = float(np.linalg.norm(move, axis=1).max())
        if way is Way.NORMAL:
            up = float(np.einsum("nc,nc->n", move, np.concatenate(normals)).sum()) >= 0
            return f"{'up' if up else 'down'} {length:.3g} mm"
        return f"moved {length:.3g} mm {way.value}"

    def _middle(self) -> Floats:
        """The middle of the chosen points."""
        return np.concatenate([net.points[mask] for _, net, mask in self._nets()]).mean(axis=0)

    # the picture

    def _handles(self, camera: Camera) -> dict[Way, tuple[Floats, Floats]]:
        """Start and end of the three handles of the chosen points, of even length on the screen."""
        if not self._count() or self._drag is not None:
            return {}
        middle = self._middle()
        length = HANDLE_PIXELS * camera.mm_per_pixel * np.linalg.norm(camera.eye - middle) / camera.distance
        return {
            way: (middle, middle + self._mean_direction(self.session.document, way) * length)
            for way in (Way.NORMAL, Way.ROW, Way.COLUMN)
        }

    def _handle_under(self, pointer: Pointer) -> Way | None:
        for way, (start, tip) in self._handles(pointer.camera).items():
            if pointer.near(tip, 9.0):
                self._anchor = start
                return way
        return None

    def _states(self, item: Item, net: Net, chosen: Bools) -> Floats:
        """(n,) states of the discs of a net."""
        states = np.zeros(len(chosen))
        crossed = states.reshape(-1, net.columns)
        if item.ties.twin is not None and item.ties.twin.kind is TwinKind.SPANS:
            crossed[np.flip(chosen.reshape(crossed.shape), item.ties.twin.axis)] = TWIN
        for pin in item.ties.pins:
            crossed[pin] = PINNED
        states[chosen] = 1.0
        if self._hover is not None and self._hover[0] == item.id and self._hover[1] < len(states):
            states[self._hover[1]] = states[self._hover[1]] or 2.0
        return states

    def in_sight(self, item: Item, camera: Camera) -> Bools:
        """(n,) points that are drawn though they are not chosen."""
        return np.ones(len(item.shape.net().points), dtype=bool)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        t = theme.now()
        nets = self._nets()
        for item, net, _ in nets:
            parts.append(Lines(net_segments(net), t.net, 1.0, 0.75, on_top=True))
            for image in self.session.document.images_of(item):
                other = image.shape.net()
                parts.append(Lines(net_segments(other), t.net, 0.8, 0.35, on_top=True))
                parts.append(Discs(other.points, np.full(len(other.points), TWIN), 3.0))
        for start, tip in self._handles(camera).values():
            parts.append(Lines(np.array([[start, tip]]), t.accent, 2.0, on_top=True))
            parts.append(Discs(tip[None], np.zeros(1), 4.0, t.accent))
        for item, net, mask in nets:
            shown = self.in_sight(item, camera) | mask
            parts.append(Discs(net.points[shown], self._states(item, net, mask)[shown]))
        if self.options.reach > 0 and self._count():
            turn = np.linspace(0, 2 * np.pi, 65)[:-1, None]
            ring = self._middle() + self.options.reach * (np.cos(turn) * camera.axes[0] + np.sin(turn) * camera.axes[1])
            parts.append(Lines(polyline(ring, closed=True), t.accent, 1.2, 0.8, on_top=True))
            for item, net, mask in nets:
                soft = self._weights(item.shape, mask)
                some = (soft > 0.02) & (soft < 1)
                parts.append(Discs(net.points[some], np.zeros(int(some.sum())), 4.5, t.accent))
        if len(self._outline) > 1:
            drawn = on_screen(camera, self._drawn(self._outline))
            parts.append(Lines(polyline(drawn, closed=True), t.accent, 1.4, on_top=True))
        return parts
