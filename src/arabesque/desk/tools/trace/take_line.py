"""Lines that are there, taken as curves of few poles."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_guides import guide_under
from arabesque.desk.tools.on_patches import NEAR, patch_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.trace.sections import FitBy
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Curve, Surface, foot_points
from arabesque.joining import crossings
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.reading import Regions
from arabesque.recipes import AreaBorder, CrossingOf, Given, LineTaken, ParameterLine, Recipe
from arabesque.scan import Scan, border_rings
from arabesque.shapes import Guide, Guiding
from arabesque.tracing import CORNER, MOST_POLES, FittedCurve


class Taken(Enum):
    """What a click takes; the value is its words."""

    LINE = "line or edge"
    ALONG_U = "along u of a patch"
    ALONG_V = "along v of a patch"
    BORDER = "border of an area"
    CROSSING = "where surfaces cross"


class TakeLine(Making):
    """A click takes the line under the pointer; the form says which, and by how many poles."""

    needs = (Guiding,)
    makes = LineTaken
    also_makes = (ParameterLine, AreaBorder, CrossingOf)
    name = "Curve"
    id = "take-line"
    step = Step.TRACE
    label = "Take a line as a curve"
    hint = "Click a rim, a feature line, an edge of a patch or a curve: it becomes a curve of few poles"
    shortcut = "X"
    icon = "ph.line-segments"
    short = "Take"

    @dataclass
    class Options:
        """by: what decides about the poles. poles: between corners. degree: 3 or 5. corner: degrees from which on a
        turn stays a corner."""

        what: Taken = labelled(Taken.LINE, "Take")
        by: FitBy = FitBy.TOLERANCE
        poles: int = whole(8, 2, MOST_POLES, "Poles")
        degree: int = whole(3, 1, 5, "Degree")
        corner: float = labelled(CORNER, "Corners above, °")

        @property
        def idle(self) -> tuple[str, ...]:
            """What goes by the tolerance takes the poles it needs; a line of a patch is what it is."""
            if self.what in (Taken.ALONG_U, Taken.ALONG_V):
                return ("by", "poles", "degree", "corner")
            idle = () if self.by is FitBy.POLES else ("poles",)
            return idle if self.what is Taken.LINE else (*idle, "degree", "corner")

    def clear(self) -> None:
        self.picked: tuple[str, Floats] | None = None
        self._recipe: AreaBorder | CrossingOf | ParameterLine | None = None
        self._hover: Guide | None = None

    @property
    def begun(self) -> bool:
        return self.picked is not None or self._recipe is not None

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        if isinstance(recipe, ParameterLine):
            o.what = Taken.ALONG_U if recipe.axis else Taken.ALONG_V
            self._recipe = recipe
            return
        assert isinstance(recipe, LineTaken | AreaBorder | CrossingOf)
        o.by = FitBy.POLES if recipe.poles else FitBy.TOLERANCE
        o.poles = recipe.poles or o.poles
        if isinstance(recipe, AreaBorder):
            o.what, self._recipe = Taken.BORDER, recipe
        elif isinstance(recipe, CrossingOf):
            o.what, self._recipe = Taken.CROSSING, recipe
        else:
            self.picked = recipe.of, recipe.at
            o.degree, o.corner = recipe.degree, recipe.corner

    @property
    def says(self) -> str:
        return "Enter keeps it; click another line instead" if self.made is not None else self.hint

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return []
        good = "good" if self.made.within(self.session.document.tolerance) else "bad"
        return [
            Fact("Poles", str(self.made.curve.count)),
            Fact("Worst", f"{self.made.worst:.3f} mm", good),
            Fact("rms", f"{self.made.rms:.3f} mm"),
        ]

    def options_changed(self) -> None:
        if self.target is None and self.options.what is not Taken.LINE and self.picked is not None:
            self.picked = None
        super().options_changed()

    def press(self, pointer: Pointer) -> None:
        what = self.options.what
        if what is not Taken.LINE:
            find, cure = {
                Taken.BORDER: (self._border, "Click an area of the regions"),
                Taken.CROSSING: (self._crossing, "Click on the line in which two surfaces cross"),
            }.get(what, (self._parameter_line, "Click on a patch"))
            self._recipe, self.picked = find(pointer), None
            if self._recipe is None:
                self.session.tell_problem(ArabesqueError("There is nothing to take here", cure))
            self.try_it()
            return
        self._recipe = None
        found = guide_under(self.session, pointer, self.target)
        if found is None:
            self.session.tell_problem(
                ArabesqueError("There is no line here", "Click a rim, a line, an edge or a curve")
            )
            return
        self.picked = found.item.id, found.place
        self.try_it()

    def _parameter_line(self, pointer: Pointer) -> ParameterLine | None:
        found = patch_under(self.session, pointer)
        if found is None:
            return None
        item, depth = found
        origin, direction = pointer.camera.ray(pointer.x, pointer.y)
        uv = foot_points(item.shape, (origin + depth * direction)[None]).uv[0]
        axis = 1 if self.options.what is Taken.ALONG_U else 0
        low, high = item.shape.domain[axis]
        return ParameterLine(item.id, axis, float((uv[axis] - low) / (high - low)))

    def _crossing(self, pointer: Pointer) -> CrossingOf | None:
        """Of the surface under the pointer and all others, the line of crossing that is drawn nearest, within reach."""
        found = patch_under(self.session, pointer)
        if found is None:
            return None
        best, recipe = float(NEAR), None
        one = found[0]
        for other in self.session.seen.of(Surface):
            if other.id == one.id or not _near(one.shape, other.shape):
                continue
            for points in self.session.kept(_crossed, one.shape, other.shape):
                away = pointer.to_line(points)
                if away < best:
                    best, recipe = away, CrossingOf(one.id, other.id, pointer.place_on(points), self._poles)
        return recipe

    @property
    def _poles(self) -> int:
        return self.options.poles if self.options.by is FitBy.POLES else 0

    def _border(self, pointer: Pointer) -> AreaBorder | None:
        """Of the area of a scan's regions under the pointer, the ring that is drawn nearest."""
        document = self.session.document
        for item in self.session.seen.of(Regions):
            key = next((k for k in item.origin.made_from if k in document), None)
            scan = None if key is None else document[key].shape
            if not isinstance(scan, Scan) or key is None:
                continue
            hit = scan.pick(*pointer.camera.ray(pointer.x, pointer.y))
            if hit is not None:
                area = int(item.shape.labels[hit[1]])
                rings = border_rings(scan, item.shape.mask(area))
                ring = min(rings, key=lambda points: pointer.to_line(np.vstack([points, points[:1]])))
                near = ring[pointer.nearest(ring)]
                return AreaBorder(item.id, key, hit[0], near, self._poles)
        return None

    def move(self, pointer: Pointer, dragging: bool) -> None:
        found = guide_under(self.session, pointer, self.target)
        self._hover = None if found is None else found.guide
        self.changed.emit()

    def draft(self) -> Recipe | None:
        o = self.options
        if isinstance(self._recipe, AreaBorder | CrossingOf):
            return replace(self._recipe, poles=self._poles)
        if self._recipe is not None:
            return self._recipe
        if self.picked is None or self.picked[0] not in self.session.document:
            return None
        return LineTaken(*self.picked, self._poles, o.degree, o.corner)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> FittedCurve:
        if isinstance(recipe, LineTaken | AreaBorder | CrossingOf):
            return recipe.fit(source)
        # a line of a patch lies on it exactly
        return FittedCurve(recipe.build(source, progress), 0.0, 0.0, 0.0)

    def shape_of(self, made: FittedCurve) -> Curve:
        return made.curve

    def words(self, made: FittedCurve) -> str:
        return f"line taken by {made.curve.count} poles"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        accent = theme.now().accent
        if self.made is not None:
            parts.append(Lines(polyline(curve_points(self.made.curve)), accent, 2.6, on_top=True))
            parts.append(Discs(self.made.curve.points, np.zeros(self.made.curve.count), 3.0))
        if self._hover is not None:
            parts.append(Lines(polyline(self._hover.points, self._hover.closed), accent, 2.0, alpha=0.6, on_top=True))
        return parts


def _near(one: Surface, two: Surface) -> bool:
    """True where the boxes of two surfaces meet."""
    (low, high), (other_low, other_high) = one.box, two.box
    return bool((low <= other_high).all() and (other_low <= high).all())


def _crossed(one: Surface, two: Surface) -> list[Floats]:
    """The lines in which two surfaces cross, for the session to keep; none for surfaces that lie in each other."""
    try:
        return [line.points for line in crossings(one.whole, two.whole)]
    except InvalidShape:
        return []
