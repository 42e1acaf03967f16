"""What all tools share that make another scan of a scan: try it beside the window, look, keep it."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from arabesque.arrays import Floats
from arabesque.desk.jobs import Job
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Fact, Tool
from arabesque.errors import ArabesqueError
from arabesque.model import Document, Item
from arabesque.progress import Progress, part
from arabesque.scan import Health, Scan, examine, ready_to_fit


@dataclass(frozen=True, eq=False)
class Made:
    """What a tool made of a scan: the scan, what was done in words, what to tell about it, and how it was moved.

    beside: other scans that the work leaves, as (name, scan).
    """

    scan: Scan
    words: str
    facts: list[Fact] = field(default_factory=list)
    motion: Floats | None = None
    beside: tuple[tuple[str, Scan], ...] = ()


class ScanTool(Tool):
    """A tool that works on one scan: the selected one, or else the reference scan."""

    step = Step.PREPARE
    shortcut = ""

    @property
    def item(self) -> Item | None:
        """The scan's item, as committed."""
        document = self.session.history.document
        selected = self.session.selection
        if selected is not None and selected.id in document and isinstance(document[selected.id].shape, Scan):
            return document[selected.id]
        return document.items.get(document.reference or "")

    @property
    def scan(self) -> Scan | None:
        """The scan."""
        item = self.item
        return item.shape if item is not None and isinstance(item.shape, Scan) else None

    @property
    def size_facts(self) -> list[Fact]:
        """How large the scan is."""
        scan = self.scan
        return [] if scan is None else [Fact("Triangles", number(len(scan.triangles)))]


class ScanWork(ScanTool):
    """Try, look, keep: the first Enter does the work and shows it, the second keeps it, Esc drops it."""

    opens = False
    """True for work that is meant to open the scan or to take it apart."""

    def start(self) -> None:
        self.made: Made | None = None
        self._job: Job | None = None
        self._worked_on: Item | None = None

    def stop(self) -> None:
        self._drop()

    @abstractmethod
    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        """What is to be done, with the options as they are now; raises ArabesqueError when it cannot be."""

    @property
    def says(self) -> str:
        if self.scan is None:
            return "Open a scan first"
        if self._job is not None:
            return "At work: Esc stops it"
        if self.made is not None:
            return "Enter keeps it, Esc drops it"
        return self.hint

    @property
    def can_apply(self) -> bool:
        return self.scan is not None and self._job is None

    @property
    def apply_word(self) -> str:
        return "Try" if self.made is None else "Keep"

    @property
    def facts(self) -> list[Fact]:
        return self.size_facts if self.made is None else self.made.facts

    def options_changed(self) -> None:
        self._drop()
        self.changed.emit()

    def apply(self) -> None:
        if self.made is not None:
            self._keep(self.made)
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
        opens = self.opens

        def whole(progress: Progress) -> Made:
            made = work(part(progress, 0.0, 0.75))
            ready_to_fit(made.scan, part(progress, 0.75, 0.9))
            progress(0.92, "Checking that nothing was damaged")
            worse = damage(examine(scan), examine(made.scan), opens)
            good = Fact("Sound", "nothing was damaged", "good")
            bad = Fact("Worse", ", ".join(worse), "bad")
            return replace(made, facts=[*made.facts, bad if worse else good])

        job = self.session.run(self.label, whole)
        self._job, self._worked_on = job, item
        job.done.connect(lambda made: self._tried(job, made))
        job.failed.connect(lambda _: self._tried(job, None))
        job.cancelled.connect(lambda: self._tried(job, None))
        self.changed.emit()

    def escape(self) -> None:
        if self.made is None and self._job is None:
            self.left.emit()
        else:
            self._drop()
            self.changed.emit()

    def kept(self, item_id: str) -> None:
        """The result was kept and has this id; the tool leaves unless it has more to do."""
        self.left.emit()

    def _tried(self, job: Job, made: Made | None) -> None:
        if job is not self._job:
            return
        self._job, self.made = None, made
        if made is not None:
            self.session.show(self._with(made)[0])
        self.changed.emit()

    def _with(self, made: Made) -> tuple[Document, str]:
        assert self._worked_on is not None
        document, item_id = self.session.history.document.prepared(
            self._worked_on.id, made.scan, made.words, made.motion
        )
        for name, scan in made.beside:
            other = Item(f"{item_id}-{name}", document.free_name(name), scan, (self._worked_on.id,), made.words)
            document = document.with_item(other)
        return document, item_id

    def _keep(self, made: Made) -> None:
        assert self._worked_on is not None
        document, item_id = self._with(made)
        name = self._worked_on.name
        self.made = None
        self.session.commit(f"{name}: {made.words}", document)
        self.session.select(item_id)
        self.kept(item_id)

    def _drop(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job = None
        if self.made is not None:
            self.made = None
            self.session.drop_shown()


def damage(before: Health, after: Health, opens: bool) -> list[str]:
    """What is worse than before; openings and pieces do not count where they are meant."""
    if opens:
        after = replace(after, open_edges=0, pieces=before.pieces)
    return after.worse_than(before)


def number(count: int) -> str:
    """A count with narrow gaps between thousands, which do not break."""
    return f"{count:,}".replace(",", "\u202f")


def three(values: Floats, digits: int = 4) -> str:
    """Three numbers in a row, without negative zeros."""
    return "  ".join(f"{round(float(value), digits) + 0.0:.{digits}f}" for value in values)


def distance_facts(figures: dict[str, float], what: str = "from the scan") -> list[Fact]:
    """How far something stands from what it was made of."""
    return [
        Fact(f"rms {what}", f"{figures['rms']:.4f} mm"),
        Fact("99 % within", f"{figures['p99']:.4f} mm"),
        Fact("Largest", f"{figures['max']:.3f} mm"),
    ]
