"""A curve, sketch or relief mesh wrapped on a surface: placed, sized, turned and bulged by handles."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.body.picked_faces import place_under
from arabesque.desk.tools.on_guides import guide_under
from arabesque.desk.tools.options import angle, labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Sketch, frame_of, rotation_about, unit
from arabesque.model import Item
from arabesque.recipes import WrappedOn
from arabesque.scan import Scan
from arabesque.shapes import Sampled

DRAWN = 10.0
"""Times as high as it is raised the handle that raises it is drawn."""
ARM = 20.0
"""mm: the handles stand so far from the place where nothing says otherwise."""


class WrapOn(MakingBody):
    """What is selected is wrapped, or what is clicked first; a click on a surface places it. Handles: the disc in its
    middle moves it, that beside it turns and sizes it, that above it raises it."""

    needs = ((Curve, Sketch, Scan),)
    makes = WrappedOn
    name = "Wrap"
    id = "wrap"
    label = "Wrap on a surface"
    hint = "Click a curve or sketch, or choose a relief mesh in the Outline; then the place on a surface"
    shortcut = "I"
    icon = "ph.sticker"
    short = "Wrap"
    at_work = "Smoothing it down"
    picks = "curve or surface"

    @dataclass
    class Options:
        """size: factor. height: mm that what curves enclose is raised, 0 for the curve alone; of a relief a factor of
        its heights. sunk: mm of a raised body in the surface."""

        size: float = labelled(1.0, "Size")
        turn: float = angle("Turned by")
        height: float = labelled(1.0, "Raised by")
        sunk: float = labelled(0.5, "Sunk by")

    def clear(self) -> None:
        super().clear()
        self.on = ""
        self.place: Floats | None = None
        self.normal: Floats = np.eye(3)[2]
        self._held = ""

    def start(self) -> None:
        super().start()
        chosen = self.session.selection
        if self.target is None and chosen is not None and isinstance(chosen.shape, Curve | Sketch | Scan):
            self.picked = [chosen.id]
            self.changed.emit()

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, WrappedOn)
        self.picked, self.on, self.place = [recipe.what], recipe.on, recipe.place
        o.size, o.height, o.sunk = recipe.size, recipe.height, recipe.sunk
        shape = self.session.document[recipe.on].shape
        samples = shape.sampler(24).read(shape)
        self.normal = samples.normals[int(np.linalg.norm(samples.points - recipe.place, axis=1).argmin())]
        base = frame_of(self.place, self.normal, self._up())
        flat = base[:3, :3].T @ recipe.up
        o.turn = float(np.degrees(np.arctan2(flat[1], flat[0])))

    @property
    def says(self) -> str:
        if not self.picked:
            return self.hint
        if self.place is None:
            return "Click the place on a surface"
        return "Drag its discs to move, turn and raise it; Enter keeps it" if self.made is not None else super().says

    @property
    def facts(self) -> list[Fact]:
        document = self.session.document
        names = [document[key].name if key in document else "none" for key in (*self.picked[:1], self.on)]
        told = [Fact(label, name) for label, name in zip(("Wrapped", "On"), names, strict=False)]
        return [*told, *(super().facts if self.made is not None else [])]

    def _up(self) -> Floats:
        """(3,) towards which it looks before it is turned: up, or along y on level ground."""
        return np.array([0.0, 0, 1]) if abs(self.normal[2]) < 0.9 else np.array([0.0, 1, 0])

    @property
    def up(self) -> Floats:
        """(3,) towards which its y looks."""
        up = self._up() - (self._up() @ self.normal) * self.normal
        return np.asarray(rotation_about(self.normal, self.options.turn) @ up)

    def _arm(self) -> float:
        """mm from its middle to the handle that turns it."""
        item = self.session.history.document.items.get(self.picked[0] if self.picked else "")
        box = None if item is None else item.shape.box
        size = ARM if box is None else float(np.linalg.norm((box[1] - box[0])[:2])) / 2
        return (size or ARM) * self.options.size

    def _handles(self) -> dict[str, Floats]:
        if self.place is None:
            return {}
        return {
            "moves": self.place,
            "turns": self.place + self._arm() * unit(self.up[None])[0],
            "raises": self.place + max(self.options.height, 0.0) * DRAWN * self.normal,
        }

    def press(self, pointer: Pointer) -> None:
        near = [(name, place) for name, place in self._handles().items() if pointer.near(place, 12.0)]
        if near:
            self._held = near[-1][0] if self.options.height > 0 or near[-1][0] != "raises" else near[0][0]
            return
        guide = guide_under(self.session, pointer, self.target)
        if guide is not None and isinstance(guide.item.shape, Curve | Sketch) and not self.picked:
            self.picked = [guide.item.id]
            self.changed.emit()
            return
        self._put(pointer)
        self.try_it()

    def _put(self, pointer: Pointer) -> None:
        found = place_under(self.session, pointer, Sampled)
        if found is None or found.item.id == self.target:
            self.session.tell_problem(ArabesqueError("There is no surface here", "Click on one"))
            return
        self.on, self.place, self.normal = found.item.id, found.place, found.normal

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if not (self._held and dragging) or self.place is None:
            return
        if self._held == "moves":
            self._put(pointer)
        elif self._held == "raises":
            self.options.height = round(max(pointer.along(self.place, self.normal) / DRAWN, 0.0), 2)
        else:
            self._turn_to(pointer)
        self.drop()
        self.form_changed.emit()
        self.changed.emit()

    def _turn_to(self, pointer: Pointer) -> None:
        """Turned and sized so that its handle lies under the pointer, in the plane of the place."""
        assert self.place is not None
        origin, way = pointer.camera.ray(pointer.x, pointer.y)
        slope = float(way @ self.normal)
        if abs(slope) < 1e-6:
            return
        away = origin + ((self.place - origin) @ self.normal) / slope * way - self.place
        base = frame_of(self.place, self.normal, self._up())
        flat = base[:3, :3].T @ away
        arm = self._arm() / self.options.size
        self.options.turn = round(float(np.degrees(np.arctan2(flat[1], flat[0]))), 1)
        self.options.size = round(max(float(np.hypot(*flat[:2])) / arm, 0.01), 3)

    def release(self, pointer: Pointer) -> None:
        if self._held:
            self._held = ""
            self.try_it()

    def draft(self) -> WrappedOn | None:
        document = self.session.document
        if not self.picked or self.place is None or self.on not in document or self.picked[0] not in document:
            return None
        o = self.options
        return WrappedOn(self.picked[0], self.on, self.place, self.up, o.size, o.height, o.sunk)

    def words(self, made: Any) -> str:
        return "wrapped"

    @property
    def covers(self) -> frozenset[str]:
        return frozenset() if self.target is None or self.made is None else frozenset({self.target})

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts, made, accent = super().parts(camera), self.made, theme.now().accent
        if isinstance(made, Scan):
            parts.append(Triangles("wrap", made.points, made.smoothed_normals, made.triangles, theme.now().clay))
        elif isinstance(made, Curve):
            parts.append(Lines(polyline(made.at(np.linspace(*made.domain, 400))), accent, 2.4, on_top=True))
        handles = self._handles()
        if handles and self.place is not None:
            for name in ("turns", "raises"):
                parts.append(Lines(polyline(np.array([self.place, handles[name]])), accent, 1.4, on_top=True))
            parts.append(Discs(np.array(list(handles.values())), np.array([1.0, 3.0, 3.0]), 6.0, accent))
        return parts
