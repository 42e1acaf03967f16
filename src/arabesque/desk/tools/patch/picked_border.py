"""Borders of patches and faces under the pointer."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.session import Session
from arabesque.desk.tools.on_patches import NEAR, behind_scan
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Label, Lines, polyline
from arabesque.geometry import Rim, Surface

ALONG = 49


class Border(NamedTuple):
    """A border that was picked: of an item, the number among its rims."""

    key: str
    rim: int


def rim_of(session: Session, border: Border) -> Rim | None:
    """The border as it is now; None where it is gone."""
    shape = session.document[border.key].shape if border.key in session.document else None
    rims = session.kept(_rims, shape) if isinstance(shape, Surface) else ()
    return rims[border.rim] if border.rim < len(rims) else None


def border_under(session: Session, pointer: Pointer, skipped: str | None = None) -> Border | None:
    """The border that is drawn nearest to the pointer, and within reach of it; skipped: id of an item that is not
    meant."""
    best, found = float(NEAR), None
    for item in session.seen.of(Surface):
        if item.id == skipped:
            continue
        for number, rim in enumerate(session.kept(_rims, item.shape)):
            line = border_line(rim)
            away = pointer.to_line(line)
            if away < best and not behind_scan(session, pointer, pointer.depth(pointer.place_on(line))):
                best, found = away, Border(item.id, number)
    return found


def border_line(rim: Rim) -> Floats:
    """(ALONG, 3) places along a border."""
    return np.asarray(rim.surface.at(rim.places(np.linspace(0, 1, ALONG))))


def border_parts(
    session: Session, picked: Sequence[Border], hover: Border | None, words: Sequence[str] = ()
) -> list[Lines | Label]:
    """How borders are drawn that are picked, with their numbers, or words, and the one that would be."""
    parts: list[Lines | Label] = []
    for number, border in enumerate([*picked, *([hover] if hover else [])]):
        rim = rim_of(session, border)
        if rim is not None:
            chosen = number < len(picked)
            parts.append(Lines(polyline(border_line(rim)), theme.now().accent, 4.0 if chosen else 2.4, on_top=True))
            if chosen:
                parts.append(Label(border_line(rim)[ALONG // 4], words[number] if words else str(number + 1), True))
    return parts


def _rims(shape: Surface) -> tuple[Rim, ...]:
    return tuple(shape.rims())
