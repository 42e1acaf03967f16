"""What pictures of scans need besides the scan: a coarse stand-in and curvature, made beside the window."""

from __future__ import annotations

import weakref
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.arrays import Floats, Ints
from arabesque.desk.jobs import JobQueue
from arabesque.progress import Progress
from arabesque.scan import Scan, coarse_stand_in, scan_curvature

COARSE_TRIANGLES = 30_000
WORTH_A_STAND_IN = 80_000


class ScanViews(QObject):
    """Stand-ins and mean curvatures of scans, each made once when first asked for."""

    ready = pyqtSignal()

    def __init__(self, jobs: JobQueue) -> None:
        super().__init__()
        self._jobs = jobs
        self._known: dict[tuple[int, str], tuple[weakref.ref[Scan], Any]] = {}

    def stand_in(self, scan: Scan) -> tuple[Floats, Floats, Ints] | None:
        """Coarse points, normals and triangles; None for small scans, and until they are made."""
        if len(scan.triangles) < WORTH_A_STAND_IN:
            return None
        return self._get(scan, "stand-in", "")

    def curvature(self, scan: Scan) -> tuple[Floats, float] | None:
        """(n,) mean curvature, 1/mm, and the range to show it in; None until it is made."""
        return self._get(scan, "curvature", "Reading the curvature")

    def _get(self, scan: Scan, what: str, label: str) -> Any:
        key = id(scan), what
        known = self._known.get(key)
        if known is not None and known[0]() is scan:
            return known[1]
        self._known[key] = weakref.ref(scan), None

        def work(progress: Progress) -> Any:
            if what == "stand-in":
                return coarse_stand_in(scan, COARSE_TRIANGLES)
            mean = scan_curvature(scan, progress=progress).mean
            return mean, float(np.percentile(np.abs(mean), 95)) or 1e-9

        def keep(result: Any) -> None:
            self._known[key] = weakref.ref(scan), result
            self.ready.emit()

        job = self._jobs.start(label, work) if label else self._jobs.quick(what, work)
        job.done.connect(keep)
        job.cancelled.connect(lambda: self._known.pop(key, None))
        return None
