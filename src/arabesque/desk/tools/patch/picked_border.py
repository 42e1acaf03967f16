"""Borders of patches and faces under the pointer."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.session import Session
from arabesque.desk.tools.on_patches import NEAR, behind_scan, patch_under
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Label, Lines, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Rim, Surface, foot_points
from arabesque.joining import curve_border
from arabesque.model import Item
from arabesque.recipes import INSIDE, BorderOf

ALONG = 49
ON_SURFACE = 17
"""Places of a curve at which is looked on which surface it lies."""
LEAST_REACH, REACH = 1.0, 5.0
"""mm, and tolerances, up to which a curve lies on a surface."""


class Border(NamedTuple):
    """A border that was picked: of an item, the number among its rims; ``INSIDE`` is a curve, or the line of a surface
    below the curve with the id ``line``, or below what is brought to it."""

    key: str
    rim: int
    line: str = ""

    def of(self, order: int) -> BorderOf:
        """In a recipe."""
        return BorderOf(self.key, self.rim, order, line=self.line)

    @classmethod
    def from_recipe(cls, border: BorderOf) -> Border:
        """As a recipe has it."""
        return cls(border.of, border.rim, border.line)


def rim_of(session: Session, border: Border) -> Rim | None:
    """The border as it is now; None where it is gone, or is the whole inside of a surface."""
    key = border.line or border.key
    shape = session.document[key].shape if key in session.document else None
    if border.rim == INSIDE:
        return session.kept(curve_border, shape) if isinstance(shape, Curve) else None
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


def curve_under(session: Session, pointer: Pointer) -> Item | None:
    """The curve under the pointer."""
    found = patch_under(session, pointer, Curve)
    return None if found is None else found[0]


def line_under(session: Session, pointer: Pointer) -> Border | None:
    """The line of a surface below the curve under the pointer; raises ArabesqueError where that lies on none."""
    item = curve_under(session, pointer)
    if item is None:
        return None
    curve: Curve = item.shape
    places = curve.at(np.linspace(*curve.domain, ON_SURFACE))
    away = {
        other.id: float(np.linalg.norm(foot_points(other.shape.whole, places).points - places, axis=1).max())
        for other in session.seen.of(Surface)
    }
    nearest = min(away, key=lambda key: away[key], default=None)
    reach = max(LEAST_REACH, REACH * session.document.tolerance)
    if nearest is None or away[nearest] > reach:
        raise ArabesqueError(f"{item.name} lies on no surface", "Bring it onto one first, or click an edge")
    return Border(nearest, INSIDE, item.id)


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
