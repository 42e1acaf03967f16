"""Proposed patches over the calm areas of the scan: take one, several, or all."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.tools.making import previewed
from arabesque.desk.tools.options import whole
from arabesque.desk.tools.patch.grow import Growing, Wishes
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.fitting import Growth, suggest
from arabesque.model import edits
from arabesque.progress import Progress

MOST_PATCHES = 40


class SuggestPatches(Growing):
    """Enter looks for patches; those that are there can be clicked while others still grow; Enter takes them."""

    id = "suggest"
    label = "Suggest patches"
    hint = "Propose patches over the calm areas: click those that you want, Enter takes them, or all"
    shortcut = "Shift+Y"
    icon = "ph.selection-all"
    short = "Suggest"

    @dataclass
    class Options(Wishes):
        """most: patches."""

        most: int = whole(12, 1, MOST_PATCHES, "At most")

    def start(self) -> None:
        super().start()
        self.forget()

    def forget(self) -> None:
        self.found: list[Growth] = []
        self.chosen: set[int] = set()

    @property
    def begun(self) -> bool:
        return self.growing or bool(self.found)

    @property
    def says(self) -> str:
        if self.growing:
            return "Looking: click those that you want; Esc stops and drops them"
        if self.found:
            return "Click those that you want, Enter takes them; with none clicked, all. Esc drops them"
        return "Enter looks for patches over the calm areas of the scan"

    @property
    def can_apply(self) -> bool:
        return not self.growing

    @property
    def apply_word(self) -> str:
        if not self.found:
            return "Look"
        return f"Take {len(self.chosen) or len(self.found)}"

    @property
    def facts(self) -> list[Fact]:
        if not self.found:
            return []
        scan = self.session.scan
        assert scan is not None
        taken = [self.found[k] for k in sorted(self.chosen)] or self.found
        covered = sum(self.session.kept(_size, one) for one in taken) / scan.area
        return [
            Fact("Patches", str(len(self.found))),
            Fact("Control points", str(sum(one.surface.count for one in taken))),
            Fact("Of the scan's area", f"{100 * covered:.0f} %"),
        ]

    @property
    def choices(self) -> list[Choice]:
        return [
            Choice(
                f"{number + 1}:  {self.session.kept(_size, one):.0f} mm²  {one.p99:.3f} mm",
                partial(self._toggle, number),
                number in self.chosen,
            )
            for number, one in enumerate(self.found)
        ]

    def _toggle(self, number: int) -> None:
        self.chosen ^= {number}
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        hit = pointer.on_scan(self.session.scan)
        if hit is None or not self.found:
            return
        nearest = min(range(len(self.found)), key=lambda k: _away(self.found[k], hit))
        if _away(self.found[nearest], hit) <= 0.1 * float(np.sqrt(self.session.kept(_size, self.found[nearest]))):
            self._toggle(nearest)

    def options_changed(self) -> None:
        """Other wishes make other patches: those that are there go."""
        if self.begun:
            self.drop()
            self.changed.emit()

    def apply(self) -> None:
        if self.growing:
            return
        if not self.found:
            self._look()
            return
        taken = [self.found[k] for k in sorted(self.chosen)] or self.found
        if self.session.edit(edits.patches.all_grown, taken):
            self.drop()
            self.changed.emit()

    def _look(self) -> None:
        scan, tolerance, stops = self.session.scan, self.session.document.tolerance, self.stops()
        assert scan is not None
        counts, most, found = (self.options.u, self.options.v), self.options.most, self.found

        def work(progress: Progress) -> list[Growth]:
            return suggest(scan, tolerance, counts, stops(), most, found.append, progress)

        self.run_beside(work)

    def grown(self, result: list[Growth] | None) -> None:
        if result is None:
            return
        # in the order of their size now; what was clicked stays clicked
        clicked = [self.found[k].corners for k in self.chosen]
        self.found = result
        self.chosen = {k for k, one in enumerate(result) if any(_same(one.corners, other) for other in clicked)}
        if not result:
            self.session.tell("No calm area holds a patch: use more control points, or a wider tolerance", True)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        for number, one in enumerate(self.found):
            chosen = number in self.chosen
            parts += previewed(self.session, one.surface, f"suggested {number}", 3.2 if chosen else 1.2)
            middle = one.surface.at(np.array([[0.5, 0.5]]))[0]
            parts.append(Label(middle, f"{number + 1}{' ✓' if chosen else ''}"))
        return parts


def _same(corners: Floats, others: Floats) -> bool:
    """True for the corners of one patch, two of which may have been pulled up to a neighbour since."""
    return bool((np.abs(corners - others).max(axis=1) == 0).sum() >= 2)


def _size(growth: Growth) -> float:
    return growth.area


def _away(growth: Growth, place: np.ndarray) -> float:
    samples = growth.surface.on_grid(np.linspace(0, 1, 25), np.linspace(0, 1, 25))[0, 0].reshape(-1, 3)
    return float(np.linalg.norm(samples - place, axis=1).min())
