"""Mark parts of a scan, to remove and heal them, keep only them, or fit true shapes to them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Bools, Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact, number
from arabesque.desk.tools.options import labelled, share
from arabesque.desk.tools.scan_work import Made, ScanWork
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.mending import Fill, grown, heal, in_ball, in_outline, remove, shrunk, spread, whole_pieces
from arabesque.progress import Progress
from arabesque.scan import Scan


class MarkWay(Enum):
    """How the hand marks."""

    BRUSH = "brush over it"
    OUTLINE = "draw round it"
    LINE = "draw a line on it"
    SPREAD = "spread from click"
    PIECE = "whole loose piece"


class Then(Enum):
    """What Enter does with what is marked."""

    HEAL = "remove and heal"
    REMOVE = "remove"
    KEEP = "keep only this"


class Mark(ScanWork):
    """Marks stay when the tool is laid down: the cut and the true shapes use them too."""

    id = "mark"
    label = "Mark and heal"
    short = "Mark"
    hint = "Mark on the scan, Ctrl takes away; plus and minus grow and shrink; Enter removes and heals"
    icon = "ph.paint-brush"
    shortcut = "K"
    takes_places = True

    @dataclass
    class Options:
        """brush: radius, mm. sensitivity: of the spread. through: the drawn line marks what lies behind too."""

        way: MarkWay = MarkWay.BRUSH
        brush: float = labelled(6.0, "Brush radius")
        sensitivity: float = share(0.5)
        through: bool = labelled(False, "Behind too")
        then: Then = labelled(Then.HEAL, "Enter does")
        fill: Fill = Fill.CURVED

        @property
        def idle(self) -> tuple[str, ...]:
            """What the way and the end do not ask for."""
            used = {MarkWay.BRUSH: "brush", MarkWay.SPREAD: "sensitivity", MarkWay.OUTLINE: "through"}.get(self.way)
            idle = [name for name in ("brush", "sensitivity", "through") if name != used]
            return (*idle, *(() if self.then is Then.HEAL else ("fill",)))

    def start(self) -> None:
        super().start()
        self._line: list[tuple[float, float]] = []
        self._hover: tuple[Floats, Floats] | None = None
        self._brushing: bool | None = None
        self._seed: int | None = None
        scan = self.scan
        if scan is not None:
            self.options.brush = float(f"{0.02 * scan.diagonal:.2g}")
            # the graph of neighbours takes a moment on a large scan: have it before the first stroke
            self.session.jobs.quick("neighbours", lambda progress: scan.triangle_graph)

    @property
    def mask(self) -> Bools | None:
        """What is marked on the scan at hand."""
        return self.session.marks.of(self.scan)

    @property
    def opens(self) -> bool:
        """Healing leaves a scan as closed as it was; the others are meant to open it."""
        return self.options.then is not Then.HEAL

    @property
    def can_apply(self) -> bool:
        return super().can_apply and (self.made is not None or self.mask is not None)

    @property
    def apply_word(self) -> str:
        if self.made is not None:
            return "Keep"
        word: str = self.options.then.value
        return word.capitalize()

    @property
    def facts(self) -> list[Fact]:
        if self.made is not None:
            return self.made.facts
        return [Fact("Marked", f"{number(self.session.marks.count(self.scan))} triangles")]

    @property
    def choices(self) -> list[Choice]:
        if self.mask is None or self.made is not None:
            return []
        ways: list[tuple[str, Callable[[Scan, Bools], Bools]]] = [
            ("Grow  (+)", grown),
            ("Shrink  (−)", shrunk),
            ("Whole piece", whole_pieces),
            ("Turn round: mark the rest", lambda _, mask: ~mask),
        ]
        choices = [Choice(words, partial(self._change, change)) for words, change in ways]
        choices.append(Choice("Mark nothing", self._clear))
        return choices

    def _change(self, change: Callable[[Scan, Bools], Bools]) -> None:
        scan, mask = self.scan, self.mask
        if scan is not None and mask is not None:
            self._drop()
            self.session.marks.put(scan, change(scan, mask))
            self.changed.emit()

    def _clear(self) -> None:
        self.session.marks.clear()
        self.changed.emit()

    def options_changed(self) -> None:
        super().options_changed()
        if self._seed is not None and self.options.way is MarkWay.SPREAD:
            self._spread(self._seed, False, anew=True)

    # the hand

    def press(self, pointer: Pointer) -> None:
        scan = self.scan
        if scan is None or self.made is not None:
            return
        way = self.options.way
        if way in (MarkWay.OUTLINE, MarkWay.LINE):
            self._line = [(pointer.x, pointer.y)]
            return
        hit = scan.pick(*pointer.camera.ray(pointer.x, pointer.y))
        if hit is None:
            return
        if way is MarkWay.BRUSH:
            self._brushing = pointer.ctrl
            self._add(in_ball(scan, hit[0], self.options.brush), pointer.ctrl)
        elif way is MarkWay.PIECE:
            seed = np.zeros(len(scan.triangles), dtype=bool)
            seed[hit[1]] = True
            self._add(whole_pieces(scan, seed), pointer.ctrl)
        else:
            self._seed = None if pointer.ctrl or pointer.shift else hit[1]
            self._spread(hit[1], pointer.ctrl)

    def move(self, pointer: Pointer, dragging: bool) -> None:
        scan = self.scan
        if scan is None or self.made is not None:
            return
        if dragging and self._line:
            self._line.append((pointer.x, pointer.y))
        elif self.options.way is MarkWay.BRUSH:
            hit = scan.pick(*pointer.camera.ray(pointer.x, pointer.y))
            self._hover = None if hit is None else (hit[0], pointer.camera.axes)
            if dragging and self._brushing is not None and hit is not None:
                self._add(in_ball(scan, hit[0], self.options.brush), self._brushing, remember=False)
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        scan = self.scan
        self._brushing = None
        if self._line and scan is not None:
            outline, self._line = np.array(self._line), []
            if self.options.way is MarkWay.LINE and len(outline) > 1:
                self._add(under_line(scan, outline, pointer.camera), pointer.ctrl)
            elif len(outline) > 2:
                self._mark_round(scan, outline, pointer)
        self.changed.emit()

    def _mark_round(self, scan: Scan, outline: Floats, pointer: Pointer) -> None:
        """What lies in sight is found by rays, beside the window: a large scan takes a moment."""
        through = self.options.through

        def finish(mask: Bools) -> None:
            if self.scan is scan and self.made is None:
                self._add(mask, pointer.ctrl)

        job = self.session.jobs.quick("Marking", lambda progress: drawn_round(scan, outline, pointer.camera, through))
        job.done.connect(finish)

    def key(self, event: QKeyEvent) -> bool:
        changes = {Qt.Key.Key_Plus: grown, Qt.Key.Key_Minus: shrunk}
        if event.key() in changes:
            self._change(changes[Qt.Key(event.key())])
        elif event.key() == Qt.Key.Key_Backspace and self.made is None:
            self.session.marks.back()
            self.changed.emit()
        else:
            return False
        return True

    def _add(self, mask: Bools, away: bool, remember: bool = True) -> None:
        scan = self.scan
        assert scan is not None
        now = self.mask
        if now is not None:
            mask = now & ~mask if away else now | mask
        elif away:
            return
        self.session.marks.put(scan, mask, remember)
        self.changed.emit()

    def _spread(self, seed: int, away: bool, anew: bool = False) -> None:
        scan = self.scan
        assert scan is not None
        sensitivity = self.options.sensitivity
        views = self.session.scan_views

        def run(progress: Progress) -> Bools:
            return spread(scan, seed, sensitivity, views.measured(scan, progress))

        def finish(mask: Bools) -> None:
            if self.scan is not scan:
                return
            if anew:
                self.session.marks.put(scan, mask)
                self.changed.emit()
            else:
                self._add(mask, away)

        job = self.session.run("Spreading", run)
        job.done.connect(finish)

    # the work

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        mask, o = self.mask, self.options
        if mask is None:
            raise ArabesqueError("Nothing is marked", "Mark what is meant: brush, draw round it, or click")
        then, way = o.then, o.fill

        def run(progress: Progress) -> Made:
            if then is Then.HEAL:
                done = heal(scan, mask, way, progress)
                facts = [Fact("Removed", number(int(mask.sum()))), Fact("New", number(int(done.new.sum())))]
                return Made(done.scan, "a part healed", facts)
            left = remove(scan, mask if then is Then.REMOVE else ~mask)
            words = "a part removed" if then is Then.REMOVE else "only a part kept"
            return Made(left, words, [Fact("Triangles", number(len(left.triangles)))])

        return run

    def kept(self, item_id: str) -> None:
        self._seed = None
        self.session.marks.clear()
        self.changed.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self._line:
            closed = self.options.way is MarkWay.OUTLINE
            drawn = polyline(on_screen(camera, np.array(self._line)), closed)
            parts.append(Lines(drawn, theme.now().accent, 1.6, on_top=True))
        elif self._hover is not None and self.options.way is MarkWay.BRUSH and self.made is None:
            place, axes = self._hover
            turn = np.linspace(0, 2 * np.pi, 49)[:-1, None]
            ring = place + self.options.brush * (np.cos(turn) * axes[0] + np.sin(turn) * axes[1])
            parts.append(Lines(polyline(ring, closed=True), theme.now().accent, 1.4, on_top=True))
        return parts


def drawn_round(scan: Scan, outline: Floats, camera: Camera, through: bool) -> Bools:
    """(m,) triangles that a line drawn in the view (k, 2) goes round; those in sight, or all behind too."""
    middles = scan.points[scan.triangles].mean(axis=1)
    places = camera.project(middles)
    inside = in_outline(outline, np.nan_to_num(places[:, :2], nan=-1e9))
    if through:
        return inside
    some = np.flatnonzero(inside)
    rays = [camera.ray(float(x), float(y)) for x, y in places[some, :2]] if not camera.perspective else []
    if camera.perspective:
        origins = np.tile(camera.eye, (len(some), 1))
        ways = middles[some] - camera.eye
        ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    else:
        origins, ways = (np.array([ray[k] for ray in rays]).reshape(-1, 3) for k in (0, 1))
    _, depth = scan.tree.first_hits(origins, ways)
    own = np.einsum("nc,nc->n", middles[some] - origins, ways)
    seen = np.zeros(len(inside), dtype=bool)
    seen[some[depth > own - 1e-3 * scan.diagonal]] = True
    return seen


def under_line(scan: Scan, line: Floats, camera: Camera) -> Bools:
    """(m,) triangles in sight that a line drawn in the view (k, 2) passes over, with those that touch them."""
    lengths = np.linalg.norm(np.diff(line, axis=0), axis=1)
    along = np.concatenate([[0.0], np.cumsum(lengths)])
    steps = np.linspace(0, along[-1], max(2, round(float(along[-1]))))
    places = np.column_stack([np.interp(steps, along, line[:, c]) for c in (0, 1)])
    rays = [camera.ray(float(x), float(y)) for x, y in places]
    hit, _ = scan.tree.first_hits(np.array([ray[0] for ray in rays]), np.array([ray[1] for ray in rays]))
    mask = np.zeros(len(scan.triangles), dtype=bool)
    mask[hit[hit >= 0]] = True
    return grown(scan, mask)


def on_screen(camera: Camera, places: Floats) -> Floats:
    """(k, 3) points in space that are drawn at (k, 2) places of the view."""
    points = []
    for x, y in places:
        origin, way = camera.ray(float(x), float(y))
        points.append(origin + way * camera.distance)
    return np.array(points).reshape(-1, 3)
