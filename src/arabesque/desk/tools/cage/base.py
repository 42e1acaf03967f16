"""What tools on cages share: which cage is meant, what of it is under the pointer, edits shown before they are kept."""

from __future__ import annotations

from abc import abstractmethod
from typing import ClassVar

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.cages import Cage
from arabesque.desk.facts import Fact
from arabesque.desk.kinds import shown_of
from arabesque.desk.steps import Step
from arabesque.desk.theme import now
from arabesque.desk.tools.base import Needs, Tool
from arabesque.desk.tools.on_patches import behind_scan, take_one
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import nearest_on_segments, nearest_point
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.model import Item, edits

NEAR = 9.0
"""Pixels within which an edge or a point is meant."""


class CageTool(Tool):
    """A tool that works on one cage: the selected one, or else the first that shows."""

    needs: ClassVar[Needs] = (Cage,)
    step = Step.CAGE

    def start(self) -> None:
        take_one(self.session, Cage)

    @property
    def item(self) -> Item | None:
        """The cage's item, as committed."""
        chosen, document = self.session.chosen(Cage), self.session.history.document
        return document.items.get(chosen.id) if chosen is not None else None

    @property
    def cage(self) -> Cage | None:
        """The cage, as committed."""
        item = self.item
        return None if item is None else item.shape

    @property
    def plane(self) -> Plane:
        """The twin plane that holds for it."""
        item, document = self.item, self.session.history.document
        return document.plane if item is None else document.plane_of(item)

    def point_under(self, pointer: Pointer) -> int | None:
        """The point of the cage that is drawn nearest to the pointer; none that a scan hides."""
        cage = self.cage
        left = np.empty(0, dtype=np.int64) if cage is None else np.arange(cage.quads.count)
        while cage is not None and len(left):
            at = nearest_point(pointer.camera, cage.points[left], pointer.x, pointer.y, NEAR)
            if at is None:
                return None
            if not behind_scan(self.session, pointer, pointer.depth(cage.points[left[at]])):
                return int(left[at])
            left = np.delete(left, at)
        return None

    def edge_under(self, pointer: Pointer, border: bool = False) -> tuple[int, float] | None:
        """The half-edge whose line passes nearest to the pointer, and at which share of it; border: of those alone.

        Of several the one in front.
        """
        cage = self.cage
        if cage is None:
            return None
        quads = cage.quads
        halves = np.flatnonzero(quads.border | (np.arange(len(quads.twins)) < quads.twins))
        halves = halves[quads.border[halves]] if border else halves
        seen = pointer.camera.project(cage.points)
        a, b = seen[quads.starts[halves]], seen[quads.ends[halves]]
        away, share = nearest_on_segments(a[:, :2], b[:, :2], pointer.x, pointer.y)
        close = np.flatnonzero(away <= NEAR)
        if not len(close):
            return None
        depth = a[close, 2] + share[close] * (b[close, 2] - a[close, 2])
        best = close[np.lexsort((depth, np.round(away[close] / 4)))[0]]
        return int(halves[best]), float(share[best])

    def face_under(self, pointer: Pointer) -> int | None:
        """The face of the cage's surface that the pointer's ray hits first."""
        item, cage = self.item, self.cage
        if item is None or cage is None:
            return None
        measured = self.session.distances(item)
        depth = shown_of(item).hit(self.session, item, pointer)
        if measured is None or depth is None or behind_scan(self.session, pointer, depth):
            return None
        origin, direction = pointer.camera.ray(pointer.x, pointer.y)
        place = origin + depth * direction
        samples = measured.samples
        return int(samples.part[np.linalg.norm(samples.points - place, axis=1).argmin()])

    def select_under(self, pointer: Pointer) -> bool:
        """Select another cage under the pointer; True where there is one."""
        for item in self.session.seen.of(Cage):
            if shown_of(item).hit(self.session, item, pointer) is not None and item.id != getattr(self.item, "id", ""):
                self.session.select(item.id, add=pointer.ctrl)
                return True
        return False

    def net_parts(self) -> list[Triangles | Lines | Discs | Label]:
        """The net over everything: it often lies below the scan."""
        cage = self.session.chosen(Cage)
        if cage is None:
            return []
        points, edges = cage.shape.points, cage.shape.quads.edges
        return [Lines(points[edges], now().net, 1.0, 0.7, on_top=True)]

    def edge_lines(self, halves: Ints) -> Floats:
        """(k, 2, 3) where some edges of the committed cage run."""
        cage = self.cage
        assert cage is not None
        # of the cage before the last edit there may have been more
        halves = halves[halves < len(cage.quads.starts)]
        return cage.points[np.column_stack([cage.quads.starts[halves], cage.quads.ends[halves]])]


class Reworks(CageTool):
    """A tool whose edit is shown as soon as there is enough for it; Enter keeps it."""

    words: ClassVar[str]
    """What it does, for the history."""

    def start(self) -> None:
        super().start()
        self.made: Cage | None = None
        self.trouble = ""
        self.clear()
        self.refresh()

    def stop(self) -> None:
        self.session.drop_shown()

    @abstractmethod
    def clear(self) -> None:
        """No picks."""

    @property
    @abstractmethod
    def begun(self) -> bool:
        """True when there are picks."""

    @abstractmethod
    def rework(self, item: Item) -> Cage | None:
        """What the edit makes of the cage; None while something is missing. Raises ArabesqueError with the reason."""

    def refresh(self) -> None:
        """Show what the edit makes, or why it does not."""
        self.made, self.trouble = None, ""
        item = self.item
        if item is not None:
            try:
                self.made = self.rework(item)
                if self.made is not None:
                    shown = self.session.history.document.with_shape(item.id, self.made)
                    self.session.show(self.session.moving(shown))
            except ArabesqueError as problem:
                self.made, self.trouble = None, str(problem)
        if self.made is None:
            self.session.drop_shown()
        self.changed.emit()

    def options_changed(self) -> None:
        self.refresh()

    @property
    def can_apply(self) -> bool:
        return self.made is not None

    @property
    def trouble_facts(self) -> list[Fact]:
        """Why nothing can be made of the picks."""
        return [Fact("Cannot", self.trouble, "bad")] if self.trouble else []

    @property
    def facts(self) -> list[Fact]:
        item, made = self.item, self.made
        if item is None:
            return []
        if made is None:
            return self.trouble_facts
        return [Fact("Faces", f"{item.shape.count} → {made.count}"), *self.more_facts(item.shape, made)]

    def more_facts(self, before: Cage, made: Cage) -> list[Fact]:
        """What else is to be told of an edit."""
        return []

    def apply(self) -> None:
        item, made, self.made = self.item, self.made, None
        if item is None or made is None:
            return
        self.session.drop_shown()
        if self.session.edit(edits.items.reshaped, item, self.words, made):
            self.clear()
        self.refresh()

    def escape(self) -> None:
        begun = self.begun
        self.clear()
        self.refresh()
        if not begun:
            self.left.emit()

    def chosen_lines(self, *chains: Ints) -> list[Triangles | Lines | Discs | Label]:
        """Chosen edges, in the accent colour."""
        return [Lines(self.edge_lines(chain), now().accent, 3.0, on_top=True) for chain in chains if len(chain)]

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        return [*self.net_parts(), *self.picked_parts(camera)]

    def picked_parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        """What is picked, or would be."""
        return []
