"""What all tools share that make another scan of a scan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from arabesque.arrays import Floats
from arabesque.desk.facts import Fact
from arabesque.desk.tools.on_scan import TryOnScan
from arabesque.mending import Preparing
from arabesque.model import Document, Item, Origin
from arabesque.progress import Progress, part
from arabesque.scan import Health, Scan, examine, ready_to_fit


@dataclass(frozen=True, eq=False)
class Made:
    """What a tool made of a scan: the scan, what was done in words, what to tell about it, and how it was moved.

    beside: other scans that the work leaves, as (name, scan). step: that does it again to another scan; None for what
    only a hand can do.
    """

    scan: Scan
    words: str
    facts: list[Fact] = field(default_factory=list)
    motion: Floats | None = None
    beside: tuple[tuple[str, Scan], ...] = ()
    step: Preparing | None = None


class ScanWork(TryOnScan):
    """Work that makes another scan; what comes of it is checked for damage before it is shown."""

    opens = False
    """True for work that is meant to open the scan or to take it apart."""

    def checked(self, scan: Scan, work: Callable[[Progress], Made]) -> Callable[[Progress], Made]:
        opens = self.opens

        def whole(progress: Progress) -> Made:
            made = work(part(progress, 0.0, 0.75))
            ready_to_fit(made.scan, part(progress, 0.75, 0.9))
            progress(0.92, "Checking that nothing was damaged")
            worse = damage(examine(scan), examine(made.scan), opens)
            good = Fact("Sound", "nothing was damaged", "good")
            bad = Fact("Worse", ", ".join(worse), "bad")
            return replace(made, facts=[*made.facts, bad if worse else good])

        return whole

    def kept(self, item_id: str) -> None:
        """The result was kept and has this id; the tool leaves unless it has more to do."""
        self.left.emit()

    def shown_with(self, made: Made) -> Document:
        return self._with(made)[0]

    def keep(self, made: Made) -> None:
        assert self._worked_on is not None
        document, item_id = self._with(made)
        self.session.commit(f"{self._worked_on.name}: {made.words}", document)
        self.session.select(item_id)
        self.kept(item_id)

    def _with(self, made: Made) -> tuple[Document, str]:
        assert self._worked_on is not None
        document, item_id = self.session.history.document.prepared(
            self._worked_on.id, made.scan, made.words, made.motion, made.step
        )
        for name, scan in made.beside:
            origin = Origin((self._worked_on.id,), made.words)
            other = Item(f"{item_id}-{name}", document.free_name(name), scan, origin)
            document = document.with_item(other)
        return document, item_id


def damage(before: Health, after: Health, opens: bool) -> list[str]:
    """What is worse than before; openings and pieces do not count where they are meant."""
    if opens:
        after = replace(after, open_edges=0, pieces=before.pieces)
    return after.worse_than(before)


def distance_facts(
    figures: dict[str, float], what: str = "from the scan", back: dict[str, float] | None = None
) -> list[Fact]:
    """How far something stands from what it was made of; back: and that from it, for corners that were cut."""

    def told(name: str, digits: int) -> str:
        both = [figures[name]] if back is None else [figures[name], back[name]]
        return " · back ".join(f"{value:.{digits}f}" for value in both) + " mm"

    return [
        Fact(f"rms {what}", told("rms", 4)),
        Fact("99 % within", told("p99", 4)),
        Fact("Largest", told("max", 3)),
    ]
