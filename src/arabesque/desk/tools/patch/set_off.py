"""A patch or true shape set off by a length: where it folds is drawn before it is kept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.patch.from_one import FromOneSurface
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import Surface
from arabesque.joining import SetOff
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, Recipe, SetOffSurface

MOST_DRAWN = 300
"""Places that fold and are drawn."""


class SetOffPatch(FromOneSurface):
    """One click takes the surface, the form says how far."""

    needs = (Surface,)
    makes = SetOffSurface
    name = "Set off"
    id = "set-off-surface"
    step = Step.PATCH
    label = "Set a surface off"
    hint = "Click the surface that another one is set off from"
    shortcut = ""
    icon = "ph.stack-simple"
    short = "Set off"
    at_work = "Setting it off"

    @dataclass
    class Options:
        """length: mm along the normals, below 0 to the other side. near: how near it comes to the true offset."""

        length: float = labelled(2.5, "By")
        near: float = labelled(0.001, "As near as")

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        assert isinstance(recipe, SetOffSurface)
        self.options.length, self.options.near = recipe.length, recipe.near

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return []
        made: SetOff = self.made
        folded = len(made.folded) > 0
        longest = "any length" if np.isinf(made.longest) else f"{made.longest:.3g} mm"
        near = made.off <= self.options.near
        return [
            Fact("Control points", str(made.surface.count)),
            Fact("Off the true offset", f"{1000 * made.off:.2g} µm", "good" if near else "bad"),
            Fact("Folds from", longest, "bad" if folded else "good"),
        ]

    def draft(self) -> SetOffSurface | None:
        o = self.options
        return SetOffSurface(self.picked, o.length, o.near) if self.picked else None

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> SetOff:
        assert isinstance(recipe, SetOffSurface)
        return recipe.made(source)

    def shape_of(self, made: SetOff) -> Surface:
        return made.surface

    def words(self, made: SetOff) -> str:
        return f"set off by {self.options.length:g} mm"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self.made is None:
            return []
        parts = self.preview(self.made.surface, camera)
        folded = self.made.folded[:: max(1, len(self.made.folded) // MOST_DRAWN)]
        if len(folded):
            parts.append(Discs(folded, np.full(len(folded), 2.0), 3.0, theme.now().above_far))
        return parts
