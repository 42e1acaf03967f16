"""True forms: curves and sketches turned about an axis, or pushed along a direction."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_guides import end_under, guide_under
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.trace.on_curves import toggled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Elementary, Patchwork, Sketch, Surface
from arabesque.model import Item
from arabesque.recipes import Pushed, Recipe, Turned
from arabesque.shapes import Guiding


class Made(Enum):
    """What is done with the profile; the value is its words."""

    TURNED = "turned about"
    PUSHED = "pushed along"


class Axis(Enum):
    """The axis or direction: its words, and which it is."""

    X = ("x", 0)
    Y = ("y", 1)
    Z = ("z", 2)
    OWN = ("the sketch's", None)
    PICKED = ("a clicked shape's", None)


class TrueForm(Making):
    """Clicks take curves and sketches as the profile; planes, cylinders, cones, spheres and tori come out where they
    are such."""

    needs = ((Curve, Sketch),)
    makes = Turned
    also_makes = (Pushed,)
    name = "Form"
    id = "true-form"
    step = Step.TRACE
    label = "Turn or push a profile"
    hint = "Click the curves or the sketch that make the profile"
    shortcut = "Q"
    icon = "ph.cube"
    short = "Turn"

    @dataclass
    class Options:
        """about: the axis. angle: degrees of a turn. low, high: mm of a push, from the profile."""

        how: Made = labelled(Made.TURNED, "Profile is")
        about: Axis = labelled(Axis.Z, "Axis")
        turn: float = labelled(360.0, "Degrees")
        low: float = labelled(0.0, "From")
        high: float = labelled(10.0, "To")

        @property
        def idle(self) -> tuple[str, ...]:
            """A turn has an angle, a push two ends."""
            return ("low", "high") if self.how is Made.TURNED else ("turn",)

    def clear(self) -> None:
        self.picked: list[str] = []
        self.axis: tuple[Floats, Floats] | None = None
        self._hover: Floats | None = None

    @property
    def begun(self) -> bool:
        return bool(self.picked)

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, Turned | Pushed)
        self.picked = [key for key in recipe.of if key in self.session.document]
        o.about = Axis.PICKED
        if isinstance(recipe, Turned):
            o.how, o.turn, self.axis = Made.TURNED, recipe.angle, (recipe.origin, recipe.axis)
        else:
            o.how, o.low, o.high, self.axis = Made.PUSHED, recipe.low, recipe.high, (np.zeros(3), recipe.direction)

    def start(self) -> None:
        super().start()
        if self.target is None and not self.picked:
            chosen = [item.id for item in self.session.selected_items if isinstance(item.shape, Curve | Sketch)]
            if chosen:
                self.picked = chosen
                if isinstance(self.session.document[chosen[0]].shape, Sketch):
                    self.options.about = Axis.OWN
                self.try_it()

    @property
    def says(self) -> str:
        if self.made is not None:
            if self.options.how is Made.PUSHED:
                return "Enter keeps it; Alt-click a place that it is to reach, with Shift where it begins"
            return "Enter keeps it; click adds to the profile or takes away; a click on a true shape takes its axis"
        return self.hint

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Profile", str(len(self.picked)))]
        parts = self.made.surfaces if isinstance(self.made, Patchwork) else (self.made,)
        return [_described(part) for part in parts]

    def press(self, pointer: Pointer) -> None:
        if pointer.alt and self.options.how is Made.PUSHED and self._reach_to(pointer):
            return
        found = guide_under(self.session, pointer, self.target)
        if found is not None and isinstance(found.item.shape, Curve | Sketch):
            self.picked = toggled(self.picked, found.item.id)
        else:
            shape = patch_under(self.session, pointer, Elementary)
            if shape is None:
                self.session.tell_problem(
                    ArabesqueError("There is no curve and no true shape here", "Click a curve, or a true shape's axis")
                )
                return
            elementary = shape[0].shape
            self.axis, self.options.about = (elementary.origin, elementary.axis), Axis.PICKED
            self.form_changed.emit()
        self.try_it()

    def _reach_to(self, pointer: Pointer) -> bool:
        """A push up to the place that was clicked: on the scan, or the end of a line; with Shift from there."""
        place = end_under(self.session, pointer, self.target)
        place = pointer.on_scan(self.session.scan) if place is None else place
        keys = [key for key in self.picked if key in self.session.document]
        axis = self._axis(keys) if keys else None
        if place is None or axis is None:
            return False
        way = axis[1] / np.linalg.norm(axis[1])
        low, high = self.session.document[keys[0]].shape.box
        reach = round(float((place - (low + high) / 2) @ way), 6)
        if pointer.shift:
            self.options.low = reach
        else:
            self.options.high = reach
        self.form_changed.emit()
        self.try_it()
        return True

    def move(self, pointer: Pointer, dragging: bool) -> None:
        found = guide_under(self.session, pointer, self.target)
        good = found is not None and isinstance(found.item.shape, Curve | Sketch)
        self._hover = found.guide.points if good and found is not None else None
        self.changed.emit()

    def _axis(self, keys: list[str]) -> tuple[Floats, Floats] | None:
        """Place and direction of the axis."""
        about = self.options.about
        if about is Axis.PICKED:
            return self.axis
        if about is not Axis.OWN:
            return np.zeros(3), np.eye(3)[about.value[1]]
        sketch = next((s for key in keys if isinstance(s := self.session.document[key].shape, Sketch)), None)
        if sketch is None:
            return None
        if self.options.how is Made.PUSHED:
            return sketch.frame[:3, 3], sketch.frame[:3, 2]
        aid = next((k for k, one in enumerate(sketch.elements) if one.aid), None)
        if aid is not None:
            a, b = sketch.curve(aid).points[[0, -1]]
            return a, b - a
        # without a line to turn about, its y axis
        return sketch.frame[:3, 3], sketch.frame[:3, 1]

    def draft(self) -> Recipe | None:
        keys, o = [key for key in self.picked if key in self.session.document], self.options
        axis = self._axis(keys) if keys else None
        if axis is None:
            return None
        if o.how is Made.TURNED:
            return Turned(tuple(keys), axis[0], axis[1], o.turn)
        return Pushed(tuple(keys), axis[1], o.low, o.high)

    def words(self, made: Surface | Patchwork) -> str:
        return "profile turned" if self.options.how is Made.TURNED else "profile pushed"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        accent, document = theme.now().accent, self.session.document
        if self.made is not None:
            parts += self.preview(self.made, camera)
        keys = [key for key in self.picked if key in document]
        for key in keys:
            shape: Guiding = document[key].shape
            parts += [Lines(polyline(guide.points), accent, 3.0, on_top=True) for guide in shape.guides()]
        axis = self._axis(keys) if keys else None
        if axis is not None and self.options.how is Made.TURNED:
            origin, way = axis[0], axis[1] / np.linalg.norm(axis[1])
            low, high = document[keys[0]].shape.box
            reach = float(np.linalg.norm(high - low))
            middle = origin + ((low + high) / 2 - origin) @ way * way
            parts.append(Lines(np.array([[middle - reach * way, middle + reach * way]]), accent, 1.2, 0.7, on_top=True))
        if self._hover is not None:
            parts.append(Lines(polyline(self._hover), accent, 2.0, alpha=0.6, on_top=True))
        return parts


def _described(shape: Surface) -> Fact:
    if isinstance(shape, Elementary):
        sizes = {1: "R {:.4f} mm", 2: "R {:.4f} mm, {:.4f}"}.get(len(shape.sizes), "")
        if shape.kind.value == "cone":
            return Fact("Cone", f"R {shape.sizes[0]:.4f} mm, {np.degrees(shape.sizes[1]):.3f}°")
        return Fact(shape.kind.value.capitalize(), sizes.format(*shape.sizes))
    return Fact("Exact surface", f"{shape.count} points")
