"""Curvature combs on lines of patches and on curves, or on the sections."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import Comb, Flaw, section_comb, section_places, shape_combs
from arabesque.desk import theme
from arabesque.desk.checks.base import Check
from arabesque.desk.checks.sections import Sections, cuts, middle_of
from arabesque.desk.kinds.base import Pen
from arabesque.desk.patches import size_of
from arabesque.desk.session import Session
from arabesque.desk.view.scene import Discs, Label, Lines, Part, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.model import Item
from arabesque.recipes import Mirror
from arabesque.shapes import Lined

SECTIONS = Sections()


class CombsOn(Enum):
    """Where combs stand; the value is its words."""

    LINES = "lines and curves"
    SECTIONS = "the sections"


@dataclass(frozen=True)
class CombLook:
    """Combs on so many lines each way; teeth: length of the longest, in per cent of the size of what is shown."""

    on: CombsOn = CombsOn.LINES
    lines: int = 5
    teeth: float = 0.06


class Combs(Check):
    """Teeth as long as the curvature; flaws as discs in the colour of what is wrong."""

    id = "combs"
    key = "3"
    word = "combs"
    Look = CombLook

    def lay(self, pen: Pen, items: list[Item]) -> None:
        lined = lined_items(pen.session)
        if lined:
            for part in comb_parts(pen.session, pen.looks.of(self), lined, size_of(lined)):
                pen.add(part)

    def scaled(self, look: CombLook, up: int, fine: bool) -> CombLook:
        if fine:
            return replace(look, lines=min(max(look.lines + up, 2), 40))
        return replace(look, teeth=min(max(look.teeth * 1.2**up, 0.005), 1.0))


def comb_parts(session: Session, look: CombLook, items: list[Item], size: float) -> list[Part]:
    """Teeth and their outline on lines of each shape; flaws as discs in the colour of what is wrong."""
    if look.on is CombsOn.SECTIONS:
        return _section_comb_parts(session, look, items, size)
    parts: list[Part] = []
    t = theme.now()
    combs = [comb for item in items for comb in combs_of_item(session, item, look.lines)]
    if not combs:
        return parts
    # the usual tallest, so that one tight radius does not make all other teeth vanish
    tall = float(np.percentile([np.linalg.norm(c.vectors, axis=1).max() for c in combs], 75)) or 1.0
    scale = look.teeth * size / tall
    teeth, hulls, flawed = [], [], []
    for comb in combs:
        ends = comb.teeth(scale)
        teeth.append(np.stack([comb.points, ends], axis=1))
        hulls.append(polyline(ends))
        flawed += _flawed(comb, ends)
    parts.append(Lines(np.concatenate(teeth), t.net, 1.0, 0.55, on_top=True))
    parts.append(Lines(np.concatenate(hulls), t.accent, 1.6, on_top=True))
    if flawed:
        parts.append(Discs(np.array(flawed), np.zeros(len(flawed)), 4.0, t.outside))
    return parts


def combs_of_item(session: Session, item: Item, lines: int) -> list[Comb]:
    """The combs of a shape; those of a live mirror image are mirrored themselves, which is quicker."""
    if isinstance(item.recipe, Mirror) and item.made_of and not item.trouble:
        shape, plane = item.made_of
        assert isinstance(plane, Plane)
        return [comb.mirrored(plane) for comb in session.kept(shape_combs, shape, lines)]
    return session.kept(shape_combs, item.shape, lines)


def lined_items(session: Session) -> list[Item]:
    """What shows and has lines: patches and curves."""
    return session.seen.that(Lined)


def _section_comb_parts(session: Session, look: CombLook, items: list[Item], size: float) -> list[Part]:
    """Teeth on the sections of each patch."""
    try:
        planes = cuts(session, session.looks.of(SECTIONS))
        found = []
        for item in items:
            measured = session.distances(item)
            if measured is not None:
                places = section_places(measured.samples, planes)
                found.append((places.points, section_comb(item.shape, places)))
    except ArabesqueError as problem:
        return [Label(middle_of(items), str(problem))]
    if not any(len(points) for points, _ in found):
        return []
    points, vectors = (np.concatenate([pair[k] for pair in found]) for k in (0, 1))
    tall = float(np.percentile(np.linalg.norm(vectors, axis=2), 90)) or 1.0
    tips = points - look.teeth * size / tall * vectors
    t = theme.now()
    teeth = np.stack([points[:, 0], tips[:, 0]], axis=1)
    return [Lines(teeth, t.net, 1.0, 0.55, on_top=True), Lines(tips, t.accent, 1.6, on_top=True)]


def _flawed(comb: Comb, ends: Floats) -> list[Floats]:
    return [ends[place] for flaw in Flaw for place in np.flatnonzero(comb.flaws[flaw])]


def comb_words(combs: list[Comb]) -> dict[str, int]:
    """How many lines have each flaw."""
    return {flaw.value: sum(bool(comb.flaws[flaw].any()) for comb in combs) for flaw in Flaw}
