"""The twin plane, and how the selected patch follows its mirror image."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from functools import partial

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.checks.joins import joins, limits_of
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.looks import Along
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane, Seam, Surface, TwinKind
from arabesque.model import Change, Item
from arabesque.model.edits import twins


class PlaneOf(Enum):
    """Whose plane is set; the value is its words."""

    ALL = "everything"
    LAYER = "this layer only"


class Twins(Tool):
    """Sets the twin plane; ties patches to it. Every choice takes effect at once and can be undone."""

    id = "twins"
    step = Step.PATCH
    label = "Twins"
    hint = "Let a patch follow its mirror image at the twin plane, exactly"
    shortcut = "S"
    icon = "ph.square-half"
    applies = False

    @dataclass
    class Options:
        """across: the plane's direction. at: where it lies along that, mm. seam: of a patch that ends on the plane."""

        across: Along = labelled(Along.Y, "Plane across")
        at: float = 0.0
        plane_of: PlaneOf = labelled(PlaneOf.ALL, "Holds for")
        seam: Seam = Seam.SMOOTH

    def start(self) -> None:
        plane = self.plane
        axis = int(np.abs(plane.normal).argmax())
        self.options.across = list(Along)[axis]
        self.options.at = float(plane.offset * np.sign(plane.normal[axis]))

    @property
    def item(self) -> Item | None:
        """The selected patch or curve."""
        item = self.session.selection
        return item if item is not None and isinstance(item.shape, Surface | Curve) else None

    @property
    def plane(self) -> Plane:
        """The plane that holds for the selection, or for all."""
        item = self.item
        return self.session.document.plane if item is None else self.session.document.plane_of(item)

    @property
    def says(self) -> str:
        if self.item is None:
            return "Click a patch in the Outline; the plane is set here"
        return "Choose how it follows its mirror image"

    def options_changed(self) -> None:
        document, item, o = self.session.history.document, self.item, self.options
        layer = None
        if o.plane_of is PlaneOf.LAYER:
            if item is None or item.layer is None:
                self.session.tell_problem(
                    ArabesqueError(
                        "The selection lies on no layer", "Put it on a layer first, or let the plane hold for all"
                    )
                )
                return
            layer = item.layer
        plane = Plane(np.array(o.across.value[1]), o.at)
        old = self.plane if layer is not None else document.plane
        if (plane.normal != old.normal).any() or plane.offset != old.offset:
            words = f"twin plane at {self._place(plane)}"
            self.session.edit(lambda document: Change(words, document.with_plane(plane, layer)))
        twin = None if item is None else item.ties.twin
        if twin is not None and twin.kind is TwinKind.ENDS and twin.seam != o.seam:
            self._do(twins.seated, o.seam)
        self.changed.emit()

    @staticmethod
    def _place(plane: Plane) -> str:
        axis = np.flatnonzero(plane.normal)
        if len(axis) == 1:
            return f"{'xyz'[axis[0]]} = {plane.offset * plane.normal[axis[0]]:g} mm"
        return "askew, through " + " ".join(f"{value:.2f}" for value in plane.origin)

    @property
    def facts(self) -> list[Fact]:
        facts = [Fact("Plane", self._place(self.plane))]
        item = self.item
        if item is None:
            return facts
        if len(self.session.selected_items) > 1:
            return [*facts, Fact("Selected", str(len(self.session.selected_items)))]
        twin = item.ties.twin
        facts.append(Fact("Patch", "stands alone" if twin is None else twin.kind.value))
        if twin is None or not isinstance(item.shape, Surface):
            return facts
        exact = twin.holds(item.shape, self.plane)
        facts.append(Fact("Symmetric", "to the last bit" if exact else "not exactly", "good" if exact else "bad"))
        if twin.kind is TwinKind.ENDS:
            seams = joins(self.session, self.session.document.with_images([item]))
            if seams:
                facts.append(Fact("Seam", seams[0].word(limits_of(self.session))))
                facts.append(Fact("Worst angle", f"{max(s.angle.max() for s in seams):.2g}°"))
        return facts

    @property
    def choices(self) -> list[Choice]:
        item = self.item
        if item is None:
            return []
        some = self.session.selected_items
        if len(some) > 1:
            return [Choice(f"Mirror all {len(some)} live", self._mirror_all)]
        halves = [
            Choice(f"Make symmetric from the {word} half", partial(self._do, twins.made_symmetric, end))
            for word, end in self._halves()
        ]
        images = self.session.document.images_of(item)
        if not isinstance(item.shape, Surface):
            return [Choice("Mirror it live", partial(self._do, twins.mirrored_live), bool(images)), *halves]
        twin = item.ties.twin
        kind = None if twin is None else twin.kind
        made = [
            Choice("Tie across the plane", partial(self._do, twins.tied_across), kind is TwinKind.SPANS),
            Choice(
                "Seat the nearest edge on the plane",
                partial(self._do, twins.seated, self.options.seam),
                kind is TwinKind.ENDS,
            ),
            Choice("Mirror it live", partial(self._do, twins.mirrored_live), kind is TwinKind.BESIDE and bool(images)),
        ]
        if twin is not None:
            made.append(Choice("Let the twin go", partial(self._do, twins.let_go)))
        if images:
            made.append(Choice("Make the image a patch", partial(self._do, twins.image_freed)))
        if kind is TwinKind.ENDS and images:
            made.append(Choice("Join with its image", partial(self._do, twins.joined)))
        return made + halves

    def _mirror_all(self) -> None:
        document = self.session.history.document
        items = [document[item.id] for item in self.session.selected_items if item.id in document]
        self.session.edit(twins.all_mirrored, items)
        self.changed.emit()

    def _halves(self) -> list[tuple[str, bool]]:
        axis = np.flatnonzero(self.plane.normal)
        if len(axis) != 1:
            return [("near", False), ("far", True)]
        up = self.plane.normal[axis[0]] > 0
        name = "xyz"[axis[0]]
        return [(f"−{name}", not up), (f"+{name}", up)]

    def _do(self, edit: Callable[..., Change], *arguments: object) -> None:
        item = self.item
        document = self.session.history.document
        if item is not None and item.id in document:
            self.session.edit(edit, document[item.id], *arguments)
        self.changed.emit()

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        rim = plane_rim(self.plane, *self.session.seen.ends)
        if rim is None:
            return []
        lines = Lines(polyline(rim, closed=True), theme.now().accent, 1.4, 0.9)
        return [lines, Label((rim[2] + rim[3]) / 2, f"twin plane {self._place(self.plane)}")]


def plane_rim(plane: Plane, low: Floats, high: Floats, margin: float = 0.08) -> Floats | None:
    """(4, 3) corners of the part of a plane about a box, or None where the box is empty."""
    size = float(np.linalg.norm(high - low))
    if not size > 0:
        return None
    first = np.eye(3)[np.abs(plane.normal).argmin()]
    first = first - (first @ plane.normal) * plane.normal
    first /= np.linalg.norm(first)
    second = np.cross(plane.normal, first)
    middle = (low + high) / 2
    middle = middle - float(plane.height(middle[None])[0]) * plane.normal
    corners = np.array(np.meshgrid(*zip(low, high, strict=True))).reshape(3, -1).T - middle
    half = [float(np.abs(corners @ way).max()) + margin * size for way in (first, second)]
    ways = [(-1, -1), (1, -1), (1, 1), (-1, 1)]
    return np.array([middle + a * half[0] * first + b * half[1] * second for a, b in ways])
