"""What tools on patches ask: which patch is meant, and which patch or edge lies under the pointer."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.kinds import shown_of
from arabesque.desk.looks import ScanLook
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.geometry import Surface, edge_curve
from arabesque.model import Item
from arabesque.scan import Scan

NEAR = 9.0
"""Pixels within which an edge is meant."""
HIDDEN = 0.02
"""Of a scan's size: what lies further behind it is hidden; what lies on it, or below it within a tolerance, is not."""


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
    return None if found is None or behind_scan(session, pointer, found[1]) else found


def behind_scan(session: Session, pointer: Pointer, depth: float) -> bool:
    """True where a scan hides what lies so deep along the pointer's ray, and all round that too.

    A rim that the outline of the form overhangs by a hair is seen as the outline, and is meant.
    """
    if session.looks.scans is not ScanLook.SOLID:
        return False
    scans = [item.shape for item in session.seen.of(Scan) if not item.look.see_through]
    turns = np.arange(8) * np.pi / 4
    offsets = np.vstack([np.zeros((1, 2)), NEAR * np.column_stack([np.cos(turns), np.sin(turns)])])
    return bool(scans) and all(
        any(_before(scan, replace(pointer, x=pointer.x + dx, y=pointer.y + dy), depth) for scan in scans)
        for dx, dy in offsets
    )


def _before(scan: Scan, pointer: Pointer, depth: float) -> bool:
    place = pointer.on_scan(scan)
    return place is not None and pointer.depth(place) < depth - HIDDEN * scan.diagonal


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
