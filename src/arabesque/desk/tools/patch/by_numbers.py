"""Chosen control points shifted, turned and scaled by given numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.looks import Along
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.moves import neighbours_follow
from arabesque.desk.tools.options import angle, labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, net_segments
from arabesque.geometry import rotation_about
from arabesque.model import Document, Item
from arabesque.shapes import Netted, can


class ByNumbers(Tool):
    """Shows what the numbers would do; Enter takes it."""

    needs = (Netted,)
    id = "by-numbers"
    step = Step.PATCH
    label = "Move by numbers"
    hint = "Shift, turn and scale the chosen control points, or the whole patch, by numbers"
    shortcut = "Shift+M"
    icon = "ph.list-numbers"
    short = "Numbers"

    @dataclass
    class Options:
        """x, y, z: shift in mm. turn: about an axis through the middle of the choice. scale: about that middle."""

        x: float = labelled(0.0, "Shift x")
        y: float = labelled(0.0, "Shift y")
        z: float = labelled(0.0, "Shift z")
        turn: float = angle("Turn")
        about: Along = Along.Z
        scale: int = whole(100, 1, 10_000, "Scale %")
        hold_neighbours: bool = False

    def stop(self) -> None:
        self.session.drop_shown()

    @property
    def items(self) -> list[Item]:
        """The selected patches, as committed."""
        document = self.session.history.document
        chosen = [item.id for item in self.session.selected_items if can(item.shape, Netted)]
        return [document[key] for key in chosen if key in document]

    def _masks(self) -> dict[str, Bools]:
        """Which points move: the chosen ones, or all where none are."""
        masks = {item.id: self.session.points.mask(item) for item in self.items}
        if not any(mask.any() for mask in masks.values()):
            masks = {key: np.ones_like(mask) for key, mask in masks.items()}
        return masks

    @property
    def says(self) -> str:
        if not self.items:
            return "Select a patch or a curve first"
        return "Enter takes it, Esc drops it" if self.can_apply else "Type how far; units and arithmetic are welcome"

    @property
    def can_apply(self) -> bool:
        o = self.options
        return bool(self.items) and ((o.x, o.y, o.z, o.turn) != (0, 0, 0, 0) or o.scale != 100)

    @property
    def facts(self) -> list[Fact]:
        masks = self._masks()
        return [Fact("Points that move", str(int(sum(mask.sum() for mask in masks.values()))))] if masks else []

    def options_changed(self) -> None:
        if self.can_apply:
            self.session.show(self._made())
        else:
            self.session.drop_shown()
        self.changed.emit()

    def _made(self) -> Document:
        document, masks, o = self.session.history.document, self._masks(), self.options
        moving = [item.shape.net().points[masks[item.id]] for item in self.items]
        middle = np.concatenate(moving).mean(axis=0)
        matrix = rotation_about(o.about.value[1], o.turn) * (o.scale / 100)
        shift = np.array([o.x, o.y, o.z])
        after = document
        for item in self.items:
            before = item.shape.net().points
            moved = (before - middle) @ matrix.T + middle + shift
            points = np.where(masks[item.id][:, None], moved, before)
            after = after.with_shape(item.id, item.shape.with_points(points))
        if not o.hold_neighbours:
            after = neighbours_follow(document, after, list(masks))
        return self.session.moving(after)

    def apply(self) -> None:
        if not self.can_apply:
            return
        count, o = self.facts[0].value, self.options
        name = self.items[0].name if len(self.items) == 1 else f"{len(self.items)} patches"
        self.session.commit(f"{name}: {count} points moved by numbers", self._made())
        o.x = o.y = o.z = o.turn = 0.0
        o.scale = 100
        self.form_changed.emit()
        self.changed.emit()

    def escape(self) -> None:
        if self.can_apply:
            o = self.options
            o.x = o.y = o.z = o.turn = 0.0
            o.scale = 100
            self.session.drop_shown()
            self.form_changed.emit()
            self.changed.emit()
        else:
            self.left.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        masks = self._masks()
        for item in self.items:
            net = self.session.document[item.id].shape.net()
            parts.append(Lines(net_segments(net), theme.now().net, 1.0, 0.75, on_top=True))
            parts.append(Discs(net.points, masks[item.id].astype(float)))
        return parts
