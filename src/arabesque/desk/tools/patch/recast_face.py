"""Trimmed faces made anew with natural edges: the distance to the old one and to the scan is seen before it is kept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.patch.from_one import FromOneSurface
from arabesque.desk.tools.patch.join_facts import distance_fact
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import LARGEST_DEGREE, Face, Surface
from arabesque.joining import Recast
from arabesque.model import Item, edits
from arabesque.progress import Progress
from arabesque.recipes import Given, RecastFace, Recipe

MOST_SPANS = 64


class RecastPatch(FromOneSurface):
    """One click takes the face; degrees and spans are chosen in the form, or as few as come near."""

    needs = (Surface,)
    makes = RecastFace
    name = "Recast"
    id = "recast"
    step = Step.PATCH
    label = "Recast a trimmed face"
    hint = "Click the trimmed face that is to become a patch with natural edges"
    shortcut = "Shift+J"
    icon = "ph.arrows-in-line-horizontal"
    short = "Recast"
    takes = Face
    taken = "trimmed face"
    at_work = "Reading the face"

    @dataclass
    class Options:
        """u, v: degrees. across, along: spans, 0 for as few as come near. near: mm, to the face and its border."""

        u: int = whole(3, 1, LARGEST_DEGREE, "Degree u")
        v: int = whole(3, 1, LARGEST_DEGREE, "Degree v")
        across: int = whole(0, 0, MOST_SPANS, "Spans u")
        along: int = whole(0, 0, MOST_SPANS, "Spans v")
        near: float = labelled(0.01, "As near as")

    def take(self, item: Item) -> None:
        super().take(item)
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, RecastFace)
        (o.u, o.v), (o.across, o.along), o.near = recipe.degree, recipe.spans, recipe.near

    @property
    def covers(self) -> frozenset[str]:
        return super().covers | (frozenset() if self.made is None else frozenset({self.picked}))

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return []
        made: Recast = self.made
        near = self.options.near
        facts = [
            Fact("Control points", str(made.surface.count)),
            Fact("Off the face", f"{made.off:.2g} mm", "good" if made.off <= near else "bad"),
            Fact("Off its border", f"{made.border:.2g} mm", "good" if made.border <= near else "bad"),
        ]
        scan, tolerance = self.session.scan, self.session.document.tolerance
        return facts if scan is None else [*facts, distance_fact("99 %", made.surface, scan, tolerance)]

    def draft(self) -> RecastFace | None:
        o = self.options
        spans = (o.across, o.along) if o.across and o.along else (0, 0)
        return RecastFace(self.picked, (o.u, o.v), spans, o.near) if self.picked else None

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Recast:
        assert isinstance(recipe, RecastFace)
        return recipe.made(source)

    def shape_of(self, made: Recast) -> Surface:
        return made.surface

    def _keep(self, made: Recast) -> None:
        if self.target is not None:
            super()._keep(made)
            return
        assert self._of is not None
        recipe, made_of = self._of
        part = self.picked, made.surface, recipe, made_of
        if self.session.edit(edits.items.derived_in_place, "recast", [part]):
            self.kept()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self.made is None:
            return []
        corners = self.made.corners
        return [*self.preview(self.made.surface, camera), Discs(corners, np.ones(len(corners)), 4.5)]
