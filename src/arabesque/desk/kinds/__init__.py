"""How every kind of shape shows: icon, picture, hit, facts, state. The rooms of ``model.kinds`` on this side."""

from __future__ import annotations

from typing import Any

from arabesque.desk.kinds.areas import ShownRegions
from arabesque.desk.kinds.base import Pen, Shown
from arabesque.desk.kinds.bodies import ShownBody
from arabesque.desk.kinds.cages import ShownCage
from arabesque.desk.kinds.lines import ShownCurve, ShownLines, ShownSketch
from arabesque.desk.kinds.scans import ShownScan
from arabesque.desk.kinds.surfaces import ShownFace, ShownPatchwork, ShownSurface, ShownTrueShape
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.model import Item

SHOWN: tuple[Shown, ...] = (
    ShownScan(),
    ShownCurve(),
    ShownSurface(),
    ShownFace(),
    ShownTrueShape(),
    ShownPatchwork(),
    ShownBody(),
    ShownCage(),
    ShownSketch(),
    ShownRegions(),
    ShownLines(),
)

_BY_TYPE = {shown.made: shown for shown in SHOWN}

__all__ = ["SHOWN", "Pen", "Shown", "item_under", "shown_of"]


def shown_of(item: Item[Any]) -> Shown:
    """How an item's kind shows."""
    return _BY_TYPE[type(item.shape)]


def item_under(session: Session, pointer: Pointer) -> tuple[Item[Any], float] | None:
    """The item that the pointer's ray hits first of all that show, and how deep."""
    found: tuple[Item[Any], float] | None = None
    for item in session.seen.items:
        depth = shown_of(item).hit(session, item, pointer)
        if depth is not None and (found is None or depth < found[1]):
            found = item, depth
    return found
