"""The work at hand: document, history, selection and files, for all parts of the window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.cages import Cage
from arabesque.cages.files import read_cage
from arabesque.checking import Back, Distances, JoinMemory, WayBack
from arabesque.delivery import ReadBack, deliver_checked, tag_of
from arabesque.desk.asks import Asks
from arabesque.desk.elements import ElementChoice
from arabesque.desk.jobs import Job, JobQueue
from arabesque.desk.kept import Kept
from arabesque.desk.looks import Chosen, Looks
from arabesque.desk.marks import Marks
from arabesque.desk.meters import Meters
from arabesque.desk.points import PointChoice
from arabesque.desk.scan_views import ScanViews
from arabesque.desk.seen import Seen
from arabesque.desk.weighing import Weighing
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.files import Source, source_of
from arabesque.geometry import Surface
from arabesque.mending import Preparing, TurningOver, merged, turned_over
from arabesque.model import (
    Change,
    DamagedProject,
    Document,
    History,
    Item,
    Leftover,
    Milestone,
    Project,
    Recovered,
    Work,
    any_stale,
    edits,
    load_project,
    rebuilt,
    recover,
    rescue_project,
    save_project,
)
from arabesque.progress import Progress, part
from arabesque.scan import Scan, ready_to_fit
from arabesque.shapes import SAMPLES_ALONG, Sampled, Shape, can
from arabesque.solid import Body, FileKind, KernelWorker, Model, bodies_in, deliverable, read_model

FEWEST_ALONG = 30
"""Samples a side of each patch in a drag of very many."""


class Session(QObject):
    """Holds the document and tells everyone when it changes.

    document_changed: the document as it is shown, also in a drag.
    selection_changed: what is selected or marked. looks_changed: how the work
    is looked at. measured: something that was computed beside the window is
    there. ``asks`` is for what is wanted of the window only once.
    """

    document_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    looks_changed = pyqtSignal()
    measured = pyqtSignal()

    def __init__(self, journal_root: Path | None = None) -> None:
        """journal_root: where journals are kept; None for no journal."""
        super().__init__()
        self.asks = Asks()
        self.work = Work(journal_root, self.asks.journal_failed.emit)
        self.jobs = JobQueue()
        self.meters = Meters(self.jobs)
        self.scan_views = ScanViews(self.jobs)
        self.scan_views.ready.connect(self.measured)
        self.weighing = Weighing(self.jobs)
        self.weighing.ready.connect(self.measured)
        self.looks = Looks()
        self.kept = Kept()
        self.join_memory = JoinMemory()
        self.marks = Marks()
        self.marks.changed.connect(self.selection_changed)
        self.kernel = KernelWorker()
        self._transient: Document | None = None
        self._rebuilding: Job | None = None
        self._selection: str | None = None
        self._also: tuple[str, ...] = ()
        self.points = PointChoice()
        self.elements = ElementChoice()
        self.meters.measured.connect(self.measured)
        for signal in (self.document_changed, self.looks_changed, self.measured):
            signal.connect(self._want_measures)

    def on_any(self, slot: Callable[[], object]) -> None:
        """Call ``slot`` whenever anything changes."""
        for signal in (self.document_changed, self.selection_changed, self.looks_changed, self.measured):
            signal.connect(slot)

    # looks

    def look(self, looks: Looks) -> None:
        """Look at the work otherwise."""
        self.looks = looks
        self.looks_changed.emit()

    def choose(self, check: Chosen[Any], look: object) -> None:
        """Choose otherwise how a check shows."""
        self.look(self.looks.choosing(check, look))

    # the document

    @property
    def history(self) -> History:
        """The states one can go back and forth among."""
        return self.work.history

    @property
    def document(self) -> Document:
        """The document as shown: the one in the middle of a drag, or the committed one."""
        return self._transient or self.history.document

    @property
    def scan(self) -> Scan | None:
        """The reference scan."""
        return self.document.reference_scan

    @property
    def checked_scan(self) -> Scan | None:
        """What distances are measured to: the reference scan, or all scans that show as one once that is made."""
        if not self.looks.against_all:
            return self.scan
        shown = [item.shape for item in self.seen.of(Scan)]
        return self.scan_views.as_one(shown) or self.scan if len(shown) > 1 else self.scan

    @property
    def unsaved(self) -> bool:
        """True when there is work that is not in the project file."""
        return self.work.unsaved

    def show(self, document: Document) -> None:
        """Show a document without committing it, as in a drag; live recipes follow."""
        self._transient = rebuilt(document, live=True)
        self.document_changed.emit()

    def drop_shown(self) -> None:
        """Back to the committed document."""
        if self._transient is not None:
            self._transient = None
            self.document_changed.emit()

    def commit(self, label: str, document: Document) -> None:
        """Make ``document`` the work's new state; ``label`` says in plain words what was done."""
        before = self.history.document
        self.work.commit(label, document)
        self._transient = None
        self._tidy_selection()
        self._tell_freed(before)
        self._rebuild()
        self.document_changed.emit()

    def _tell_freed(self, before: Document) -> None:
        """Say once of an item that it was made free by being changed by hand."""
        for item in self.history.document:
            old = before.items.get(item.id)
            if old is not None and old.recipe is not None and item.recipe is None:
                self.tell(f"{item.name} is free now: it no longer follows what it was made from")

    def _rebuild(self) -> None:
        """Build again, beside the window, what is stale; the result belongs to the same step."""
        document = self.history.document
        if self._rebuilding is not None:
            self._rebuilding.drop()
            self._rebuilding = None
        if not any_stale(document):
            return
        job = self.jobs.derive("Rebuilding", lambda progress: rebuilt(document, progress, kernel=self.kernel))
        self._rebuilding = job
        job.done.connect(lambda made: self._rebuilt(job, document, made))
        job.failed.connect(self.tell_problem)

    def _rebuilt(self, job: Job, document: Document, made: Document) -> None:
        if job is not self._rebuilding or self.history.document is not document:
            return
        self._rebuilding = None
        for item in made:
            if item.trouble and item.trouble != document[item.id].trouble:
                self.tell(f"{item.name} keeps its last shape. {item.trouble}", True)
        self.work.amend(made)
        self.document_changed.emit()

    def edit(self, edit: Callable[..., Change | None], *arguments: object) -> bool:
        """Commit what an edit makes of the committed document; problems are told. True when something changed."""
        try:
            change = edit(self.history.document, *arguments)
            if change is not None:
                self.commit(change.label, change.document)
        except ArabesqueError as problem:
            self.tell_problem(problem)
            return False
        if change is not None and change.select is not None:
            self.select(change.select)
        if change is not None and change.said:
            self.tell(change.said)
        return change is not None

    def undo(self) -> None:
        """One state back."""
        self._step(self.work.undo(), "Undone")

    def redo(self) -> None:
        """One state forth."""
        self._step(self.work.redo(), "Done again")

    def _step(self, label: str | None, word: str) -> None:
        self._transient = None
        if label is not None:
            self._moved()
            self.tell(f"{word}: {label}")

    def go_to(self, position: int) -> None:
        """Any state of the history."""
        self._transient = None
        self.work.go_to(position)
        self._moved()

    def _moved(self) -> None:
        self._tidy_selection()
        self._rebuild()
        self.document_changed.emit()

    def set_milestone(self, name: str) -> None:
        """Give the present state a name."""
        self.work.set_milestone(name)
        self.document_changed.emit()
        self.tell(f"{name} is a milestone now: Ctrl+H returns to it")

    def return_to(self, milestone: Milestone) -> None:
        """Go back to a milestone; that is a step of its own, so nothing is lost."""
        if milestone.document is not self.history.document:
            self.commit(f"back to {milestone.name}", milestone.document)

    # selection

    @property
    def selection(self) -> Item | None:
        """The selected item."""
        return self.document.items.get(self._selection or "")

    def chosen(self, what: type) -> Item | None:
        """The selected item when it is of a kind, or answers what a protocol asks."""
        item = self.selection
        return item if item is not None and can(item.shape, what) else None

    @property
    def surface_item(self) -> Item | None:
        """The selected item when it is a patch."""
        return self.chosen(Surface)

    @property
    def selected_items(self) -> list[Item]:
        """All selected items, as shown; the one that forms and figures are about comes first."""
        keys = (self._selection, *self._also)
        return [self.document[key] for key in keys if key is not None and key in self.document]

    def select(self, item_id: str | None, add: bool = False) -> None:
        """Select an item, or none. add: besides those that are selected, or take it out of them."""
        if add and item_id is not None and self._selection is not None:
            keys = [self._selection, *self._also]
            keys = [key for key in keys if key != item_id] if item_id in keys else [item_id, *keys]
            chosen: tuple[str | None, tuple[str, ...]] = (keys[0] if keys else None, tuple(keys[1:]))
        else:
            chosen = (item_id, ())
        if chosen != (self._selection, self._also):
            self._selection, self._also = chosen
            self.selection_changed.emit()

    def _tidy_selection(self) -> None:
        kept = [item.id for item in self.selected_items]
        if self._selection is not None and self._selection not in kept:
            self.select(kept[0] if kept else None)
        self._also = tuple(key for key in self._also if key in kept)

    # measures

    def distances(self, item: Item) -> Distances | None:
        """Samples of an item's shape with their distances; None while they are being measured, or without a surface."""
        return self.meters.distances(item.shape, self.checked_scan) if can(item.shape, Sampled) else None

    def back(self, item: Item) -> WayBack | Back | None:
        """Distances of the scan's points to a surface item, or None while they are being measured."""
        known = isinstance(item.shape, Surface | Cage)
        return self.meters.back(item.shape, self.checked_scan) if known else None

    @property
    def seen(self) -> Seen:
        """What shows of the document as it is shown."""
        return Seen(self.document, self.looks.alone)

    @property
    def patches(self) -> list[Item]:
        """What shows and has a surface."""
        return self.seen.patches

    def moving(self, document: Document) -> Document:
        """A document in the middle of a drag, to be shown: live recipes follow, and what moves is measured at once."""
        document, before = rebuilt(document, live=True), self.history.document.items
        moved = [item for item in document if item.id not in before or before[item.id].shape is not item.shape]
        moving = [item for item in moved if can(item.shape, Sampled)]
        along = min(SAMPLES_ALONG, max(FEWEST_ALONG, int(SAMPLES_ALONG / max(len(moving), 1) ** 0.5)))
        for item in moving:
            self.meters.measure_now(item.id, item.shape, self.checked_scan, along)
            old = before.get(item.id)
            if old is not None and isinstance(old.shape, Surface) and isinstance(item.shape, Surface):
                self.meters.follow_now(item.id, old.shape, item.shape, self.checked_scan, len(moving))
        return document

    def _want_measures(self) -> None:
        shapes = []
        for document in (self.document, self.history.document):
            shapes.append([item.shape for item in document if can(item.shape, Sampled)])
        self.meters.want(shapes[0] + shapes[1], self.checked_scan, shapes[1], self.document.tolerance)

    # simple changes

    def set_tolerance(self, tolerance: float) -> None:
        """Set the tolerance, mm; raises ArabesqueError when it is not possible."""
        if tolerance != self.document.tolerance:
            change = edits.items.with_tolerance(self.history.document, tolerance)
            self.commit(change.label, change.document)

    def add(
        self,
        label: str,
        name: str,
        shape: Shape,
        made_from: tuple[str, ...] = (),
        words: str = "",
        file: Source | None = None,
    ) -> Item:
        """Add an item, select it, and return it."""
        self.edit(edits.items.added, label, name, shape, made_from, words, file)
        item = self.selection
        assert item is not None
        return item

    def turn_over(self, item: Item) -> None:
        """Let a scan look the other way."""
        if isinstance(item.shape, Scan):
            scan = item.shape
            job = self._job(f"Turning {item.name}", lambda progress: ready_to_fit(turned_over(scan), progress))
            job.done.connect(lambda made: self._put_prepared(item, made, "normals turned over", TurningOver()))

    def merge_scans(self, items: list[Item]) -> None:
        """Several scans as one; they stay, hidden."""
        scans = [item.shape for item in items if isinstance(item.shape, Scan)]
        job = self._job("Merging scans", lambda progress: ready_to_fit(merged(scans), progress))
        job.done.connect(lambda scan: self.edit(edits.scans.merged_scans, items, scan))

    def _put_prepared(self, item: Item, scan: Scan, words: str, step: Preparing) -> None:
        if item.id in self.history.document:
            self.edit(edits.scans.prepared, item, scan, words, None, step)

    # files, all in the background

    def start(self, document: Document, path: Path | None, label: str, milestones: tuple[Milestone, ...] = ()) -> None:
        """Begin work on another document."""
        self._transient = None
        self.work.begin(document, path, label, milestones)
        self._begun()

    def _begun(self) -> None:
        self._selection, self._also = None, ()
        self._rebuild()
        self.points.clear()
        self.looks = replace(self.looks, alone=frozenset())
        self.asks.begun.emit()
        self.selection_changed.emit()
        self.document_changed.emit()

    def open_project(self, path: Path) -> Job:
        """Open a project file."""

        def work(progress: Progress) -> tuple[Project, tuple[str, ...] | None]:
            lost = None
            try:
                project = load_project(path, progress)
            except DamagedProject:
                rescued = rescue_project(path)
                project, lost = Project(rescued.document), rescued.lost
            _make_ready(project.document, progress)
            return project, lost

        def finish(result: tuple[Project, tuple[str, ...] | None]) -> None:
            project, lost = result
            self.start(project.document, path if lost is None else None, f"{path.name} opened", project.milestones)
            if lost is not None:
                what = f"could not be read: {', '.join(lost)}" if lost else "its milestones may be incomplete"
                self.tell(f"{path.name} is damaged; {what}. Save what was read under another name.", True)

        job = self._job(f"Opening {path.name}", work)
        job.done.connect(finish)
        return job

    def take_up(self, leftover: Leftover) -> Job:
        """Go on with the work of a window that did not close."""

        def work(progress: Progress) -> Recovered:
            recovered = recover(leftover)
            _make_ready(recovered.history.document, progress)
            return recovered

        def finish(recovered: Recovered) -> None:
            try:
                self.work.take_up(leftover, recovered)
            except FileProblem as problem:
                self.tell_problem(problem)
                return
            self._transient = None
            self._begun()
            history = recovered.history
            words = f"Taken up where it stopped: {history.steps[history.position].label}"
            if not recovered.whole:
                words += "; what came after it could not be read, and is kept beside the journals"
            self.tell(words, not recovered.whole)

        job = self._job("Taking up earlier work", work)
        job.done.connect(finish)
        return job

    def save(self, path: Path) -> Job:
        """Save to a project file."""
        project = self.work.project()

        def finish(_: object) -> None:
            self.work.saved(path, project)
            self.asks.saved.emit()
            self.tell(f"Saved {path.name}")

        job = self._job(f"Saving {path.name}", lambda progress: save_project(path, project, progress))
        job.done.connect(finish)
        return job

    def export(
        self, paths: list[tuple[Path, list[Item]]], kind: FileKind, unit: str, chord: float, triangles: bool = False
    ) -> Job:
        """Write items to files of a kind, in a unit, and read each back. triangles: beside exact shapes."""
        document, name = self.document, paths[0][0].name if len(paths) == 1 else f"{len(paths)} files"

        def work(progress: Progress) -> list[ReadBack]:
            found = []
            for number, (path, items) in enumerate(paths):
                there = [item for item in items if deliverable(item.shape)]
                shapes, tags = [(item.name, item.shape) for item in there], [tag_of(document, item) for item in there]
                share = part(progress, number / len(paths), (number + 1) / len(paths))
                found.append(deliver_checked(path, shapes, kind, self.kernel, unit, chord, share, tags, triangles))
            return found

        job = self._job(f"Exporting {name}", work)
        job.done.connect(lambda found: self._tell_written(name, found))
        return job

    def _tell_written(self, name: str, found: list[ReadBack]) -> None:
        words = found[0].words if len(found) == 1 else "each as it was to be"
        notes = dict.fromkeys(note for one in found for note in one.notes)
        self.tell(". ".join([f"Exported {name}, read back: {words}", *notes]))
        self.asks.written.emit()

    def open_model(self, path: Path) -> Job:
        """Bring the faces and curves of a STEP or IGES file in as items."""

        def work(progress: Progress) -> tuple[Model, Source]:
            return read_model(path, self.kernel, progress), source_of(path)

        job = self._job(f"Opening {path.name}", work)
        job.done.connect(lambda read: self.edit(edits.exchange.brought_in, *read))
        return job

    def open_bodies(self, path: Path) -> Job:
        """Bring the solids and shells of a STEP file in as bodies."""

        def work(progress: Progress) -> tuple[list[Body], Source]:
            return bodies_in(path, self.kernel, progress), source_of(path)

        job = self._job(f"Opening {path.name}", work)
        job.done.connect(lambda read: self.edit(edits.exchange.bodies_in, *read))
        return job

    def open_cage(self, path: Path) -> Job:
        """Bring the quads of an OBJ file in as a cage; its numbers are in the document's unit."""
        unit = self.history.document.unit
        job = self._job(f"Opening {path.name}", lambda _: (read_cage(path, unit), source_of(path)))
        words, origin = f"cage {path.stem} opened", f"{path.name}, {unit}"
        job.done.connect(lambda read: self.edit(edits.items.added, words, path.stem, read[0], (), origin, read[1]))
        return job

    def _job(self, label: str, work: object) -> Job:
        job = self.jobs.start(label, work)  # type: ignore[arg-type]
        job.failed.connect(self.tell_problem)
        job.cancelled.connect(lambda: None if job.dropped else self.tell(f"{label}: cancelled, nothing was changed"))
        return job

    def run(self, label: str, work: object) -> Job:
        """Run long work in the background; its problems are told."""
        return self._job(label, work)

    def tell(self, text: str, problem: bool = False) -> None:
        """Tell the user something; problem: that went wrong."""
        self.asks.told.emit(text, problem)

    def tell_problem(self, problem: ArabesqueError) -> None:
        """Tell the user what went wrong and what helps."""
        self.tell(str(problem), True)

    def close(self) -> None:
        """End background work and the kernel."""
        self.jobs.close()
        self.kernel.close()
        self.work.close()


def _make_ready(document: Document, progress: Progress) -> None:
    """Have every scan ready to fit before it is shown."""
    for item in document:
        if isinstance(item.shape, Scan):
            ready_to_fit(item.shape, progress)
