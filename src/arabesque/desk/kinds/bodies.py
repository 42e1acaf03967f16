"""Bodies: their faces, with free borders marked."""

from __future__ import annotations

from arabesque.desk import theme
from arabesque.desk.facts import Fact, area, volume
from arabesque.desk.kinds.base import Pen
from arabesque.desk.kinds.surfaces import ShownPatchwork, ShownSampled
from arabesque.desk.session import Session
from arabesque.desk.view.scene import Label, Lines, polyline
from arabesque.model import Item
from arabesque.solid import Body, Told

FREE_WIDTH = 3.6


class ShownBody(ShownPatchwork):
    """Sewn faces; where they are closed, a solid."""

    made = Body
    icon = "ph.package"

    def draw(self, pen: Pen, item: Item) -> None:
        super().draw(pen, item)
        for part in free_borders(item.shape.told):
            pen.add(part)

    def facts(self, session: Session, item: Item) -> list[Fact]:
        return [*told_facts(item.shape.told), *ShownSampled.facts(self, session, item)]


def free_borders(told: Told) -> list[Lines | Label]:
    """Where a body is open, each place with its width."""
    parts: list[Lines | Label] = []
    for line, width in zip(told.free, told.widths, strict=True):
        parts.append(Lines(polyline(line), theme.now().outside, FREE_WIDTH, on_top=True))
        words = f"free, {width:.2g} mm" if width < float("inf") else "free"
        parts.append(Label(line[len(line) // 2], words))
    return parts


def told_facts(told: Told) -> list[Fact]:
    """What a body is."""
    closed = "yes" if told.closed else f"no, {len(told.free)} free borders"
    return [
        Fact("Closed", closed, "good" if told.closed else "bad"),
        Fact("Valid", "yes" if told.valid else "no", "good" if told.valid else "bad"),
        *([Fact("Volume", volume(told.volume))] if told.closed else []),
        Fact("Area", area(told.area)),
        Fact("Centre", "  ".join(f"{value + 0.0:.1f}" for value in told.centre)),
        Fact("Widest gap", f"{told.gap:.2g} mm"),
        Fact("Shortest edge", f"{told.shortest:.2g} mm"),
    ]
