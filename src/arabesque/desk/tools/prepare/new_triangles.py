"""Fewer triangles, or even ones."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

from arabesque.desk.facts import Fact, number
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.scan_work import Made, ScanWork, distance_facts
from arabesque.mending import Evening, Lightening, Preparing, distance_between
from arabesque.progress import Progress, part
from arabesque.scan import Scan


class NewWay(Enum):
    """How a scan is triangulated anew."""

    EVEN = "even edges"
    FEWER = "fewer"


class NewTriangles(ScanWork):
    """The same shape in other triangles; how far it stands from the scan is told."""

    id = "triangles"
    label = "New triangles"
    short = "Triangles"
    hint = "Choose even triangles or fewer, then Enter to try it. Rims and sharp edges stay"
    icon = "ph.triangle"

    @dataclass
    class Options:
        """edge: mm. count: of triangles."""

        way: NewWay = NewWay.EVEN
        edge: float = labelled(1.0, "Edge length")
        count: int = whole(40_000, 4, 8_000_000, "Triangles")

        @property
        def idle(self) -> tuple[str, ...]:
            """What the way does not ask for."""
            return ("count",) if self.way is NewWay.EVEN else ("edge",)

    def start(self) -> None:
        super().start()
        scan = self.scan
        if scan is not None:
            self.options.edge = float(f"{2 * scan.edge_length:.2g}")
            self.options.count = max(4, len(scan.triangles) // 4)

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        o = self.options
        even = o.way is NewWay.EVEN
        step: Preparing = Evening(o.edge) if even else Lightening(o.count)
        words = f"even triangles of {o.edge:g} mm" if even else f"lightened to {number(o.count)}"

        def run(progress: Progress) -> Made:
            inner = part(progress, 0.0, 0.9)
            made, _ = step.done(scan, inner)
            progress(0.92, "Measuring")
            facts = [
                Fact("Triangles", f"{number(len(scan.triangles))} → {number(len(made.triangles))}"),
                Fact("Edges", f"{made.edge_length:.3g} mm"),
                *distance_facts(distance_between(made, scan), back=distance_between(scan, made)),
            ]
            return Made(made, words, facts, step=step)

        return run
