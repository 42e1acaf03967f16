"""Lines brought onto the scan: where a surface cuts it, a curve projected, a curve set off by a distance."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.towards import Towards
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane
from arabesque.model import Item
from arabesque.recipes import CutBySurface, ProjectedCurve, Recipe, SectionCurve, SetOffCurve
from arabesque.scan import Scan
from arabesque.shapes import Sampled
from arabesque.tracing import Cut, cut_scan, line_near


class How(Enum):
    """What is brought onto the scan; the value is its words."""

    CUT = "a surface's cut"
    PLANE = "a plane's cut"
    PROJECT = "a curve projected"
    OFFSET = "a curve set off"


class Square(Enum):
    """How a plane through the click stands: its words, and the axis."""

    X = ("square to x", 0)
    Y = ("square to y", 1)
    Z = ("square to z", 2)


class BringOnto(Making):
    """A click takes the surface or the curve; the line on the scan is drawn at once."""

    needs = (Scan,)
    makes = CutBySurface
    also_makes = (ProjectedCurve, SetOffCurve, SectionCurve)
    name = "Curve"
    id = "bring-onto"
    step = Step.TRACE
    label = "Bring a line onto the scan"
    hint = "Click the surface that cuts the scan, or the curve that is projected or set off"
    shortcut = "B"
    icon = "ph.arrow-elbow-down-left"
    short = "Onto"

    @dataclass
    class Options:
        """offset: mm by which the surface is set off. plane: the axis that a plane stands square to; it passes the
        click. towards: the way of a projection. distance: mm over the scan, to the left of the curve, or below 0 to
        its right."""

        how: How = labelled(How.CUT, "Bring")
        offset: float = labelled(0.0, "Set off by")
        plane: Square = labelled(Square.X, "Plane")
        towards: Towards = labelled(Towards.CLOSEST, "Project")
        distance: float = 5.0

        @property
        def idle(self) -> tuple[str, ...]:
            """Each way has its own number."""
            own = {How.CUT: "offset", How.PLANE: "plane", How.PROJECT: "towards", How.OFFSET: "distance"}[self.how]
            return tuple(name for name in ("offset", "plane", "towards", "distance") if name != own)

    def start(self) -> None:
        if not self.session.seen.patches:
            self.options.how = How.PLANE
        super().start()

    def clear(self) -> None:
        self.picked: tuple[str, Floats] | None = None
        self.onto = ""
        self._hover: str | None = None

    @property
    def begun(self) -> bool:
        return self.picked is not None

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        if isinstance(recipe, CutBySurface):
            o.how, o.offset, self.picked = How.CUT, recipe.offset, (recipe.of, recipe.near)
        elif isinstance(recipe, ProjectedCurve):
            o.how, self.onto, self.picked = How.PROJECT, recipe.on, (recipe.of, np.zeros(3))
            o.towards = Towards.of(recipe.direction)
        elif isinstance(recipe, SectionCurve):
            o.how, o.plane = How.PLANE, list(Square)[int(np.abs(recipe.normal).argmax())]
            self.picked = "", recipe.near + (recipe.offset - recipe.near @ recipe.normal) * recipe.normal
        else:
            assert isinstance(recipe, SetOffCurve)
            o.how, o.distance, self.picked = How.OFFSET, recipe.distance, (recipe.of, np.zeros(3))

    @property
    def says(self) -> str:
        if self.made is not None:
            more = "; click a patch to project onto it" if self.options.how is How.PROJECT and not self.onto else ""
            return f"Enter keeps it; click another instead{more}"
        return {
            How.CUT: "Click the patch or true shape, where it cuts the scan",
            How.PLANE: "Click the scan where the plane is to pass",
            How.PROJECT: "Click the curve that is projected",
            How.OFFSET: "Click the curve beside which the line runs",
        }[self.options.how]

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return []
        return [Fact("Control points", str(self.made.count)), Fact("Onto", self._onto_words())]

    def _onto_words(self) -> str:
        return self.session.document[self.onto].name if self.onto in self.session.document else "the scan"

    def press(self, pointer: Pointer) -> None:
        if self.options.how is How.PLANE:
            place = pointer.on_scan(self.session.scan)
            if place is None:
                self.session.tell_problem(ArabesqueError("There is no scan here", "Click on the scan"))
                return
            self.picked = "", place
            self.try_it()
            return
        curve, patch = patch_under(self.session, pointer, Curve), patch_under(self.session, pointer, Sampled)
        if self.options.how is How.CUT:
            if patch is None:
                self.session.tell_problem(ArabesqueError("There is no surface here", "Click a patch or a true shape"))
                return
            origin, direction = pointer.camera.ray(pointer.x, pointer.y)
            self.picked = patch[0].id, origin + patch[1] * direction
        elif curve is not None:
            self.picked, self.onto = (curve[0].id, np.zeros(3)), ""
        elif patch is not None and self.picked is not None and self.options.how is How.PROJECT:
            self.onto = patch[0].id
        else:
            self.session.tell_problem(ArabesqueError("There is no curve here", "Click on a curve"))
            return
        self.try_it()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        found = patch_under(self.session, pointer, Sampled if self.options.how is How.CUT else Curve)
        self._hover = None if found is None else found[0].id
        self.changed.emit()

    def draft(self) -> Recipe | None:
        document, o = self.session.document, self.options
        if self.picked is not None and o.how is How.PLANE:
            return self._section(self.picked[1])
        if self.picked is None or self.picked[0] not in document:
            return None
        key, near = self.picked
        is_curve = isinstance(document[key].shape, Curve)
        if o.how is How.CUT:
            return None if is_curve else CutBySurface(key, near, o.offset)
        if not is_curve:
            return None
        if o.how is How.OFFSET:
            return SetOffCurve(key, o.distance)
        return ProjectedCurve(key, self.onto, o.towards.direction)

    def _section(self, place: Floats) -> SectionCurve | None:
        scan = self.session.scan
        if scan is None:
            return None
        cut = Cut(Plane.through(place, np.eye(3)[self.options.plane.value[1]]))
        line = line_near(cut_scan(scan, cut), place)
        ahead = line.points[max(1, len(line.points) // 20)] - line.points[0]
        return SectionCurve(cut.plane.normal, cut.plane.offset, line.middle, line.points[0], ahead)

    def words(self, made: Curve) -> str:
        return {
            How.CUT: "scan cut by a surface",
            How.PLANE: "scan cut by a plane",
            How.PROJECT: "curve projected",
            How.OFFSET: "curve set off",
        }[self.options.how]

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        accent, document = theme.now().accent, self.session.document
        if self.made is not None:
            parts.append(Lines(polyline(curve_points(self.made)), accent, 2.8, on_top=True))
        for key in (self._hover, None if self.picked is None else self.picked[0]):
            if key is not None and key in document and isinstance(document[key].shape, Curve):
                parts.append(Lines(polyline(curve_points(document[key].shape)), accent, 2.0, alpha=0.6, on_top=True))
        return parts
