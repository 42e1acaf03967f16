"""How scans look: curvature colours and their range, edges, which way they look."""

from __future__ import annotations

from dataclasses import dataclass, replace

from arabesque.desk.checks.curvature import CurvatureLook, ScanCurvature
from arabesque.desk.facts import Fact
from arabesque.desk.scan_views import CurvatureKind
from arabesque.desk.tools.on_scan import ScanTool
from arabesque.desk.tools.options import labelled

CURVATURE = ScanCurvature()


class ScanLookTool(ScanTool):
    """Every choice takes effect at once."""

    id = "scan-look"
    label = "Look of scans"
    short = "Look"
    hint = "Choose which curvature is shown and its range; 6 shows or hides the colours"
    icon = "ph.palette"
    applies = False

    @dataclass
    class Options:
        """radius: at which the colours are full, mm; by itself it is taken from the scan."""

        curvature: CurvatureKind = CurvatureKind.MEAN
        by_itself: bool = labelled(True, "Range by itself")
        radius: float = labelled(20.0, "Full at radius")
        edges: bool = labelled(False, "Triangle edges")

        @property
        def idle(self) -> tuple[str, ...]:
            """The range by itself needs no radius."""
            return ("radius",) if self.by_itself else ()

    def start(self) -> None:
        o, looks = self.options, self.session.looks
        look = looks.of(CURVATURE)
        o.curvature = look.kind
        o.edges = looks.edges
        o.by_itself = look.full_at is None
        if look.full_at is not None:
            o.radius = 1 / look.full_at

    def options_changed(self) -> None:
        o, looks = self.options, self.session.looks
        full_at = None if o.by_itself or not o.radius > 0 else 1 / o.radius
        looks = looks.choosing(CURVATURE, CurvatureLook(o.curvature, full_at))
        self.session.look(replace(looks, edges=o.edges))
        self.changed.emit()

    @property
    def facts(self) -> list[Fact]:
        scan = self.scan
        shown = (
            None if scan is None else self.session.scan_views.ready_range(scan, self.session.looks.of(CURVATURE).kind)
        )
        facts = self.size_facts
        if shown is not None:
            facts.append(Fact("Range by itself", f"R {1 / shown:.3g} mm"))
        return facts
