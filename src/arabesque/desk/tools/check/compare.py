"""Two states of the work side by side: their distance maps, their nets, their figures."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from PyQt6.QtCore import QTimer

from arabesque.arrays import Floats
from arabesque.checking import Distances, figures_of
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.meters import Live
from arabesque.desk.patches import borders, shape_triangles
from arabesque.desk.seen import Seen
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, net_segments
from arabesque.geometry import Surface
from arabesque.model import Document, Item
from arabesque.shapes import Netted, can

GAP = 1.12
"""The second state stands this many widths of the first to its right."""


class Compare(Tool):
    """The present work, and beside it a milestone or a parked version, with distance and net."""

    id = "compare"
    step = Step.CHECK
    label = "Compare states"
    hint = "The present work beside a milestone or another state, in distance and net"
    shortcut = "Shift+H"
    icon = "ph.git-diff"
    short = "Compare"
    applies = False

    @dataclass
    class Options:
        """nets: are drawn too."""

        nets: bool = labelled(True, "Show nets")

    def start(self) -> None:
        self.left_state: tuple[str, Document] = ("now", self.session.history.document)
        self.right_state: tuple[str, Document] | None = None
        # states are kept alive by the history, so that their identity is theirs alone
        self._measured: dict[int, list[tuple[Item, Distances]]] = {}
        self._drawn: tuple[object, list[Triangles | Lines | Discs | Label]] = (None, [])
        history = self.session.history
        if history.milestones:
            last = history.milestones[-1]
            self._put_right(f"◆ {last.name}", last.document)
        elif history.position:
            before = history.steps[history.position - 1]
            self._put_right(f"before: {before.label}", before.document)
        QTimer.singleShot(0, self.session.asks.fit.emit)

    @property
    def says(self) -> str:
        return "Choose what stands on the right; the present work stands on the left"

    @property
    def map_tolerance(self) -> float | None:
        return self.session.document.tolerance

    @property
    def covers(self) -> frozenset[str]:
        return frozenset(item.id for item in self.session.document)

    @property
    def choices(self) -> list[Choice]:
        history = self.session.history
        states = [(f"◆ {m.name}", m.document) for m in history.milestones]
        states += [(step.label, step.document) for step in reversed(history.steps[:-1])]
        shown = None if self.right_state is None else self.right_state[1]
        return [Choice(words, partial(self._choose, words, state), state is shown) for words, state in states]

    def _choose(self, words: str, state: Document) -> None:
        self._put_right(words, state)
        self.changed.emit()

    def _put_right(self, words: str, state: Document) -> None:
        self.right_state = (words, state)

    def _patches(self, state: Document) -> list[tuple[Item, Distances]]:
        """The patches of a state with their distances, measured once."""
        known = self._measured.get(id(state))
        if known is None:
            scan = state.reference_scan or self.session.scan
            known = []
            for item in Seen(state).patches:
                known.append((item, Live(item.shape).measure(item.shape, scan)))
            self._measured[id(state)] = known
        return known

    @property
    def facts(self) -> list[Fact]:
        if self.right_state is None:
            return [Fact("Right", "nothing to compare with yet")]
        facts = []
        columns = [self._figures(self.left_state[1]), self._figures(self.right_state[1])]
        for row in columns[0]:
            facts.append(Fact(row, f"{columns[0][row]}  |  {columns[1][row]}"))
        return [Fact("Left  |  right", f"now  |  {self.right_state[0]}"), *facts]

    def _figures(self, state: Document) -> dict[str, str]:
        patches = self._patches(state)
        weight = sum(i.shape.count for i in Seen(state).of(Surface))
        figures = figures_of([measured for _, measured in patches], self.session.document.tolerance)
        return {
            "Patches": str(len(Seen(state).of(Surface))),
            "Points": str(weight),
            "99 %, mm": f"{figures.inlier_p99:.3f}",
            "rms, mm": f"{figures.rms:.3f}",
            "Inside, %": f"{100 * figures.inside:.1f}",
        }

    @property
    def box(self) -> tuple[Floats, Floats] | None:
        if not self._drawn[1]:
            return None
        points = np.concatenate([part.points for part in self._drawn[1] if isinstance(part, Triangles)])
        return points.min(axis=0), points.max(axis=0)

    def options_changed(self) -> None:
        self.changed.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        shown = (self.right_state, self.options.nets)
        if self._drawn[0] != shown:
            # laid out once, along the view as it then is: the second state does not wander while one turns
            self._drawn = shown, self._side_by_side(camera)
        return self._drawn[1]

    def _side_by_side(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        left = self._patches(self.left_state[1])
        if not left and self.right_state is None:
            return parts
        right = [] if self.right_state is None else self._patches(self.right_state[1])
        points = np.concatenate([measured.samples.points for _, measured in [*left, *right]] or [np.zeros((1, 3))])
        across = camera.axes[0]
        places = points @ across
        apart = GAP * float(np.ptp(places))
        middle = points.mean(axis=0)
        tall = float((points @ camera.axes[1]).max() - middle @ camera.axes[1])
        for patches, share, words in (
            (left, -0.5, "now"),
            (right, 0.5, "" if self.right_state is None else self.right_state[0]),
        ):
            shift = share * apart * across
            parts += [part for item, measured in patches for part in self._patch(item, measured, shift, words)]
            if words:
                parts.append(Label(middle + shift + 1.15 * tall * camera.axes[1], words))
        return parts

    def _patch(
        self, item: Item, measured: Distances, shift: Floats, words: str
    ) -> list[Triangles | Lines | Discs | Label]:
        moved = replace(measured, samples=replace(measured.samples, points=measured.samples.points + shift))
        t = theme.now()
        drawn: list[Triangles | Lines | Discs | Label] = [
            self.session.kept(shape_triangles, f"{words} {item.id}", moved),
            Lines(borders(moved.samples), t.view_ink, 1.4, lift=0.6),
        ]
        if self.options.nets and can(item.shape, Netted):
            net = item.shape.net()
            net = replace(net, points=net.points + shift)
            drawn.append(Lines(net_segments(net), t.net, 1.0, 0.8, on_top=True))
            drawn.append(Discs(net.points, np.zeros(len(net.points)), 2.6))
        return drawn
