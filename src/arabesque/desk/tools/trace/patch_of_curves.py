"""The patch that four clicked curves go round."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import DegreeChoice
from arabesque.desk.tools.patch.fit_facts import fit_facts
from arabesque.desk.tools.trace.on_curves import OnCurves
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.fitting import PatchFit
from arabesque.geometry import Curve, Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, PatchOfCurves, Recipe
from arabesque.scan import Scan


class LayOverCurves(OnCurves):
    """Four clicks on curves make a patch; it follows them."""

    needs = (Scan, Curve)
    makes = PatchOfCurves
    most = 4
    name = "Patch"
    id = "patch-of-curves"
    step = Step.TRACE
    label = "Patch over four curves"
    hint = "Click four curves that meet or cross, going round in any order"
    shortcut = "Y"
    icon = "ph.frame-corners"
    short = "Patch"

    @dataclass
    class Options:
        """degree: lightest or given; u, v: the given ones."""

        degree: DegreeChoice = DegreeChoice.LIGHTEST
        u: int = 3
        v: int = 3

        @property
        def idle(self) -> tuple[str, ...]:
            """Given degrees mean nothing while the lightest is looked for."""
            return () if self.degree is DegreeChoice.FIXED else ("u", "v")

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, PatchOfCurves)
        self.picked = [key for key in recipe.of if key in self.session.document]
        if recipe.degree is not None:
            self.options.degree = DegreeChoice.FIXED
            self.options.u, self.options.v = recipe.degree

    @property
    def says(self) -> str:
        if self.working:
            return "Fitting: Esc drops it"
        if self.made is not None:
            return "Enter keeps it; Backspace takes the last curve back"
        return f"Click curve {len(self.picked) + 1} of four" if self.picked else self.hint

    @property
    def facts(self) -> list[Fact]:
        return [Fact("Curves", f"{len(self.picked)} of 4")] if self.made is None else fit_facts(self.made)

    def draft(self) -> PatchOfCurves | None:
        keys = self.there
        if len(keys) < 4:
            return None
        degree = (self.options.u, self.options.v) if self.options.degree is DegreeChoice.FIXED else None
        return PatchOfCurves(tuple(keys), degree)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> PatchFit:
        assert isinstance(recipe, PatchOfCurves)
        return recipe.fit(source, progress)

    def shape_of(self, made: PatchFit) -> Surface:
        return made.surface

    def words(self, made: PatchFit) -> str:
        return f"patch of {made.surface.count} points over four curves"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self.made is not None:
            p = self.made.surface.points
            parts += self.preview(self.made.surface, camera)
            parts.append(Discs(np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]), np.ones(4), 4.0))
        return parts + self.picked_parts(self.there)
