"""What the hand draws for a layout: strokes that rows follow, irregular points moved, places brushed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.desk.theme import now
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.layout import Calm, Guides, Moved, RowsHere
from arabesque.scan import Scan

FEWEST = 2
APART = 0.004
"""Of the scan's diagonal: places of a stroke are that far apart."""
NEAR = 12.0
"""Pixels within which an irregular point is meant."""


class Hand(Enum):
    """What a drag on the scan does; the value is its words."""

    ALONG = "draws rows"
    MOVE = "moves irregular points"
    CALM = "keeps it regular"
    MORE = "more quads here"
    FEWER = "fewer quads here"


@dataclass(frozen=True)
class Stroke:
    """A drag under way. start: the irregular point that it began at."""

    places: tuple[Floats, ...]
    start: Floats | None = None


def begun(pointer: Pointer, scan: Scan, hand: Hand, made: Cage | None) -> Stroke | None:
    """A stroke that begins under the pointer; None off the scan."""
    place = pointer.on_scan(scan)
    if place is None:
        return None
    start = None
    if hand is Hand.MOVE and made is not None:
        quads = made.quads
        odd = made.limit[quads.irregular & ~quads.on_border]
        if len(odd):
            nearest = odd[pointer.nearest(odd)]
            start = nearest if pointer.near(nearest, NEAR) else None
    return Stroke((place,), start)


def gone_on(stroke: Stroke, pointer: Pointer, scan: Scan) -> Stroke:
    """The stroke with the place under the pointer, where that is a step away."""
    place = pointer.on_scan(scan)
    if place is None or np.linalg.norm(place - stroke.places[-1]) < APART * scan.diagonal:
        return stroke
    return replace(stroke, places=(*stroke.places, place))


def with_stroke(guides: Guides, stroke: Stroke, hand: Hand, radius: float, factor: float) -> Guides:
    """The guides with what a stroke asks for; themselves where it is too short for that."""
    line = np.array(stroke.places)
    if hand is Hand.ALONG:
        return replace(guides, curves=(*guides.curves, line)) if len(line) >= FEWEST else guides
    if hand is Hand.MOVE:
        return replace(guides, moved=(*guides.moved, Moved(line[-1], stroke.start)))
    if hand is Hand.CALM:
        return replace(guides, calm=(*guides.calm, Calm(line, radius)))
    here = RowsHere(line, radius, factor if hand is Hand.MORE else 1 / factor)
    return replace(guides, rows=(*guides.rows, here))


def counted(guides: Guides) -> str:
    """In words, what was drawn."""
    lists: Sequence[tuple[Sequence[object], str]] = (
        (guides.curves, "strokes"), (guides.moved, "irregular points"), (guides.calm, "regular places"),
        (guides.rows, "brushed places"),
    )  # fmt: skip
    return ", ".join(f"{len(some)} {words if len(some) > 1 else words[:-1]}" for some, words in lists if len(some))


def drawn(guides: Guides, stroke: Stroke | None) -> list[Triangles | Lines | Discs | Label]:
    """How guides look, and the stroke under way."""
    accent = now().accent
    parts: list[Triangles | Lines | Discs | Label] = []
    for curve in guides.curves:
        parts.append(Lines(polyline(curve), accent, 2.4, on_top=True))
    for one in guides.moved:
        parts.append(Discs(one.end[None], np.array([1.0]), 6.0, accent))
        if one.start is not None:
            parts.append(Lines(np.array([[one.start, one.end]]), accent, 1.2, 0.7, on_top=True))
    brushed = [(one.line, one.radius, "regular") for one in guides.calm]
    brushed += [(one.line, one.radius, f"× {one.factor:.3g}") for one in guides.rows]
    for line, radius, words in brushed:
        parts += [*_ringed(line, radius), Label(line[len(line) // 2], words)]
    if stroke is not None:
        parts.append(Lines(polyline(np.array(stroke.places)), accent, 2.4, on_top=True))
    return parts


def _ringed(line: Floats, radius: float) -> list[Triangles | Lines | Discs | Label]:
    """A brushed line with rings of the brush at its ends."""
    turn = np.linspace(0, 2 * np.pi, 49)[:-1, None]
    parts: list[Triangles | Lines | Discs | Label] = []
    for end in (line[0], line[-1])[: 1 if len(line) < FEWEST else 2]:
        for a, b in ((0, 1), (1, 2), (0, 2)):
            ring = end + radius * (np.cos(turn) * np.eye(3)[a] + np.sin(turn) * np.eye(3)[b])
            parts.append(Lines(polyline(ring, closed=True), now().accent, 1.0, 0.5))
    if len(line) >= FEWEST:
        parts.append(Lines(polyline(line), now().accent, 1.4, 0.8, on_top=True))
    return parts
