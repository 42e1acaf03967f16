"""A patch from four corners clicked on the scan."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.jobs import Job
from arabesque.desk.patches import borders, shape_triangles
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import DegreeChoice, Tool
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import FitProblem
from arabesque.fitting import FitSettings, PatchFit, bilinear, corners_on_scan, fit_patch
from arabesque.geometry import Surface
from arabesque.model import edits
from arabesque.model.rebuild import given, ingredients
from arabesque.recipes import PatchOnScan
from arabesque.scan import Scan


class FourCornerPatch(Tool):
    """Four clicks make a patch; its corners can be dragged, before it is applied and after."""

    needs = (Scan,)
    makes = PatchOnScan
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

    def start(self) -> None:
        self.corners: list[Floats] = []
        self.fit: PatchFit | None = None
        self._hover: Floats | None = None
        self._quick: Surface | None = None
        self._dragged: int | None = None
        self._job: Job | None = None
        self._apply_when_fitted = False
        self._target: str | None = None
        self._made: tuple[PatchOnScan, tuple[object, ...]] | None = None
        item = self.session.surface_item
        if item is not None and isinstance(item.shape, Surface) and self.session.scan is not None:
            p = item.shape.points
            self.corners = [p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]
            self._target = item.id
            if isinstance(item.recipe, PatchOnScan) and item.recipe.degree is not None:
                self.options.degree = DegreeChoice.FIXED
                self.options.u, self.options.v = item.recipe.degree

    def stop(self) -> None:
        self._drop_job()

    @property
    def says(self) -> str:
        if self.session.scan is None:
            return "Open a scan first"
        if len(self.corners) < 4:
            words = ("the first corner", "the second corner", "the third corner", "the fourth corner")
            return f"Click {words[len(self.corners)]} on the scan; or arrows and Space"
        if self._job is not None:
            return "Fitting: Esc drops it"
        if self._target is not None:
            return "Drag a corner to fit the patch again, or click the scan to begin another"
        return "Enter applies, drag a corner to move it, Esc drops it"

    @property
    def can_apply(self) -> bool:
        return len(self.corners) == 4 and self._target is None

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
                self.session.told.emit("There is no scan under the pointer: click on the scan", True)
            return
        if len(self.corners) == 4:
            if self._target is None:
                return
            self._clear()
        self.corners.append(hit)
        self._quick = None
        if len(self.corners) == 4:
            self._start_fit()
        self.changed.emit()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        hit = pointer.on_scan(self.session.scan)
        if dragging and self._dragged is not None:
            if hit is not None:
                self._drop_job()
                self.fit = None
                self.corners[self._dragged] = hit
                self._preview([*self.corners])
        else:
            self._hover = hit
            if len(self.corners) == 3 and hit is not None:
                self._preview([*self.corners, hit])
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._dragged is not None and len(self.corners) == 4 and self.fit is None and self._job is None:
            self._start_fit()
        self._dragged = None
        self.changed.emit()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.corners and self._target is None:
            self._drop_job()
            self.corners.pop()
            self.fit = self._quick = None
            self.changed.emit()
            return True
        return False

    def escape(self) -> None:
        begun = bool(self.corners) and self._target is None
        self._clear()
        if begun:
            self.changed.emit()
        else:
            self.left.emit()

    def options_changed(self) -> None:
        if len(self.corners) == 4:
            self._start_fit()
        self.changed.emit()

    def apply(self) -> None:
        if self._target is not None or len(self.corners) < 4:
            return
        if self.fit is None:
            self._apply_when_fitted = True
            return
        self._commit(self.fit)

    # the fit

    def _degree(self) -> tuple[int, int] | None:
        given = self.options.degree is DegreeChoice.FIXED
        return (self.options.u, self.options.v) if given else None

    def _start_fit(self) -> None:
        scan = self.session.scan
        if scan is None:
            return
        self._drop_job()
        self.fit = None
        recipe = PatchOnScan(np.array(self.corners), self._degree())
        document = self.session.document
        source = given(document, recipe)
        self._made = recipe, ingredients(document, recipe)
        job = self.session.run("Fitting the patch", lambda progress: recipe.fit(source, progress))
        job.done.connect(lambda fit: self._fitted(job, fit))
        job.failed.connect(lambda _: self._fitted(job, None))
        self._job = job
        self.changed.emit()

    def _fitted(self, job: Job, fit: PatchFit | None) -> None:
        if job is not self._job:
            return
        self._job, self.fit = None, fit
        if fit is not None:
            self._quick = fit.surface
            p = fit.surface.points
            self.corners = [p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]]
            if self._target is not None:
                if self._target in self.session.document:
                    self._put_again(self._target, fit)
            elif self._apply_when_fitted:
                self._commit(fit)
        self._apply_when_fitted = False
        self.changed.emit()

    def _commit(self, fit: PatchFit) -> None:
        assert self._made is not None
        label = f"patch of {fit.surface.count} points"
        self.session.edit(edits.items.derived, label, "Patch", fit.surface, *self._made)
        item = self.session.selection
        assert item is not None
        self._target = item.id
        self._quick = None
        self.changed.emit()

    def _put_again(self, item_id: str, fit: PatchFit) -> None:
        """Another fit for a patch that is there: one that followed the scan still does."""
        document = self.session.history.document
        item = document[item_id]
        if item.recipe is not None and self._made is not None:
            degree = isinstance(item.recipe, PatchOnScan) and item.recipe.degree != self._made[0].degree
            words = "another degree" if degree else "corner moved"
            self.session.edit(edits.items.derived_again, item, words, fit.surface, *self._made)
        else:
            self.session.commit(f"{item.name}: corner moved", document.with_shape(item_id, fit.surface))

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

    def _drop_job(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job = None

    def _clear(self) -> None:
        self._drop_job()
        self.corners = []
        self.fit = self._quick = self._target = None
        self._apply_when_fitted = False

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self._quick is not None:
            measured = self.session.meters.measure_now("preview", self._quick, self.session.scan)
            parts.append(replace(self.session.kept(shape_triangles, "preview", measured), lift=0.5))
            parts.append(Lines(borders(measured.samples), theme.now().accent, 1.6, lift=0.8))
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
