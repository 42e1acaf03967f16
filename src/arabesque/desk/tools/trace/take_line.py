"""Lines that are there, taken as curves of few poles."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_guides import guide_under
from arabesque.desk.tools.options import whole
from arabesque.desk.tools.trace.sections import FitBy
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, LineTaken, Recipe
from arabesque.shapes import Guide, Guiding
from arabesque.tracing import MOST_POLES, FittedCurve


class TakeLine(Making):
    """A click takes the line under the pointer; the form says by how many poles."""

    needs = (Guiding,)
    makes = LineTaken
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
        """by: what decides about the poles. poles: between corners."""

        by: FitBy = FitBy.TOLERANCE
        poles: int = whole(8, 2, MOST_POLES, "Poles")

        @property
        def idle(self) -> tuple[str, ...]:
            """What goes by the tolerance takes the poles it needs."""
            return () if self.by is FitBy.POLES else ("poles",)

    def clear(self) -> None:
        self.picked: tuple[str, Floats] | None = None
        self._hover: Guide | None = None

    @property
    def begun(self) -> bool:
        return self.picked is not None

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, LineTaken)
        self.picked = recipe.of, recipe.at
        self.options.by = FitBy.POLES if recipe.poles else FitBy.TOLERANCE
        self.options.poles = recipe.poles or self.options.poles

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

    def press(self, pointer: Pointer) -> None:
        found = guide_under(self.session, pointer, self.target)
        if found is None:
            self.session.tell_problem(
                ArabesqueError("There is no line here", "Click a rim, a line, an edge or a curve")
            )
            return
        self.picked = found.item.id, found.place
        self.try_it()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        found = guide_under(self.session, pointer, self.target)
        self._hover = None if found is None else found.guide
        self.changed.emit()

    def draft(self) -> LineTaken | None:
        if self.picked is None or self.picked[0] not in self.session.document:
            return None
        return LineTaken(*self.picked, self.options.poles if self.options.by is FitBy.POLES else 0)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> FittedCurve:
        assert isinstance(recipe, LineTaken)
        return recipe.fit(source)

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
