"""A curve drawn by clicks that clings to the scan between them."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_guides import end_under, guide_under
from arabesque.desk.tools.on_patches import NEAR
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import on_plane
from arabesque.desk.view.pointer import Pointer, facing
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.geometry import Curve, arc_length
from arabesque.model import Item
from arabesque.recipes import CurveOnScan, CurveThrough, Recipe, onto
from arabesque.scan import Scan
from arabesque.tracing import through


class Where(Enum):
    """What a curve is drawn on: its words, and the axis that its plane stands square to."""

    SCAN = ("on the scan", None)
    SPACE = ("in space", None)
    PLANE_X = ("plane square to x", 0)
    PLANE_Y = ("plane square to y", 1)
    PLANE_Z = ("plane square to z", 2)


class DrawCurve(Making):
    """Clicks add places, drags move them; the curve follows at once, Enter keeps it."""

    makes = CurveOnScan
    also_makes = (CurveThrough,)
    name = "Curve"
    id = "draw-curve"
    step = Step.TRACE
    label = "Draw a curve"
    hint = "Click along the form: the curve clings to the scan between clicks; or draw in space or in a plane"
    shortcut = "N"
    icon = "ph.pencil-line"
    short = "Draw"
    takes_places = True

    @dataclass
    class Options:
        """closed: goes back to its start, smoothly. snap: onto rims, lines, corners and the twin plane. square: where
        it ends on the twin plane, it crosses that at a right angle. at: mm along the axis of a plane."""

        where: Where = labelled(Where.SCAN, "Drawn")
        at: float = labelled(0.0, "Plane at")
        closed: bool = False
        snap: bool = labelled(True, "Snap to lines")
        square: bool = labelled(True, "Square to twin")

        @property
        def idle(self) -> tuple[str, ...]:
            """A plane has a place; only what lies on the scan meets the twin plane so."""
            idle: tuple[str, ...] = ("at",) if self.where.value[1] is None else ()
            return idle if self.where is Where.SCAN else (*idle, "square")

    def clear(self) -> None:
        self.places: list[Floats] = []
        self.corners: set[int] = set()
        self._hover: Floats | None = None
        self._dragged: int | None = None
        self._held: int | None = None

    @property
    def begun(self) -> bool:
        return bool(self.places)

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, CurveOnScan | CurveThrough)
        self.places, self.corners = list(recipe.places), set(recipe.corners)
        self.options.closed = recipe.closed
        if isinstance(recipe, CurveOnScan):
            self.options.square = recipe.square
        else:
            self.options.where = Where.SPACE

    @property
    def says(self) -> str:
        if self.session.scan is None and self.options.where is Where.SCAN:
            return "Open a scan first, or draw in space or in a plane"
        if len(self.places) < 2:
            return "Click where the curve begins" if not self.places else "Click where it goes on; Backspace takes back"
        if self._held is not None:
            return "K makes the place a corner, or smooth again; Delete takes it out; drag moves it"
        return "Enter keeps it; click goes on, a click on the first place closes it, a click on the curve adds a place"

    @property
    def facts(self) -> list[Fact]:
        facts = [Fact("Places", str(len(self.places)))]
        if self.made is not None:
            facts += [Fact("Control points", str(self.made.count)), Fact("Length", f"{arc_length(self.made):.2f} mm")]
            if self.session.scan is not None:
                facts.append(Fact("Off the scan", f"{self._off():.3f} mm at most"))
        return facts

    def _off(self) -> float:
        scan = self.session.scan
        assert scan is not None and self.made is not None
        return float(self.session.kept(_furthest, self.made, scan))

    # the hand

    def _snapped(self, pointer: Pointer) -> Floats | None:
        """Where the pointer is on what is drawn on, or on something near it that a curve may begin or end at."""
        hit = self._under(pointer)
        if not self.options.snap:
            return hit
        end = end_under(self.session, pointer, self.target)
        if end is not None:
            return end
        line = guide_under(self.session, pointer, self.target)
        if line is not None:
            return line.place
        scan, plane = self.session.scan, self.session.document.plane
        if self.options.where is Where.SCAN and hit is not None and scan is not None:
            middle = onto(plane, hit[None])
            if pointer.on_plane(plane, hit, NEAR):
                on_plane: Floats = onto(plane, scan.closest(middle).points)[0]
                return on_plane
        return hit

    def _under(self, pointer: Pointer) -> Floats | None:
        where = self.options.where
        if where is Where.SCAN:
            return pointer.on_scan(self.session.scan)
        axis = where.value[1]
        if axis is None:
            last = self.places[-1] if self.places else pointer.camera.target
            return on_plane(pointer.camera, pointer.x, pointer.y, last, facing(pointer.camera))
        normal = np.eye(3)[axis]
        return on_plane(pointer.camera, pointer.x, pointer.y, self.options.at * normal, normal)

    def press(self, pointer: Pointer) -> None:
        self._held = self._dragged = next((k for k, place in enumerate(self.places) if pointer.near(place)), None)
        if self._dragged == 0 and len(self.places) > 2 and not self.options.closed:
            self.options.closed = True
            self.form_changed.emit()
            self.try_it()
            return
        if self._dragged is not None:
            return
        place = self._snapped(pointer)
        if place is None:
            self.session.tell_problem(ArabesqueError("There is nothing to draw on here", "Click on the scan"))
            return
        at = self._on_curve(pointer)
        if at is None:
            self.places.append(place)
        else:
            self.corners = {k + (k >= at) for k in self.corners}
            self.places.insert(at, place)
            self._held = self._dragged = at
        self.try_it()

    def _on_curve(self, pointer: Pointer) -> int | None:
        """Where in the order a place on the drawn curve belongs; None beside it."""
        if self.made is None or pointer.to_line(curve_points(self.made)) > NEAR / 2:
            return None
        points = curve_points(self.made)
        here = pointer.nearest(points)
        along = [int(np.linalg.norm(points - place, axis=1).argmin()) for place in self.places]
        return next(
            (k for k, at in enumerate(along) if k and at > here), len(self.places) if self.options.closed else None
        )

    def move(self, pointer: Pointer, dragging: bool) -> None:
        place = self._snapped(pointer)
        if dragging and self._dragged is not None:
            if place is not None:
                self.places[self._dragged] = place
                self.drop()
        else:
            self._hover = place
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._dragged is not None and self.made is None and not self.working:
            self.try_it()
        self._dragged = None
        self.changed.emit()

    def key(self, event: QKeyEvent) -> bool:
        key, held = event.key(), self._held if self._held is not None else len(self.places) - 1
        if key == Qt.Key.Key_K and self.places:
            self.corners ^= {held}
        elif key == Qt.Key.Key_Backspace and self.places:
            self._take_out(len(self.places) - 1)
        elif key == Qt.Key.Key_Delete and self._held is not None:
            self._take_out(held)
        else:
            return False
        self.try_it()
        return True

    def _take_out(self, number: int) -> None:
        self.places.pop(number)
        self.corners = {k - (k > number) for k in self.corners if k != number}
        self._held = None

    def draft(self) -> Recipe | None:
        o, corners = self.options, tuple(sorted(self.corners))
        if len(self.places) < (3 if o.closed else 2):
            return None
        if o.where is not Where.SCAN:
            return CurveThrough(np.array(self.places), o.closed, corners)
        if self.session.scan is None:
            return None
        return CurveOnScan(np.array(self.places), o.closed, corners, square=o.square and self._on_plane())

    def _on_plane(self) -> bool:
        """True when an end lies on the twin plane."""
        plane = self.session.document.plane
        ends = np.array([self.places[0], self.places[-1]])
        return bool((np.abs(plane.height(ends)) < self.session.document.tolerance).any())

    def words(self, made: Curve) -> str:
        return f"curve of {made.count} points drawn"

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        accent = theme.now().accent
        curve = self.made if self.made is not None else self._rough()
        if curve is not None:
            parts.append(Lines(polyline(curve_points(curve)), accent, 2.4, on_top=True))
        if self.places:
            corner = [3.0 if k in self.corners else 0.0 for k in range(len(self.places))]
            states = [2.0 if k == self._dragged else 1.0 if k == self._held else s for k, s in enumerate(corner)]
            parts.append(Discs(np.array(self.places), np.array(states), 4.0))
            parts += [Label(self.places[k], "corner") for k in sorted(self.corners) if k < len(self.places)]
        if self._hover is not None and self._dragged is None:
            parts.append(Discs(self._hover[None], np.array([2.0]), 3.0))
        return parts

    def _rough(self) -> Curve | None:
        """The curve through the places as they are, while the hand moves."""
        if len(self.places) < (3 if self.options.closed else 2):
            return None
        try:
            return through(np.array(self.places), self.options.closed)
        except FitProblem:  # two places are one for the moment
            return None


def _furthest(curve: Curve, scan: Scan) -> float:
    return float(scan.closest(curve.at(np.linspace(*curve.domain, 200))).distance.max())
