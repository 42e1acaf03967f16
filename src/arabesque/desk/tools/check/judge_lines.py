"""The forms of the checks that are lines: sections and combs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.checking import Comb, Family, Flaw, PlaneSet, Wobble, wobble
from arabesque.desk import theme
from arabesque.desk.checks.combs import SECTIONS, Combs, CombsOn, comb_words, combs_of_item, lined_items
from arabesque.desk.checks.sections import CutKind, spacing_of
from arabesque.desk.facts import Fact
from arabesque.desk.looks import Along
from arabesque.desk.tools.check.judge import Judge
from arabesque.desk.tools.on_patches import NEAR, edge_under
from arabesque.desk.tools.options import angle, labelled, share, whole
from arabesque.desk.tools.patch.twins import plane_rim
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import along_line
from arabesque.desk.view.pointer import Pointer, facing
from arabesque.desk.view.scene import Discs, Graph, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Face, Plane, Surface, edge_curve, rotation_about, unit
from arabesque.model import Item
from arabesque.shapes import Rimmed, can

TURN = 0.3
"""Degrees that the free plane turns a pixel."""


class SectionsCheck(Judge):
    """Families of sections of scan and patches, or one plane that the hand moves."""

    id = "check-sections"
    label = "Sections"
    hint = "Sections of the scan (thin) and of patches (strong); the gap can be drawn larger"
    icon = "ph.rows"
    check = SECTIONS
    takes_places = True

    @dataclass
    class Options:
        """along: the direction across the planes. start: where one lies, mm. gap: times. step: round an axis."""

        kind: CutKind = labelled(CutKind.EVEN, "Planes")
        along: Along = Along.X
        spacing: float = 10.0
        start: float = labelled(0.0, "One at")
        step: float = angle("Every")
        gap: int = whole(1, 1, 100, "Gap x")

        @property
        def idle(self) -> tuple[str, ...]:
            """What the kind of planes does not ask for."""
            return {
                CutKind.EVEN: ("step",),
                CutKind.SIGHT: ("along", "step", "start"),
                CutKind.ROUND: ("spacing", "start"),
                CutKind.CURVE: ("along", "step", "start"),
                CutKind.FREE: ("spacing", "start", "step"),
            }[self.kind]

    def read(self) -> None:
        look, o = self.look, self.options
        spacing = spacing_of(self.session, look)
        o.kind, o.along, o.spacing, o.start, o.gap = look.kind, look.along, spacing, look.start, look.gap

    def start(self) -> None:
        self.options.step = 15.0
        self._grabbed: tuple[Pointer, Plane, Floats] | None = None
        self._place: Floats | None = None
        self._camera: Camera | None = None
        self._shown_as = self.look.kind, self.look.along
        super().start()

    @property
    def says(self) -> str:
        return {
            CutKind.EVEN: "Alt and the wheel change the spacing, with Shift the gap",
            CutKind.SIGHT: "Turn the view, then press Enter: planes stand upright across the picture",
            CutKind.ROUND: "Click where the axis goes through; it runs along the direction given",
            CutKind.CURVE: "Click an edge of a patch: planes stand square to it",
            CutKind.FREE: "Drag the plane along its normal; with Shift it tilts; Page Up and Down move it by 1 mm",
        }[self.options.kind]

    @property
    def can_apply(self) -> bool:
        return self.options.kind is CutKind.SIGHT

    def write(self) -> None:
        o, spacing = self.options, self.look.spacing
        if o.spacing > 0 and o.spacing != spacing_of(self.session, self.look):
            spacing = o.spacing
        fresh = (o.kind, o.along) != self._shown_as
        self._shown_as = o.kind, o.along
        lost = fresh and o.kind in (CutKind.FREE, CutKind.ROUND, CutKind.SIGHT)
        planes = None if lost else self.look.planes
        self.choose(kind=o.kind, along=o.along, start=o.start, gap=o.gap, spacing=spacing, planes=planes)
        try:
            self._lay()
        except ArabesqueError as problem:
            self.session.tell_problem(problem)

    def _middle(self) -> Floats:
        low, high = self.session.seen.ends
        return (low + high) / 2

    def _lay(self) -> None:
        """Set the planes of the kinds that are laid by hand."""
        o = self.options
        if o.kind is CutKind.FREE and not _is_one(self.look.planes):
            self.choose(planes=PlaneSet((Plane.through(self._middle(), o.along.value[1]),)))
        elif o.kind is CutKind.ROUND:
            place = self._middle() if self._place is None else self._place
            self.choose(planes=PlaneSet.around(place, np.array(o.along.value[1]), o.step))
        elif o.kind is CutKind.SIGHT and self._camera is not None:
            self._across(self._camera)

    def _across(self, camera: Camera) -> None:
        """Even planes along the sight, side by side across the picture: each is seen as an upright line."""
        right = camera.axes[0]
        spacing = spacing_of(self.session, self.look)
        self.choose(planes=Family(right, spacing, float(self._middle() @ right)))

    def apply(self) -> None:
        if self._camera is not None:
            self._across(self._camera)
            self.changed.emit()

    # the hand

    def press(self, pointer: Pointer) -> None:
        look, kind = self.look, self.options.kind
        if kind is CutKind.ROUND:
            hit = pointer.on_scan(self.session.scan)
            self._place = hit if hit is not None else self._place
        elif kind is CutKind.CURVE:
            curve = self._edge_under(pointer)
            if curve is None:
                self.session.tell_problem(ArabesqueError("There is no edge here", "Click the edge of a patch"))
                return
            self.choose(planes=PlaneSet.across(curve, spacing_of(self.session, look)))
        elif kind is CutKind.FREE and _is_one(look.planes):
            assert isinstance(look.planes, PlaneSet)
            plane = look.planes.planes[0]
            middle = self._middle()
            self._grabbed = pointer, plane, middle - float(plane.height(middle[None])[0]) * plane.normal
        self.options_changed()

    def _edge_under(self, pointer: Pointer) -> Curve | None:
        found = edge_under(self.session.seen.of(Surface), pointer)
        if found is None or not isinstance(found[0].shape, Surface):
            return None
        return edge_curve(found[0].shape, found[1])

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if self._grabbed is None or not dragging:
            return
        pressed, plane, place = self._grabbed
        if pressed.shift:
            right, up = pressed.camera.axes[0], pressed.camera.axes[1]
            turn = rotation_about(up, TURN * (pointer.x - pressed.x)) @ rotation_about(
                right, TURN * (pointer.y - pressed.y)
            )
            moved = Plane.through(place, turn @ plane.normal)
        else:
            far = along_line(pointer.camera, pointer.x, pointer.y, place, plane.normal)
            far -= along_line(pressed.camera, pressed.x, pressed.y, place, plane.normal)
            if abs(float(plane.normal @ facing(pressed.camera))) > 0.98:
                # seen from the front, the plane follows the pointer up and down
                far = (pressed.y - pointer.y) * pressed.camera.mm_per_pixel
            moved = Plane(plane.normal, plane.offset + far)
        self.choose(planes=PlaneSet((moved,)))

    def release(self, pointer: Pointer) -> None:
        self._grabbed = None

    def key(self, event: QKeyEvent) -> bool:
        planes = self.look.planes
        steps = {Qt.Key.Key_PageUp: 1.0, Qt.Key.Key_PageDown: -1.0}
        if self.options.kind is not CutKind.FREE or not isinstance(planes, PlaneSet) or event.key() not in steps:
            return False
        plane = planes.planes[0]
        moved = Plane(plane.normal, plane.offset + steps[Qt.Key(event.key())])
        self.choose(planes=PlaneSet((moved,)))
        return True

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        self._camera = camera
        planes = self.look.planes
        if self.options.kind is not CutKind.FREE or not isinstance(planes, PlaneSet) or len(planes.planes) != 1:
            return []
        rim = plane_rim(planes.planes[0], *self.session.seen.ends)
        return [] if rim is None else [Lines(polyline(rim, closed=True), theme.now().accent, 1.2, 0.8)]


def _is_one(planes: object) -> bool:
    return isinstance(planes, PlaneSet) and len(planes.planes) == 1


class CombsCheck(Judge):
    """Curvature combs along lines of the patches, or on the sections; a clicked line is drawn as a graph."""

    id = "check-combs"
    label = "Combs"
    hint = "Curvature combs; discs mark where a line bends to the other side, dips or speeds up unevenly"
    icon = "ph.chart-line"
    check = Combs()
    takes_places = True

    @dataclass
    class Options:
        """lines: each way, edges among them. teeth: the usual longest, of the size of what is shown."""

        on: CombsOn = labelled(CombsOn.LINES, "Stand on")
        lines: int = whole(5, 2, 40)
        teeth: float = share(0.06)

        @property
        def idle(self) -> tuple[str, ...]:
            """Sections have their own spacing."""
            return ("lines",) if self.on is CombsOn.SECTIONS else ()

    def read(self) -> None:
        look, o = self.look, self.options
        o.on, o.lines, o.teeth = look.on, look.lines, look.teeth

    def start(self) -> None:
        self.line: tuple[str, int] | None = None
        super().start()

    def write(self) -> None:
        o = self.options
        self.choose(on=o.on, lines=o.lines, teeth=o.teeth)

    @property
    def says(self) -> str:
        return "Click a line to see it as a graph; Alt and the wheel scale the teeth, with Shift their lines"

    def press(self, pointer: Pointer) -> None:
        """Take the comb line under the pointer."""
        best: tuple[float, tuple[str, int]] | None = None
        for item in lined_items(self.session):
            for number, comb in enumerate(self._combs(item)):
                away = pointer.to_line(comb.points)
                if away <= NEAR and (best is None or away < best[0]):
                    best = away, (item.id, number)
        self.line = None if best is None else best[1]
        self.changed.emit()

    def _combs(self, item: Item) -> list[Comb]:
        return combs_of_item(self.session, item, self.options.lines)

    def _chosen(self) -> tuple[Item, Comb] | None:
        if self.line is None:
            return None
        key, number = self.line
        for item in lined_items(self.session):
            if item.id == key and number < len(self._combs(item)):
                return item, self._combs(item)[number]
        return None

    def _along(self, item: Item) -> str:
        """Which line is chosen, in words: of a patch they come first along u, then along v; borders come last."""
        if self.line is None:
            return ""
        rims = item.shape.rims() if can(item.shape, Rimmed) else ()
        if self.line[1] >= len(self._combs(item)) - sum(not rim.lined for rim in rims):
            return " along its border"
        is_whole = isinstance(item.shape, Surface) and not isinstance(item.shape, Face)
        return f" along {'uv'[self.line[1] // self.options.lines]}" if is_whole else ""

    def _waves(self, comb: Comb) -> tuple[Floats, Floats, Wobble] | None:
        """Heights of surface and scan over the line's slow form, mm, and the verdict."""
        scan = self.session.scan
        if scan is None:
            return None
        closest = scan.closest(comb.points)
        if closest.on_border.any():
            return None
        up = unit(closest.normals.mean(axis=0))
        heights, below = comb.points @ up, closest.points @ up
        t = 2 * comb.along / comb.along[-1] - 1
        slow = np.polynomial.Legendre.fit(t, below, 4)(t)
        return heights - slow, below - slow, wobble(heights, below, comb.along)

    @property
    def graphs(self) -> list[Graph]:
        chosen = self._chosen()
        if chosen is None:
            return []
        item, comb = chosen
        marks = np.concatenate([comb.along[found] for found in comb.flaws.values()])
        made = [Graph(f"Curvature, {item.name}{self._along(item)}", comb.along, [("", comb.signed)], marks, "1/mm")]
        waves = self._waves(comb)
        if waves is not None:
            curves = [("patch", waves[0]), ("scan", waves[1])]
            made.append(Graph("Waves", comb.along, curves, np.zeros(0), "mm"))
        return made

    @property
    def facts(self) -> list[Fact]:
        session, lines = self.session, self.options.lines
        combs = [comb for item in lined_items(session) for comb in combs_of_item(session, item, lines)]
        calm = sum(comb.calm for comb in combs)
        facts = [Fact("Lines", str(len(combs))), Fact("Calm", str(calm), "good" if calm == len(combs) else "")]
        facts += [Fact(words.capitalize(), str(count)) for words, count in comb_words(combs).items() if count]
        chosen = self._chosen()
        if chosen is not None:
            comb = chosen[1]
            found = [flaw.value for flaw in Flaw if comb.flaws[flaw].any()]
            facts.append(Fact("This line", "calm" if not found else ", ".join(found), "" if found else "good"))
            waves = self._waves(comb)
            if waves is not None:
                w = waves[2]
                facts += [
                    Fact("Wave, patch", f"{w.surface:.3f} mm"),
                    Fact("Wave, scan", f"{w.scan:.3f} mm"),
                    Fact("Added", f"{w.added:.3f} mm"),
                    Fact("Wobble", w.verdict),
                ]
        return facts

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        chosen = self._chosen()
        if chosen is None:
            return []
        return [Lines(polyline(chosen[1].points), theme.now().accent, 3.4, on_top=True)]
