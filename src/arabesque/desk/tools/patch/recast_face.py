"""Faces made anew with natural edges, several as one or one as two: distances are seen before they are kept."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import previewed
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.patch.from_one import FromOneSurface
from arabesque.desk.tools.patch.join_facts import distance_fact
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import LARGEST_DEGREE, Surface
from arabesque.joining import Recast
from arabesque.model import Item, edits
from arabesque.progress import Progress
from arabesque.recipes import Given, RecastFace, Recipe

MOST_SPANS = 64


Parts = list[Recast]


class RecastPatch(FromOneSurface):
    """One click takes the face, Ctrl-clicks more beside it; degrees and spans are chosen in the form, or as few as come
    near."""

    needs = (Surface,)
    makes = RecastFace
    name = "Recast"
    id = "recast"
    step = Step.PATCH
    label = "Recast"
    hint = "Click the face that is to become a patch with natural edges; Ctrl-click neighbours to make one of all"
    shortcut = "Shift+J"
    icon = "ph.arrows-in-line-horizontal"
    short = "Recast"
    taken = "face"
    at_work = "Reading the faces"

    @dataclass
    class Options:
        """u, v: degrees. across, along: spans, 0 for as few as come near. near: mm, to the face and its border.
        divided: two patches, one on each side of its crease."""

        u: int = whole(3, 1, LARGEST_DEGREE, "Degree u")
        v: int = whole(3, 1, LARGEST_DEGREE, "Degree v")
        across: int = whole(0, 0, MOST_SPANS, "Spans u")
        along: int = whole(0, 0, MOST_SPANS, "Spans v")
        near: float = labelled(0.01, "As near as")
        divided: bool = labelled(False, "Divided at its crease")

    def clear(self) -> None:
        super().clear()
        self.others: list[str] = []
        self._side = 0

    def start(self) -> None:
        super().start()
        more = [item.id for item in self.session.selected_items if isinstance(item.shape, Surface)]
        if self.target is None and len(more) > 1:
            self.picked, self.others = more[0], more[1:]
            self.try_it()

    def take(self, item: Item) -> None:
        super().take(item)
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, RecastFace)
        (o.u, o.v), (o.across, o.along), o.near = recipe.degree, recipe.spans, recipe.near
        self.others, self._side = list(recipe.others), recipe.side

    def press(self, pointer: Pointer) -> None:
        found = patch_under(self.session, pointer) if pointer.ctrl and self.picked else None
        if found is None:
            self.others = []
            super().press(pointer)
        elif found[0].id != self.picked:
            key = found[0].id
            self.others = [one for one in self.others if one != key] + ([] if key in self.others else [key])
            self.try_it()

    @property
    def says(self) -> str:
        if self.made is not None:
            return "Enter keeps it; Ctrl-click neighbours to make one of all"
        return super().says

    @property
    def covers(self) -> frozenset[str]:
        return super().covers | (frozenset() if self.made is None else frozenset({self.picked, *self.others}))

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Faces", str(1 + len(self.others)))] if self.picked else []
        made: Parts = self.made
        near = self.options.near
        off, border = max(one.off for one in made), max(one.border for one in made)
        facts = [
            Fact("Control points", " + ".join(str(one.surface.count) for one in made)),
            Fact("Off the face", f"{off:.2g} mm", "good" if off <= near else "bad"),
            Fact("Off its border", f"{border:.2g} mm", "good" if border <= near else "bad"),
        ]
        scan, tolerance = self.session.scan, self.session.document.tolerance
        labels = ["99 %"] if len(made) == 1 else ["99 %, part 1", "99 %, part 2"]
        if scan is not None:
            facts += [
                distance_fact(label, one.surface, scan, tolerance) for label, one in zip(labels, made, strict=True)
            ]
        return facts

    def draft(self) -> RecastFace | None:
        if not self.picked:
            return None
        o = self.options
        spans = (o.across, o.along) if o.across and o.along else (0, 0)
        side = self._side if self.target is not None else int(o.divided)
        return RecastFace(self.picked, (o.u, o.v), spans, o.near, others=tuple(self.others), side=side)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Parts:
        assert isinstance(recipe, RecastFace)
        recipes = [recipe] if self.target is not None or not recipe.side else _sides(recipe)
        return [one.made(source, progress) for one in recipes]

    def shape_of(self, made: Parts) -> Surface:
        return made[0].surface

    def _keep(self, made: Parts) -> None:
        if self.target is not None:
            super()._keep(made)
            return
        assert self._of is not None
        recipe, made_of = self._of
        assert isinstance(recipe, RecastFace)
        recipes = _sides(recipe) if recipe.side else [recipe]
        parts = [(one.surface, which, made_of) for one, which in zip(made, recipes, strict=True)]
        if self.session.edit(edits.joining.recast, parts):
            self.kept()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        for number, one in enumerate(self.made or ()):
            parts += previewed(self.session, one.surface, f"recast {number}")
            parts.append(Discs(one.corners, np.ones(len(one.corners)), 4.5))
        return parts


def _sides(recipe: RecastFace) -> list[RecastFace]:
    """For the parts on both sides of a crease."""
    return [replace(recipe, side=side) for side in (1, 2)]
