"""A patch from four corners clicked on the scan."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import DegreeChoice
from arabesque.desk.tools.making import Making
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import FitProblem
from arabesque.fitting import FitSettings, PatchFit, bilinear, corners_on_scan, fit_patch
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, PatchOnScan, Recipe
from arabesque.scan import Scan


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
        """degree: lightest or given; u, v: the given ones."""

        degree: DegreeChoice = DegreeChoice.LIGHTEST
        u: int = 3
        v: int = 3

        @property
        def idle(self) -> tuple[str, ...]:
            """Given degrees mean nothing while the lightest is looked for."""
            return () if self.degree is DegreeChoice.FIXED else ("u", "v")

    def clear(self) -> None:
        self.corners: list[Floats] = []
        self._hover: Floats | None = None
        self._quick: Surface | None = None
        self._dragged: int | None = None

    @property
    def begun(self) -> bool:
        return bool(self.corners) and self.target is None

    def may_make_again(self, item: Item) -> bool:
        """Of any patch the corners can be dragged."""
        return isinstance(item.shape, Surface) and self.session.scan is not None

    def take(self, item: Item) -> None:
        p = item.shape.points
        self.corners = [p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]
        if isinstance(item.recipe, PatchOnScan) and item.recipe.degree is not None:
            self.options.degree = DegreeChoice.FIXED
            self.options.u, self.options.v = item.recipe.degree

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
            return "Fitting: Esc drops it"
        if self.target is not None:
            return "Drag a corner to fit the patch again, or click the scan to begin another"
        return "Enter applies, drag a corner to move it, Esc drops it"

    @property
    def can_apply(self) -> bool:
        return len(self.corners) == 4 and self.target is None

    @property
    def facts(self) -> list[Fact]:
        if self.fit is None:
            return [Fact("Corners", f"{len(self.corners)} of 4")]
        return fit_facts(self.fit)

    # the hand

    def press(self, pointer: Pointer) -> None:
        self._dragged = next((i for i, corner in enumerate(self.corners) if pointer.near(corner)), None)
        if self._dragged is not None:
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
        self.corners.append(hit)
        self._quick = None
        self.try_it()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        hit = pointer.on_scan(self.session.scan)
        if dragging and self._dragged is not None:
            if hit is not None:
                self.drop()
                self.corners[self._dragged] = hit
                self._preview([*self.corners])
        else:
            self._hover = hit
            if len(self.corners) == 3 and hit is not None:
                self._preview([*self.corners, hit])
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._dragged is not None and self.made is None and not self.working:
            self.try_it()
        self._dragged = None
        self.changed.emit()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.corners and self.target is None:
            self.corners.pop()
            self._quick = None
            self.try_it()
            return True
        return False

    # the fit

    def draft(self) -> PatchOnScan | None:
        if len(self.corners) < 4 or self.session.scan is None:
            return None
        degree = (self.options.u, self.options.v) if self.options.degree is DegreeChoice.FIXED else None
        return PatchOnScan(np.array(self.corners), degree)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> PatchFit:
        assert isinstance(recipe, PatchOnScan)
        return recipe.fit(source, progress)

    def shape_of(self, made: PatchFit) -> Surface:
        return made.surface

    def built(self) -> None:
        assert self.fit is not None
        self._quick = self.fit.surface
        p = self.fit.surface.points
        self.corners = [p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]

    def words(self, made: PatchFit) -> str:
        return f"patch of {made.surface.count} points"

    def words_again(self, item: Item) -> str:
        draft, before = self.draft(), item.recipe
        other = isinstance(before, PatchOnScan) and draft is not None and before.degree != draft.degree
        return "another degree" if other else "corner moved"

    def kept(self) -> None:
        """The corners stay, to be dragged."""
        self._quick = None

    def _preview(self, corners: list[Floats]) -> None:
        """A light, quick fit while the hand moves."""
        scan = self.session.scan
        assert scan is not None
        settings = FitSettings(self.session.document.tolerance, samples=14, rounds=2)
        try:
            start = bilinear(corners_on_scan(np.array(corners), scan, settings.tolerance)).elevated(2, 2)
            self._quick = fit_patch(start, scan, settings)
        except FitProblem:  # for the moment the four places make no patch: nothing to show
            self._quick = None

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self._quick is not None:
            parts += self.preview(self._quick, camera)
        elif len(self.corners) in (2, 3):
            parts.append(Lines(polyline(np.array(self.corners)), theme.now().accent, 1.5, on_top=True))
        if self.corners:
            states = np.array([2.0 if i == self._dragged else 1.0 for i in range(len(self.corners))])
            parts.append(Discs(np.array(self.corners), states, 4.0))
            parts += [Label(corner, str(i + 1)) for i, corner in enumerate(self.corners)]
        if self._hover is not None and len(self.corners) < 4:
            parts.append(Discs(self._hover[None], np.array([2.0]), 3.0))
        return parts


def fit_facts(fit: PatchFit) -> list[Fact]:
    """What a fit reports, for the Inspector."""
    there, back = fit.figures.surface_to_scan, fit.figures.scan_to_surface
    surface = fit.surface
    facts = [
        Fact("Degree", f"{surface.degree[0]} x {surface.degree[1]}"),
        Fact("Spans", f"{surface.spans[0]} x {surface.spans[1]}"),
        Fact("Control points", str(surface.count)),
        Fact("99 % of inliers", f"{fit.figures.inlier_p99:.3f} mm", "good" if fit.within else "bad"),
        Fact("rms", f"{there.rms:.3f} mm"),
        Fact("Largest", f"{there.max:.3f} mm"),
        Fact("Inside", f"{100 * there.inside:.1f} %"),
        Fact("Outliers", f"{100 * fit.figures.outlier_share:.1f} %"),
        Fact("Patch to scan", f"{there.inlier_p99:.3f} mm"),
        Fact("Scan to patch", f"{back.inlier_p99:.3f} mm"),
        Fact("Took", f"{fit.seconds:.1f} s"),
        Fact("Stopped", fit.stopped.value),
    ]
    if fit.next_u is not None and fit.next_v is not None:
        facts.append(Fact("One step more", f"u {fit.next_u:.3f}, v {fit.next_v:.3f} mm"))
    return facts
