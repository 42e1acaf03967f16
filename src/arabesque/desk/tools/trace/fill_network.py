"""Patches over a whole network of curves: its meshes are found by themselves and filled together."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import AT_WORK
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.trace.on_curves import ManyCurves
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, Patchwork, Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, NetworkOfCurves, Recipe
from arabesque.recipes.inputs import curves_of
from arabesque.tracing import MEETS, CurveMeshes, Meeting, NetworkFit, find_meshes


class Smooth(Enum):
    """How patches meet over inner borders: its words, and the meeting."""

    TANGENT = ("tangent (G1)", Meeting.TANGENT)
    CURVATURE = ("one curvature (G2)", Meeting.CURVATURE)
    TOUCHING = ("touching (G0)", Meeting.TOUCHING)


@dataclass(frozen=True, eq=False)
class NetworkTry:
    """What was found and, where it could be made, what fills it. problem: why it could not."""

    meshes: CurveMeshes
    fit: NetworkFit | None
    problem: FitProblem | None = None


class FillNetwork(ManyCurves):
    """Curves are clicked, or all that show are taken; meshes are shown with their sides, and where they end open."""

    needs = (Curve,)
    makes = NetworkOfCurves
    name = "Network"
    id = "fill-network"
    step = Step.TRACE
    label = "Patches over a network"
    hint = "Click the curves that go round the meshes, or take all that show"
    shortcut = "Shift+Y"
    icon = "ph.grid-four"
    short = "Network"

    @dataclass
    class Options:
        """meeting: over inner borders. beside: outer borders meet the patches that they lie on likewise."""

        meeting: Smooth = labelled(Smooth.TANGENT, "Patches meet")
        beside: bool = labelled(False, "Meet neighbours")

    def clear(self) -> None:
        super().clear()
        self.sharp: set[str] = set()

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, NetworkOfCurves)
        self.picked = [key for key in recipe.of if key in self.session.document]
        self.sharp, self.guides = set(recipe.sharp), list(recipe.guides)
        self.options.meeting = next(one for one in Smooth if one.value[1] is recipe.meeting)
        self.options.beside = bool(recipe.beside)

    @property
    def says(self) -> str:
        if self.working:
            return AT_WORK
        if self.made is None:
            return self.hint
        if self.made.fit is None:
            return "The gaps are marked; click curves in or out, or allow a larger tolerance"
        return "Enter keeps it; Shift-click makes a curve sharp, Alt-click a guide inside a mesh"

    def press(self, pointer: Pointer) -> None:
        item = self._under(pointer)
        if item is not None and pointer.shift:
            self.sharp ^= {item.id}
            self.picked += [] if item.id in self.picked else [item.id]
            self.try_it()
        else:
            super().press(pointer)

    @property
    def can_apply(self) -> bool:
        return self.working or (self.made is not None and self.made.fit is not None)

    @property
    def facts(self) -> list[Fact]:
        facts = [Fact("Curves", str(len(self.picked)))]
        if self.made is None:
            return facts
        meshes = self.made.meshes.meshes
        sides = sorted({mesh.sides for mesh in meshes})
        facts += [Fact(f"Meshes of {n} sides", str(sum(m.sides == n for m in meshes))) for n in sides]
        facts += [Fact("Nearly meet", f"{len(self.made.meshes.gaps)}", "bad")] if self.made.meshes.gaps else []
        fit = self.made.fit
        if fit is None:
            return [*facts, Fact("Not filled", str(self.made.problem), "bad")]
        facts += [Fact("Patches", str(len(fit.made.surfaces))), Fact("Control points", str(fit.made.count))]
        if fit.figures is not None:
            good = "good" if fit.within else "bad"
            facts += [
                Fact("99 % of inliers", f"{fit.figures.surface_to_scan.inlier_p99:.3f} mm", good),
                Fact("And back", f"{fit.figures.scan_to_surface.inlier_p99:.3f} mm"),
            ]
        facts.append(Fact("Angle inside", f"{fit.angle:.4f}°", "good" if fit.angle <= 0.05 else "bad"))
        return [*facts, Fact("Off the curves", f"{fit.off:.3f} mm")]

    def draft(self) -> NetworkOfCurves | None:
        document = self.session.document
        keys = [key for key in self.there if isinstance(document[key].shape, Curve)]
        if len(keys) < 2:
            return None
        beside: list[str] = []
        if self.options.beside:
            beside = [item.id for item in self.session.seen.of(Surface) if item.id != self.target]
        return NetworkOfCurves(
            tuple(keys),
            self.options.meeting.value[1],
            tuple(key for key in keys if key in self.sharp),
            tuple(beside),
            self.guides_there,
        )

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> NetworkTry:
        assert isinstance(recipe, NetworkOfCurves)
        try:
            fit = recipe.fit(source, progress)
        except FitProblem as problem:  # shown where it is, beside what was found
            found = find_meshes(curves_of(source, recipe.of), source.scan, MEETS * source.tolerance)
            return NetworkTry(found, None, problem)
        return NetworkTry(fit.meshes, fit)

    def shape_of(self, made: NetworkTry) -> Patchwork | Surface:
        assert made.fit is not None
        return NetworkOfCurves.shape_of(made.fit)

    def words(self, made: NetworkTry) -> str:
        assert made.fit is not None
        return f"{len(made.fit.made.surfaces)} patches over {len(self.picked)} curves"

    def apply(self) -> None:
        if self.made is not None and self.made.fit is None:
            assert self.made.problem is not None
            self.session.tell_problem(self.made.problem)
            return
        super().apply()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        t, document = theme.now(), self.session.document
        if self.made is not None and self.made.fit is not None:
            parts += self.preview(self.shape_of(self.made), camera)
        parts += self.picked_parts(self.there)
        parts += self.guide_parts()
        for key in self.sharp:
            if key in document:
                curve = document[key].shape
                parts.append(Label(curve.at([np.mean(curve.domain)])[0], "sharp"))
        if self.made is not None:
            meshes = self.made.meshes
            parts += [Label(mesh.middle, str(mesh.sides), centred=True) for mesh in meshes.meshes]
            for gap in meshes.gaps:
                parts.append(Discs(gap.place[None], np.full(1, 3.0), 7.0, t.outside))
                parts.append(Label(gap.place, f"gap {gap.gap:.3g} mm"))
        return parts
