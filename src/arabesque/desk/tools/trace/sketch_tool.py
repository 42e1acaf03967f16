"""Sketches: drawn on paper over the scan's section, with relations and dimensions, or made of the section by itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import Enum
from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.jobs import Job
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.trace.on_curves import toggled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.drawing import Dots, Drawing, PaperPointer, Stroke, upright_frame
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Curve,
    Element,
    Elementary,
    ElementKind,
    Plane,
    Relation,
    RelationKind,
    Sketch,
)
from arabesque.geometry.nets import flat_normal
from arabesque.model import edits
from arabesque.progress import Progress
from arabesque.scan import Scan, on_form
from arabesque.tracing import (
    Cut,
    CutLine,
    Traced,
    cut_scan,
    lines_and_arcs,
    solved,
    taken,
    trimmed_at,
    with_relation,
    without_elements,
    without_loose_points,
)

HISTORY = 40
BESIDE = 0.01
"""Of a section's length."""


class Draws(Enum):
    """What clicks on the paper draw: the value is its words."""

    LINE = "lines"
    ARC = "arc from its centre"
    CIRCLE = "circle"
    POLYGON = "polygon"
    SPLINE = "spline"
    CHOOSE = "choose"
    TRIM = "trim"


class Level(Enum):
    """The plane of a new sketch: its words, and the axis that it stands square to."""

    X = ("square to x", 0)
    Y = ("square to y", 1)
    Z = ("square to z", 2)
    CHOSEN = ("of the selected", None)


