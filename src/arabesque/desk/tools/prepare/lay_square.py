"""Lay a scan square to the axes, from features picked on it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice
from arabesque.desk.kinds.scans import motion_facts
from arabesque.desk.tools.options import angle, labelled, share
from arabesque.desk.tools.scan_work import Made, ScanWork
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import ElementaryKind
from arabesque.mending import Moving, spread
from arabesque.model import Document, edits
from arabesque.progress import Progress
from arabesque.reading import (
    Feature,
    FeatureKind,
    Placement,
    Target,
    fit_true_shape,
    lay_square,
    principal_axes,
    three_points,
    turned_and_shifted,
)
from arabesque.scan import Scan


class PickKind(Enum):
    """What a click picks."""

    PLANE = "plane"
    CYLINDER = "cylinder axis"
    CONE = "cone axis"
    SPHERE = "sphere centre"
    POINT = "point"
    LINE = "two-point line"


class SquareWay(Enum):
    """Where the new place comes from."""

    FEATURES = "features"
    POINTS = "three points"
    AXES = "principal axes"


_SHAPES = {
    PickKind.PLANE: ElementaryKind.PLANE,
    PickKind.CYLINDER: ElementaryKind.CYLINDER,
    PickKind.CONE: ElementaryKind.CONE,
    PickKind.SPHERE: ElementaryKind.SPHERE,
}


class MovingWork(ScanWork):
    """Work that moves the scan, and what else there is along with it."""

    def _with(self, made: Made) -> tuple[Document, str]:
        document, item_id = super()._with(made)
        if self.options.all and made.motion is not None:
            document = edits.scans.others_moved(document, made.motion)
        return document, item_id


class LaySquare(MovingWork):
    """Features are met in the order in which they were picked; the first one exactly."""

    id = "lay-square"
    label = "Lay square"
    hint = "Click features on the scan, the most important first; Enter lays it square"
    icon = "ph.cube"
    takes_places = True

    @dataclass
    class Options:
        """pick: what a click picks. lay: where it is to lie. sensitivity: how far a picked face spreads."""

        way: SquareWay = SquareWay.FEATURES
        pick: PickKind = PickKind.PLANE
        lay: Target = labelled(Target.Z_PLANE, "Lay it")
        sensitivity: float = share(0.5)
        all: bool = labelled(True, "Move all along")

        @property
        def idle(self) -> tuple[str, ...]:
            """Only features are chosen one by one."""
            if self.way is not SquareWay.FEATURES:
                return ("pick", "lay", "sensitivity")
            return ("sensitivity",) if self.pick in (PickKind.POINT, PickKind.LINE) else ()

    def start(self) -> None:
        super().start()
        self.placements: list[Placement] = []
        self._points: list[Floats] = []

    @property
    def says(self) -> str:
        if self.made is not None or self._job is not None or self.scan is None:
            return super().says
        if self.options.way is SquareWay.POINTS:
            words = ("the origin", "a point on the x axis", "a point in the plane z = 0")
            return f"Click {words[len(self._points)]}" if len(self._points) < 3 else "Enter lays it square"
        if self.options.way is SquareWay.AXES:
            return "Enter lays the longest direction along x, the shortest along z"
        if self.options.pick is PickKind.LINE and len(self._points) == 1:
            return "Click the second point of the line"
        return self.hint

    @property
    def choices(self) -> list[Choice]:
        if self.made is not None:
            return []
        return [
            Choice(f"{n + 1}. {p.feature.name} {p.target.value[0]}  ✕", lambda n=n: self._forget(n))  # type: ignore[misc]
            for n, p in enumerate(self.placements)
        ]

    @property
    def can_apply(self) -> bool:
        ready = {
            SquareWay.FEATURES: bool(self.placements),
            SquareWay.POINTS: len(self._points) == 3,
            SquareWay.AXES: True,
        }[self.options.way]
        return super().can_apply and (ready or self.made is not None)

    def _forget(self, which: int) -> None:
        del self.placements[which]
        self.changed.emit()

    def options_changed(self) -> None:
        self._points = []
        super().options_changed()

    def press(self, pointer: Pointer) -> None:
        scan, o = self.scan, self.options
        if scan is None or self.made is not None or o.way is SquareWay.AXES:
            return
        hit = scan.pick(*pointer.camera.ray(pointer.x, pointer.y))
        if hit is None:
            self.session.tell("There is no scan under the pointer: click on the scan", True)
            return
        if o.way is SquareWay.POINTS:
            self._points = [*self._points, hit[0]][-3:]
        elif o.pick is PickKind.POINT:
            self._place(Feature(FeatureKind.POINT, hit[0], name="point"))
        elif o.pick is PickKind.LINE:
            self._points.append(hit[0])
            if len(self._points) == 2:
                first, second = self._points
                self._points = []
                self._place(Feature(FeatureKind.LINE, first, second - first, "line"))
        else:
            self._fit(scan, hit[1])
        self.changed.emit()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.made is None:
            if self._points:
                self._points.pop()
            elif self.placements:
                self.placements.pop()
            self.changed.emit()
            return True
        return False

    def _fit(self, scan: Scan, seed: int) -> None:
        pick, sensitivity, target = self.options.pick, self.options.sensitivity, self.options.lay
        views = self.session.scan_views

        def run(progress: Progress) -> Feature:
            mask = spread(scan, seed, sensitivity, views.measured(scan, progress))
            inside = np.unique(scan.triangles[mask])
            shape = fit_true_shape(_SHAPES[pick], scan.points[inside], scan.smoothed_normals[inside])
            name = f"{shape.kind.value} ({shape.rms:.3f} mm rms)"
            if pick is PickKind.PLANE:
                return Feature(FeatureKind.PLANE, shape.origin, shape.axis, name)
            if pick is PickKind.SPHERE:
                return Feature(FeatureKind.POINT, shape.origin, name=name)
            return Feature(FeatureKind.LINE, shape.origin, shape.axis, name)

        job = self.session.run(f"Fitting {pick.value}", run)
        job.done.connect(lambda feature: self._place(feature, target))

    def _place(self, feature: Feature, target: Target | None = None) -> None:
        placed = Placement(feature, target or self.options.lay)
        try:
            lay_square([*self.placements, placed])
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
        else:
            self.placements.append(placed)
        self.changed.emit()

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        way = self.options.way
        if way is SquareWay.FEATURES:
            matrix, words = lay_square(self.placements), "laid square by features"
        elif way is SquareWay.POINTS:
            if len(self._points) < 3:
                raise ArabesqueError("Three points are needed", "Click them on the scan")
            matrix, words = three_points(*self._points), "laid square by three points"
        else:

            def along_axes(progress: Progress) -> Made:
                found = principal_axes(scan)
                return Made(
                    scan.moved(found), "laid along its principal axes", motion_facts(found), found, step=Moving(found)
                )

            return along_axes
        return lambda progress: Made(scan.moved(matrix), words, motion_facts(matrix), matrix, step=Moving(matrix))

    def kept(self, item_id: str) -> None:
        self.placements, self._points = [], []
        super().kept(item_id)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self.made is not None or self.scan is None:
            return []
        t = theme.now()
        size = 0.08 * self.scan.diagonal
        parts: list[Triangles | Lines | Discs | Label] = []
        for number, placed in enumerate(self.placements, start=1):
            feature = placed.feature
            if feature.direction is not None:
                way = size * feature.direction / np.linalg.norm(feature.direction)
                back = 0.0 if feature.kind is FeatureKind.PLANE else 1.0
                parts.append(
                    Lines(np.array([[feature.point - back * way, feature.point + way]]), t.accent, 2.4, on_top=True)
                )
            parts.append(Discs(feature.point[None], np.ones(1), 4.0))
            parts.append(Label(feature.point, str(number)))
        if self._points:
            parts.append(Discs(np.array(self._points), np.ones(len(self._points)), 4.0))
            parts.append(Lines(polyline(np.array(self._points)), t.accent, 1.5, on_top=True))
        return parts


class TurnAndMove(MovingWork):
    """Turn about x, then y, then z, through the scan's middle or the origin; then move."""

    id = "turn-and-move"
    label = "Turn and move"
    short = "Turn, move"
    hint = "Give angles and lengths, then Enter"
    icon = "ph.arrows-out-cardinal"

    @dataclass
    class Options:
        """Angles in degrees, about x, then y, then z; lengths in mm."""

        about_x: float = angle("Turn about x")
        about_y: float = angle("Turn about y")
        about_z: float = angle("Turn about z")
        x: float = labelled(0.0, "Move along x")
        y: float = labelled(0.0, "Move along y")
        z: float = labelled(0.0, "Move along z")
        middle: bool = labelled(False, "About its middle")
        all: bool = labelled(True, "Move all along")

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        o = self.options
        low, high = scan.bounds
        about = (low + high) / 2 if o.middle else np.zeros(3)
        matrix = turned_and_shifted(np.array([o.about_x, o.about_y, o.about_z]), np.array([o.x, o.y, o.z]), about)
        return lambda progress: Made(
            scan.moved(matrix), "turned and moved", motion_facts(matrix), matrix, step=Moving(matrix)
        )
