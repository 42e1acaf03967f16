"""What tools on patches ask: which patch is meant, and which patch or edge lies under the pointer."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.kinds import shown_of
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.geometry import Surface, edge_curve
from arabesque.model import Item

NEAR = 9.0
"""Pixels within which an edge is meant."""


def take_one(session: Session, what: type = Surface) -> None:
    """Select the first patch (or shape that answers what a protocol asks) that shows, where none is selected."""
    if session.chosen(what) is None:
        shown = session.seen.that(what)
        if shown:
            session.select(shown[0].id)


def committed_patch(session: Session) -> Item | None:
    """The selected patch, as committed."""
    item, document = session.surface_item, session.history.document
    return document[item.id] if item is not None and item.id in document else None


def patch_under(session: Session, pointer: Pointer, what: type = Surface) -> tuple[Item, float] | None:
    """The patch (or shape that answers what a protocol asks) that the pointer's ray hits first, and how deep."""
    found: tuple[Item, float] | None = None
    for item in session.seen.that(what):
        depth = shown_of(item).hit(session, item, pointer)
        if depth is not None and (found is None or depth < found[1]):
            found = item, depth
    return found


def edge_points(surface: Surface, number: int) -> Floats:
    """(49, 3) points along an ``Edge``."""
    curve = edge_curve(surface, number)
    return curve.at(np.linspace(*curve.domain, 49))


def edge_under(items: list[Item], pointer: Pointer) -> tuple[Item, int] | None:
    """The edge of a patch that is drawn nearest to the pointer, and within reach of it."""
    best: tuple[float, Item, int] | None = None
    for item in items:
        assert isinstance(item.shape, Surface)
        for number in range(4):
            away = pointer.to_line(edge_points(item.shape, number))
            if away <= NEAR and (best is None or away < best[0]):
                best = away, item, number
    return None if best is None else best[1:]
