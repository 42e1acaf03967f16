"""A feature of a body taken away, its gap healed, or made again elsewhere: by numbers, or drawn along."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Any

import numpy as np

from arabesque.desk import theme
from arabesque.desk.tools.body.picked_faces import FromFaces
from arabesque.desk.tools.options import angle, labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import motion, rotation_about, unit
from arabesque.model import Item
from arabesque.recipes import FeatureMoved


class Away(Enum):
    """What becomes of the feature; the value is its words."""

    MOVED = "moved"
    GONE = "taken away"


class MoveFeature(FromFaces):
    """Clicks take the faces of the feature; a drag of the disc in their middle draws it along."""

    makes = FeatureMoved
    id = "move-feature"
    label = "Move a feature"
    hint = "Click the faces of the feature: of a hole its wall, and its bottom if it has one"
    shortcut = "M"
    icon = "ph.arrows-out-cardinal"
    short = "Feature"
    at_work = "Healing the gap"

    @dataclass
    class Options:
        """how: what becomes of it. x, y, z: mm that it moves. turn: degrees about z, round its middle."""

        how: Away = labelled(Away.MOVED, "The feature is")
        x: float = labelled(0.0, "Along x")
        y: float = labelled(0.0, "Along y")
        z: float = labelled(0.0, "Along z")
        turn: float = angle("Turned about z")

        @property
        def idle(self) -> tuple[str, ...]:
            """What is gone goes nowhere."""
            return ("x", "y", "z", "turn") if self.how is Away.GONE else ()

    def clear(self) -> None:
        super().clear()
        self._held: np.ndarray | None = None

    def take(self, item: Item) -> None:
        super().take(item)
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, FeatureMoved)
        o.how = Away.GONE if recipe.motion is None else Away.MOVED
        if recipe.motion is not None:
            o.turn = float(np.degrees(np.arctan2(recipe.motion[1, 0], recipe.motion[0, 0])))
            middle = np.array(self.places).mean(axis=0)
            o.x, o.y, o.z = map(float, recipe.motion[:3, :3] @ middle + recipe.motion[:3, 3] - middle)

    @property
    def says(self) -> str:
        if self.places and not self.working and self.options.how is Away.MOVED:
            return "Drag the disc, or give numbers; Enter keeps it"
        return super().says

    @property
    def middle(self) -> np.ndarray:
        """(3,) where the feature is drawn along."""
        o = self.options
        return np.array(self.places).mean(axis=0) + np.array([o.x, o.y, o.z])

    def press(self, pointer: Pointer) -> None:
        if self.places and self.options.how is Away.MOVED and pointer.near(self.middle, 14.0):
            self._held = self.middle
            return
        super().press(pointer)

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if self._held is None or not dragging:
            return
        # in the plane of the view through where it was
        origin, way = pointer.camera.ray(pointer.x, pointer.y)
        normal = unit(pointer.camera.axes[2])
        place = origin + ((self._held - origin) @ normal) / (way @ normal) * way
        o = self.options
        o.x, o.y, o.z = (round(float(value), 3) for value in place - np.array(self.places).mean(axis=0))
        self.drop()
        self.form_changed.emit()
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._held is not None:
            self._held = None
            self.try_it()

    def draft(self) -> FeatureMoved | None:
        if not self.places:
            return None
        near, o = np.array(self.places), self.options
        if o.how is Away.GONE:
            return FeatureMoved(self.picked[0], near)
        if not any((o.x, o.y, o.z, o.turn)):
            return None
        middle, turn = near.mean(axis=0), rotation_about([0, 0, 1], o.turn)
        return FeatureMoved(self.picked[0], near, motion(turn, middle - turn @ middle + [o.x, o.y, o.z]))

    def words(self, made: Any) -> str:
        return "a feature taken away" if self.options.how is Away.GONE else "a feature moved"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = super().parts(camera)
        if self.places and self.options.how is Away.MOVED:
            parts.append(Discs(self.middle[None], np.ones(1), 7.0, theme.now().accent))
        return parts
