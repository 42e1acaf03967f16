"""Move control points, rows and columns of a patch, by hand or by nudges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Bools, Floats
from arabesque.checking import close_up
from arabesque.desk import theme
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Choice, Fact, Pointer, Tool, facing
from arabesque.desk.tools.mark import on_screen
from arabesque.desk.tools.options import whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import along_line, nearest_net_line, nearest_point, on_plane, surface_under
from arabesque.desk.view.scene import Discs, Label, Lines, Loupe, Triangles, grid_triangles, net_segments, polyline
from arabesque.geometry import (
    FallOff,
    Surface,
    averaged,
    evened,
    flattened,
    greville,
    grown_choice,
    reach_weights,
    straightened,
    unit,
)
from arabesque.mending import within
from arabesque.model import Item

HANDLE_PIXELS = 46.0
FIRST_STEP = 0.1
LOUPE_SHARE = 0.08
"""The loupe looks this share of the patch's size far to both sides."""
DRAWN_PIXELS = 6.0
"""A shorter drag over nothing is a click."""


class Way(Enum):
    """A direction in which points move; the value is the word in the history."""

    FREE = "in the view"
    NORMAL = "along the normal"
    ROW = "along the row"
    COLUMN = "along the column"


class MovePoints(Tool):
    """Pulls control points; patch, distance and figures follow."""

    id = "move-points"
    step = Step.PATCH
    label = "Move control points"
    hint = "Click a control point, then drag it"
    shortcut = "M"
    icon = "ph.dots-nine"
    applies = False

    @dataclass
    class Options:
        """reach: how far a soft move goes, mm; 0 for none. hold_edges: the patch's border stays."""

        reach: float = 0.0
        fall_off: FallOff = FallOff.BELL
        hold_edges: bool = False
        loupe: int = whole(10, 1, 200, "Loupe x")

        @property
        def idle(self) -> tuple[str, ...]:
            """Without a reach nothing fades."""
            return () if self.reach > 0 else ("fall_off",)

    def start(self) -> None:
        self.chosen: Bools | None = None
        self.step_mm = FIRST_STEP
        self._hover: int | None = None
        self._item: str | None = None
        self._drag: tuple[Way, Pointer, Surface] | None = None
        self._anchor: Floats | None = None
        self._outline: list[Pointer] = []
        self._sizing = False
        if self.session.surface_item is None:
            surfaces = self.session.document.surfaces(visible_only=True)
            if surfaces:
                self.session.select(surfaces[0].id)

    def stop(self) -> None:
        self.session.drop_shown()

    @property
    def item(self) -> Item | None:
        """The patch being edited: the selected one."""
        item = self.session.surface_item
        if item is not None and isinstance(item.shape, Surface):
            shape = item.shape.points.shape[:2]
            if item.id != self._item or self.chosen is None or self.chosen.shape != shape:
                self._item, self.chosen, self._hover = item.id, np.zeros(shape, dtype=bool), None
        return item

    @property
    def surface(self) -> Surface | None:
        """Its surface, as it now is."""
        item = self.item
        return item.shape if item is not None and isinstance(item.shape, Surface) else None

    @property
    def says(self) -> str:
        if self.surface is None:
            return "Make a patch first"
        if self._drag is not None:
            return f"Moving {self._drag[0].value}: Esc drops it"
        if self._count() == 0:
            return "Click a control point, or draw a box; Alt-click the net for a row; Ctrl and arrows go along"
        return f"Drag it, Shift along the normal, or nudge by {self.step_mm:g} mm; hold F and move for a soft reach"

    @property
    def facts(self) -> list[Fact]:
        surface = self.surface
        if surface is None or self.chosen is None:
            return []
        count = self._count()
        facts = [Fact("Points chosen", f"{count} of {surface.count}")]
        if count == 1:
            i, j = np.argwhere(self.chosen)[0]
            x, y, z = surface.points[i, j]
            facts += [Fact("Point", f"u {i + 1}, v {j + 1}"), Fact("At", f"{x:.3f}  {y:.3f}  {z:.3f}")]
        if self.options.reach > 0:
            facts.append(Fact("Moved along", f"{int((self._weights(surface) > 0).sum()) - count} points softly"))
        return [*facts, Fact("Nudge", f"{self.step_mm:g} mm")]

    @property
    def choices(self) -> list[Choice]:
        if self._count() < 3:
            return []
        edits = (("Straighten", straightened), ("Space evenly", evened), ("Average", averaged), ("Flatten", flattened))
        return [Choice(words, partial(self._edit, words, edit)) for words, edit in edits]

    def _edit(self, words: str, edit: Callable[[Floats, Bools], Floats]) -> None:
        """Commit an edit of the chosen points."""
        item, surface = self.item, self.surface
        if item is None or surface is None or self.chosen is None:
            return
        changed = surface.with_points(edit(surface.points, self.chosen))
        self.session.meters.measure_now(changed, self.session.scan)
        what = f"{item.name}: {self._what()}, {words.lower()}"
        self.session.commit(what, self.session.history.document.with_shape(item.id, changed))
        self.changed.emit()

    def options_changed(self) -> None:
        self.changed.emit()

    @property
    def loupe(self) -> Loupe | None:
        surface, scan = self.surface, self.session.scan
        if surface is None or scan is None or self.chosen is None or not self._count():
            return None
        grid = self.session.meters.grid(surface, scan)
        if grid is None:
            return None
        (ku, kv), (p, q) = surface.knots, surface.degree
        d = surface.on_grid(greville(ku, p), greville(kv, q), 1)
        # where the chosen point nearest to the middle of the choice has most say
        places = d[0, 0][self.chosen]
        nearest = np.linalg.norm(places - places.mean(axis=0), axis=1).argmin()
        place, along_u, along_v = (values[self.chosen][nearest] for values in (d[0, 0], d[1, 0], d[0, 1]))
        normal = scan.closest(place[None]).normals[0]
        radius = max(LOUPE_SHARE * float(np.linalg.norm(np.ptp(surface.points.reshape(-1, 3), axis=0))), 1.0)
        triangles = grid_triangles(*grid.points.shape[:2])
        charts = []
        for word, direction in (("along the row", along_u), ("along the column", along_v)):
            near = close_up(grid, triangles, scan, place, normal, direction, radius)
            charts.append((word, near.along, near.scan, near.surface))
        return Loupe(charts, float(self.options.loupe))

    def _weights(self, surface: Surface) -> Floats:
        """(nu, nv) share of the move that each control point takes."""
        assert self.chosen is not None
        weights = reach_weights(surface, self.chosen, self.options.reach, self.options.fall_off)
        if self.options.hold_edges:
            border = np.ones_like(self.chosen)
            border[1:-1, 1:-1] = False
            weights = np.where(border & ~self.chosen, 0.0, weights)
        return weights

    # choosing

    def _count(self) -> int:
        return 0 if self.chosen is None else int(self.chosen.sum())

    def _choose(self, mask: Bools, add: bool) -> None:
        assert self.chosen is not None
        self.chosen = (self.chosen ^ mask) if add else mask
        self.changed.emit()

    def _line_mask(self, axis: int, index: int) -> Bools:
        assert self.chosen is not None
        mask = np.zeros_like(self.chosen)
        if axis == 0:
            mask[:, index] = True
        else:
            mask[index, :] = True
        return mask

    # the hand

    def press(self, pointer: Pointer) -> None:
        surface = self.surface
        if surface is None or self.chosen is None:
            self._select_under(pointer)
            return
        way = self._handle_under(pointer)
        if way is None:
            flat = nearest_point(pointer.camera, surface.points.reshape(-1, 3), pointer.x, pointer.y)
            if pointer.alt:
                line = nearest_net_line(pointer.camera, surface.points, pointer.x, pointer.y)
                if line is not None:
                    self._choose(self._line_mask(*line), pointer.ctrl)
                return
            if flat is None:
                self._outline = [pointer]
                return
            index = np.unravel_index(flat, self.chosen.shape)
            if pointer.ctrl or not self.chosen[index]:
                mask = np.zeros_like(self.chosen)
                mask[index] = True
                self._choose(mask, pointer.ctrl)
            if not self.chosen[index]:
                return
            self._anchor = surface.points[index]
            way = Way.NORMAL if pointer.shift else Way.FREE
        self._drag = (way, pointer, surface)

    def move(self, pointer: Pointer, dragging: bool) -> None:
        surface = self.surface
        if surface is None:
            return
        if dragging and self._outline:
            self._outline.append(pointer)
            self.changed.emit()
        elif self._sizing and self.chosen is not None and self._count():
            middle = self._middle(surface)
            place = on_plane(pointer.camera, pointer.x, pointer.y, middle, facing(pointer.camera))
            if place is not None:
                self.options.reach = float(f"{np.linalg.norm(place - middle):.3g}")
                self.changed.emit()
        elif dragging and self._drag is not None:
            self._show(self._drag[2], self._pulled(pointer))
        elif not dragging:
            hover = nearest_point(pointer.camera, surface.points.reshape(-1, 3), pointer.x, pointer.y)
            if hover != self._hover:
                self._hover = hover
                self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._outline:
            outline, self._outline = self._outline, []
            self._choose_within(outline)
        if self._drag is None:
            return
        way, pressed, surface = self._drag
        move = self._pulled(pointer)
        self._drag = None
        if (pointer.x, pointer.y) == (pressed.x, pressed.y):
            self.session.drop_shown()
        else:
            self._commit(surface, move, way)
        self.changed.emit()

    def escape(self) -> None:
        if self._drag is not None:
            self._drag = None
            self.session.drop_shown()
            self.changed.emit()
        elif self._count():
            self.chosen = None
            self.changed.emit()
        else:
            self.left.emit()

    def _choose_within(self, outline: list[Pointer]) -> None:
        """Points in the drawn box (with Alt: in the drawn line); a mere click chooses nothing, or another patch."""
        surface = self.surface
        if surface is None or self.chosen is None:
            return
        first, last = outline[0], outline[-1]
        if abs(last.x - first.x) + abs(last.y - first.y) < DRAWN_PIXELS and len(outline) < 12:
            if self._count() and not first.ctrl:
                self._choose(np.zeros_like(self.chosen), False)
            else:
                self._select_under(first)
            return
        places = first.camera.project(surface.points.reshape(-1, 3))[:, :2]
        mask = within(self._drawn(outline), np.nan_to_num(places, nan=-1e9)).reshape(self.chosen.shape)
        self.chosen = self.chosen | mask if first.ctrl else mask
        self.changed.emit()

    @staticmethod
    def _drawn(outline: list[Pointer]) -> Floats:
        """Corners of the box between the ends of a drag; with Alt, the line itself."""
        if outline[0].alt:
            return np.array([(p.x, p.y) for p in outline])
        (a, b), (c, d) = ((p.x, p.y) for p in (outline[0], outline[-1]))
        return np.array([[a, b], [c, b], [c, d], [a, d]])

    def _select_under(self, pointer: Pointer) -> None:
        for item in self.session.document.surfaces(visible_only=True):
            grid = self.session.grid(item)
            if grid is not None and surface_under(pointer.camera, grid.points, pointer.x, pointer.y) is not None:
                self.session.select(item.id)
                return

    def _pulled(self, pointer: Pointer) -> Floats:
        """(nu, nv, 3) move of the control points for the drag so far."""
        assert self._drag is not None and self.chosen is not None
        way, pressed, surface = self._drag
        anchor = self._anchor if self._anchor is not None else self._middle(surface)
        if way is Way.FREE:
            normal = facing(pointer.camera)
            start = on_plane(pressed.camera, pressed.x, pressed.y, anchor, normal)
            now = on_plane(pointer.camera, pointer.x, pointer.y, anchor, normal)
            move = np.zeros(3) if start is None or now is None else now - start
            return self._weights(surface)[..., None] * move
        direction = unit(self._directions(surface, way)[self.chosen].mean(axis=0))
        length = along_line(pointer.camera, pointer.x, pointer.y, anchor, direction)
        length -= along_line(pressed.camera, pressed.x, pressed.y, anchor, direction)
        return self._weights(surface)[..., None] * self._directions(surface, way) * length

    # the keys

    def key(self, event: QKeyEvent) -> bool:
        surface = self.surface
        if surface is None or self.chosen is None:
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
            nudge = self._weights(surface)[..., None] * self._directions(surface, way) * sign * self.step_mm
            self._commit(surface, nudge, way)
        elif key in (Qt.Key.Key_Comma, Qt.Key.Key_Period):
            self.step_mm *= 0.5 if key == Qt.Key.Key_Comma else 2.0
        elif key in (Qt.Key.Key_R, Qt.Key.Key_C) and self._count() and not event.modifiers():
            axis = 0 if key == Qt.Key.Key_R else 1
            self.chosen = np.broadcast_to(self.chosen.any(axis=axis, keepdims=True), self.chosen.shape).copy()
        elif key == Qt.Key.Key_F and self._count() and not event.isAutoRepeat():
            self._sizing = True
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            grow = key == Qt.Key.Key_Plus
            self.chosen = grown_choice(self.chosen) if grow else ~grown_choice(~self.chosen)
        elif key == Qt.Key.Key_A and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.chosen = np.ones_like(self.chosen)
        elif key == Qt.Key.Key_I and not event.modifiers():
            self.chosen = ~self.chosen
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
        assert self.chosen is not None
        way, sign = where
        mask = np.zeros_like(self.chosen)
        if not self._count():
            mask[0, 0] = True
        else:
            axis = 1 if way is Way.COLUMN else 0
            index = np.argwhere(self.chosen)[0]
            index[axis] = np.clip(index[axis] + sign, 0, mask.shape[axis] - 1)
            mask[tuple(index)] = True
        self.chosen = mask

    # the change

    def _show(self, surface: Surface, move: Floats) -> None:
        item = self.item
        assert item is not None
        moved = surface.with_points(surface.points + move)
        self.session.meters.measure_now(moved, self.session.scan)
        self.session.show(self.session.history.document.with_shape(item.id, moved))

    def _commit(self, surface: Surface, move: Floats, way: Way) -> None:
        item = self.item
        assert item is not None
        self._show(surface, move)
        self.session.commit(f"{item.name}: {self._what()} {self._words(move, way)}", self.session.document)

    def _what(self) -> str:
        assert self.chosen is not None
        rows, columns = self.chosen.any(axis=1), self.chosen.any(axis=0)
        if self._count() == 1:
            return f"point {rows.argmax() + 1}, {columns.argmax() + 1}"
        if columns.sum() == 1 and rows.all():
            return f"row {columns.argmax() + 1}"
        if rows.sum() == 1 and columns.all():
            return f"column {rows.argmax() + 1}"
        return f"{self._count()} points"

    def _words(self, move: Floats, way: Way) -> str:
        assert self.chosen is not None
        length = float(np.linalg.norm(move[self.chosen], axis=1).max())
        if way is Way.NORMAL:
            surface = self._directions_base()
            up = float(np.einsum("nc,nc->n", move[self.chosen], surface[self.chosen]).sum()) >= 0
            return f"{'up' if up else 'down'} {length:.3g} mm"
        return f"moved {length:.3g} mm {way.value}"

    def _directions_base(self) -> Floats:
        surface = self.surface
        assert surface is not None
        return self._directions(surface, Way.NORMAL)

    def _middle(self, surface: Surface) -> Floats:
        assert self.chosen is not None
        return surface.points[self.chosen].mean(axis=0)

    def _directions(self, surface: Surface, way: Way) -> Floats:
        """(nu, nv, 3) unit vectors, one a control point: the surface's where the point has most say."""
        u, v = (greville(k, p) for k, p in zip(surface.knots, surface.degree, strict=True))
        d = surface.on_grid(u, v, 1)
        if way is Way.ROW:
            return unit(d[1, 0])
        if way is Way.COLUMN:
            return unit(d[0, 1])
        normals = unit(np.cross(d[1, 0], d[0, 1]))
        scan = self.session.scan
        if scan is not None:
            # up is away from the scan, whichever way round the patch was clicked
            outward = scan.closest(d[0, 0].reshape(-1, 3)).normals.reshape(normals.shape)
            if np.sum(normals * outward) < 0:
                normals = -normals
        return normals

    # the picture

    def _handles(self, camera: Camera) -> dict[Way, tuple[Floats, Floats]]:
        """Start and end of the three handles of the chosen points, of even length on the screen."""
        surface = self.surface
        if surface is None or self.chosen is None or not self._count() or self._drag is not None:
            return {}
        middle = self._middle(surface)
        length = HANDLE_PIXELS * camera.mm_per_pixel * np.linalg.norm(camera.eye - middle) / camera.distance
        return {
            way: (middle, middle + unit(self._directions(surface, way)[self.chosen].mean(axis=0)) * length)
            for way in (Way.NORMAL, Way.ROW, Way.COLUMN)
        }

    def _handle_under(self, pointer: Pointer) -> Way | None:
        for way, (start, tip) in self._handles(pointer.camera).items():
            if pointer.near(tip, 9.0):
                self._anchor = start
                return way
        return None

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        surface = self.surface
        if surface is None or self.chosen is None:
            return []
        states = self.chosen.ravel().astype(float)
        if self._hover is not None and self._hover < len(states) and not states[self._hover]:
            states[self._hover] = 2.0
        parts: list[Triangles | Lines | Discs | Label] = [
            Lines(net_segments(surface.points), theme.now().net, 1.0, 0.75, on_top=True)
        ]
        for start, tip in self._handles(camera).values():
            parts.append(Lines(np.array([[start, tip]]), theme.now().accent, 2.0, on_top=True))
            parts.append(Discs(tip[None], np.zeros(1), 4.0, theme.now().accent))
        parts.append(Discs(surface.points.reshape(-1, 3), states))
        if self.options.reach > 0 and self._count():
            turn = np.linspace(0, 2 * np.pi, 65)[:-1, None]
            ring = self._middle(surface) + self.options.reach * (
                np.cos(turn) * camera.axes[0] + np.sin(turn) * camera.axes[1]
            )
            parts.append(Lines(polyline(ring, closed=True), theme.now().accent, 1.2, 0.8, on_top=True))
            soft = self._weights(surface).ravel()
            some = (soft > 0.02) & (soft < 1)
            parts.append(Discs(surface.points.reshape(-1, 3)[some], np.zeros(int(some.sum())), 4.5, theme.now().accent))
        if len(self._outline) > 1:
            drawn = on_screen(camera, self._drawn(self._outline))
            parts.append(Lines(polyline(drawn, closed=True), theme.now().accent, 1.4, on_top=True))
        return parts
