"""Calm the noise of a scan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from arabesque.desk.facts import Fact
from arabesque.desk.tools.options import labelled, share, whole
from arabesque.desk.tools.scan_work import Made, ScanWork, distance_facts
from arabesque.mending import Calming, calm
from arabesque.progress import Progress
from arabesque.scan import Scan


class CalmScan(ScanWork):
    """Weakly and often stays closer than strongly and once."""

    id = "calm"
    label = "Calm noise"
    hint = "Set how much, then Enter to try it. Weakly and often stays closer to the scan than strongly and once"
    icon = "ph.waves"

    @dataclass
    class Options:
        """strength: of each repetition. limit: the furthest a point may move, mm."""

        strength: float = share(0.1)
        repetitions: int = whole(5, 1, 200)
        keep_edges: bool = True
        limited: bool = True
        limit: float = labelled(0.1, "At most")

        @property
        def idle(self) -> tuple[str, ...]:
            """Without a limit its size means nothing."""
            return () if self.limited else ("limit",)

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        o = self.options
        limit = o.limit if o.limited else None
        noise = scan.noise

        def run(progress: Progress) -> Made:
            done = calm(scan, o.strength, o.repetitions, o.keep_edges, limit, progress)
            moved = done.moved
            figures = {
                "rms": float(np.sqrt((moved**2).mean())),
                "p99": float(np.percentile(moved, 99)),
                "max": float(moved.max()),
            }
            facts = [Fact("Noise", f"{noise:.4f} → {done.scan.noise:.4f} mm"), *distance_facts(figures)]
            step = Calming(o.strength, o.repetitions, o.keep_edges, limit)
            return Made(done.scan, f"calmed {o.strength:.0%} x {o.repetitions}", facts, step=step)

        return run
