"""The weight map of the selected patch, computed beside the window while it is wanted."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.desk.jobs import Job, JobQueue
from arabesque.fitting import Candidate, weight_map
from arabesque.geometry import Plane, Surface
from arabesque.model import Document, Item
from arabesque.scan import Scan


class Weighing(QObject):
    """Keeps the map of one patch; another patch, scan or tolerance is weighed anew."""

    ready = pyqtSignal()

    def __init__(self, jobs: JobQueue) -> None:
        super().__init__()
        self._jobs = jobs
        self.wanted = False
        self._of: tuple[object, ...] = ()
        self._found: list[Candidate] | None = None
        self._job: Job | None = None

    def candidates(self, document: Document, item: Item) -> list[Candidate] | None:
        """The nine candidates of a patch, or None while they are weighed, or where there is nothing to weigh."""
        scan, surface = document.reference_scan, item.shape
        if not self.wanted or scan is None or not isinstance(surface, Surface) or surface.weights is not None:
            return None
        of = (surface, scan, document.tolerance, item.ties.twin, document.plane_of(item))
        if len(self._of) != len(of) or any(a is not b and a != b for a, b in zip(of, self._of, strict=True)):
            self._begin(of, surface, scan, document.tolerance, item, document.plane_of(item))
        return self._found

    @property
    def busy(self) -> bool:
        """True while a patch is weighed."""
        return self._job is not None

    def _begin(
        self, of: tuple[object, ...], surface: Surface, scan: Scan, tolerance: float, item: Item, plane: Plane
    ) -> None:
        if self._job is not None:
            self._job.drop()
        self._of, self._found = of, None
        twin = item.ties.twin
        job = self._jobs.quick("Weighing", lambda progress: weight_map(surface, scan, tolerance, twin, plane, progress))
        self._job = job

        def finish(found: list[Candidate]) -> None:
            if self._of is of:
                self._found = found

        job.done.connect(finish)
        job.ended.connect(lambda: self._ended(job))

    def _ended(self, job: Job) -> None:
        if job is self._job:
            self._job = None
            self.ready.emit()
