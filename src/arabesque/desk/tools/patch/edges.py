"""Edges and corners of a patch: slid along the form, longer or shorter, as part of it or as a new neighbour."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.on_patches import NEAR, committed_patch, edge_points, edge_under, patch_under, take_one
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import along_line
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.fitting import PatchFit, refit
from arabesque.geometry import (
    Edge,
    Manner,
    Surface,
    TwinKind,
    continuation,
    extended,
    over_quadrangle,
    parameter_step,
    reach_along,
    tie_matrix,
    unit,
)
from arabesque.model import Document, Item, Origin, new_id

UNEVEN = 1.25
"""An edge that goes on so many times further in one place than in another goes on wavy: that is marked."""


class Becomes(Enum):
    """What a moved edge makes; the value is its words."""

    FITTED = "fitted to the scan again"
    PART = "part of the patch"
    NEW = "a new patch"


@dataclass(frozen=True)
class Grip:
    """An ``Edge``, or the corner between an edge and the next one."""

    number: int
    corner: bool = False

    @property
    def words(self) -> str:
        """Its name."""
        edges = ("low v", "high u", "high v", "low u")
        corners = ("low u, low v", "high u, low v", "high u, high v", "low u, high v")
        return f"corner {corners[self.number]}" if self.corner else f"edge {edges[self.number]}"


class Edges(Tool):
    """Takes an edge or a corner and moves it along the form."""

    needs = (Surface,)
    id = "edges"
    step = Step.PATCH
    label = "Edges and corners"
    hint = "Drag an edge or a corner along the form, or type how far"
    shortcut = "B"
    icon = "ph.bounding-box"
    takes_places = True
    short = "Edges"

    @dataclass
    class Options:
        """by: mm outwards, negative inwards. goes_on: how, beyond the old edge. becomes: what that makes."""

        by: float = labelled(5.0, "By")
        goes_on: Manner = labelled(Manner.NATURAL, "Goes on")
        becomes: Becomes = labelled(Becomes.PART, "Makes")

        @property
        def idle(self) -> tuple[str, ...]:
            """What is fitted again goes where the scan goes."""
            return ("goes_on",) if self.becomes is Becomes.FITTED else ()

    def start(self) -> None:
        self.grip: Grip | None = None
        self._hover: Grip | None = None
        self._drag: tuple[Pointer, Item, Floats] | None = None
        self._moved: tuple[float, float] = (0.0, 0.0)
        self._reached: tuple[float, float] | None = None
        take_one(self.session)

    def stop(self) -> None:
        self.session.drop_shown()

    @property
    def item(self) -> Item | None:
        """The patch, as committed."""
        return committed_patch(self.session)

    @property
    def surface(self) -> Surface | None:
        """Its surface, as committed."""
        item = self.item
        return item.shape if item is not None and isinstance(item.shape, Surface) else None

    @property
    def says(self) -> str:
        if self.surface is None:
            return "Make a patch first"
        if self._drag is not None:
            return "Let go to take it; Esc drops it"
        if self.grip is None:
            return "Click an edge or a corner, or drag it at once"
        return f"Drag the {self.grip.words}, or type how far and press Enter"

    @property
    def can_apply(self) -> bool:
        return self.grip is not None and self.options.by != 0

    @property
    def apply_word(self) -> str:
        return "Move"

    @property
    def facts(self) -> list[Fact]:
        facts = [] if self.grip is None else [Fact("Chosen", self.grip.words)]
        if self._drag is not None:
            first, second = self._moved
            facts.append(Fact("Moved", f"{first:+.2f} mm" + (f", {second:+.2f} mm" if self._corner else "")))
        if self.grip is not None and self._reached is not None:
            least, most = self._reached
            facts.append(Fact("Goes on by", f"{least:.1f} to {most:.1f} mm", "bad" if most > UNEVEN * least else ""))
        return facts

    @property
    def _corner(self) -> bool:
        return self.grip is not None and self.grip.corner

    def options_changed(self) -> None:
        self.changed.emit()

    # the hand

    def _corners(self, surface: Surface) -> Floats:
        p = surface.points
        return np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]])

    def _under(self, pointer: Pointer) -> Grip | None:
        surface = self.surface
        if surface is None:
            return None
        for number, corner in enumerate(self._corners(surface)):
            if pointer.near(corner, NEAR + 2):
                return Grip(number, corner=True)
        found = edge_under([self.item] if self.item is not None else [], pointer)
        return None if found is None else Grip(found[1])

    def press(self, pointer: Pointer) -> None:
        item, surface = self.item, self.surface
        grip = self._under(pointer)
        if grip is None or surface is None or item is None:
            self.grip = None
            found = patch_under(self.session, pointer)
            if found is not None:
                self.session.select(found[0].id)
            self.changed.emit()
            return
        self.grip, self._reached = grip, None
        if grip.corner:
            anchor = self._corners(surface)[grip.number]
        else:
            edge = edge_points(surface, grip.number)
            seen = pointer.camera.project(edge)[:, :2]
            anchor = edge[np.linalg.norm(seen - [pointer.x, pointer.y], axis=1).argmin()]
        self._drag = (pointer, item, anchor)
        self._moved = (0.0, 0.0)
        self.changed.emit()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if not dragging or self._drag is None or self.grip is None:
            hover = self._under(pointer)
            if hover != self._hover:
                self._hover = hover
                self.changed.emit()
            return
        pressed, item, anchor = self._drag
        assert isinstance(item.shape, Surface)
        ways = outward(item.shape, self.grip)
        lengths = [
            along_line(pointer.camera, pointer.x, pointer.y, anchor, way)
            - along_line(pressed.camera, pressed.x, pressed.y, anchor, way)
            for way in ways
        ]
        self._moved = (lengths[0], lengths[1] if self.grip.corner else 0.0)
        try:
            self.session.show(self.session.moving(self._made(item, *self._moved)))
        except InvalidShape as problem:
            self.session.tell_problem(problem)
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._drag is None:
            return
        item = self._drag[1]
        self._drag = None
        if max(abs(length) for length in self._moved) > 1e-9:
            self._take(item, *self._moved)
        else:
            self.session.drop_shown()
        self.changed.emit()

    def escape(self) -> None:
        if self._drag is not None:
            self._drag = None
            self.session.drop_shown()
        elif self.grip is not None:
            self.grip = None
        else:
            self.left.emit()
        self.changed.emit()

    def apply(self) -> None:
        item = self.item
        if self.can_apply and item is not None:
            self._take(item, self.options.by, self.options.by)

    # the change

    def _made(self, item: Item, first: float, second: float) -> Document:
        """The committed document with the grip moved by so many mm; raises InvalidShape when it cannot be."""
        document, grip, o = self.session.history.document, self.grip, self.options
        assert grip is not None and isinstance(item.shape, Surface)
        if item.ties.twin is not None and item.ties.twin.kind is TwinKind.ENDS and _on_plane(item, grip):
            raise InvalidShape("This edge is seated on the twin plane", "Move another edge, or let the twin go")
        if not grip.corner and o.becomes is Becomes.NEW:
            axis, at_end = Edge(grip.number).side
            strip = continuation(item.shape, axis, at_end, first, o.goes_on)
            self._reached = reach_along(strip, axis)
            key = f"{item.id} continued"
            made = Item(key, document.free_name(item.name), strip, Origin((item.id,), "continued"), layer=item.layer)
            return document.with_item(made)
        moved = moved_grip(item, grip, first, second, self._manner)
        out = not grip.corner and first > 0 and o.becomes is not Becomes.FITTED
        self._reached = reach_along(moved, Edge(grip.number).side[0], item.shape) if out else None
        return document.with_shape(item.id, moved)

    @property
    def _manner(self) -> Manner:
        return Manner.NATURAL if self.options.becomes is Becomes.FITTED else self.options.goes_on

    def _take(self, item: Item, first: float, second: float) -> None:
        grip = self.grip
        assert grip is not None
        try:
            made = self._made(item, first, second)
        except ArabesqueError as problem:
            self.session.drop_shown()
            self.session.tell_problem(problem)
            return
        far = f"{first:+.3g} mm" if not grip.corner else f"{first:+.3g} and {second:+.3g} mm"
        label = f"{item.name}: {grip.words} moved {far}"
        old = self.session.history.document
        fresh = [i for i in made if i.id not in old]
        if fresh:
            # the preview's item gets an id of its own
            kept = Item(new_id(), fresh[0].name, fresh[0].shape, Origin((item.id,), "continued"), layer=item.layer)
            self.session.commit(f"{item.name}: {grip.words} continued by {first:.3g} mm", old.with_item(kept))
            self.session.select(kept.id)
        elif self.options.becomes is Becomes.FITTED:
            self._fit(made, item, label)
        else:
            self.session.commit(label, self.session.moving(made))
        if self._reached is not None and self._reached[1] > UNEVEN * self._reached[0]:
            least, most = self._reached
            self.session.tell(
                f"It goes on by {least:.1f} to {most:.1f} mm: wavy, as the patch is. "
                "Extend it less, straight, or fitted to the scan",
                True,
            )

    def _fit(self, made: Document, item: Item, label: str) -> None:
        """Fit inside the new border: its corners come to the scan, the rest follows it."""
        scan, shape = self.session.scan, made[item.id].shape
        if scan is None:
            self.session.drop_shown()
            self.session.tell_problem(ArabesqueError("There is no scan to fit to", "Open a scan first"))
            return
        assert isinstance(shape, Surface)
        points = shape.points.copy()
        corners = np.ix_([0, -1], [0, -1])
        points[corners] = scan.closest(points[corners].reshape(-1, 3)).points.reshape(2, 2, 3)
        start = made.with_shape(item.id, shape.with_points(points))
        surface, tolerance = start[item.id].shape, made.tolerance
        assert isinstance(surface, Surface)
        tie = None if item.ties.twin is None else tie_matrix(item.ties.twin, made.plane_of(item), surface)
        job = self.session.run(label, lambda progress: refit(surface, scan, tolerance, progress, tie=tie))

        def finish(fit: PatchFit) -> None:
            document = self.session.history.document
            if item.id in document and document[item.id].shape is item.shape:
                self.session.commit(f"{label}, fitted", document.with_shape(item.id, fit.surface))
            self.changed.emit()

        job.done.connect(finish)
        job.failed.connect(lambda _: self.session.drop_shown())
        job.cancelled.connect(self.session.drop_shown)

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        item = self.session.surface_item
        if item is None or not isinstance(item.shape, Surface):
            return []
        parts: list[Triangles | Lines | Discs | Label] = []
        corners = self._corners(item.shape)
        states = np.zeros(4)
        for grip, width in ((self._hover, 3.0), (self.grip, 4.0)):
            if grip is not None and not grip.corner:
                line = polyline(edge_points(item.shape, grip.number))
                parts.append(Lines(line, theme.now().accent, width, on_top=True))
            elif grip is not None:
                states[grip.number] = 1.0 if grip is self.grip else 2.0
        parts.append(Discs(corners, states, 4.0))
        return parts


def outward(surface: Surface, grip: Grip) -> list[Floats]:
    """Unit vectors along which a grip moves outwards: one for an edge, along u and along v for a corner."""
    (u0, u1), (v0, v1) = surface.domain
    if grip.corner:
        u, v = ((u0, v0), (u1, v0), (u1, v1), (u0, v1))[grip.number]
        d = surface.derivatives([[u, v]], 1)
        return [unit(d[1, 0, 0]) * (1 if u == u1 else -1), unit(d[0, 1, 0]) * (1 if v == v1 else -1)]
    axis, at_end = Edge(grip.number).side
    start, end = surface.boundary()[grip.number]
    d = surface.derivatives([(start + end) / 2], 1)
    return [unit(d[1, 0, 0] if axis == 0 else d[0, 1, 0]) * (1 if at_end else -1)]


def moved_grip(item: Item, grip: Grip, first: float, second: float, manner: Manner) -> Surface:
    """The patch with an edge moved across by ``first`` mm, or a corner along u and v by ``first`` and ``second``.

    Of a patch that spans the twin plane, the opposite edge or corner moves too.
    """
    surface = item.shape
    assert isinstance(surface, Surface)
    spans = item.ties.twin is not None and item.ties.twin.kind is TwinKind.SPANS
    if not grip.corner:
        axis, at_end = Edge(grip.number).side
        made = extended(surface, axis, at_end, first, manner)
        if spans and item.ties.twin is not None and item.ties.twin.axis == axis:
            made = extended(made, axis, not at_end, first, manner)
        return made
    (u0, u1), (v0, v1) = surface.domain
    corners = np.array([(u0, v0), (u1, v0), (u1, v1), (u0, v1)])
    moved = {grip.number}
    if spans and item.ties.twin is not None:
        moved.add({0: (1, 0, 3, 2), 1: (3, 2, 1, 0)}[item.ties.twin.axis][grip.number])
    for number in moved:
        u, v = corners[number]
        for axis, length, other in ((0, first, v), (1, second, u)):
            at_end = corners[number][axis] == surface.domain[axis][1]
            step = parameter_step(surface, axis, bool(at_end), float(other), length)
            corners[number, axis] += step if at_end else -step
    return over_quadrangle(surface, corners)[0]


def _on_plane(item: Item, grip: Grip) -> bool:
    assert item.ties.twin is not None
    touched = (grip.number, (grip.number - 1) % 4) if grip.corner else (grip.number,)
    return any(Edge(edge).side == (item.ties.twin.axis, item.ties.twin.at_end) for edge in touched)
