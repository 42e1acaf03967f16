"""Control nets, and what is wrong in them."""

from __future__ import annotations

import numpy as np

from arabesque.checking import CALM_BEND, CALM_LEG, evenness, read_net
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
            if isinstance(item.shape, Surface):
                for flaw in net_parts(pen.session, item.shape):
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
