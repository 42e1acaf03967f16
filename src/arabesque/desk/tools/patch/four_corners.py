"""A patch from four corners clicked on the scan."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import AT_WORK, DegreeChoice
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.patch.border_hand import BorderHand
from arabesque.desk.tools.patch.fit_facts import fit_facts
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.fitting import (
    Borders,
    FitSettings,
    PatchFit,
    bilinear,
    corners_on_scan,
    fit_patch,
    quick_patch,
)
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, PatchOnScan, Recipe, Side
from arabesque.scan import Scan


class BorderChoice(Enum):
    """How the sides of a new patch run; the value is what the form says."""

    CALM = "held to calm lines"
    NATURAL = "natural: they lean"


class FourCornerPatch(Making):
    """Four clicks make a patch; its corners can be dragged, before it is applied and after."""

    needs = (Scan,)
    makes = PatchOnScan
    name = "Patch"
    at_once = True
    id = "four-corners"
    step = Step.PATCH
    label = "Patch from four corners"
    hint = "Click four corners on the scan"
    shortcut = "N"
    icon = "ph.polygon"
    short = "Patch"
    takes_places = True

    @dataclass
    class Options:
        """degree: lightest or given; u, v: the given ones. borders: held to lines on the scan, or at the corners."""

        degree: DegreeChoice = DegreeChoice.LIGHTEST
        u: int = 3
        v: int = 3
        borders: BorderChoice = BorderChoice.CALM

        @property
        def idle(self) -> tuple[str, ...]:
            """Given degrees mean nothing while the lightest is looked for."""
            return () if self.degree is DegreeChoice.FIXED else ("u", "v")

    def clear(self) -> None:
        self.corners: list[Floats] = []
        self.borders = BorderHand(self.session)
        self._hover: Floats | None = None
        self._quick: Surface | None = None
        self._dragged: int | None = None
        self._moved = False

    @property
    def begun(self) -> bool:
        return bool(self.corners) and self.target is None

    def may_make_again(self, item: Item) -> bool:
        """Of any patch the corners can be dragged."""
        return isinstance(item.shape, Surface) and self.session.scan is not None

    def take(self, item: Item) -> None:
        p = item.shape.points
        self.corners = [p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]
        recipe = item.recipe
        if isinstance(recipe, PatchOnScan):
            self.borders.sides = list(recipe.sides)
            self.borders.reorder(recipe.corners, np.array(self.corners))
            self.options.borders = BorderChoice.NATURAL if recipe.borders is Borders.NATURAL else BorderChoice.CALM
            self._draw_lines()
        if isinstance(recipe, PatchOnScan) and recipe.degree is not None:
            self.options.degree = DegreeChoice.FIXED
            self.options.u, self.options.v = recipe.degree

    @property
    def fit(self) -> PatchFit | None:
        """What was fitted to the corners as they are."""
        made: PatchFit | None = self.made
        return made

    @property
    def says(self) -> str:
        if self.session.scan is None:
            return "Open a scan first"
        if len(self.corners) < 4:
            words = ("the first corner", "the second corner", "the third corner", "the fourth corner")
            return f"Click {words[len(self.corners)]} on the scan; or arrows and Space"
        if self.working:
            return AT_WORK
        if self.borders.pulled is not None:
            return "Pull the line sideways, or onto a line that is there"
        pull = "" if self.options.borders is BorderChoice.NATURAL else " or the middle of a line"
        if self.target is not None:
            return f"Drag a corner{pull} to fit the patch again, or click the scan to begin another"
        return f"Enter keeps it, drag a corner{pull} to move it, Esc drops it"

    @property
    def can_apply(self) -> bool:
        return len(self.corners) == 4 and self.target is None

    @property
    def facts(self) -> list[Fact]:
        if self.fit is None:
            return [Fact("Corners", f"{len(self.corners)} of 4")]
        return fit_facts(self.fit)

    @property
    def choices(self) -> list[Choice]:
        """Where the net turns with the form: to end the patch there."""
        if self.fit is None or self.fit.turn is None:
            return []
        return [Choice("End the patch at the marked line", self._end_at_turn)]

    def _end_at_turn(self) -> None:
        draft = self.draft()
        if draft is None or self.fit is None:
            return
        ended = draft.ended(self.fit)
        self.drop()
        self.corners, self.borders.sides = list(ended.corners), list(ended.sides)
        self._quick = None
        self.try_it()
        self._draw_lines()

    # the hand

    def press(self, pointer: Pointer) -> None:
        self._moved = False
        self._dragged = next((i for i, corner in enumerate(self.corners) if pointer.near(corner)), None)
        if self._dragged is not None:
            return
        if self.borders.take(pointer):
            return
        hit = pointer.on_scan(self.session.scan)
        if hit is None:
            if self.session.scan is not None:
                self.session.tell("There is no scan under the pointer: click on the scan", True)
            return
        if len(self.corners) == 4:
            if self.target is None:
                return
            self.begin_anew()
        self._add(hit)

    def _add(self, corner: Floats) -> None:
        self.corners.append(corner)
        self._quick = None
        self.try_it()
        self._draw_lines()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        hit = pointer.on_scan(self.session.scan)
        if dragging and self._dragged is not None:
            self._moved = True
            if hit is not None:
                self.drop()
                self.corners[self._dragged] = self.borders.kept_on(self._dragged, hit)
                self._preview([*self.corners])
        elif dragging and self.borders.pulled is not None:
            self._moved = True
            if self.borders.pull(pointer, self.corners, self.target):
                self.drop()
                self._preview([*self.corners])
        else:
            self._hover = hit
            if len(self.corners) == 3 and hit is not None:
                self._preview([*self.corners, hit])
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        pulled = self.borders.pulled
        if pulled is not None and not self._moved:
            # a click, nothing pulled: the line is calm again
            self.borders.sides[pulled] = Side()
            self.drop()
        if self._dragged is not None and not self._moved and self.target is not None:
            # a click on the corner of a patch that is there: another one begins at it
            corner = self.corners[self._dragged]
            self.begin_anew()
            self._add(corner)
        if (self._dragged is not None or pulled is not None) and self.made is None and not self.working:
            self.try_it()
            self._draw_lines()
        self._dragged = self.borders.pulled = None
        self.changed.emit()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.corners and self.target is None:
            self.corners.pop()
            self._quick, self.borders.lines = None, []
            self.try_it()
            return True
        return False

    # the fit

    def draft(self) -> PatchOnScan | None:
        if len(self.corners) < 4 or self.session.scan is None:
            return None
        degree = (self.options.u, self.options.v) if self.options.degree is DegreeChoice.FIXED else None
        borders = Borders.NATURAL if self.options.borders is BorderChoice.NATURAL else Borders.CALM
        return PatchOnScan(np.array(self.corners), degree, borders, self.borders.four)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> PatchFit:
        assert isinstance(recipe, PatchOnScan)
        return recipe.fit(source, progress)

    def shape_of(self, made: PatchFit) -> Surface:
        return made.surface

    def built(self) -> None:
        assert self.fit is not None
        self._quick = self.fit.surface
        p = self.fit.surface.points
        before, self.corners = np.array(self.corners), [p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]
        self.borders.reorder(before, np.array(self.corners))
        self.borders.lines = list(self.fit.lines)

    def words(self, made: PatchFit) -> str:
        return f"patch of {made.surface.count} points"

    def words_again(self, item: Item) -> str:
        draft, before = self.draft(), item.recipe
        if isinstance(before, PatchOnScan) and draft is not None:
            if before.degree != draft.degree:
                return "another degree"
            if before.borders is not draft.borders:
                return f"{draft.borders.value} borders"
            if not np.array_equal(before.corners, draft.corners):
                return "corner moved"
            return "border line moved"
        return "corner moved"

    def kept(self) -> None:
        """The corners stay, to be dragged."""
        self._quick = None

    def options_changed(self) -> None:
        self._draw_lines()
        super().options_changed()

    def _preview(self, corners: list[Floats]) -> None:
        """A light, quick fit while the hand moves."""
        scan = self.session.scan
        assert scan is not None
        tolerance = self.session.document.tolerance
        try:
            if self.options.borders is BorderChoice.NATURAL:
                start = bilinear(corners_on_scan(np.array(corners), scan, tolerance)).elevated(2, 2)
                self._quick = fit_patch(start, scan, FitSettings(tolerance, samples=14, rounds=2))
                return
            placed = corners_on_scan(np.array(corners), scan, tolerance)
            if len(self.corners) == 4 and not np.array_equal(placed, np.array(corners)):
                self.borders.reorder(np.array(corners), placed)
                if self._dragged is not None:
                    self._dragged = int(np.linalg.norm(placed - corners[self._dragged], axis=1).argmin())
                self.corners = list(placed)
            self._quick = quick_patch(self.borders.draw(list(placed)), scan, tolerance)
        except ArabesqueError:  # for the moment the four places make no patch: nothing to show
            self._quick = None

    def _draw_lines(self) -> None:
        """The border lines as they are with these corners."""
        self.borders.lines = []
        if len(self.corners) == 4 and self.options.borders is BorderChoice.CALM:
            try:
                self.borders.draw(self.corners)
            except ArabesqueError as problem:
                self.session.tell_problem(problem)

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self._quick is not None:
            parts += self.preview(self._quick, camera)
        elif len(self.corners) in (2, 3):
            parts.append(Lines(polyline(np.array(self.corners)), theme.now().accent, 1.5, on_top=True))
        parts += self.borders.parts()
        if self.fit is not None and self.fit.turn is not None:
            turn = self.fit.turn
            parts.append(Lines(polyline(turn.line), theme.now().accent, 2.0, alpha=0.7, on_top=True))
            parts.append(Label(turn.line[len(turn.line) // 2], f"turns by {turn.degrees:.0f}°"))
        if self.corners:
            states = np.array([2.0 if i == self._dragged else 1.0 for i in range(len(self.corners))])
            parts.append(Discs(np.array(self.corners), states, 4.0))
            parts += [Label(corner, str(i + 1)) for i, corner in enumerate(self.corners)]
        if self._hover is not None and len(self.corners) < 4:
            parts.append(Discs(self._hover[None], np.array([2.0]), 3.0))
        return parts
