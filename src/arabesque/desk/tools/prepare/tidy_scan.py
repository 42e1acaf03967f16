"""Tidy a scan: loose pieces, spikes, triangles that look the wrong way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from arabesque.desk.facts import Fact
from arabesque.desk.tools.options import share
from arabesque.desk.tools.scan_work import Made, ScanWork
from arabesque.mending import Tidying, tidy
from arabesque.progress import Progress
from arabesque.scan import Scan


class TidyScan(ScanWork):
    """Small loose pieces dropped, spikes brought back, all triangles looking outward."""

    id = "tidy"
    label = "Tidy"
    hint = "Enter looks for loose pieces, spikes and triangles that look the wrong way"
    icon = "ph.sparkle"

    @dataclass
    class Options:
        """pieces_below: share of the largest piece below which one is dropped."""

        pieces_below: float = share(0.02)
        spikes: bool = True
        look_outward: bool = True

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        o = self.options

        def run(progress: Progress) -> Made:
            done = tidy(scan, o.pieces_below, o.spikes, o.look_outward, progress)
            facts = [
                Fact("Pieces dropped", str(done.pieces)),
                Fact("Spikes calmed", str(done.spikes)),
                Fact("Turned", f"{done.turned} triangles"),
                Fact("Faulty, dropped", f"{done.dropped} triangles"),
            ]
            step = Tidying(o.pieces_below, o.spikes, o.look_outward)
            return Made(done.scan, "tidied", facts, step=step)

        return run
