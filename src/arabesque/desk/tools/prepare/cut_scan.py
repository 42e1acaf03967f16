"""Cut a scan: by a plane, a line drawn in the view, what is marked, or a box."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact, number
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.prepare.mark import on_screen
from arabesque.desk.tools.prepare.same_sides import plane_outline
from arabesque.desk.tools.scan_work import Made, ScanWork
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane, unit
from arabesque.mending import (
    Boxing,
    Cutting,
    Halves,
    Preparing,
    cut_by_box,
    cut_by_outline,
    cut_by_plane,
    cut_by_region,
)
from arabesque.progress import Progress
from arabesque.scan import Scan

MOST_CORNERS = 120


class CutWay(Enum):
    """What cuts."""

    PLANE = "plane"
    OUTLINE = "drawn line"
    MARKED = "marked border"
    BOX = "box"


class CutAcross(Enum):
    """The direction of the cutting plane."""

    X = ("across x", 0)
    Y = ("across y", 1)
    Z = ("across z", 2)
    DRAWN = ("as drawn", -1)


class KeepPart(Enum):
    """What stays: for a plane, above is the positive side; for the others, inside."""

    FIRST = "above or inside"
    SECOND = "below or outside"
    BOTH = "both"


class CutScan(ScanWork):
    """Triangles are split where the cut runs, so that its edges are clean."""

    id = "cut"
    label = "Cut"
    hint = "Choose what cuts, place it, then Enter"
    icon = "ph.scissors"
    takes_places = True
    opens = True

    @dataclass
    class Options:
        """at: offset of the plane, mm. low_…, high_…: ends of the box, mm."""

        way: CutWay = CutWay.PLANE
        across: CutAcross = CutAcross.Y
        at: float = 0.0
        keep: KeepPart = KeepPart.FIRST
        low_x: float = labelled(0.0, "x from")
        high_x: float = labelled(1.0, "x to")
        low_y: float = labelled(0.0, "y from")
        high_y: float = labelled(1.0, "y to")
        low_z: float = labelled(0.0, "z from")
        high_z: float = labelled(1.0, "z to")

        @property
        def idle(self) -> tuple[str, ...]:
            """What the way does not ask for."""
            box = ("low_x", "high_x", "low_y", "high_y", "low_z", "high_z")
            idle = () if self.way is CutWay.BOX else box
            if self.way is not CutWay.PLANE:
                return (*idle, "across", "at")
            return idle if self.across is not CutAcross.DRAWN else (*idle, "at")

    def start(self) -> None:
        super().start()
        self._line: list[tuple[float, float]] = []
        self._camera: Camera | None = None
        self._drawn: Plane | None = None
        if self.scan is not None:
            low, high = self.scan.bounds
            middle, half = (low + high) / 2, (high - low) / 2
            for axis, name in enumerate("xyz"):
                setattr(self.options, f"low_{name}", round(float(middle[axis] - 0.5 * half[axis]), 3))
                setattr(self.options, f"high_{name}", round(float(middle[axis] + 0.5 * half[axis]), 3))

    @property
    def says(self) -> str:
        if self.scan is None or self.made is not None:
            return super().says
        return {
            CutWay.PLANE: "Drag across the scan to draw the plane, or give its place; Enter cuts"
            if self.options.across is CutAcross.DRAWN
            else "Click the scan to lay the plane through that place; Enter cuts",
            CutWay.OUTLINE: "Draw a closed line round a part of the scan; Enter cuts",
            CutWay.MARKED: "Enter cuts along the border of what is marked (K marks)",
            CutWay.BOX: "Give the ends of the box; Enter cuts",
        }[self.options.way]

    @property
    def plane(self) -> Plane | None:
        """The cutting plane."""
        o = self.options
        if o.across is CutAcross.DRAWN:
            return self._drawn
        return Plane(np.eye(3)[o.across.value[1]], o.at)

    def _box(self) -> tuple[Floats, Floats]:
        o = self.options
        return np.array([o.low_x, o.low_y, o.low_z]), np.array([o.high_x, o.high_y, o.high_z])

    @property
    def _drawing(self) -> bool:
        o = self.options
        return o.way is CutWay.OUTLINE or (o.way is CutWay.PLANE and o.across is CutAcross.DRAWN)

    def press(self, pointer: Pointer) -> None:
        if self.made is not None:
            return
        if self._drawing:
            self._line, self._camera = [(pointer.x, pointer.y)], pointer.camera
        elif self.options.way is CutWay.PLANE:
            hit = pointer.on_scan(self.scan)
            if hit is not None:
                self.options.at = round(float(hit[self.options.across.value[1]]), 4)
                self.form_changed.emit()
        self.changed.emit()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if dragging and self._line and self.made is None:
            if self.options.way is CutWay.PLANE:
                self._line = [self._line[0], (pointer.x, pointer.y)]
            else:
                self._line.append((pointer.x, pointer.y))
            self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self.options.way is CutWay.PLANE and len(self._line) == 2 and self._camera is not None:
            first, second = on_screen(self._camera, np.array(self._line))
            sight = unit((first + second) / 2 - self._camera.eye) if self._camera.perspective else self._camera.axes[2]
            # above is left of the line as it was drawn
            normal = np.cross(second - first, sight)
            if np.linalg.norm(normal) > 1e-9:
                self._drawn = Plane.through(first, normal)
        self.changed.emit()

    def options_changed(self) -> None:
        self._line = []
        super().options_changed()

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        way, keep = self.options.way, self.options.keep
        cut, step = self._cutter(scan), self._step()

        def run(progress: Progress) -> Made:
            halves = cut(progress)
            wanted = halves.above if keep is not KeepPart.SECOND else halves.below
            other = halves.below if keep is not KeepPart.SECOND else halves.above
            if wanted is None:
                raise ArabesqueError("Nothing of the scan lies on that side", "Keep the other side, or move the cut")
            facts = [
                Fact("Kept", f"{number(len(wanted.triangles))} triangles"),
                Fact("Other side", f"{number(0 if other is None else len(other.triangles))} triangles"),
            ]
            beside = (("cut off", other),) if keep is KeepPart.BOTH and other is not None else ()
            return Made(wanted, f"cut by {way.value}", facts, beside=beside, step=step)

        return run

    def _step(self) -> Preparing | None:
        """What would cut another scan likewise; nothing where a line was drawn or a part marked."""
        o, second = self.options, self.options.keep is KeepPart.SECOND
        if o.way is CutWay.BOX:
            return Boxing(*self._box(), second)
        plane = self.plane
        return Cutting(plane.normal, plane.offset, second) if o.way is CutWay.PLANE and plane is not None else None

    def _cutter(self, scan: Scan) -> Callable[[Progress], Halves]:
        way = self.options.way
        if way is CutWay.PLANE:
            plane = self.plane
            if plane is None:
                raise ArabesqueError("No plane is drawn yet", "Drag a line across the scan")
            return lambda progress: cut_by_plane(scan, plane)
        if way is CutWay.BOX:
            low, high = self._box()
            return lambda progress: cut_by_box(scan, low, high, progress)
        if way is CutWay.MARKED:
            mask = self.session.marks.of(scan)
            if mask is None:
                raise ArabesqueError("Nothing is marked", "Mark a part first: key K")
            return lambda progress: cut_by_region(scan, mask, progress=progress)
        camera = self._camera
        if camera is None or len(self._line) < 3:
            raise ArabesqueError("No line is drawn yet", "Draw round a part of the scan")
        line = np.array(self._line[:: max(1, len(self._line) // MOST_CORNERS)])

        def project(points: Floats) -> Floats:
            return np.nan_to_num(camera.project(points)[:, :2], nan=-1e9)

        return lambda progress: cut_by_outline(scan, line, project)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        scan, o = self.scan, self.options
        if scan is None or self.made is not None:
            return []
        accent = theme.now().accent
        if self._line and self._camera is not None and len(self._line) > 1:
            closed = o.way is CutWay.OUTLINE
            if camera is self._camera or closed:
                return [
                    Lines(polyline(on_screen(self._camera, np.array(self._line)), closed), accent, 1.8, on_top=True)
                ]
        if o.way is CutWay.PLANE and self.plane is not None:
            return plane_outline(self.plane, scan)
        if o.way is CutWay.BOX:
            low, high = self._box()
            corners = np.array(
                [
                    [(low, high)[i][0], (low, high)[j][1], (low, high)[k][2]]
                    for i in (0, 1)
                    for j in (0, 1)
                    for k in (0, 1)
                ]
            )
            edges = [(a, b) for a in range(8) for b in range(a + 1, 8) if bin(a ^ b).count("1") == 1]
            return [Lines(corners[np.array(edges)], accent, 1.8)]
        return []
