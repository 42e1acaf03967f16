"""True features of a body: holes with a wider mouth, bosses, slots; placed by a click, by numbers, drawn along."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from functools import partial
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.body.picked_faces import place_under
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import angle, labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, rotation_about
from arabesque.model import Item
from arabesque.recipes import FeatureBody
from arabesque.solid import Body, FeatureKind, rounded_value

READ = 0.03
"""mm up to which a read diameter is rounded to one that is drawn (common practice)."""


class Axis(Enum):
    """Along what a feature stands; the value is its words."""

    NORMAL = "square to it"
    X = "along x"
    Y = "along y"
    Z = "along z"
    SHAPE = "a true shape's"


class BodyFeature(MakingBody):
    """The first click takes the body and the place; a click on a true cylinder takes its axis and diameter."""

    needs = (Body,)
    makes = FeatureBody
    id = "body-feature"
    label = "Hole, boss or slot"
    hint = "Click the body where the feature begins, or a true cylinder whose axis and diameter it takes"
    shortcut = "B"
    icon = "ph.target"
    short = "Hole"
    at_work = "Making the feature"
    picks = "body"

    @dataclass
    class Options:
        """depth: mm, 0 goes through everything; of a boss its height. mouth: mm, diameter of a wider beginning of a
        hole, 0 for none, and its depth. length: mm between the centres of a slot; turn: its direction. root: mm of a
        boss in the body."""

        kind: FeatureKind = labelled(FeatureKind.HOLE, "Make a")
        diameter: float = labelled(8.0, "Diameter")
        depth: float = labelled(0.0, "Depth, 0 through")
        mouth: float = labelled(0.0, "Wider mouth")
        mouth_depth: float = labelled(3.0, "Its depth")
        length: float = labelled(20.0, "Length")
        turn: float = angle("Turned by")
        root: float = labelled(1.0, "Root in the body")
        axis: Axis = labelled(Axis.NORMAL, "Stands")
        x: float = labelled(0.0, "x")
        y: float = labelled(0.0, "y")
        z: float = labelled(0.0, "z")

        @property
        def idle(self) -> tuple[str, ...]:
            """What the kind has no use for."""
            return {
                FeatureKind.HOLE: ("length", "turn", "root", *(() if self.mouth > 0 else ("mouth_depth",))),
                FeatureKind.BOSS: ("mouth", "mouth_depth", "length", "turn"),
                FeatureKind.SLOT: ("mouth", "mouth_depth", "root"),
            }[self.kind]

    def clear(self) -> None:
        super().clear()
        self._normal: Floats | None = None
        self._shape: tuple[Floats, Floats] | None = None
        self.read: float | None = None
        self._held = False

    def take(self, item: Item) -> None:
        super().take(item)
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, FeatureBody)
        o.kind, o.diameter, o.depth, o.mouth, o.length = (
            recipe.kind, recipe.diameter, recipe.depth, recipe.mouth, recipe.length or o.length,
        )  # fmt: skip
        o.mouth_depth, o.root, o.axis = recipe.mouth_depth or o.mouth_depth, recipe.root, Axis.SHAPE
        o.x, o.y, o.z = map(float, recipe.at)
        o.turn = 0.0
        self._shape, self._normal = (recipe.out, recipe.along), recipe.out

    @property
    def says(self) -> str:
        if self.made is not None and not self.working:
            return "Enter keeps it; drag its disc over the body, or give numbers"
        return super().says

    @property
    def facts(self) -> list[Fact]:
        read = [] if self.read is None else [Fact("Diameter read", f"{self.read:.3f} mm")]
        return [*read, *(super().facts if self.made is not None else [])]

    @property
    def choices(self) -> list[Choice]:
        if self.read is None:
            return []
        drawn = rounded_value(self.read, READ)
        values = [(f"Diameter {drawn:g} mm, rounded", drawn), (f"Diameter {self.read:.3f} mm, as read", self.read)]
        size = self.options.diameter
        return [Choice(words, partial(self._set, value), abs(size - value) < 1e-9) for words, value in values]

    def _set(self, diameter: float) -> None:
        self.options.diameter = diameter
        self.form_changed.emit()
        self.try_it()

    @property
    def at(self) -> Floats:
        """(3,) where it begins."""
        return np.array([self.options.x, self.options.y, self.options.z])

    def press(self, pointer: Pointer) -> None:
        if self._normal is not None and pointer.near(self.at, 14.0):
            self._held = True
            return
        shape = patch_under(self.session, pointer, Elementary)
        found = place_under(self.session, pointer, Body)
        before = shape is not None and (found is None or shape[1] <= pointer.depth(found.place) + 1e-6)
        if before and shape is not None and shape[0].shape.kind is ElementaryKind.CYLINDER:
            self.take_cylinder(shape[0].shape)
        elif found is not None and found.item.id != self.target:
            self.picked = [found.item.id]
            self._put(found.place, found.normal)
        else:
            self.session.tell_problem(ArabesqueError("There is no body here", "Click on one, or on a true cylinder"))
            return
        self.form_changed.emit()
        self.try_it()

    def _put(self, place: Floats, normal: Floats) -> None:
        self._normal = normal
        self.options.x, self.options.y, self.options.z = (round(float(value), 4) for value in place)

    def take_cylinder(self, shape: Elementary) -> None:
        """Take its axis, its diameter rounded, and as the place that end of it which lies further out of the body."""
        if not self.picked:
            bodies = self.session.seen.of(Body)
            self.picked = [bodies[0].id] if len(bodies) == 1 else []
        self.read = 2 * shape.sizes[0]
        self.options.diameter, self.options.axis = rounded_value(self.read, READ), Axis.SHAPE
        ends = [shape.origin + at * shape.axis for at in shape.bounds[1]]
        middle = np.mean(ends, axis=0)
        body = self.session.document[self.picked[0]].shape.box if self.picked else (middle, middle)
        away = [float(np.linalg.norm(end - np.mean(body, axis=0))) for end in ends]
        outer = int(np.argmax(away))
        self._shape = ((ends[outer] - middle) / np.linalg.norm(ends[outer] - middle), shape.frame[:3, 0])
        self._put(ends[outer], self._shape[0])

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if not (self._held and dragging):
            return
        found = place_under(self.session, pointer, Body)
        if found is not None:
            self._put(found.place, found.normal)
            self.drop()
            self.form_changed.emit()
            self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._held:
            self._held = False
            self.try_it()

    @property
    def out(self) -> Floats:
        """(3,) out of the body, along its axis."""
        axis = self.options.axis
        if axis is Axis.SHAPE and self._shape is not None:
            return self._shape[0]
        assert self._normal is not None
        if axis in (Axis.NORMAL, Axis.SHAPE):
            return self._normal
        way = np.eye(3)["XYZ".index(axis.name)]
        return way if way @ self._normal >= 0 else -way

    def draft(self) -> FeatureBody | None:
        if not self.picked or self._normal is None:
            return None
        o, out = self.options, self.out
        along = np.eye(3)[int(np.abs(out).argmin())] if self._shape is None else self._shape[1]
        along = rotation_about(out, o.turn) @ (along - (along @ out) * out)
        hole, slot = o.kind is FeatureKind.HOLE, o.kind is FeatureKind.SLOT
        return FeatureBody(
            self.picked[0], o.kind, self.at, out, along, o.diameter, o.depth,
            o.mouth if hole else 0.0, o.mouth_depth if hole and o.mouth > 0 else 0.0, o.length if slot else 0.0, o.root,
        )  # fmt: skip

    def words(self, made: Any) -> str:
        return str(self.options.kind.value)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = super().parts(camera)
        if self._normal is not None:
            accent, size = theme.now().accent, self.options.diameter
            parts.append(Lines(polyline(np.array([self.at, self.at + size * self.out])), accent, 2.0, on_top=True))
            parts.append(Discs(self.at[None], np.ones(1), 6.0, accent))
        return parts
