"""Cages: ink lines over porcelain; sharp edges are double, irregular points are rings with their count."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.checking import read_cage_net
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.base import Pen
from arabesque.desk.kinds.lines import nearest_of
from arabesque.desk.kinds.surfaces import ShownSampled
from arabesque.desk.looks import CageLook
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Part
from arabesque.model import Item

RING = 7.5
"""Pixels: radius of the ring round an irregular point."""
STUB = 0.35
"""Of a row: so far out of a border that bends go its short lines."""
APART = 0.06
"""Of the face: so far beside a sharp edge lies its second line."""


class ShownCage(ShownSampled):
    """A net of quads and its smooth surface."""

    made: ClassVar[type] = Cage
    icon: ClassVar[str] = "ph.cube"
    actions = ("shape-cage", "fit-cage", "cage-look", "cage-divide", "cage-relax", "cage-surfaces", "duplicate")

    def draw(self, pen: Pen, item: Item) -> None:
        look = pen.looks.cages
        if look is not CageLook.NET:
            super().draw(pen, item)
        if look is not CageLook.SURFACE and item.id not in pen.covered and "net" not in pen.looks.on:
            colour, width = pen.ink(item)
            for part in cage_parts(item.shape, colour, 0.75 * width, pen.dims(item)):
                pen.add(part)

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        if session.looks.cages is CageLook.NET:
            segments = item.shape.points[item.shape.quads.edges]
            depths = [depth for segment in segments if (depth := nearest_of(pointer, segment)) is not None]
            return min(depths, default=None)
        return super().hit(session, item, pointer)

    def facts(self, session: Session, item: Item) -> list[Fact]:
        net = session.kept(read_cage_net, item.shape)
        folded = int(net.folded.sum())
        return [
            *super().facts(session, item),
            Fact("Irregular points", net.irregular_words),
            Fact("Sharp edges", str(len(item.shape.quads.sharp))),
            Fact("Legs", f"{net.leg:.2f} : 1", "" if net.leg <= 2 else "bad"),
            Fact("Turns by", f"{net.bend:.0f}°"),
            Fact("Folded faces", str(folded), "bad" if folded else "good"),
        ]


def cage_parts(cage: Cage, colour: str, width: float, faint: bool = False) -> list[Part]:
    """How the net of a cage is drawn."""
    quads, points = cage.quads, cage.points
    alpha = 0.35 if faint else 0.9
    parts: list[Part] = [Lines(points[quads.edges], colour, width, alpha, lift=0.9)]
    sharp = np.flatnonzero(quads.sharp_edges)
    if len(sharp):
        parts.append(Lines(beside_edges(cage, sharp), colour, 1.3 * width, alpha, lift=0.9))
    odd = np.flatnonzero(quads.irregular & ~quads.on_border)
    if len(odd):
        parts.append(Discs(points[odd], np.full(len(odd), 3.0), RING, colour))
        parts += [Label(points[point], str(quads.valence[point]), True) for point in odd] if not faint else []
    if quads.beyond is not None:
        # short lines out of a border that bends, from where it comes to lie
        net = quads.beyond.quads
        edges = net.edges[(net.edges[:, 0] < quads.count) & (net.edges[:, 1] >= quads.count)]
        out = cage.whole.points[edges[:, 1]] - points[edges[:, 0]]
        start = cage.limit[edges[:, 0]]
        parts.append(Lines(np.stack([start, start + STUB * out], axis=1), colour, width, alpha, lift=0.9))
    if len(quads.corners):
        parts.append(Discs(points[quads.corners], np.full(len(quads.corners), 4.0), 4.5, colour))
    return parts


def beside_edges(cage: Cage, edges: np.ndarray) -> Floats:
    """(k, 2, 3) lines close beside edges, within a face that has them."""
    quads, points = cage.quads, cage.points
    halves = np.empty(len(quads.edges), dtype=np.int64)
    halves[quads.edge_of] = np.arange(len(quads.edge_of))
    ends = []
    for half in halves[edges]:
        a, b, c, d = np.roll(quads.faces[half // 4], -(half % 4))
        ends.append((points[a] + APART * (points[d] - points[a]), points[b] + APART * (points[c] - points[b])))
    return np.array(ends)
