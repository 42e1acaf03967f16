"""One section at a time on paper: the scan's cut, the curve, its poles; pulled there, and the loft follows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.drawing import Dots, Drawing, PaperPointer, Stroke, upright_frame
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane, curve_feet
from arabesque.geometry.nets import flat_normal
from arabesque.model import Item
from arabesque.recipes import SectionCurve
from arabesque.scan import Scan
from arabesque.tracing import Cut, CutLine, cut_scan, line_near

HAIRS, COMPARED = 60, 400
NEIGHBOURS = 2
FLAT = 0.01
"""mm: curves that lie no further off a plane can be drawn on paper."""


@dataclass(frozen=True, eq=False)
class Compared:
    """A section beside the scan's own line.

    line: (n, 3), closed or not. places: (m, 3) of it at even numbers, feet: nearest on the curve, off: (m,) mm.
    """

    line: Floats
    closed: bool
    places: Floats
    feet: Floats
    off: Floats

    @property
    def worst(self) -> float:
        """mm."""
        return float(self.off.max())

    @property
    def rms(self) -> float:
        """mm."""
        return float(np.sqrt((self.off**2).mean()))


class SectionDrawing(Tool):
    """The selected section on paper beside the view; poles are dragged there, arrows go to the next section."""

    needs = (Curve,)
    id = "section-drawing"
    step = Step.TRACE
    label = "Section in a flat drawing"
    hint = "Click a section; drag its poles on the paper, and what stands on it follows"
    shortcut = "Shift+S"
    icon = "ph.notebook"
    short = "On paper"
    applies = False

    @dataclass
    class Options:
        """enlarge: by how much differences are drawn larger. neighbours: faintly. compare: the curve as it was when
        that was switched on stays beside it."""

        enlarge: int = whole(10, 1, 100, "Differences x")
        neighbours: bool = labelled(True, "Neighbours")
        compare: bool = labelled(False, "Keep as it is now")

    def start(self) -> None:
        self._hover: int | None = None
        self._held: int | None = None
        self._drag: int | None = None
        self._old: Floats | None = None
        if self.session.chosen(Curve) is None:
            flat = self.sections
            if flat:
                self.session.select(flat[0].id)

    @property
    def sections(self) -> list[Item]:
        """The flat curves that show, as they lie along their planes."""
        flat = [item for item in self.session.seen.of(Curve) if self._flat(item.shape)]
        traced = [item for item in flat if isinstance(item.recipe, SectionCurve)] or flat
        if not traced:
            return []
        middles = np.array([item.shape.points.mean(axis=0) for item in traced])
        _, _, axes = np.linalg.svd(middles - middles.mean(axis=0), full_matrices=False)
        way = axes[0] * np.sign(axes[0][np.abs(axes[0]).argmax()])
        return [traced[k] for k in np.argsort((middles - middles.mean(axis=0)) @ way)]

    def _flat(self, curve: Curve) -> bool:
        return self.session.kept(_off_plane, curve) < FLAT

    @property
    def item(self) -> Item | None:
        """The section on the paper."""
        item = self.session.chosen(Curve)
        return item if item is not None and self._flat(item.shape) else None

    @property
    def says(self) -> str:
        if self.item is None:
            return "Click a flat curve: one that lies in a plane"
        return "Drag poles on the paper; Up and Down go to the next section; Page Up and Down nudge the chosen pole"

    @property
    def choices(self) -> list[Choice]:
        return [Choice("Next section", lambda: self._step(1)), Choice("Section before", lambda: self._step(-1))]

    @property
    def facts(self) -> list[Fact]:
        item = self.item
        if item is None:
            return []
        compared = self._compared(item.shape)
        facts = [Fact("Degree", str(item.shape.degree)), Fact("Poles", str(item.shape.count))]
        if compared is not None:
            good = "good" if compared.worst <= self.session.document.tolerance else "bad"
            facts += [Fact("Worst", f"{compared.worst:.3f} mm", good), Fact("rms", f"{compared.rms:.3f} mm")]
        return facts

    def options_changed(self) -> None:
        item = self.item
        if self.options.compare and self._old is None and item is not None:
            self._old = curve_points(item.shape)
        elif not self.options.compare:
            self._old = None
        self.changed.emit()

    def _step(self, way: int) -> None:
        sections, item = self.sections, self.item
        keys = [one.id for one in sections]
        if not keys:
            return
        at = keys.index(item.id) + way if item is not None and item.id in keys else 0
        self._held = self._drag = None
        self._old, self.options.compare = None, False
        self.session.select(keys[at % len(keys)])
        self.form_changed.emit()
        self.changed.emit()

    # what is on the paper

    def _cut(self, curve: Curve) -> CutLine | None:
        """The scan's own line in the plane of the curve, near to it, and on the side that the section keeps."""
        scan, item = self.session.scan, self.item
        if scan is None or item is None:
            return None
        recipe = item.recipe
        half = recipe.side if isinstance(recipe, SectionCurve) else None
        side: tuple[float, ...] = () if half is None else tuple(half.ravel().tolist())
        near = tuple(np.round(curve.points[0], 2).tolist())
        return self.session.kept(_scan_line, scan, _plane_key(curve), near, side)

    def _compared(self, curve: Curve) -> Compared | None:
        """How the curve stands to the scan's line; None where there is none."""
        line = self._cut(curve)
        return None if line is None else self.session.kept(_compared, curve, line)

    @property
    def frame(self) -> Floats | None:
        """(4, 4) of the paper: the section's plane, with up where the world has it."""
        item = self.item
        return None if item is None else self.session.kept(_frame, _plane_key(item.shape))

    @property
    def drawing(self) -> Drawing | None:
        item, frame = self.item, self.frame
        if item is None or frame is None:
            return None
        t, curve = theme.now(), item.shape
        paper = Drawing(frame, ())
        strokes = []
        if self.options.neighbours:
            strokes += [Stroke(paper.flat(curve_points(one.shape)), t.line, 1.2) for one in self._beside(item)]
        hairs = np.zeros((0, 2, 2))
        words: tuple[tuple[Floats, str], ...] = ()
        figures, good = "no scan here", True
        compared = self._compared(curve)
        if compared is not None:
            line, places, feet = compared.line, compared.places, compared.feet
            strokes.append(
                Stroke(paper.flat(np.vstack([line, line[:1]]) if compared.closed else line), t.scan_line, 1.6)
            )
            some = slice(None, None, max(1, len(places) // HAIRS))
            ends = feet + self.options.enlarge * (places - feet)
            hairs = np.stack([paper.flat(feet[some]), paper.flat(ends[some])], axis=1)
            worst = int(compared.off.argmax())
            words = ((paper.flat(places[[worst]])[0], f"{compared.worst:.3f}"),)
            figures = f"worst {compared.worst:.3f} mm · rms {compared.rms:.3f} mm"
            good = compared.worst <= self.session.document.tolerance
        if self._old is not None:
            strokes.append(Stroke(paper.flat(self._old), t.faint, 1.2, dashed=True))
        poles = paper.flat(curve.points)
        strokes += [Stroke(poles, t.faint, 0.9), Stroke(paper.flat(curve_points(curve)), t.ink, 2.0)]
        for k, beside in ((0, 1), (-1, -2)):
            strokes.append(Stroke(poles[[k, beside]], t.accent, 1.6))
        filled = np.zeros(len(poles))
        for held in (self._hover, self._held):
            if held is not None and held < len(filled):
                filled[held] = 1.0
        return Drawing(
            frame,
            tuple(strokes),
            (Dots(poles, filled, t.accent),),
            hairs,
            words,
            f"{item.name} · {curve.count} poles · differences x {self.options.enlarge}",
            figures,
            good,
        )

    def _beside(self, item: Item) -> list[Item]:
        sections = self.sections
        keys = [one.id for one in sections]
        if item.id not in keys:
            return []
        at = keys.index(item.id)
        return [sections[k] for k in (at - 1, at + 1) if 0 <= k < len(sections)]

    # the hand on the paper

    def paper_press(self, pointer: PaperPointer) -> None:
        item, frame = self.item, self.frame
        if item is None or frame is None:
            return
        self._held = self._drag = pointer.nearest(Drawing(frame, ()).flat(item.shape.points))
        self.changed.emit()

    def paper_move(self, pointer: PaperPointer, dragging: bool) -> None:
        item, frame = self.item, self.frame
        if item is None or frame is None:
            return
        if dragging and self._drag is not None:
            to = Drawing(frame, ()).in_space(pointer.at)[0]
            self._pull(item, self._drag, to)
        else:
            self._hover = pointer.nearest(Drawing(frame, ()).flat(item.shape.points))
        self.changed.emit()

    def paper_release(self, pointer: PaperPointer) -> None:
        item, number, self._drag = self.item, self._drag, None
        shown = self.session.document
        if item is not None and number is not None and shown is not self.session.history.document:
            self._commit(f"{item.name}: pole {number + 1} pulled on paper")
        self.changed.emit()

    def _pull(self, item: Item, number: int, to: Floats) -> None:
        document = self.session.history.document
        curve: Curve = document[item.id].shape
        points = curve.points.copy()
        ends = (0, len(points) - 1)
        closed = np.linalg.norm(points[0] - points[-1]) < 1e-6
        move = to - points[number]
        points[number] = to
        if closed and number in (*ends, 1, len(points) - 2):
            # a closed curve stays smooth over its start: its end and the poles beside it go along
            points[number] -= move
            points[[0, 1, -2, -1]] += move
        shape = curve.with_points(points)
        self.session.show(self.session.moving(document.with_shape(item.id, shape)))

    def _commit(self, words: str) -> None:
        try:
            self.session.commit(words, self.session.document)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)

    def key(self, event: QKeyEvent) -> bool:
        key, item, frame = event.key(), self.item, self.frame
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._step(1 if key == Qt.Key.Key_Up else -1)
            return True
        nudges = {Qt.Key.Key_PageUp: 1.0, Qt.Key.Key_PageDown: -1.0}
        if key in nudges and item is not None and frame is not None and self._held is not None:
            curve: Curve = item.shape
            feet = curve_feet(curve, curve.points[[self._held]])
            way = curve.derivatives(feet.parameters, 1)[1, 0]
            out = np.cross(way, frame[:3, 2])
            out = out / max(float(np.linalg.norm(out)), 1e-12)
            self._pull(item, self._held, curve.points[self._held] + nudges[Qt.Key(key)] * 0.1 * out)
            self._commit(f"{item.name}: pole {self._held + 1} nudged")
            self.changed.emit()
            return True
        return False

    # the hand in the view

    def press(self, pointer: Pointer) -> None:
        found = patch_under(self.session, pointer, Curve)
        if found is None:
            self.session.tell_problem(ArabesqueError("There is no curve here", "Click on a section"))
            return
        self._held, self._old, self.options.compare = None, None, False
        self.session.select(found[0].id)
        self.form_changed.emit()
        self.changed.emit()

    def stop(self) -> None:
        self.session.drop_shown()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        item = self.item
        if item is None:
            return []
        curve, accent = item.shape, theme.now().accent
        states = np.zeros(curve.count)
        for k in (self._hover, self._held):
            if k is not None and k < len(states):
                states[k] = 1.0
        return [
            Lines(polyline(curve_points(curve)), accent, 2.6, on_top=True),
            Lines(polyline(curve.points), theme.now().net, 0.8, 0.7, on_top=True),
            Discs(curve.points, states, 3.0),
        ]


def _compared(curve: Curve, cut: CutLine) -> Compared:
    places = cut.points[:: max(1, len(cut.points) // COMPARED)]
    feet = curve_feet(curve, places)
    return Compared(cut.points, cut.closed, places, feet.points, feet.distance)


def _off_plane(curve: Curve) -> float:
    """mm: how far a curve is off the plane that fits it."""
    middle = curve.points.mean(axis=0)
    return float(np.abs((curve.points - middle) @ flat_normal(curve.points)).max())


def _plane_key(curve: Curve) -> tuple[float, ...]:
    """The plane of a curve by numbers that stay while it is pulled inside it."""
    normal = flat_normal(curve.points)
    normal = normal * np.sign(normal[np.abs(normal).argmax()])
    return tuple(np.round([*normal, float(curve.points.mean(axis=0) @ normal)], 6).tolist())


def _frame(key: tuple[float, ...]) -> Floats:
    return upright_frame(np.array(key[:3]), key[3])


def _scan_line(scan: Scan, key: tuple[float, ...], near: tuple[float, ...], side: tuple[float, ...]) -> CutLine | None:
    kept = np.array(side).reshape(2, 3) if side else None
    lines = cut_scan(scan, Cut(Plane(np.array(key[:3]), key[3]), kept))
    long = [line for line in lines if line.length > 0.1 * lines[0].length] if lines else []
    return line_near(long, np.array(near)) if long else None
