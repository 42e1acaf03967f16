"""The patch that two, three or four clicked curves go round."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import AT_WORK, DegreeChoice
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.patch.fit_facts import fit_facts
from arabesque.desk.tools.trace.on_curves import WithGuides
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.fitting import PatchFit
from arabesque.geometry import Curve, Patchwork, Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, NetworkOfCurves, PatchOfCurves, Recipe
from arabesque.scan import Scan
from arabesque.tracing import Meeting, NetworkFit


class Beside(Enum):
    """How the patch meets what its sides lie on: its words, and the meeting."""

    FREE = ("as they come", Meeting.TOUCHING)
    TANGENT = ("tangent (G1)", Meeting.TANGENT)
    CURVATURE = ("one curvature (G2)", Meeting.CURVATURE)


class LayOverCurves(WithGuides):
    """Clicks on curves make a patch that follows them: four go round it, two get calm lines between their ends, and
    within three it is divided well."""

    needs = (Scan, Curve)
    makes = PatchOfCurves
    also_makes = (NetworkOfCurves,)
    most = 4
    name = "Patch"
    id = "patch-of-curves"
    step = Step.TRACE
    label = "Patch over two to four curves"
    hint = "Click four curves that meet or cross, in any order; or two or three, and press Enter"
    shortcut = "Y"
    icon = "ph.frame-corners"
    short = "Patch"

    @dataclass
    class Options:
        """beside: how it meets the patches that its sides lie on. degree: lightest or given; u, v: the given ones."""

        beside: Beside = labelled(Beside.FREE, "Meets neighbours")
        degree: DegreeChoice = DegreeChoice.LIGHTEST
        u: int = 3
        v: int = 3

        @property
        def idle(self) -> tuple[str, ...]:
            """Given degrees mean nothing while the lightest is looked for."""
            return () if self.degree is DegreeChoice.FIXED else ("u", "v")

    def clear(self) -> None:
        super().clear()
        self._enough = False

    def may_make_again(self, item: Item) -> bool:
        # a whole network is made again by its own tool
        return isinstance(item.recipe, PatchOfCurves) or (
            isinstance(item.recipe, NetworkOfCurves) and len(item.recipe.of) <= self.most
        )

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, PatchOfCurves | NetworkOfCurves)
        self.picked = [key for key in recipe.of if key in self.session.document]
        self._enough = True
        if isinstance(recipe, NetworkOfCurves):
            self.guides = list(recipe.guides)
            o.beside = next(one for one in Beside if one.value[1] is recipe.meeting)
        elif recipe.degree is not None:
            o.degree = DegreeChoice.FIXED
            o.u, o.v = recipe.degree

    @property
    def says(self) -> str:
        if self.working:
            return AT_WORK
        if self.made is not None:
            return "Enter keeps it; Alt-click makes a curve a guide inside; Backspace takes the last curve back"
        count = len(self.picked)
        if count in (2, 3):
            return f"Click curve {count + 1} of four, or Enter for a patch over {count}"
        return f"Click curve {count + 1} of four" if self.picked else self.hint

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Curves", f"{len(self.picked)} of 4")]
        if isinstance(self.made, PatchFit):
            return fit_facts(self.made)
        fit: NetworkFit = self.made
        facts = [Fact("Patches", str(len(fit.made.surfaces))), Fact("Control points", str(fit.made.count))]
        if fit.figures is not None:
            good = "good" if fit.within else "bad"
            facts.append(Fact("99 % of inliers", f"{fit.figures.surface_to_scan.inlier_p99:.3f} mm", good))
        return [*facts, Fact("Off the curves", f"{fit.off:.3f} mm")]

    def press(self, pointer: Pointer) -> None:
        self._enough = self._enough and pointer.alt
        super().press(pointer)

    @property
    def can_apply(self) -> bool:
        return super().can_apply or len(self.there) in (2, 3)

    def apply(self) -> None:
        if self.made is None and not self.working and len(self.there) in (2, 3):
            self._enough = True
            self.try_it()
        else:
            super().apply()

    def draft(self) -> Recipe | None:
        keys, o = self.there, self.options
        if len(keys) < (2 if self._enough else 4):
            return None
        degree = (o.u, o.v) if o.degree is DegreeChoice.FIXED else None
        plain = o.beside is Beside.FREE and not self.guides
        if len(keys) in (2, 4) and plain:
            return PatchOfCurves(tuple(keys), degree)
        beside: list[str] = []
        if o.beside is not Beside.FREE:
            beside = [item.id for item in self.session.seen.of(Surface) if item.id != self.target]
        meeting = Meeting.TANGENT if len(keys) == 3 and o.beside is Beside.FREE else o.beside.value[1]
        return NetworkOfCurves(tuple(keys), meeting, (), tuple(beside), self.guides_there)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> PatchFit | NetworkFit:
        assert isinstance(recipe, PatchOfCurves | NetworkOfCurves)
        return recipe.fit(source, progress)

    def shape_of(self, made: PatchFit | NetworkFit) -> Surface | Patchwork:
        return made.surface if isinstance(made, PatchFit) else NetworkOfCurves.shape_of(made)

    def words(self, made: PatchFit | NetworkFit) -> str:
        count = made.surface.count if isinstance(made, PatchFit) else made.made.count
        number = {2: "two", 3: "three", 4: "four"}[len(self.there)]
        return f"patch of {count} points over {number} curves"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self.made is not None:
            shape = self.shape_of(self.made)
            parts += self.preview(shape, camera)
            if isinstance(shape, Surface):
                p = shape.points
                parts.append(Discs(np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]), np.ones(4), 4.0))
        parts += self.guide_parts()
        return parts + self.picked_parts(self.there)
