"""The guided path of a first minute: a patch, a pulled point, its distance, an export; left at any moment."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.arrays import Floats
from arabesque.desk.hand import Hand
from arabesque.desk.session import Session
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.deliver.export import Export
from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.view.scene import Discs, Label
from arabesque.geometry import Surface
from arabesque.model import Item

NEAR = 0.02
"""Of the marked places' own extent: a corner so near to one was meant for it."""


@dataclass(frozen=True)
class Stage:
    """One thing to do. tool: with what; says: what to do now, by what is there; done: whether it is."""

    title: str
    tool: type[Tool] | None
    says: Callable[[FirstMinute], str]
    done: Callable[[FirstMinute], bool]


class FirstMinute(QObject):
    """Follows what is done, and says what comes next. It changes nothing itself."""

    changed = pyqtSignal()
    left = pyqtSignal()
    """It is over: all done, or left."""

    def __init__(self, session: Session, hand: Hand) -> None:
        super().__init__()
        self.session, self.hand = session, hand
        self.places: Floats | None = None
        self.stage: int | None = None
        """Number of the stage; ``len(STAGES)`` when all are done, None when nobody is led."""
        self.before: object = None
        """The shape of the patch when the present stage began."""
        self.delivered = False
        session.on_any(self.look)
        hand.changed.connect(self.look)
        session.asks.written.connect(self._written)
        session.asks.begun.connect(self.leave)

    def begin(self, places: Floats) -> None:
        """Begin at the first stage. places: (4, 3) where the corners of a patch may go."""
        self.places, self.stage = places, 0
        self._enter()

    def leave(self) -> None:
        """It is over."""
        if self.stage is not None:
            self.stage = None
            self.left.emit()
            self.changed.emit()

    def take_up(self) -> None:
        """Take up the tool of the present stage."""
        if self.now is not None and self.now.tool is not None:
            self.hand.take_up(self.now.tool)

    @property
    def now(self) -> Stage | None:
        """The present stage; None when there is none."""
        return STAGES[self.stage] if self.stage is not None and self.stage < len(STAGES) else None

    @property
    def title(self) -> str:
        """The heading of the card."""
        return "Done" if self.now is None else f"{(self.stage or 0) + 1} of {len(STAGES)}: {self.now.title}"

    @property
    def says(self) -> str:
        """What to do now."""
        if self.now is None:
            return "Ctrl+Z takes everything back, step by step. F1 opens the guide: an hour from scan to solid."
        return self.now.says(self)

    @property
    def offers_tool(self) -> bool:
        """True where the tool of the stage is not in the hand."""
        return self.now is not None and self.now.tool is not None and type(self.hand.tool) is not self.now.tool

    @property
    def patch(self) -> Item | None:
        """The last patch there is."""
        patches = self.session.history.document.of(Surface)
        return patches[-1] if patches else None

    @property
    def parts(self) -> list[Discs | Label]:
        """The places for corners that are still to be clicked."""
        if self.stage != 0 or self.places is None:
            return []
        tool = self.hand.tool
        clicked = tool.corners if isinstance(tool, FourCornerPatch) else []
        reach = NEAR * float(np.ptp(self.places, axis=0).max())
        free = [i for i, at in enumerate(self.places) if all(np.linalg.norm(at - c) > reach for c in clicked)]
        if not free:
            return []
        return [
            Discs(self.places[free], np.full(len(free), 2.0), 6.0),
            *(Label(self.places[i], f"corner {i + 1}") for i in free),
        ]

    def look(self) -> None:
        """See whether the present stage is done."""
        if self.stage is None:
            return
        if 0 < self.stage < len(STAGES) and self.patch is None:
            self.stage = 0  # it was taken back
            self._enter()
        elif self.now is not None and self.now.done(self):
            self.stage += 1
            self._enter()
        else:
            self.changed.emit()

    def _enter(self) -> None:
        self.delivered = False
        self.before = None if self.patch is None else self.patch.shape
        self.changed.emit()

    def _written(self) -> None:
        self.delivered = True
        self.look()


def _lay(path: FirstMinute) -> str:
    tool = path.hand.tool
    if not isinstance(tool, FourCornerPatch):
        return "Press N: with that tool a patch is laid by four clicks on the scan."
    if len(tool.corners) < 4:
        return "Click the four marked places on the form, in their order."
    return "Press Enter: the patch is kept. It has as few control points as the tolerance allows."


def _pull(path: FirstMinute) -> str:
    if not isinstance(path.hand.tool, MovePoints):
        return "Press M: the control points of the patch show."
    return "Click a point of the net, then drag it. The surface and the figures below follow."


def _see(path: FirstMinute) -> str:
    return (
        "Press 1: the distance to the scan lies over the patch. "
        "Calm is within the tolerance, warm is above the scan, cool below."
    )


def _take_along(path: FirstMinute) -> str:
    if not isinstance(path.hand.tool, Export):
        return "Press Ctrl+E: the patch is written for other systems."
    return "Press Enter and choose a place. The file is read back before it says done."


def _was_pulled(path: FirstMinute) -> bool:
    return path.patch is not None and path.patch.shape is not path.before


STAGES = (
    Stage("lay a patch", FourCornerPatch, _lay, lambda path: path.patch is not None),
    Stage("pull a point", MovePoints, _pull, _was_pulled),
    Stage("see the distance", None, _see, lambda path: "distance" in path.session.looks.on),
    Stage("take it with you", Export, _take_along, lambda path: path.delivered),
)
"""What the path leads through."""
