"""What tools share that make something new beside a scan: regions, lines, true shapes."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field

from arabesque.desk.jobs import Job
from arabesque.desk.tools.base import Fact
from arabesque.desk.tools.scan_work import ScanTool
from arabesque.errors import ArabesqueError
from arabesque.model import Document, Item, Shape, new_id
from arabesque.progress import Progress
from arabesque.scan import Scan


@dataclass(frozen=True, eq=False)
class Found:
    """What was found on a scan: the shape, the item's name, what was done in words, and facts about it."""

    shape: Shape
    name: str
    words: str
    facts: list[Fact] = field(default_factory=list)


class ShapeWork(ScanTool):
    """Try, look, keep, as ``ScanWork``; what is kept is an item of its own."""

    def start(self) -> None:
        self.found: Found | None = None
        self._job: Job | None = None
        self._source: Item | None = None
        self._id = new_id()

    def stop(self) -> None:
        self._drop()

    @abstractmethod
    def work(self, scan: Scan) -> Callable[[Progress], Found]:
        """What is to be done, with the options as they are now; raises ArabesqueError when it cannot be."""

    @property
    def says(self) -> str:
        if self.scan is None:
            return "Open a scan first"
        if self._job is not None:
            return "At work: Esc stops it"
        return self.hint if self.found is None else "Enter keeps it, Esc drops it"

    @property
    def can_apply(self) -> bool:
        return self.scan is not None and self._job is None

    @property
    def apply_word(self) -> str:
        return "Try" if self.found is None else "Keep"

    @property
    def facts(self) -> list[Fact]:
        return self.size_facts if self.found is None else self.found.facts

    def options_changed(self) -> None:
        self._drop()
        self.changed.emit()

    def escape(self) -> None:
        if self.found is None and self._job is None:
            self.left.emit()
        else:
            self._drop()
            self.changed.emit()

    def apply(self) -> None:
        if self.found is not None:
            self._keep(self.found)
        elif self.can_apply:
            self.try_it()

    def try_it(self) -> None:
        """Do the work beside the window and show what comes of it."""
        scan, item = self.scan, self.item
        if scan is None or item is None:
            return
        try:
            work = self.work(scan)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return
        job = self.session.run(self.label, work)
        self._job, self._source = job, item
        job.done.connect(lambda found: self._tried(job, found))
        job.failed.connect(lambda _: self._tried(job, None))
        job.cancelled.connect(lambda: self._tried(job, None))
        self.changed.emit()

    def _tried(self, job: Job, found: Found | None) -> None:
        if job is not self._job:
            return
        self._job, self.found = None, found
        if found is not None:
            self.session.show(self._with(found))
        self.changed.emit()

    def _with(self, found: Found) -> Document:
        assert self._source is not None
        document = self.session.history.document
        name = document.free_name(found.name)
        return document.with_item(Item(self._id, name, found.shape, (self._source.id,), found.words))

    def _keep(self, found: Found) -> None:
        document = self._with(found)
        self.found = None
        self.session.commit(found.words, document)
        self.session.select(self._id)
        self._id = new_id()
        self.left.emit()

    def _drop(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job = None
        if self.found is not None:
            self.found = None
            self.session.drop_shown()
