"""A free, fair surface over a picked region of the scan, reaching past it: to cut a body with, or to build on."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.cage.layout_part import What, taken_for, toggled
from arabesque.desk.tools.options import labelled, share
from arabesque.desk.tools.over_marked import OverMarked
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.fitting import FreeRegion
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, Recipe, SurfaceOfRegion, Taken
from arabesque.scan import Scan
from arabesque.shapes import Shape


class Over(Enum):
    """Which part of the scan; the value is its words."""

    MARKED = "what is marked"
    AREAS = "areas I click"
    INSIDE = "inside shown curves"


class Flow(Enum):
    """Along what its rows run; the value is its words."""

    LONGER = "the longer way"
    X = "x"
    Y = "y"
    Z = "z"


class RegionSurface(OverMarked):
    """Clicks take areas of found regions; or it lies over what is marked, or inside closed curves."""

    needs = (Scan,)
    makes = SurfaceOfRegion
    name = "Surface"
    id = "region-surface"
    step = Step.BODY
    label = "Surface of a region"
    hint = "Click areas on the scan, or mark a part of it first"
    shortcut = "G"
    icon = "ph.drop-half"
    short = "Region"
    takes_places = True

    @dataclass
    class Options:
        """within: mm that 99 % of it keep, 0 for the tolerance. smoothness: fairness against closeness. past: mm that
        it reaches past the region."""

        over: Over = labelled(Over.AREAS, "Over")
        within: float = labelled(0.0, "Within, 0 tolerance")
        smoothness: float = share(0.3)
        past: float = labelled(4.0, "Reaches past by")
        flow: Flow = labelled(Flow.LONGER, "Rows along")

    def clear(self) -> None:
        super().clear()
        self.areas: tuple[Floats, ...] = ()

    def start(self) -> None:
        super().start()
        if self.target is None and self.session.marks.of(self.session.scan) is not None:
            self.options.over = Over.MARKED
            self.try_it()

    @property
    def begun(self) -> bool:
        return self.made is not None or self.working or bool(self.areas)

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, SurfaceOfRegion)
        taken = recipe.taken
        o.over = Over.AREAS if taken.regions else Over.MARKED if taken.rims else Over.INSIDE
        o.within, o.smoothness, o.past = recipe.within, recipe.smoothness, recipe.past
        self.areas, self.marked = taken.areas, taken if taken.rims else Taken()

    @property
    def says(self) -> str:
        if self.working:
            return "Laying it over the region"
        if self.made is not None:
            return "Enter keeps it; click areas to take more, or give one back"
        return self.hint

    @property
    def facts(self) -> list[Fact]:
        told = [Fact("Areas", str(len(self.areas)))] if self.options.over is Over.AREAS else []
        if self.made is None:
            return told
        made: FreeRegion = self.made
        rows = " x ".join(map(str, made.surface.points.shape[:2]))
        return [
            *told,
            Fact("Points", rows),
            Fact("99 % within", f"{made.p99:.3f} mm", "good"),
            Fact("Worst", f"{made.largest:.3f} mm"),
            Fact("Turns away by", f"{made.tilt:.0f}°"),
        ]

    def press(self, pointer: Pointer) -> None:
        place = pointer.on_scan(self.session.scan)
        if place is None:
            self.session.tell_problem(ArabesqueError("There is no scan here", "Click on it"))
            return
        self.options.over = Over.AREAS
        self.areas = toggled(self.session, self.areas, place)
        self.form_changed.emit()
        self.try_it()

    @property
    def wants_marked(self) -> bool:
        return self.options.over is Over.MARKED

    def draft(self) -> SurfaceOfRegion | None:
        o, scan = self.options, self.session.scan
        if scan is None or (o.over is Over.AREAS and not self.areas):
            return None
        try:
            taken = taken_for(
                self.session, scan, What[o.over.name], self.areas, self.marked, lambda item: item.id != self.target
            )
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return None
        along = None if o.flow is Flow.LONGER else np.eye(3)["XYZ".index(o.flow.name)]
        return SurfaceOfRegion(taken, o.within, o.smoothness, o.past, along)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> FreeRegion:
        assert isinstance(recipe, SurfaceOfRegion)
        return recipe.lay(source, progress)

    def shape_of(self, made: FreeRegion) -> Shape:
        return made.surface

    def words(self, made: FreeRegion) -> str:
        return "surface of a region"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self.areas:
            parts.append(Discs(np.array(self.areas), np.ones(len(self.areas)), 5.0, theme.now().accent))
        made: Any = self.made
        return parts if made is None else [*self.preview(made.surface, camera), *parts]
