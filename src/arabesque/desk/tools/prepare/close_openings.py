"""The openings of a scan: choose some, and close them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.scan_work import Made, ScanWork
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.mending import Closing, Fill, Opening, fill, openings
from arabesque.progress import Progress
from arabesque.scan import Scan


class CloseOpenings(ScanWork):
    """A list of all openings with their size; the outer rim is left alone unless it is chosen."""

    id = "openings"
    label = "Openings"
    hint = "Click rims in the view or lines in the list to choose openings, then Enter closes them"
    icon = "ph.circle-dashed"
    takes_places = True

    @dataclass
    class Options:
        """way: how they are closed. up_to: width of the openings that "all up to" chooses, mm."""

        way: Fill = Fill.CURVED
        up_to: float = labelled(20.0, "All up to")

    def start(self) -> None:
        super().start()
        self._known: tuple[Scan, list[Opening]] | None = None
        self._looked: Scan | None = None
        self.chosen: set[int] = set()
        self._look()

    def _look(self, leave: bool = False) -> None:
        """Find the openings, beside the window: a large scan takes a moment. leave: when only the outer rim is left."""
        scan = self._looked = self.scan
        if scan is None:
            return

        def finish(found: list[Opening]) -> None:
            if scan is not self._looked:
                return
            self._known = scan, found
            self._choose_small()
            if leave and all(o.outer for o in found):
                self.left.emit()
            self.changed.emit()

        job = self.session.jobs.quick("Looking for openings", lambda progress: openings(scan))
        job.done.connect(finish)

    def _check(self) -> None:
        super()._check()
        # undo, or another selection, brings another scan before the tool
        if self.scan is not self._looked:
            self._look()

    @property
    def openings(self) -> list[Opening]:
        """The openings of the scan at hand, once they are found."""
        known = self._known
        return known[1] if known is not None and known[0] is self.scan else []

    @property
    def says(self) -> str:
        if self._known is not None and self._known[0] is self.scan and not self.openings:
            return "This scan has no openings"
        return super().says

    @property
    def can_apply(self) -> bool:
        return super().can_apply and (bool(self.chosen) or self.made is not None)

    @property
    def apply_word(self) -> str:
        return f"Close {len(self.chosen)}" if self.made is None else "Keep"

    @property
    def choices(self) -> list[Choice]:
        if self.made is not None:
            return []
        return [
            Choice(
                f"{'outer rim' if o.outer else 'opening'}, {o.width:.1f} mm wide, {len(o.ring)} points",
                lambda n=n: self.toggle(n),  # type: ignore[misc]
                n in self.chosen,
            )
            for n, o in enumerate(self.openings)
        ]

    def _choose_small(self) -> None:
        self.chosen = {n for n, o in enumerate(self.openings) if not o.outer and o.width <= self.options.up_to}

    def options_changed(self) -> None:
        super().options_changed()
        self._choose_small()
        self.changed.emit()

    def toggle(self, which: int) -> None:
        """Choose an opening, or no longer."""
        self._drop()
        self.chosen ^= {which}
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        scan = self.scan
        if scan is None or self.made is not None:
            return
        best, nearest = None, 14.0
        for n, opening in enumerate(self.openings):
            seen = pointer.camera.project(scan.points[opening.ring])
            away = float(np.nanmin(np.hypot(seen[:, 0] - pointer.x, seen[:, 1] - pointer.y)))
            if away < nearest:
                best, nearest = n, away
        if best is not None:
            self.toggle(best)

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        chosen = [o for n, o in enumerate(self.openings) if n in self.chosen]
        if not chosen:
            raise ArabesqueError("No opening is chosen", "Click a rim in the view or a line in the list")
        way = self.options.way
        step = Closing.of(self.openings, self.chosen, way)

        def run(progress: Progress) -> Made:
            done = fill(scan, chosen, way, progress)
            facts = [
                Fact("Closed", f"{len(chosen)} of {len(openings(scan))}"),
                Fact("New triangles", str(int(done.new.sum()))),
            ]
            return Made(done.scan, f"{len(chosen)} openings closed", facts, step=step)

        return run

    def kept(self, item_id: str) -> None:
        self.chosen = set()
        self._look(leave=True)
        self.changed.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        scan = self.scan
        if scan is None or self.made is not None:
            return []
        t = theme.now()
        parts: list[Triangles | Lines | Discs | Label] = []
        for n, opening in enumerate(self.openings):
            chosen = n in self.chosen
            ring = polyline(scan.points[opening.ring], closed=True)
            parts.append(Lines(ring, t.accent if chosen else t.view_ink, 3.0 if chosen else 1.4, on_top=chosen))
            if not opening.outer:
                parts.append(Label(opening.middle, f"{opening.width:.1f}"))
        return parts
