"""Surfaces drawn out from a curve, to one or both sides."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.options import angle, labelled
from arabesque.desk.tools.trace.on_curves import MakesSurface
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import Curve, Surface
from arabesque.model import Item
from arabesque.recipes import DrawnOut


class Out(Enum):
    """The way a surface is drawn out: its words, and the axis."""

    NORMAL = ("off the scan", None)
    X = ("along x", 0)
    Y = ("along y", 1)
    Z = ("along z", 2)


class DrawOutCurve(MakesSurface):
    """One click takes the curve; the form says how far and which way."""

    needs = (Curve,)
    makes = DrawnOut
    most = 1
    name = "Drawn out"
    id = "draw-out"
    step = Step.TRACE
    label = "Draw a surface out"
    hint = "Click the curve that the surface is drawn out from"
    shortcut = "U"
    icon = "ph.arrow-fat-lines-up"
    short = "Draw out"

    @dataclass
    class Options:
        """ahead, back: mm to both sides. lean: degrees by which it leans to the left of the curve."""

        way: Out = labelled(Out.NORMAL, "Drawn")
        ahead: float = 10.0
        back: float = 0.0
        lean: float = angle("Leaning")

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, DrawnOut)
        self.picked = [recipe.of] if recipe.of in self.session.document else []
        o.ahead, o.back, o.lean = recipe.ahead, recipe.back, recipe.angle
        o.way = Out.NORMAL if recipe.direction is None else list(Out)[1 + int(np.abs(recipe.direction).argmax())]

    def start(self) -> None:
        super().start()
        chosen = self.session.chosen(Curve)
        if self.target is None and chosen is not None and not self.picked:
            self.picked = [chosen.id]
            self.try_it()

    @property
    def says(self) -> str:
        return "Enter keeps it; click another curve instead" if self.made is not None else self.hint

    @property
    def facts(self) -> list[Fact]:
        return [] if self.made is None else self.made[1]

    def draft(self) -> DrawnOut | None:
        keys, o = self.there, self.options
        if not keys:
            return None
        axis = o.way.value[1]
        return DrawnOut(keys[0], o.ahead, o.back, None if axis is None else np.eye(3)[axis], o.lean)

    def words(self, made: tuple[Surface, list[Fact]]) -> str:
        return f"surface drawn out {self.options.ahead + self.options.back:g} mm"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        made = [] if self.made is None else self.preview(self.made[0], camera)
        return made + self.picked_parts(self.there)
