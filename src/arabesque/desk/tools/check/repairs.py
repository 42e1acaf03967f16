"""What would bring two borders that meet badly to the continuity that is asked."""

from __future__ import annotations

from functools import partial
from typing import NamedTuple

from arabesque.checking import Join, Limits
from arabesque.desk.facts import Choice
from arabesque.desk.session import Session
from arabesque.desk.tools.extend_past import extend_past
from arabesque.geometry import Face, Surface
from arabesque.joining import Ways
from arabesque.model import Item, edits
from arabesque.recipes import INSIDE, BorderOf

STEEP = 20.0
"""Degrees: surfaces that meet at more rather cut each other than go on in each other."""


class Meeting(NamedTuple):
    """Of a border that meets another one: its item, and its number, or ``INSIDE``."""

    item: Item
    border: int

    @property
    def single(self) -> bool:
        """True where its item is one surface."""
        return isinstance(self.item.shape, Surface)

    @property
    def movable(self) -> bool:
        """True for an edge of a patch that control points alone make."""
        shape = self.item.shape
        whole = isinstance(shape, Surface) and not isinstance(shape, Face)
        return whole and self.border != INSIDE and shape.weights is None


def repairs(session: Session, one: Meeting, two: Meeting, join: Join, order: int, limits: Limits) -> list[Choice]:
    """Lines that repair at once, and such that take a tool up with everything picked (those end in dots)."""
    if one.item.id == two.item.id or not (one.single and two.single):
        return []
    found: list[Choice] = []
    pairs = ((one, two), (two, one))
    for mine, other in pairs:
        if mine.movable:
            words = "the inside of " if other.border == INSIDE else ""
            match = partial(_match, session, mine, other, order, False)
            found.append(Choice(f"→ match {mine.item.name} to {words}{other.item.name} with G{order}", match))
    if one.movable and two.movable:
        found.append(Choice("→ match both half way", partial(_match, session, one, two, order, True)))
    open_, steep = bool(join.gap.max() > limits.gap), bool(join.angle.max() > STEEP)
    if open_:
        for mine, other in pairs:
            if mine.border != INSIDE:
                words = f"→ extend {mine.item.name} until it passes {other.item.name}"
                found.append(Choice(words, partial(extend_past, session, mine.item, (mine.border,), other.item.id)))
    if steep or INSIDE in (one.border, two.border):
        for mine, other in pairs:
            cut = partial(session.asks.propose.emit, "trim", ((mine.item.id, mine.border), (other.item.id, INSIDE)))
            found.append(Choice(f"→ trim {mine.item.name} by {other.item.name} …", cut))
    if INSIDE not in (one.border, two.border):
        both = (one.item.id, one.border), (two.item.id, two.border)
        found.append(Choice("→ blend them …", partial(session.asks.propose.emit, "blend", both)))
        if open_:
            found.append(Choice("→ fill between them …", partial(session.asks.propose.emit, "fill-opening", both)))
    return found


def _match(session: Session, mine: Meeting, other: Meeting, order: int, half_way: bool) -> None:
    to = BorderOf(other.item.id, other.border, order)
    session.edit(edits.joining.matched, mine.item, mine.border, to, 0, Ways.ROWS, half_way)
