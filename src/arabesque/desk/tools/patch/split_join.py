"""Split a patch along a parameter line; join two neighbours into one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.seen import Seen
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled, share
from arabesque.desk.tools.patch_work import NewShape, PatchWork, compared
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Surface, foot_points, joined, meeting_edges
from arabesque.model import Item, edits
from arabesque.progress import Progress
from arabesque.scan import Scan


class Along(Enum):
    """Which way the cut runs; the value is its words."""

    U = "along u"
    V = "along v"


class Split(Tool):
    """Shows the line under the pointer; a click cuts there, and both parts stay exactly on the patch."""

    needs = (Surface,)
    id = "split"
    step = Step.PATCH
    label = "Split"
    hint = "Click where the patch is to be cut, or give the place and press Enter"
    shortcut = "X"
    icon = "ph.columns"
    takes_places = True

    @dataclass
    class Options:
        """along: the way the cut runs. at: its place across, as a share."""

        along: Along = labelled(Along.V, "Cut runs")
        at: float = share(0.5)

    def start(self) -> None:
        self._hover: tuple[str, float] | None = None

    @property
    def item(self) -> Item | None:
        """The selected patch."""
        return self.session.surface_item

    @property
    def _axis(self) -> int:
        """The parameter that is fixed on the line."""
        return 0 if self.options.along is Along.V else 1

    @property
    def can_apply(self) -> bool:
        return self.item is not None

    @property
    def apply_word(self) -> str:
        return "Split"

    def options_changed(self) -> None:
        self._hover = None
        self.changed.emit()

    def _under(self, pointer: Pointer) -> tuple[str, float] | None:
        """The patch under the pointer, and the parameter of the line there."""
        found = patch_under(self.session, pointer)
        if found is None:
            return None
        item, depth = found
        assert isinstance(item.shape, Surface)
        origin, direction = pointer.camera.ray(pointer.x, pointer.y)
        uv = foot_points(item.shape, (origin + depth * direction)[None]).uv[0]
        return item.id, float(uv[self._axis])

    def move(self, pointer: Pointer, dragging: bool) -> None:
        self._hover = self._under(pointer)
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        found = self._under(pointer)
        if found is None:
            self.session.tell_problem(ArabesqueError("There is no patch under the pointer", "Click on a patch"))
            return
        self._cut(self.session.document[found[0]], found[1])

    def apply(self) -> None:
        item = self.item
        if item is not None and isinstance(item.shape, Surface):
            low, high = item.shape.domain[self._axis]
            self._cut(item, low + self.options.at * (high - low))

    def _cut(self, item: Item, at: float) -> None:
        self.session.edit(edits.patches.split_at, item, self._axis, at, self.options.along.value)
        self._hover = None
        self.changed.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        item, at = self.item, None
        if self._hover is not None and self._hover[0] in self.session.document:
            item, at = self.session.document[self._hover[0]], self._hover[1]
        if item is None or not isinstance(item.shape, Surface):
            return []
        low, high = item.shape.domain[self._axis]
        at = low + self.options.at * (high - low) if at is None else at
        t = np.linspace(*item.shape.domain[1 - self._axis], 81)
        fixed = np.full(len(t), at)
        uv = np.column_stack([fixed, t] if self._axis == 0 else [t, fixed])
        return [Lines(polyline(item.shape.at(uv)), theme.now().accent, 2.4, on_top=True)]


class Join(PatchWork):
    """Two selected patches, or the selected one and its nearest neighbour, as one."""

    id = "join"
    label = "Join two patches"
    hint = "Make one patch of two that share an edge; the error is shown first"
    shortcut = "J"
    icon = "ph.git-merge"
    short = "Join"

    @dataclass
    class Options:
        """within: how far either may move, mm."""

        within: float = 0.01

    @property
    def other(self) -> Item | None:
        """The second of the selected patches, or the neighbour with the nearest edge."""
        item, document = self.item, self.session.history.document
        chosen = [i for i in self.session.selected_items if isinstance(i.shape, Surface) and i.id in document]
        if len(chosen) > 1:
            return document[chosen[1].id]
        seen = Seen(document, self.session.looks.alone)
        others = [i for i in seen.of(Surface) if item is not None and i.id != item.id]
        if item is None or not isinstance(item.shape, Surface) or not others:
            return None
        one = item.shape
        return min(others, key=lambda i: meeting_edges(one, i.shape)[2] if isinstance(i.shape, Surface) else np.inf)

    @property
    def can_apply(self) -> bool:
        return self.other is not None and super().can_apply

    def shape_work(self, scan: Scan | None) -> Callable[[Progress], NewShape]:
        surface, other, within = self.surface, self.other, self.options.within
        if surface is None or other is None or not isinstance(other.shape, Surface):
            raise InvalidShape("There is no second patch", "Select two patches that share an edge")
        second, tolerance = other.shape, self.session.document.tolerance

        def run(progress: Progress) -> NewShape:
            made, moved = joined(surface, second, within)
            facts = [Fact("Joined with", other.name), Fact("Moved at most", f"{moved:.3g} mm")]
            words = f"joined with {other.name}"
            return NewShape(made, facts + compared(surface, made, scan, tolerance), words, (other.id,))

        return run