class DrawSketch(Tool):
    """Paper over the scan's section in a plane: clicks draw, drags move, the Inspector relates what is chosen."""

    needs = (Scan,)
    id = "sketch"
    step = Step.TRACE
    label = "Sketch in a plane"
    hint = "Choose a plane; then draw on the paper, or take the section as lines and arcs"
    shortcut = "Shift+N"
    icon = "ph.ruler"
    short = "Sketch"

    @dataclass
    class Options:
        """at: mm along the axis. draw: what clicks draw. sides: of a polygon. value: mm or degrees of a dimension.
        aid: what is drawn helps to draw, and is no part of the form."""

        plane: Level = labelled(Level.Y, "Plane")
        at: float = labelled(0.0, "At")
        draw: Draws = labelled(Draws.LINE, "Clicks")
        sides: int = whole(6, 3, 60, "Sides")
        aid: bool = labelled(False, "As a help line")
        value: float = labelled(10.0, "Dimension")

        @property
        def idle(self) -> tuple[str, ...]:
            """Only polygons have a number of sides; a chosen plane has a place of its own."""
            idle: tuple[str, ...] = () if self.draw is Draws.POLYGON else ("sides",)
            return (*idle, "at") if self.plane is Level.CHOSEN else idle

    def start(self) -> None:
        self.target: str | None = None
        self.traced: Traced | None = None
        self._begun: list[int] = []
        self._chosen: list[int] = []
        self._points: list[int] = []
        self._drag: int | None = None
        self._at: Floats | None = None
        self._before: list[Sketch] = []
        self._job: Job | None = None
        item = self.session.chosen(Sketch)
        if item is not None:
            self.target, self.sketch = item.id, item.shape
        else:
            if self._frame_of_chosen() is not None:
                self.options.plane = Level.CHOSEN
            self.sketch = Sketch(self._frame(), np.zeros((0, 2)))

    # the plane

    def _frame_of_chosen(self) -> Floats | None:
        """The plane of what is selected: a flat curve, or a true plane."""
        item = self.session.selection
        if item is None:
            return None
        shape = item.shape
        if isinstance(shape, Elementary) and shape.kind.value == "plane":
            return shape.frame
        if isinstance(shape, Curve):
            normal = flat_normal(shape.points)
            middle = shape.points.mean(axis=0)
            if np.abs((shape.points - middle) @ normal).max() < 1e-2:
                normal = normal * np.sign(normal[np.abs(normal).argmax()])
                return upright_frame(normal, float(middle @ normal))
        return None

    def _frame(self) -> Floats:
        level = self.options.plane
        if level is Level.CHOSEN:
            chosen = self._frame_of_chosen()
            return np.eye(4) if chosen is None else chosen
        return upright_frame(np.eye(3)[level.value[1]], self.options.at)

    def options_changed(self) -> None:
        self._end()
        if not self.sketch.elements and self.target is None:
            self.sketch = Sketch(self._frame(), np.zeros((0, 2)))
        self.changed.emit()

    # what it tells

    @property
    def says(self) -> str:
        if self.traced is not None and self.traced.offered:
            return "The Inspector offers what the section nearly keeps; Enter keeps the sketch"
        draw = self.options.draw
        if self._begun:
            return "Click on; Enter ends the lines or the spline, Esc drops them"
        if draw is Draws.CHOOSE:
            return "Click elements or points to choose them, drag points; Delete takes away"
        if draw is Draws.TRIM:
            return "Click the part of a line, arc or circle that is to go, up to the next crossings"
        return "Click on the paper; Enter keeps the sketch"

    @property
    def facts(self) -> list[Fact]:
        state, _ = self._state
        facts = [
            Fact("Elements", str(len(self.sketch.elements))),
            Fact("Relations", str(len(self.sketch.relations))),
            Fact("State", state, "bad" if state.startswith("contra") else "good" if state == "fixed" else ""),
        ]
        if self.traced is not None:
            tolerance = self.session.document.tolerance
            good = "good" if self.traced.kept <= tolerance else "bad"
            facts += [Fact("Off the section", f"{self.traced.kept:.3f} mm", good)]
            # where a scan rounds a sharp corner
            facts += [Fact("At joints", f"{self.traced.worst:.3f} mm")] if self.traced.worst > tolerance else []
            facts += [Fact("rms", f"{self.traced.rms:.4f} mm")]
        for number in self._chosen:
            element = self.sketch.elements[number]
            if element.kind in (ElementKind.ARC, ElementKind.CIRCLE):
                facts.append(Fact("Radius", f"{self.sketch.radius(number):.4f} mm"))
            elif element.kind is ElementKind.LINE:
                a, b = self.sketch.flat[list(element.points)]
                facts.append(Fact("Length", f"{np.linalg.norm(b - a):.4f} mm"))
        return facts

    @property
    def _state(self) -> tuple[str, tuple[int, ...]]:
        """The state in words, and the relations that contradict each other."""
        return self.session.kept(_state, self.sketch)

    @property
    def choices(self) -> list[Choice]:
        choices: list[Choice] = []
        if self._line() is not None and not self.sketch.elements:
            choices.append(Choice("Section as lines and arcs", self.take_section))
        if self.traced is not None:
            for relation in self.traced.offered:
                words = f"Make {self._named(relation)}"
                choices.append(Choice(words, partial(self._take_offered, (relation,))))
            if len(self.traced.offered) > 1:
                every = self.traced.offered
                choices.append(Choice(f"All {len(every)} of these", lambda: self._take_offered(every)))
        choices += [Choice(words, run) for words, run in self._possible()]
        for number, relation in enumerate(self.sketch.relations):
            if set(relation.of) & (set(self._chosen) | set(self._points)):
                words = f"Take away: {self._named(relation)}"
                choices.append(Choice(words, partial(self._without, number)))
        return choices

    def _named(self, relation: Relation) -> str:
        value = f" {relation.value:g} {relation.kind.value[3]}" if relation.kind.is_dimension else ""
        of = " and ".join(
            f"{self.sketch.elements[k].kind.value[0]} {k + 1}" if letter == "e" else f"point {k + 1}"
            for k, letter in zip(relation.of, relation.kind.of, strict=True)
        )
        return f"{relation.kind.word}{value}: {of}"

    def _possible(self) -> list[tuple[str, Callable[[], object]]]:
        """Relations that what is chosen can have, in words, with what makes them."""
        kinds = [self.sketch.elements[k].kind for k in self._chosen]
        rounds = [kind in (ElementKind.ARC, ElementKind.CIRCLE) for kind in kinds]
        found: list[tuple[RelationKind, tuple[int, ...]]] = []
        chosen, points = tuple(self._chosen), tuple(self._points)
        names: tuple[RelationKind, ...]
        if len(chosen) == 1 and not points:
            if kinds[0] is ElementKind.LINE:
                found = [
                    (RelationKind.HORIZONTAL, chosen),
                    (RelationKind.VERTICAL, chosen),
                    (RelationKind.LENGTH, chosen),
                ]
            elif rounds[0]:
                found = [(RelationKind.RADIUS, chosen)]
        elif len(chosen) == 2 and not points:
            if all(kind is ElementKind.LINE for kind in kinds):
                names = (RelationKind.PARALLEL, RelationKind.PERPENDICULAR, RelationKind.EQUAL, RelationKind.ANGLE)
            elif all(rounds):
                names = (RelationKind.CONCENTRIC, RelationKind.EQUAL, RelationKind.TANGENT)
            else:
                names = (RelationKind.TANGENT,)
            found = [(name, chosen) for name in names]
        elif len(points) == 1 and not chosen:
            found = [(RelationKind.FIXED, points)]
        elif len(points) == 1 and len(chosen) == 1:
            found = [(RelationKind.ON, (*points, *chosen))]
        elif len(points) == 2 and not chosen:
            found = [(name, points) for name in (RelationKind.DISTANCE, RelationKind.WIDTH, RelationKind.HEIGHT)]
        elif len(points) == 2 and kinds == [ElementKind.LINE]:
            found = [(RelationKind.SYMMETRIC, (*points, *chosen))]
        value = float(self.options.value)
        return [
            (
                f"Make {kind.word}" + (f" {value:g} {kind.value[3]}" if kind.is_dimension else ""),
                partial(self.relate, Relation(kind, of, value if kind.is_dimension else 0.0)),
            )
            for kind, of in found
        ]

    # the change

    def _put(self, sketch: Sketch, traced: Traced | None = None) -> None:
        """Another sketch; traced: the section that it is still made of."""
        self._before = [*self._before[-HISTORY:], self.sketch]
        self.traced = traced
        self.sketch = sketch
        self.form_changed.emit()
        self.changed.emit()

    def relate(self, relation: Relation) -> None:
        """Let a relation hold; what contradicts the others is told, and changes nothing."""
        try:
            found = with_relation(self.sketch, relation)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return
        self._put(found.sketch)

    def _without(self, number: int) -> None:
        relations = self.sketch.relations
        self._put(replace(self.sketch, relations=relations[:number] + relations[number + 1 :]))

    def take_section(self) -> None:
        """The scan's section as lines and arcs within the tolerance."""
        line, scan = self._line(), self.session.scan
        if line is None or scan is None:
            self.session.tell_problem(ArabesqueError("The plane cuts no scan", "Move it to where the scan is"))
            return
        frame, tolerance = self.sketch.frame, self.session.document.tolerance
        # a section that ends beside its start went round a small opening of the scan
        gap = float(np.linalg.norm(line.points[0] - line.points[-1]))
        closed = line.closed or gap < BESIDE * line.length
        self._fit(lambda progress: lines_and_arcs(frame, on_form(scan, line.points), closed, tolerance, progress))

    def _fit(self, work: Callable[[Progress], Traced]) -> None:
        """Fit lines and arcs beside the window."""
        self._drop()
        self._job = job = self.session.run("Lines and arcs", work)
        job.done.connect(lambda traced: self._traced(job, traced))

    def _drop(self) -> None:
        if self._job is not None:
            job, self._job = self._job, None
            job.drop()

    def stop(self) -> None:
        self._drop()

    def _traced(self, job: Job, traced: Traced) -> None:
        if job is not self._job:
            return
        self._job = None
        self.options.draw = Draws.CHOOSE
        self._put(traced.sketch, traced)

    def _take_offered(self, relations: tuple[Relation, ...]) -> None:
        if self.traced is not None:
            self._fit(partial(_taken, self.traced, relations))

    def _add(self, kind: ElementKind, points: list[Floats | int], aid: bool | None = None) -> None:
        """An element on points: places of new ones, or numbers of those that are there."""
        flat, numbers = list(self.sketch.flat), []
        for point in points:
            if isinstance(point, int):
                numbers.append(point)
            else:
                flat.append(point)
                numbers.append(len(flat) - 1)
        element = Element(kind, tuple(numbers), self.options.aid if aid is None else aid)
        self._put(replace(self.sketch, flat=np.array(flat), elements=(*self.sketch.elements, element)))

    # the hand on the paper

    def _snapped(self, pointer: PaperPointer) -> Floats | int:
        """The point under the pointer, or its place; a little help to stand upright and level."""
        near = pointer.nearest(self.sketch.flat)
        if near is not None:
            return near
        place = pointer.at.copy()
        if self._begun and self.options.draw is Draws.LINE:
            last = self.sketch.flat[self._begun[-1]]
            for axis in (0, 1):
                if abs(place[axis] - last[axis]) < 5 * pointer.per_pixel:
                    place[axis] = last[axis]
        return place

    def paper_press(self, pointer: PaperPointer) -> None:
        draw = self.options.draw
        if draw is Draws.CHOOSE:
            self._choose(pointer)
        elif draw is Draws.TRIM:
            self._trim(pointer)
        else:
            self._draw(self._snapped(pointer))
        self.changed.emit()

    def _draw(self, point: Floats | int) -> None:
        draw = self.options.draw
        if not self._begun:
            self._begun = [self._point(point)]
            return
        start = self._begun[-1]
        number = self._point(point)
        if number == start:
            return
        if draw is Draws.LINE:
            self._add(ElementKind.LINE, [start, number])
            self._begun = [] if number == self._begun[0] and len(self._begun) > 1 else [*self._begun, number]
        elif draw is Draws.CIRCLE:
            self._add(ElementKind.CIRCLE, [start, number])
            self._begun = []
        elif draw is Draws.POLYGON:
            self._polygon(start, number)
            self._begun = []
        else:
            self._begun.append(number)
            if draw is Draws.ARC and len(self._begun) == 3:
                self._arc(*self._begun)
                self._begun = []

    def _point(self, point: Floats | int) -> int:
        if isinstance(point, int):
            return point
        self.sketch = self.sketch.with_flat(np.vstack([self.sketch.flat, point]))
        return len(self.sketch.flat) - 1

    def _arc(self, centre: int, start: int, end: int) -> None:
        """The end comes to the radius of the start; the shorter way round is meant."""
        flat = self.sketch.flat.copy()
        one, two = flat[start] - flat[centre], flat[end] - flat[centre]
        flat[end] = flat[centre] + two * np.linalg.norm(one) / max(float(np.linalg.norm(two)), 1e-9)
        self.sketch = self.sketch.with_flat(flat)
        left = one[0] * two[1] - one[1] * two[0] > 0
        self._add(ElementKind.ARC, [centre, start, end] if left else [centre, end, start])

    def _polygon(self, centre: int, corner: int) -> None:
        flat, n = self.sketch.flat, self.options.sides
        out = flat[corner] - flat[centre]
        turns = 2 * np.pi * np.arange(1, n) / n
        more = [
            flat[centre] + [np.cos(a) * out[0] - np.sin(a) * out[1], np.sin(a) * out[0] + np.cos(a) * out[1]]
            for a in turns
        ]
        first = len(flat)
        self.sketch = self.sketch.with_flat(np.vstack([flat, more]))
        ring = [corner, *range(first, first + n - 1)]
        before = self.sketch
        elements = [Element(ElementKind.LINE, (ring[k], ring[(k + 1) % n]), self.options.aid) for k in range(n)]
        count = len(before.elements)
        equal = tuple(Relation(RelationKind.EQUAL, (count, count + k)) for k in range(1, n))
        self._put(replace(before, elements=(*before.elements, *elements), relations=(*before.relations, *equal)))

    def _choose(self, pointer: PaperPointer) -> None:
        point = pointer.nearest(self.sketch.flat)
        if not pointer.shift and not pointer.ctrl:
            keep = point in self._points
            self._points = self._points if keep else []
            self._chosen = []
        if point is not None:
            self._points = [*self._points, point] if point not in self._points else self._points
            self._drag = point
        else:
            element = self._element_under(pointer)
            if element is not None:
                self._chosen = toggled(self._chosen, element)
        self.form_changed.emit()

    def _element_under(self, pointer: PaperPointer) -> int | None:
        best: tuple[float, int] | None = None
        for number in range(len(self.sketch.elements)):
            away = pointer.to_line(self.sketch.in_plane(curve_points(self.sketch.curve(number))))
            if away < 9.0 and (best is None or away < best[0]):
                best = away, number
        return None if best is None else best[1]

    def _trim(self, pointer: PaperPointer) -> None:
        number = self._element_under(pointer)
        if number is None:
            return
        try:
            self._put(trimmed_at(self.sketch, number, pointer.at))
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
        self._chosen, self._points = [], []

    def paper_move(self, pointer: PaperPointer, dragging: bool) -> None:
        self._at = pointer.at
        if dragging and self._drag is not None:
            found = solved(self.sketch, (self._drag, pointer.at))
            if not found.against:
                self.sketch, self.traced = found.sketch, None
        self.changed.emit()

    def paper_release(self, pointer: PaperPointer) -> None:
        if self._drag is not None:
            self._drag = None
            self.form_changed.emit()
        self.changed.emit()

    def key(self, event: QKeyEvent) -> bool:
        key = event.key()
        if key == Qt.Key.Key_Backspace and self._before:
            self.sketch, self._before = self._before[-1], self._before[:-1]
            self.traced = None
            self._chosen, self._points = [], []
            self._end()
        elif key == Qt.Key.Key_Delete and self._chosen:
            gone, self._chosen, self._points = self._chosen, [], []
            self._put(without_elements(self.sketch, gone))
        else:
            return False
        self.form_changed.emit()
        self.changed.emit()
        return True

    # keeping

    @property
    def can_apply(self) -> bool:
        return bool(self.sketch.elements) or len(self._begun) > 1

    @property
    def apply_word(self) -> str:
        return "End it" if self._begun else "Keep"

    def apply(self) -> None:
        if self._begun:
            if self.options.draw is Draws.SPLINE and len(self._begun) > 1:
                self._add(ElementKind.SPLINE, list(self._begun))
            self._end()
            self.changed.emit()
            return
        if not self.sketch.elements:
            return
        item = None if self.target is None else self.session.history.document.items.get(self.target)
        if item is not None:
            done = self.session.edit(edits.items.reshaped, item, "sketched anew", self.sketch)
        else:
            done = self.session.edit(edits.items.added, "sketch drawn", "Sketch", self.sketch)
        if done:
            self.left.emit()

    def _end(self) -> None:
        """What is begun is no more; clicks that nothing stands on leave no points."""
        self._begun = []
        self.sketch = without_loose_points(self.sketch)

    def escape(self) -> None:
        if self._begun:
            self._end()
            self.changed.emit()
        elif self._chosen or self._points:
            self._chosen, self._points = [], []
            self.form_changed.emit()
            self.changed.emit()
        else:
            self.left.emit()

    @property
    def covers(self) -> frozenset[str]:
        return frozenset() if self.target is None else frozenset({self.target})

    # the picture

    def _lines(self) -> list[CutLine]:
        scan = self.session.scan
        if scan is None:
            return []
        plane = self.sketch.plane
        return self.session.kept(_section, scan, tuple(np.round([*plane.normal, plane.offset], 9).tolist()))

    def _line(self) -> CutLine | None:
        """The section that is meant: the longest, or the one that passes the selected curve."""
        lines = self._lines()
        return lines[0] if lines else None

    @property
    def drawing(self) -> Drawing | None:
        t, sketch = theme.now(), self.sketch
        strokes = [
            Stroke(
                sketch.in_plane(np.vstack([line.points, line.points[:1]]) if line.closed else line.points),
                t.scan_line,
                1.3,
            )
            for line in self._lines()
        ]
        state, against = self._state
        wrong = {k for n in against for k in sketch.relations[n].of}
        for number, element in enumerate(sketch.elements):
            colour = t.outside if number in wrong else t.accent if number in self._chosen else t.ink
            points = sketch.in_plane(curve_points(sketch.curve(number)))
            strokes.append(Stroke(points, colour, 1.0 if element.aid else 2.0, dashed=element.aid))
        if self._begun and self._at is not None:
            strokes.append(Stroke(np.array([sketch.flat[self._begun[-1]], self._at]), t.accent, 1.0, dashed=True))
        filled = np.zeros(len(sketch.flat))
        filled[[k for k in (*self._points, *self._begun) if k < len(filled)]] = 1.0
        dots = (Dots(sketch.flat, filled, t.accent, 3.5),) if len(sketch.flat) else ()
        words = tuple(
            (
                self._place_of(relation),
                f"{relation.value:g}{relation.kind.value[3] if relation.kind.value[3] == '°' else ''}",
            )
            for relation in sketch.relations
            if relation.kind.is_dimension
        )
        title = f"{len(sketch.elements)} elements, {len(sketch.relations)} relations"
        return Drawing(sketch.frame, tuple(strokes), dots, words=words, title=title, figures=state, good=not against)

    def _place_of(self, relation: Relation) -> Floats:
        """Where a dimension is written: in the middle of what it is of."""
        points = [
            self.sketch.flat[list(self.sketch.elements[k].points)].mean(axis=0)
            if letter == "e"
            else self.sketch.flat[k]
            for k, letter in zip(relation.of, relation.kind.of, strict=True)
        ]
        return np.asarray(np.mean(points, axis=0))

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        t = theme.now()
        parts: list[Triangles | Lines | Discs | Label] = [
            Lines(polyline(line.points, line.closed), t.scan_line, 1.8, on_top=True) for line in self._lines()
        ]
        parts += [Lines(polyline(curve_points(curve)), t.accent, 2.4, on_top=True) for curve in self.sketch.curves]
        return parts

    def press(self, pointer: Pointer) -> None:
        self.session.tell_problem(ArabesqueError("The sketch lies on the paper", "Draw there, on the right"))


def _taken(traced: Traced, relations: tuple[Relation, ...], progress: Progress) -> Traced:
    progress(0.0, "Fitting anew")
    return taken(traced, relations)


def _state(sketch: Sketch) -> tuple[str, tuple[int, ...]]:
    if not sketch.elements:
        return "nothing drawn yet", ()
    found = solved(sketch)
    return found.words, found.against


def _section(scan: Scan, plane: tuple[float, ...]) -> list[CutLine]:
    return cut_scan(scan, Cut(Plane(np.array(plane[:3]), plane[3])))
