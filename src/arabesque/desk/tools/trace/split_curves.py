"""Curves cut: at a clicked place, or at every crossing at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.jobs import Job
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, curve_feet
from arabesque.model import Item, edits
from arabesque.tracing import MEETS, Crossings, every_crossing

FEWEST = 2


class SplitCurves(Tool):
    """Shows every crossing of the chosen curves, or of all that show, and where they nearly meet; Enter cuts at all of
    them, a click at one place."""

    needs = (Curve,)
    id = "split-curves"
    step = Step.TRACE
    label = "Split curves"
    hint = "Click where a curve is to be cut; Enter cuts at every crossing"
    shortcut = "V"
    icon = "ph.scissors"
    short = "Split"

    @dataclass
    class Options:
        """within: mm up to which curves cross that pass each other; 0 for two tolerances."""

        within: float = labelled(0.0, "Crossing within")

    def start(self) -> None:
        self._hover: tuple[str, float, Floats] | None = None
        self._job: Job | None = None
        self._known: tuple[object, Crossings] = (None, Crossings((), ()))
        self.session.document_changed.connect(self._look)
        self.session.selection_changed.connect(self._look)
        self._look()

    def stop(self) -> None:
        self.session.document_changed.disconnect(self._look)
        self.session.selection_changed.disconnect(self._look)
        self._drop()

    def _drop(self) -> None:
        if self._job is not None:
            job, self._job = self._job, None
            job.drop()

    @property
    def _asked(self) -> tuple[tuple[Curve, ...], float]:
        """What the crossings are of now."""
        return tuple(item.shape for item in self.items), self.within

    def _look(self) -> None:
        """Find the crossings anew, beside the window, where the curves are others than before."""
        asked = self._asked
        if self._job is not None or asked == self._known[0]:
            return
        curves, within = asked
        self._job = job = self.session.run("Crossings", lambda progress: every_crossing(curves, within))
        job.done.connect(lambda found: self._take(job, asked, found))
        job.failed.connect(lambda _: self._take(job, asked, Crossings((), ())))

    def _take(self, job: Job, asked: object, found: Crossings) -> None:
        if job is self._job:
            self._job, self._known = None, (asked, found)
            self._look()
            self.changed.emit()

    @property
    def within(self) -> float:
        """mm: two curves that cling to a scan pass each other within two tolerances."""
        return self.options.within if self.options.within > 0 else MEETS * self.session.document.tolerance

    @property
    def items(self) -> list[Item]:
        """The selected curves, where there are several; else all that show."""
        document = self.session.history.document
        chosen = [i for i in self.session.selected_items if isinstance(i.shape, Curve) and i.id in document]
        if len(chosen) >= FEWEST:
            return [document[i.id] for i in chosen]
        return [document[i.id] for i in self.session.seen.of(Curve) if i.id in document]

    @property
    def found(self) -> Crossings:
        """The crossings as they are known; none while curves are looked at anew."""
        return self._known[1] if self._known[0] == self._asked else Crossings((), ())

    @property
    def can_apply(self) -> bool:
        return bool(self.found.found)

    @property
    def apply_word(self) -> str:
        return "Split at all"

    @property
    def facts(self) -> list[Fact]:
        found = self.found
        facts = [Fact("Curves", str(len(self.items))), Fact("Crossings", str(len(found.found)))]
        if found.nearly:
            facts.append(Fact("Nearly meet", f"{len(found.nearly)}, least {found.nearly[0].gap:.3g} mm", "bad"))
        return facts

    def options_changed(self) -> None:
        self._drop()
        self._look()
        self.changed.emit()

    def _under(self, pointer: Pointer) -> tuple[str, float, Floats] | None:
        hit = patch_under(self.session, pointer, Curve)
        if hit is None:
            return None
        curve = hit[0].shape
        points = curve_points(curve)
        feet = curve_feet(curve, points[[pointer.nearest(points)]])
        return hit[0].id, float(feet.parameters[0]), feet.points[0]

    def move(self, pointer: Pointer, dragging: bool) -> None:
        self._hover = self._under(pointer)
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        found = self._under(pointer)
        if found is None:
            self.session.tell_problem(ArabesqueError("There is no curve here", "Click on a curve"))
            return
        self.session.edit(edits.curves.split_here, self.session.history.document[found[0]], found[1])
        self._hover = None
        self.changed.emit()

    def apply(self) -> None:
        if self.can_apply:
            self.session.edit(edits.curves.split_at, self.items, self.found.found)
            self.changed.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        t, found = theme.now(), self.found
        parts: list[Triangles | Lines | Discs | Label] = [
            Lines(polyline(curve_points(item.shape)), t.accent, 1.8, on_top=True) for item in self.items
        ]
        if found.found:
            places = np.array([one.place for one in found.found])
            parts.append(Discs(places, np.ones(len(places)), 4.5))
        for one in found.nearly:
            parts.append(Discs(one.place[None], np.full(1, 3.0), 7.0, t.outside))
            parts.append(Label(one.place, f"gap {one.gap:.3g} mm"))
        if self._hover is not None:
            parts.append(Discs(self._hover[2][None], np.full(1, 2.0), 5.0))
        return parts
