"""Scans: clay, see-through or in colours of curvature; marks lie on them."""

from __future__ import annotations

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact, number, three
from arabesque.desk.kinds.base import MARK_LIFT, Pen, Shown
from arabesque.desk.looks import ScanLook
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Paint, Triangles
from arabesque.geometry import angle_and_shift
from arabesque.model import Item
from arabesque.scan import Scan


class ShownScan(Shown):
    """A scan."""

    made = Scan
    icon = "ph.cloud"
    actions = ("see-through", "reference", "duplicate")

    def draw(self, pen: Pen, item: Item) -> None:
        session, looks, scan = pen.session, pen.looks, item.shape
        if looks.scans is ScanLook.HIDDEN:
            return
        through = item.look.see_through or looks.scans is ScanLook.SEE_THROUGH
        dimmed = session.document.dims(item)
        curvature = None if pen.curvature is None else session.scan_views.curvature(scan, pen.curvature)
        stand_in = session.scan_views.stand_in(scan) if pen.moving and curvature is None else None
        points, normals, triangles = stand_in or (scan.points, scan.smoothed_normals, scan.triangles)
        slot = item.id if stand_in is None else f"{item.id} coarse"
        values, paint = (curvature[0], Paint.CURVATURE) if curvature is not None else (None, None)
        edges = looks.edges and stand_in is None
        clay = theme.now().clay
        pen.add(Triangles(slot, points, normals, triangles, clay, values, paint, through, dimmed, edges=edges))
        marked = session.marks.triangles(scan)
        if marked is not None:
            colour, lift = theme.now().marked, MARK_LIFT * scan.diagonal
            pen.add(Triangles("marks", scan.points, scan.smoothed_normals, marked, colour, lift=lift))
        if curvature is not None and pen.form is None:
            pen.set(curvature_range=pen.curvature_full or curvature[1])

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        if session.looks.scans is ScanLook.HIDDEN:
            return None
        place = pointer.on_scan(item.shape)
        return None if place is None else pointer.depth(place)

    def facts(self, session: Session, item: Item) -> list[Fact]:
        low, high = item.shape.bounds
        origin = item.origin
        return [
            Fact("Triangles", number(len(item.shape.triangles))),
            Fact("Size, mm", " x ".join(f"{n:.4g}" for n in high - low)),
            Fact("Noise", f"{item.shape.noise:.3f} mm"),
            *([Fact("Made by", origin.words)] if origin.made_from else []),
            *(motion_facts(origin.motion) if origin.motion is not None else []),
        ]

    def state(self, session: Session, item: Item) -> tuple[str, str, str]:
        reference = item.id == session.document.reference
        return ("◆", "Reference scan", theme.now().faint) if reference else ("", "", "")


def motion_facts(matrix: Floats) -> list[Fact]:
    """A rigid motion in numbers."""
    turned, shifted = angle_and_shift(matrix)
    rows = "\n".join(three(row) for row in matrix[:3])
    return [Fact("Turned", f"{turned:.4f}°"), Fact("Moved", f"{shifted:.4f} mm"), Fact("Matrix", rows)]
