"""The work at hand: document, history, selection and files, for all parts of the window."""

from __future__ import annotations

import time
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.checking import Grid, WayBack
from arabesque.desk.jobs import Job, JobQueue
from arabesque.desk.looks import Looks
from arabesque.desk.marks import Marks
from arabesque.desk.meters import SAMPLES_ALONG, Meters
from arabesque.desk.points import PointChoice
from arabesque.desk.scan_views import ScanViews
from arabesque.desk.scene_box import model_box
from arabesque.desk.weighing import Weighing
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface, Trim
from arabesque.mending import merged, turned_over
from arabesque.model import (
    DamagedProject,
    Document,
    History,
    Item,
    Journal,
    Layer,
    Leftover,
    Milestone,
    Project,
    discard,
    load_project,
    new_id,
    recover,
    rescue_project,
    save_project,
)
from arabesque.progress import Progress
from arabesque.scan import Scan, ready_to_fit
from arabesque.solid import FileKind, KernelWorker, Model, deliver, read_model, shown_part

SMALL, SMALL_SPACING, SPACING = 180.0, 3.0, 10.0
"""mm: sections of parts smaller than the first are so far apart by themselves; else as the third says."""
FEWEST_ALONG = 30
"""Samples a side of each patch in a drag of very many."""


class Session(QObject):
    """Holds the document and tells everyone when it changes.

    changed:   the document or what is shown of it (also during a drag)
    selected:  another item is selected
    told:      a line for the user: text, and True when it is a problem
    """

    changed = pyqtSignal()
    selected = pyqtSignal()
    told = pyqtSignal(str, bool)
    filed = pyqtSignal()
    fit_wanted = pyqtSignal()
    fly_wanted = pyqtSignal(object, object, float)
    """Somebody wants to look at a place: (3,) where, (3,) from which side, and how many mm round it."""

    journal_failed = pyqtSignal(object)

    def __init__(self, journal_root: Path | None = None) -> None:
        """journal_root: where journals are kept; None for no journal."""
        super().__init__()
        self.journal_root = journal_root
        self.journal: Journal | None = None
        if journal_root is not None:
            self.journal = Journal(journal_root, self.journal_failed.emit)
        self.journal_failed.connect(self.tell_problem)
        self.jobs = JobQueue()
        self.meters = Meters(self.jobs)
        self.scan_views = ScanViews(self.jobs)
        self.scan_views.ready.connect(self.changed)
        self.weighing = Weighing(self.jobs)
        self.weighing.ready.connect(self.changed)
        self.looks = Looks()
        self.marks = Marks()
        self.marks.changed.connect(self.changed)
        self.kernel = KernelWorker()
        self.history = History(Document())
        self.path: Path | None = None
        self.saved_at: float | None = None
        self._saved: Document | None = self.history.document
        self._unsaved_milestones = False
        self._transient: Document | None = None
        self._selection: str | None = None
        self._also: tuple[str, ...] = ()
        self.points = PointChoice()
        self.meters.measured.connect(self.changed)
        self.changed.connect(self._want_measures)

    # the document

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
        shown = [item.shape for item in self.document if isinstance(item.shape, Scan) and self.document.shows(item)]
        return self.scan_views.as_one(shown) or self.scan if len(shown) > 1 else self.scan

    @property
    def unsaved(self) -> bool:
        """True when there is work that is not in the project file."""
        return self.history.document is not self._saved or self._unsaved_milestones

    def show(self, document: Document) -> None:
        """Show a document without committing it, as in a drag."""
        self._transient = document
        self.changed.emit()

    def drop_shown(self) -> None:
        """Back to the committed document."""
        if self._transient is not None:
            self._transient = None
            self.changed.emit()

    def commit(self, label: str, document: Document) -> None:
        """Make ``document`` the work's new state; ``label`` says in plain words what was done."""
        self._transient = None
        self.history.commit(label, document)
        if self.journal is not None:
            self.journal.commit(label, document)
        self._tidy_selection()
        self.changed.emit()

    def undo(self) -> None:
        """One state back."""
        self._step(self.history.undo(), "Undone")

    def redo(self) -> None:
        """One state forth."""
        self._step(self.history.redo(), "Done again")

    def _step(self, label: str | None, word: str) -> None:
        self._transient = None
        if label is not None:
            self._moved()
            self.told.emit(f"{word}: {label}", False)

    def go_to(self, position: int) -> None:
        """Any state of the history."""
        self._transient = None
        self.history.go_to(position)
        self._moved()

    def _moved(self) -> None:
        if self.journal is not None:
            self.journal.move(self.history.position)
        self._tidy_selection()
        self.changed.emit()

    def set_milestone(self, name: str) -> None:
        """Give the present state a name."""
        self.history.set_milestone(name)
        if self.journal is not None:
            self.journal.milestone(name, self.history.document)
        self._unsaved_milestones = True
        self.changed.emit()
        self.told.emit(f"{name} is a milestone now: Ctrl+H returns to it", False)

    def return_to(self, milestone: Milestone) -> None:
        """Go back to a milestone; that is a step of its own, so nothing is lost."""
        if milestone.document is not self.history.document:
            self.commit(f"back to {milestone.name}", milestone.document)

    # selection

    @property
    def selection(self) -> Item | None:
        """The selected item."""
        return self.document.items.get(self._selection or "")

    @property
    def surface_item(self) -> Item | None:
        """The selected item when it is a surface."""
        item = self.selection
        return item if item is not None and isinstance(item.shape, Surface) else None

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
            self.selected.emit()
            self.changed.emit()

    def _tidy_selection(self) -> None:
        kept = [item.id for item in self.selected_items]
        if self._selection is not None and self._selection not in kept:
            self.select(kept[0] if kept else None)
        self._also = tuple(key for key in self._also if key in kept)

    # measures

    def grid(self, item: Item) -> Grid | None:
        """Measured grid of a surface item, or None while it is being measured."""
        return self.meters.grid(item.shape, self.checked_scan) if isinstance(item.shape, Surface) else None

    def back(self, item: Item) -> WayBack | None:
        """Distances of the scan's points to a surface item, or None while they are being measured."""
        return self.meters.back(item.shape, self.checked_scan) if isinstance(item.shape, Surface) else None

    @property
    def patches(self) -> list[Item]:
        """The patches that show, each followed by its live mirror image where it has one."""
        return self.document.with_images(self.document.surfaces(visible_only=True))

    def measure_now(self, document: Document, items: list[Item]) -> None:
        """Measure patches that are being moved, and their mirror images, before they are shown."""
        moving = [item for item in document.with_images(items) if isinstance(item.shape, Surface)]
        along = min(SAMPLES_ALONG, max(FEWEST_ALONG, int(SAMPLES_ALONG / max(len(moving), 1) ** 0.5)))
        for item in moving:
            assert isinstance(item.shape, Surface)
            self.meters.measure_now(item.id, item.shape, self.checked_scan, along)
            before = self.history.document.find(item.id)
            if before is not None and isinstance(before.shape, Surface):
                self.meters.follow_now(item.id, before.shape, item.shape, self.checked_scan, len(moving))

    def _want_measures(self) -> None:
        shapes = []
        for document in (self.document, self.history.document):
            items = document.with_images([item for item in document if not item.parked])
            shapes.append([item.shape for item in items if isinstance(item.shape, Surface)])
        self.meters.want(shapes[0] + shapes[1], self.checked_scan, shapes[1], self.document.tolerance)

    # simple changes

    def rename(self, item: Item, name: str) -> None:
        """Give an item another name; an empty or equal one changes nothing."""
        if name.strip() and name.strip() != item.name:
            self.commit(f"{item.name} renamed to {name.strip()}", self.document.changed(item.id, name=name.strip()))

    def set_visible(self, item: Item, visible: bool) -> None:
        """Show or hide an item."""
        word = "shown" if visible else "hidden"
        self.commit(f"{item.name} {word}", self.document.changed(item.id, look=replace(item.look, visible=visible)))

    def set_dimmed(self, item: Item, dimmed: bool) -> None:
        """Dim an item, or show it in full again."""
        look = replace(item.look, dimmed=dimmed)
        self.commit(f"{item.name} {'dimmed' if dimmed else 'shown in full'}", self.document.changed(item.id, look=look))

    def put_on_new_layer(self, item: Item) -> None:
        """Make a layer and put an item on it."""
        layer = self.document.new_layer()
        document = self.document.with_layer(layer).changed(item.id, layer=layer.id)
        self.commit(f"{item.name} put on {layer.name}", document)

    def put_on_layer(self, layer_id: str | None) -> None:
        """Put the selected item on a layer, or on none."""
        item = self.selection
        if item is not None and item.layer != layer_id:
            self.commit(f"{item.name} put on another layer", self.document.changed(item.id, layer=layer_id))

    def change_layer(self, layer: Layer, words: str) -> None:
        """Put a layer in place of the one with its id."""
        self.commit(f"{layer.name} {words}", self.document.with_layer(layer))

    def remove_layer(self, layer: Layer) -> None:
        """Remove a layer; its items stay."""
        self.commit(f"{layer.name} removed", self.document.without_layer(layer.id))

    def park(self, item: Item) -> None:
        """Keep a copy of an item aside, out of the picture and of all checks."""
        name = self.document.free_name(f"{item.name} parked")
        copy = replace(item, id=new_id(), name=name, made_from=(item.id,), parked=True, twin=item.twin)
        self.commit(f"{item.name}: a version parked", self.document.with_item(copy))

    def bring_back(self, parked: Item) -> None:
        """Put a parked version in the place of the item that it was parked from, which is parked instead."""
        source = self.document.items.get(parked.made_from[0]) if parked.made_from else None
        if source is None:
            self.commit(f"{parked.name} brought back", self.document.changed(parked.id, parked=False))
            self.select(parked.id)
            return
        back = replace(source, shape=parked.shape, twin=parked.twin, pins=parked.pins)
        aside = replace(parked, shape=source.shape, twin=source.twin, pins=source.pins)
        self.commit(f"{parked.name} brought back", self.document.with_item(back).with_item(aside))
        self.select(source.id)

    def set_see_through(self, item: Item, see_through: bool) -> None:
        """Make an item see-through or solid."""
        word = "made see-through" if see_through else "made solid"
        look = replace(item.look, see_through=see_through)
        self.commit(f"{item.name} {word}", self.document.changed(item.id, look=look))

    def delete(self, item: Item) -> None:
        """Delete an item."""
        self.commit(f"{item.name} deleted", self.document.without(item.id))

    def set_reference(self, item: Item) -> None:
        """Let fits and checks refer to another scan."""
        self.commit(f"{item.name} is the reference scan", replace(self.document, reference=item.id))

    def set_tolerance(self, tolerance: float) -> None:
        """Set the tolerance, mm; raises ArabesqueError when it is not possible."""
        if tolerance != self.document.tolerance:
            self.commit(f"tolerance {tolerance:g} mm", self.document.with_tolerance(tolerance))

    def add(self, label: str, name: str, shape: Scan | Surface, **fields: object) -> Item:
        """Add an item, select it, and return it."""
        item = Item(new_id(), self.document.free_name(name), shape, **fields)  # type: ignore[arg-type]
        self.commit(label, self.document.with_item(item))
        self.select(item.id)
        return item

    def duplicate(self, item: Item) -> None:
        """A copy of an item, selected; what cannot change is shared."""
        copy = replace(item, id=new_id(), name=self.document.free_name(item.name), made_from=(item.id,))
        self.commit(f"{item.name} duplicated", self.document.with_item(copy))
        self.select(copy.id)

    def turn_over(self, item: Item) -> None:
        """Let a scan look the other way."""
        if isinstance(item.shape, Scan):
            scan = item.shape
            job = self._job(f"Turning {item.name}", lambda progress: ready_to_fit(turned_over(scan), progress))
            job.done.connect(lambda made: self._put_prepared(item, made, "normals turned over"))

    def merge_scans(self, items: list[Item]) -> None:
        """Several scans as one; they stay, hidden."""
        scans = [item.shape for item in items if isinstance(item.shape, Scan)]
        names = " and ".join(item.name for item in items)

        def finish(scan: Scan) -> None:
            document = self.document
            for item in items:
                document = document.changed(item.id, look=replace(item.look, visible=False))
            made = Item(new_id(), document.free_name("Merged scan"), scan, tuple(i.id for i in items), "merged")
            self.commit(f"{names} merged", replace(document.with_item(made), reference=made.id))
            self.select(made.id)

        job = self._job("Merging scans", lambda progress: ready_to_fit(merged(scans), progress))
        job.done.connect(finish)

    def _put_prepared(self, item: Item, scan: Scan, words: str) -> None:
        if item.id in self.history.document:
            document, item_id = self.history.document.prepared(item.id, scan, words)
            self.commit(f"{item.name}: {words}", document)
            self.select(item_id)

    # files, all in the background

    def start(self, document: Document, path: Path | None, label: str) -> None:
        """Begin work on another document."""
        self._transient = None
        self._begin(History(document, label), document, path)
        if self.journal is not None:
            self.journal.begin(label, document, str(path) if path else None)

    def _begin(self, history: History, saved: Document | None, path: Path | None) -> None:
        self.history = history
        self._saved = saved
        self._unsaved_milestones = False
        self._selection, self._also = None, ()
        self.points.clear()
        low, high = model_box(history.document)
        self.looks.sections.spacing = SMALL_SPACING if float(np.linalg.norm(high - low)) < SMALL else SPACING
        self.path = path
        self.saved_at = time.time() if path else None
        self.filed.emit()
        self.selected.emit()
        self.changed.emit()

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
            self.start(project.document, path if lost is None else None, f"{path.name} opened")
            for milestone in project.milestones:
                self.history.set_milestone(milestone.name, milestone.document)
                if self.journal is not None:
                    self.journal.milestone(milestone.name, milestone.document)
            if lost is not None:
                what = f"could not be read: {', '.join(lost)}" if lost else "its milestones may be incomplete"
                self.told.emit(f"{path.name} is damaged; {what}. Save what was read under another name.", True)

        job = self._job(f"Opening {path.name}", work)
        job.done.connect(finish)
        return job

    def take_up(self, leftover: Leftover) -> Job:
        """Go on with the work of a window that did not close."""

        def work(progress: Progress) -> tuple[History, Document | None]:
            history, saved = recover(leftover)
            _make_ready(history.document, progress)
            return history, saved

        def finish(result: tuple[History, Document | None]) -> None:
            history, saved = result
            path = Path(leftover.project) if leftover.project else None
            self._begin(history, saved, path)
            if self.journal is not None:
                self._copy_to_journal(history, path)
                self.journal.flush()
            discard(leftover)
            self.told.emit(f"Taken up where it stopped: {history.steps[history.position].label}", False)

        job = self._job("Taking up earlier work", work)
        job.done.connect(finish)
        return job

    def _copy_to_journal(self, history: History, path: Path | None) -> None:
        assert self.journal is not None
        first, *others = history.steps
        self.journal.begin(first.label, first.document, str(path) if path else None)
        for step in others:
            self.journal.commit(step.label, step.document)
        for milestone in history.milestones:
            self.journal.milestone(milestone.name, milestone.document)
        self.journal.move(history.position)

    def save(self, path: Path) -> Job:
        """Save to a project file."""
        document = self.history.document
        project = Project(document, tuple(self.history.milestones))

        def finish(_: object) -> None:
            self.path, self._saved, self.saved_at = path, document, time.time()
            self._unsaved_milestones = False
            if self.journal is not None:
                self.journal.saved(str(path))
            self.filed.emit()
            self.told.emit(f"Saved {path.name}", False)

        job = self._job(f"Saving {path.name}", lambda progress: save_project(path, project, progress))
        job.done.connect(finish)
        return job

    def export(self, path: Path, items: list[Item], kind: FileKind, unit: str, chord: float) -> Job:
        """Write patches and curves to a file of a kind, in a unit."""
        shapes = [(item.name, item.shape) for item in items if isinstance(item.shape, Surface | Curve)]

        def work(progress: Progress) -> None:
            deliver(path, shapes, kind, self.kernel, unit, chord, progress)

        job = self._job(f"Exporting {path.name}", work)
        job.done.connect(lambda _: self.told.emit(f"Exported {len(shapes)} to {path.name}", False))
        return job

    def open_model(self, path: Path) -> Job:
        """Bring the faces and curves of a STEP or IGES file in as items."""

        def finish(model: Model) -> None:
            document = self.document
            trimmed = sum(face.trim is not None for face in model.faces)
            shapes: list[tuple[str, Surface | Curve, Trim | None]] = [
                (face.name, shown_part(face), face.trim) for face in model.faces
            ]
            shapes += [(name, curve, None) for name, curve in model.curves]
            for name, shape, trim in shapes:
                note = path.name if trim is None else f"{path.name}, trimmed in its file"
                title = document.free_name(name or path.stem)
                document = document.with_item(Item(new_id(), title, shape, note=note, trim=trim))
            self.commit(f"{len(shapes)} shapes from {path.name}", document)
            words = [f"{len(shapes)} shapes came in from {path.name}"]
            if trimmed:
                words.append(f"{trimmed} are trimmed there and come in whole, with the trim as a line")
            if model.skipped:
                words.append(f"{len(model.skipped)} could not be used: {model.skipped[0][1]}")
            self.told.emit("; ".join(words), bool(model.skipped))

        job = self._job(f"Opening {path.name}", lambda progress: read_model(path, self.kernel, progress))
        job.done.connect(finish)
        return job

    def _job(self, label: str, work: object) -> Job:
        job = self.jobs.start(label, work)  # type: ignore[arg-type]
        job.failed.connect(self.tell_problem)
        job.cancelled.connect(lambda: self.told.emit(f"{label}: cancelled, nothing was changed", False))
        return job

    def run(self, label: str, work: object) -> Job:
        """Run long work in the background; its problems are told."""
        return self._job(label, work)

    def tell_problem(self, problem: ArabesqueError) -> None:
        """Tell the user what went wrong and what helps."""
        self.told.emit(str(problem), True)

    def close(self) -> None:
        """End background work and the kernel."""
        self.jobs.close()
        self.kernel.close()
        if self.journal is not None:
            self.journal.close()


def _make_ready(document: Document, progress: Progress) -> None:
    """Have every scan ready to fit before it is shown."""
    for item in document:
        if isinstance(item.shape, Scan):
            ready_to_fit(item.shape, progress)
