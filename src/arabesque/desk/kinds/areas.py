"""Regions: the areas of a scan, each in a colour of its own, a little before the scan."""

from __future__ import annotations

from enum import Enum

from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.base import MARK_LIFT, Pen, Shown
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Lines, Triangles
from arabesque.model import Item
from arabesque.reading import Regions


class AreaKind(Enum):
    """What an area can be set to by hand."""

    FREE = "free form"
    PLANE = "plane"
    CYLINDER = "cylinder"
    CONE = "cone"
    SPHERE = "sphere"
    TORUS = "torus"


class ShownRegions(Shown):
    """The areas of a scan."""

    made = Regions
    icon = "ph.squares-four"
    actions = ("correct-regions",)

    def draw(self, pen: Pen, item: Item) -> None:
        scan = pen.session.document.scan_of(item)
        areas = None if scan is None else pen.session.scan_views.areas(scan, item.shape)
        if scan is None or areas is None:
            return
        palette, dimmed = theme.now().areas, pen.session.document.dims(item)
        for number, (points, normals, triangles, colour) in enumerate(areas.meshes):
            slot, lift = f"{item.id} area {number}", 0.5 * MARK_LIFT * scan.diagonal
            pen.add(Triangles(slot, points, normals, triangles, palette[colour], dimmed=dimmed, lift=lift))
        # quiet colours alone would not part neighbours for every eye
        pen.add(Lines(areas.borders, theme.now().net, 1.0, alpha=0.25 if dimmed else 0.7))

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        scan = session.document.scan_of(item)
        place = pointer.on_scan(scan)
        return None if scan is None or place is None else pointer.depth(place) - 0.5 * MARK_LIFT * scan.diagonal

    def facts(self, session: Session, item: Item) -> list[Fact]:
        return region_facts(item.shape)

    def state(self, session: Session, item: Item) -> tuple[str, str, str]:
        if session.document.scan_of(item) is None:
            return "◌", "The scan they lie on has changed: find them anew", theme.now().outside
        return "", "", ""


def region_facts(regions: Regions) -> list[Fact]:
    """How many areas of each kind."""
    words = [area.word for area in regions.areas]
    return [Fact("Areas", str(len(words)))] + [
        Fact(kind.value.capitalize(), str(words.count(kind.value))) for kind in AreaKind if kind.value in words
    ]
