"""Edges and corners of a patch: slid along the form, longer or shorter, as part of it or as a new neighbour."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.jobs import Job
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import AT_WORK, Tool
from arabesque.desk.tools.extend_past import extend_past
from arabesque.desk.tools.on_patches import committed_patch, patch_under, take_one
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.patch.edge_moves import (
    Grip,
    corners_of,
    grip_under,
    line_of,
    moved_grip,
    moved_together,
    on_plane,
    outward,
)
from arabesque.desk.tools.patch.picked_border import Border, border_parts, border_under
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import along_line
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.fitting import PatchFit, refit
from arabesque.geometry import Edge, Face, Manner, Surface, TwinKind, continuation, reach_along, tie_matrix
from arabesque.model import Document, Item, Origin, edits, new_id
from arabesque.model.rebuild import ingredients
from arabesque.recipes import ExtendedFace

UNEVEN = 1.25
"""An edge that goes on so many times further in one place than in another goes on wavy: that is marked."""


class Becomes(Enum):
    """What a moved edge makes; the value is its words."""

    FITTED = "fitted to the scan again"
    PART = "part of the patch"
    NEW = "a new patch"


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
        """by: mm outwards, negative inwards. past: mm by which what is clicked is passed. goes_on: how, beyond the old
        edge. becomes: what that makes."""

        by: float = labelled(5.0, "By")
        past: float = labelled(1.0, "Passes by")
        goes_on: Manner = labelled(Manner.NATURAL, "Goes on")
        becomes: Becomes = labelled(Becomes.PART, "Makes")

        @property
        def idle(self) -> tuple[str, ...]:
            """What is fitted again goes where the scan goes."""
            return ("goes_on",) if self.becomes is Becomes.FITTED else ()

    def start(self) -> None:
        self.grip: Grip | None = None
        self.more: list[tuple[str, int]] = []
        self._aiming = False
        self._search: Job | None = None
        self._hover: Grip | None = None
        self._drag: tuple[Pointer, Item, Floats] | None = None
        self._moved: tuple[float, float] = (0.0, 0.0)
        self._reached: tuple[float, float] | None = None
        take_one(self.session)

    def stop(self) -> None:
        self._drop_search()
        self.session.drop_shown()

    def _drop_search(self) -> None:
        search, self._search = self._search, None
        if search is not None:
            search.drop()

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
        if self._search is not None:
            return AT_WORK
        if self._drag is not None:
            return "Let go to take it; Esc drops it"
        if self._aiming:
            return "Click the surface that it is to pass; Esc for none"
        if self.grip is None:
            return "Click an edge or a corner, or drag it at once"
        if self.more:
            return "Drag the first edge, or type how far: all that are chosen move"
        return f"Drag the {self.grip.words}, or type how far; Ctrl-click edges that are to move with it"

    @property
    def can_apply(self) -> bool:
        return self.grip is not None and self.options.by != 0

    @property
    def apply_word(self) -> str:
        return "Move"

    @property
    def facts(self) -> list[Fact]:
        words = "" if self.grip is None else f"{1 + len(self.more)} edges" if self.more else self.grip.words
        facts = [Fact("Chosen", words)] if words else []
        if self._drag is not None:
            first, second = self._moved
            facts.append(Fact("Moved", f"{first:+.2f} mm" + (f", {second:+.2f} mm" if self._corner else "")))
        if self.grip is not None and self._reached is not None:
            least, most = self._reached
            facts.append(Fact("Goes on by", f"{least:.1f} to {most:.1f} mm", "bad" if most > UNEVEN * least else ""))
        return facts

    @property
    def choices(self) -> list[Choice]:
        grip = self.grip
        if grip is None or grip.corner or (self.more and not grip.trimmed):
            return []
        return [Choice("Until it passes a surface", self.aim, self._aiming)]

    def aim(self) -> None:
        """The next surface that is clicked is what the edge is to pass."""
        self._aiming = True
        self.changed.emit()

    @property
    def _corner(self) -> bool:
        return self.grip is not None and self.grip.corner

    def options_changed(self) -> None:
        self._drop_search()
        self.changed.emit()

    # the hand

    def _under(self, pointer: Pointer) -> Grip | None:
        return None if self.item is None else grip_under(self.item, pointer)

    def press(self, pointer: Pointer) -> None:
        item, surface = self.item, self.surface
        self._drop_search()
        if self._aiming:
            self._pass(pointer)
            return
        if pointer.ctrl and self.grip is not None and not self.grip.corner:
            self._add(pointer)
            return
        grip = self._under(pointer)
        if grip is None or surface is None or item is None:
            self.grip, self.more = None, []
            found = patch_under(self.session, pointer)
            if found is not None:
                self.session.select(found[0].id)
            self.changed.emit()
            return
        if grip != self.grip:
            self.more = []
        self.grip, self._reached = grip, None
        if grip.corner:
            anchor = corners_of(surface)[grip.number]
        else:
            edge = line_of(surface, grip)
            seen = pointer.camera.project(edge)[:, :2]
            anchor = edge[np.linalg.norm(seen - [pointer.x, pointer.y], axis=1).argmin()]
        self._drag = (pointer, item, anchor)
        self._moved = (0.0, 0.0)
        self.changed.emit()

    def _add(self, pointer: Pointer) -> None:
        """Take one more edge that is to move with the first, or let it go."""
        item, grip = self.item, self.grip
        assert item is not None and grip is not None
        found = border_under(self.session, pointer)
        whole = found is not None and (found.key == item.id) if grip.trimmed else self._is_patch(found)
        if found is None or not whole:
            words = (
                "Only borders of one trimmed face move together" if grip.trimmed else "There is no edge of a patch here"
            )
            self.session.tell_problem(ArabesqueError(words, "Ctrl-click others"))
        elif (found.key, found.rim) != (item.id, grip.number):
            pair = (found.key, found.rim)
            self.more = [one for one in self.more if one != pair] + ([] if pair in self.more else [pair])
        self.changed.emit()

    def _is_patch(self, border: Border | None) -> bool:
        return border is not None and not isinstance(self.session.document[border.key].shape, Face)

    def _pass(self, pointer: Pointer) -> None:
        """Move the edge until it passes the surface under the pointer, found beside the window."""
        found, item, grip, o = patch_under(self.session, pointer), self.item, self.grip, self.options
        if found is None or item is None or grip is None or found[0].id == item.id:
            self.session.tell_problem(ArabesqueError("There is no other surface here", "Click what is to be passed"))
            return
        self._aiming = False
        numbers = [grip.number, *(number for _, number in self.more)]
        job = extend_past(self.session, item, numbers, found[0].id, self._passed, o.past, self._manner)
        self._search = job
        job.ended.connect(lambda: self._ended(job))
        self.changed.emit()

    def _passed(self, key: str) -> None:
        """What was taken reaches as far as it was to: of a trimmed face, another item stands there now."""
        self.grip, self.more = None, []

    def _ended(self, job: Job) -> None:
        if job is self._search:
            self._search = None
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
        ways = outward(item.shape, self.grip, anchor)
        lengths = [
            along_line(pointer.camera, pointer.x, pointer.y, anchor, way)
            - along_line(pressed.camera, pressed.x, pressed.y, anchor, way)
            for way in ways
        ]
        self._moved = (lengths[0], lengths[1] if self.grip.corner else 0.0)
        try:
            self.session.show(self.session.moving(self._made(item, *self._moved)))
        except ArabesqueError as problem:
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
        elif self._search is not None or self._aiming:
            self._drop_search()
            self._aiming = False
        elif self.grip is not None:
            self.grip, self.more = None, []
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
        if grip.trimmed or self.more:
            self._reached = None
            return moved_together(document, item, grip, self.more, first, self._manner)
        if item.ties.twin is not None and item.ties.twin.kind is TwinKind.ENDS and on_plane(item, grip):
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
        if grip.trimmed:
            self._stand_for(item, made[item.id].shape, grip, first)
            return
        if self.more:
            self.session.commit(f"{1 + len(self.more)} edges moved {first:+.3g} mm", self.session.moving(made))
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

    def _stand_for(self, item: Item, shape: Surface, grip: Grip, length: float) -> None:
        """A trimmed face with borders moved out follows the face, and stands for it."""
        numbers = (grip.number, *(number for _, number in self.more))
        recipe = ExtendedFace(item.id, numbers, length, manner=self._manner)
        self.session.drop_shown()
        part = item.id, shape, recipe, ingredients(self.session.history.document, recipe)
        if self.session.edit(edits.items.derived_in_place, "extended", [part]):
            self.grip, self.more = None, []

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
        corners = corners_of(item.shape)[:0] if isinstance(item.shape, Face) else corners_of(item.shape)
        states = np.zeros(len(corners))
        parts += border_parts(self.session, [Border(*one) for one in self.more], None, ["with it"] * len(self.more))
        for grip, width in ((self._hover, 3.0), (self.grip, 4.0)):
            if grip is not None and grip.trimmed != isinstance(item.shape, Face):
                continue  # of what was there before
            if grip is not None and not grip.corner:
                # in a drag a face has other borders: the one that was taken is shown where it was
                shape = self.surface if grip.trimmed else item.shape
                line = polyline(line_of(shape or item.shape, grip))
                parts.append(Lines(line, theme.now().accent, width, on_top=True))
            elif grip is not None:
                states[grip.number] = 1.0 if grip is self.grip else 2.0
        parts.append(Discs(corners, states, 4.0))
        return parts
