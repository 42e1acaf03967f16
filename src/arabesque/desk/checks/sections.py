"""Sections of scan and patches, laid over each other."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import Cuts, Distances, Family, shape_sections
from arabesque.desk import theme
from arabesque.desk.checks.base import Check
from arabesque.desk.kinds.base import Pen
from arabesque.desk.looks import Along
from arabesque.desk.session import Session
from arabesque.desk.view.scene import Label, Lines, Part
from arabesque.errors import ArabesqueError
from arabesque.model import Item

SMALL, SMALL_SPACING, SPACING = 180.0, 3.0, 10.0
"""mm: sections of parts smaller than the first are so far apart by themselves; else as the third says."""


class CutKind(Enum):
    """How section planes lie; the value is its words."""

    EVEN = "even planes"
    SIGHT = "across the picture"
    ROUND = "round an axis"
    CURVE = "square to an edge"
    FREE = "one free plane"


@dataclass(frozen=True)
class SectionLook:
    """Sections across a direction, spacing mm apart (0: by themselves); the gap to the scan is ``gap`` times as large.

    planes: those of any other kind than even ones, as they were last set.
    """

    kind: CutKind = CutKind.EVEN
    along: Along = Along.X
    spacing: float = 0.0
    start: float = 0.0
    gap: int = 1
    planes: Cuts | None = None


class Sections(Check):
    """Families of planes, or one that the hand moves."""

    id = "sections"
    key = "2"
    word = "sections"
    Look = SectionLook

    def lay(self, pen: Pen, items: list[Item]) -> None:
        for part in section_parts(pen.session, pen.looks.of(self), items):
            pen.add(part)

    def scaled(self, look: SectionLook, up: int, fine: bool) -> SectionLook:
        if fine:
            return replace(look, gap=min(max(look.gap + up, 1), 100))
        return replace(look, spacing=float(f"{(look.spacing or SPACING) * 1.2**up:.3g}"))


def spacing_of(session: Session, look: SectionLook) -> float:
    """mm between even planes: as chosen, or what suits the size of what is there (common practice: 3 and 10 mm)."""
    if look.spacing > 0:
        return look.spacing
    low, high = session.seen.ends
    return SMALL_SPACING if float(np.linalg.norm(high - low)) < SMALL else SPACING


def cuts(session: Session, look: SectionLook) -> Cuts:
    """The planes of the sections that are shown."""
    if look.kind is not CutKind.EVEN and look.planes is not None:
        return look.planes
    return Family(np.array(look.along.value[1]), spacing_of(session, look), look.start)


def section_parts(session: Session, look: SectionLook, items: list[Item]) -> list[Part]:
    """Sections of the reference scan as thin lines, of patches as strong ones."""
    parts: list[Part] = []
    try:
        planes = cuts(session, look)
        scan = session.scan
        cut = None if scan is None else session.scan_views.sections(scan, planes)
        if cut is not None:
            parts.append(Lines(cut, theme.now().scan_line, 1.4, 0.9, lift=1.0))
        for measured in measured_of(session, items):
            found = shape_sections(measured, planes, float(look.gap))
            parts.append(Lines(found.segments, theme.now().accent, 2.0, lift=1.4))
    except ArabesqueError as problem:
        parts.append(Label(middle_of(items), str(problem)))
    return parts


def measured_of(session: Session, items: list[Item]) -> list[Distances]:
    return [found for item in items if (found := session.distances(item)) is not None]


def middle_of(items: list[Item]) -> Floats:
    ends = [end for item in items for end in item.shape.box or ()]
    return np.mean(ends, axis=0) if ends else np.zeros(3)
