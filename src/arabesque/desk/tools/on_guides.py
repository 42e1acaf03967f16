"""Lines of items under the pointer: rims, feature lines, edges, curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.session import Session
from arabesque.desk.tools.on_patches import NEAR, behind_scan
from arabesque.desk.view.pointer import Pointer
from arabesque.model import Item
from arabesque.shapes import Guide, Guiding


class OnGuide(NamedTuple):
    """A line under the pointer: its item, and the (3,) place of it that is drawn nearest."""

    item: Item
    guide: Guide
    place: Floats


def guides_of(shape: Guiding) -> Sequence[Guide]:
    """The lines of a shape, for the session to keep."""
    return shape.guides()


def guide_under(session: Session, pointer: Pointer, skipped: str | None = None) -> OnGuide | None:
    """The line that is drawn nearest to the pointer, and within reach of it; skipped: id of an item that does not
    count. What a scan hides is not meant."""
    best, found = float(NEAR), None
    for item in session.seen.that(Guiding):
        if item.id == skipped:
            continue
        for guide in session.kept(guides_of, item.shape):
            ring = np.vstack([guide.points, guide.points[:1]]) if guide.closed else guide.points
            away = pointer.to_line(ring)
            if away < best:
                place = pointer.place_on(ring)
                if not behind_scan(session, pointer, pointer.depth(place)):
                    best, found = away, OnGuide(item, guide, place)
    return found


def end_under(session: Session, pointer: Pointer, skipped: str | None = None) -> Floats | None:
    """The end of a line that is seen under the pointer: of a curve, or the corner of a patch."""
    for item in session.seen.that(Guiding):
        if item.id != skipped:
            for guide in session.kept(guides_of, item.shape):
                for end in () if guide.closed else guide.points[[0, -1]]:
                    if pointer.near(end, NEAR) and not behind_scan(session, pointer, pointer.depth(end)):
                        place: Floats = end
                        return place
    return None
