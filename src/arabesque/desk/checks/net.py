"""Control nets, and what is wrong in them."""

from __future__ import annotations

import numpy as np

from arabesque.cages import Cage
from arabesque.checking import CALM_BEND, CALM_LEG, evenness, read_cage_net, read_net
from arabesque.checking.net import MOST_BEND, UNEVEN
from arabesque.desk import theme
from arabesque.desk.checks.base import Check
from arabesque.desk.kinds.base import Pen
from arabesque.desk.session import Session
from arabesque.desk.view.scene import Discs, Label, Lines, Part, net_segments, polyline
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.shapes import Netted


class Nets(Check):
    """The net is the flow: rows, points, and flaws."""

    id = "net"
    key = "7"
    word = "control net"

    def lay(self, pen: Pen, items: list[Item]) -> None:
        for item in pen.session.seen.that(Netted):
            if item.id in pen.covered:
                continue
            net = item.shape.net()
            pen.add(Lines(net_segments(net), theme.now().net, 1.0, 0.8, on_top=True))
            pen.add(Discs(net.points, np.zeros(len(net.points)), 2.8))
            flaws: list[Part] = []
            if isinstance(item.shape, Surface):
                flaws = net_parts(pen.session, item.shape)
            elif isinstance(item.shape, Cage):
                flaws = cage_flaws(pen.session, item.shape)
            for flaw in flaws:
                pen.add(flaw)


def net_parts(session: Session, shape: Surface) -> list[Part]:
    """What is wrong with a control net: crossing cells outlined, uneven points ringed, points that dip as discs."""
    report, points, t = session.kept(read_net, shape), shape.points, theme.now()
    parts: list[Part] = []
    for i, j in np.argwhere(report.crossing):
        ring = points[[i, i + 1, i + 1, i], [j, j, j + 1, j + 1]]
        parts.append(Lines(polyline(ring, closed=True), t.outside, 2.4, on_top=True))
    for mask, state, radius in ((report.uneven, 3.0, 4.5), (report.dips, 0.0, 4.5)):
        some = points[mask]
        if len(some):
            parts.append(Discs(some, np.full(len(some), state), radius, t.outside))
    found = session.kept(evenness, shape)
    if not found.calm:
        # the worst place, with what is worst there
        over = found.leg / CALM_LEG >= found.bend / CALM_BEND
        words = f"legs {found.leg:.2f} : 1" if over else f"turns by {found.bend:.0f}°"
        parts.append(Label(points[found.leg_at if over else found.bend_at], words))
    return parts


def cage_flaws(session: Session, cage: Cage) -> list[Part]:
    """What is wrong with the net of a cage: folded faces outlined, its most uneven point or sharpest turn named."""
    net, t = session.kept(read_cage_net, cage), theme.now()
    parts: list[Part] = [
        Lines(polyline(cage.points[face], closed=True), t.outside, 2.4, on_top=True) for face in cage.faces[net.folded]
    ]
    if net.leg > UNEVEN:
        parts.append(Label(cage.points[net.leg_at], f"legs {net.leg:.2f} : 1"))
    if net.bend > MOST_BEND:
        parts.append(Label(cage.points[net.bend_at], f"turns by {net.bend:.0f}°"))
    return parts
