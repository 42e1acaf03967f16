"""Surfaces that sections sweep along rails."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.options import whole
from arabesque.desk.tools.trace.on_curves import MakesSurface
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import Curve, Surface
from arabesque.model import Item
from arabesque.recipes import SweepAlong


class SweepCurves(MakesSurface):
    """The sections are clicked first, then the rails."""

    needs = (Curve,)
    makes = SweepAlong
    name = "Sweep"
    id = "sweep"
    step = Step.TRACE
    label = "Sweep sections along rails"
    hint = "Click the section, then the rail that it runs along"
    shortcut = "G"
    icon = "ph.flow-arrow"
    short = "Sweep"

    @dataclass
    class Options:
        """sections, rails: how many of each, one or two."""

        sections: int = whole(1, 1, 2, "Sections")
        rails: int = whole(1, 1, 2, "Rails")

    @property
    def most(self) -> int:
        """Of all clicks."""
        return self.options.sections + self.options.rails

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, SweepAlong)
        self.options.sections, self.options.rails = len(recipe.sections), len(recipe.rails)
        self.picked = [key for key in (*recipe.sections, *recipe.rails) if key in self.session.document]

    @property
    def says(self) -> str:
        if self.working:
            return "Sweeping"
        if self.made is not None:
            return "Enter keeps it; Backspace takes the last curve back"
        count, sections = len(self.picked), self.options.sections
        if count < sections:
            return "Click the section" if sections == 1 else f"Click section {count + 1} of 2"
        return "Click the rail" if self.options.rails == 1 else f"Click rail {count - sections + 1} of 2"

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Curves", f"{len(self.picked)} of {self.most}")]
        facts: list[Fact] = self.made[1]
        return facts

    def draft(self) -> SweepAlong | None:
        keys = self.there
        if len(keys) < self.most:
            return None
        cut = self.options.sections
        return SweepAlong(tuple(keys[:cut]), tuple(keys[cut : self.most]))

    def words(self, made: tuple[Surface, list[Fact]]) -> str:
        return f"sweep of {made[0].count} points"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        made = [] if self.made is None else self.preview(self.made[0], camera)
        return made + self.picked_parts(self.there, numbered=True)
