"""A patch from one click: the largest area that a light net holds within the tolerance grows from there."""

from __future__ import annotations

import time
from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.desk.facts import Fact
from arabesque.desk.jobs import Job
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.making import previewed
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.fitting import Grower, Growth, blocked_triangles, met
from arabesque.geometry import Surface
from arabesque.model import edits
from arabesque.progress import Progress
from arabesque.scan import Scan
from arabesque.shapes import Guiding, Sampled, can

DRAWN_EVERY = 0.5
"""Seconds between pictures of what grows."""
FEWEST, MOST = 2, 6
"""Control points each way of what grows: one span."""


@dataclass
class Wishes:
    """u, v: control points each way. plane, lines, patches: what growth stops at."""

    u: int = whole(4, FEWEST, MOST, "Points u")
    v: int = whole(4, FEWEST, MOST, "Points v")
    patches: bool = labelled(True, "Stop at patches")
    lines: bool = labelled(True, "Stop at lines")
    plane: bool = labelled(False, "Stop at the twin plane")


class Growing(Tool):
    """What tools share whose patches grow beside the window; what was wished for last is what counts."""

    needs = (Scan,)
    step = Step.PATCH
    takes_places = True
    Options = Wishes

    def start(self) -> None:
        self._job: Job | None = None
        self._drawn = 0.0

    def stop(self) -> None:
        self.drop()

    @property
    def growing(self) -> bool:
        """True while something grows."""
        return self._job is not None

    def drop(self) -> None:
        """Forget what grew, or grows."""
        job, self._job = self._job, None
        self.forget()
        if job is not None:
            job.drop()

    @abstractmethod
    def forget(self) -> None:
        """Nothing has grown."""

    @abstractmethod
    def grown(self, result: Any) -> None:
        """What the work beside the window came to; None where it failed."""

    @property
    @abstractmethod
    def begun(self) -> bool:
        """True when something has grown, or grows."""

    def stops(self, at_patches: bool = True) -> Callable[[], Bools]:
        """What computes, beside the window, where growth stops: by what is there now, as it is wished."""
        session, o = self.session, self.options
        scan = session.scan
        assert scan is not None
        guiding = [item.shape for item in session.seen.that(Guiding) if not can(item.shape, Sampled)] if o.lines else []
        patches = [item.shape for item in session.seen.of(Surface)] if o.patches and at_patches else []
        tolerance, plane = session.document.tolerance, session.document.plane if o.plane else None

        def triangles() -> Bools:
            lines = [line.points for shape in guiding for line in shape.guides()]
            return blocked_triangles(scan, tolerance, patches, lines, plane)

        return triangles

    def run_beside(self, work: Callable[[Progress], Any]) -> None:
        """Let something grow; every report is drawn."""
        job = self._job = self.session.run(self.label, work)
        job.progressed.connect(self._show_growth)
        job.done.connect(lambda result: self._finish(job, result))
        job.failed.connect(lambda _: self._finish(job, None))
        job.cancelled.connect(lambda: self._finish(job, None))
        self.changed.emit()

    def _show_growth(self) -> None:
        """Draw it as it is, but not so often that drawing is all that is done where it is slow."""
        now = time.monotonic()
        if now - self._drawn > DRAWN_EVERY:
            self._drawn = now
            self.changed.emit()

    def _finish(self, job: Job, result: Any) -> None:
        if job is self._job:
            self._job = None
            self.grown(result)
            self.changed.emit()

    def escape(self) -> None:
        if self.begun:
            self.drop()
            self.changed.emit()
        else:
            self.left.emit()


class GrowPatch(Growing):
    """Click a calm place, watch the area grow, Enter keeps it; its corners and borders can be dragged on."""

    @dataclass
    class Options(Wishes):
        """meet: a side that comes to lie beside the edge of a patch is pulled up to it, exactly."""

        meet: bool = labelled(True, "Meet neighbours")

    id = "grow"
    label = "Grow a patch"
    hint = "Click a calm place: the largest area that a light net holds within the tolerance grows from there"
    shortcut = "Y"
    icon = "ph.arrows-out-simple"
    short = "Grow"

    def start(self) -> None:
        super().start()
        self.forget()
        self._kept_one = False

    def forget(self) -> None:
        self.growth: Growth | None = None
        self._seed: Floats | None = None
        self._latest: Surface | None = None
        self._wanted = False

    @property
    def begun(self) -> bool:
        return self.growing or self.growth is not None

    @property
    def says(self) -> str:
        if self.session.scan is None:
            return "Open a scan first"
        if self.growing:
            return "Growing: Enter keeps it when it is done, Esc drops it"
        if self.growth is not None:
            return "Enter keeps it, click elsewhere to grow from there, Esc drops it"
        if self._kept_one:
            return "Kept: N drags its corners and borders; click to grow another"
        return "Click a calm place on the scan; or arrows and Space"

    @property
    def can_apply(self) -> bool:
        return self.growth is not None or self.growing

    @property
    def facts(self) -> list[Fact]:
        if self.growth is None:
            return [Fact("Points", f"{self.options.u} x {self.options.v}")]
        return growth_facts(self.growth)

    def press(self, pointer: Pointer) -> None:
        hit = pointer.on_scan(self.session.scan)
        if hit is None:
            if self.session.scan is not None:
                self.session.tell("There is no scan under the pointer: click on the scan", True)
            return
        self._seed_at(hit)

    def options_changed(self) -> None:
        if self._seed is not None:
            self._seed_at(self._seed)

    def _seed_at(self, place: Floats) -> None:
        self.drop()
        scan, tolerance, stops = self.session.scan, self.session.document.tolerance, self.stops()
        assert scan is not None
        counts = self.options.u, self.options.v
        self._seed = place
        beside = self.stops(at_patches=False)
        patches = [item.shape for item in self.session.seen.of(Surface)] if self.options.meet else []

        def work(progress: Progress) -> Growth:
            growth = Grower(scan, tolerance, counts, stops()).grow(place, self._take_larger, progress)
            edges = [guide for shape in patches for guide in shape.guides()]
            return met(growth, edges, Grower(scan, tolerance, counts, beside())) if edges else growth

        self.run_beside(work)

    def _take_larger(self, surface: Surface) -> None:
        """Called beside the window: only remembered here, and drawn with the next report."""
        self._latest = surface

    def grown(self, result: Growth | None) -> None:
        self.growth = result
        self._latest = None if result is None else result.surface
        if self._wanted:
            self.apply()

    def apply(self) -> None:
        growth = self.growth
        self._wanted = self.growing
        if growth is not None and self.session.edit(edits.patches.grown, growth):
            self.forget()
            self._kept_one = True
            self.changed.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self._latest is not None:
            parts += previewed(self.session, self._latest, "growing", 2.6)
        if self._seed is not None:
            parts.append(Discs(self._seed[None], np.array([1.0]), 3.5))
        return parts


def growth_facts(growth: Growth) -> list[Fact]:
    """What is told of a grown area."""
    return [
        Fact("Area", f"{growth.area:.0f} mm²"),
        Fact("Control points", str(growth.surface.count)),
        Fact("99 % within", f"{growth.p99:.3f} mm"),
        Fact("Net: legs", f"{growth.net.leg:.2f} : 1"),
        Fact("Net: bend", f"{growth.net.bend:.0f}°"),
    ]
