"""The journal: every committed step is on disk within a second, and offered after a crash.

One folder a window, held by a file lock for as long as the window lives. It
holds ``steps.jsonl``, one line an event with the items that changed, and
``arrays/``, named by content and written once: a step that moves a control
point writes a few kilobytes, whatever the project weighs. A line is written only when all arrays it names are
on the disk; a torn last line is left out of account. Whoever takes up or gives up a folder holds its lock first; a
folder that was taken away under a living window is made again, with all that it held.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import logging
import os
import queue
import shutil
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import IO, Any

import numpy as np

from arabesque.errors import FileProblem
from arabesque.files import reason
from arabesque.model.document import Document
from arabesque.model.history import History, Milestone
from arabesque.model.records import (
    DAMAGE,
    AnyArray,
    ArrayNames,
    Reader,
    document_changes,
    document_record,
    stored_array,
)

log = logging.getLogger(__name__)

_STEPS, _LOCK, _ARRAYS = "steps.jsonl", "lock", "arrays"
_ASIDE = ".unreadable"
_PRIVATE = 0o700
"""Work is nobody else's business."""
_LAST_TIME = 4e9
"""s since 1970: no step was written later, in the year 2096."""
_LOOK_AFTER = 1.0
"""s without a step after which the folder is looked after: whether it is still there."""

Event = dict[str, Any]


@dataclass(frozen=True)
class Leftover:
    """The journal of a window that did not close: what it holds and when it was written last."""

    folder: Path
    project: str | None
    steps: int
    label: str
    written: float


class Journal:
    """Writes a session's steps to a folder of its own, in a thread of its own.

    on_problem is called, in that thread, with a FileProblem when a step
    cannot be written; the steps go on being kept in memory, and the next one
    tries to write all that is missing. safe_at: when all that was done was
    last on the disk. problem: what keeps it from being there now, or None.
    """

    def __init__(self, root: Path, on_problem: Callable[[FileProblem], None]) -> None:
        self.folder = root / f"{time.strftime('%Y%m%d-%H%M%S')}-{uuid.uuid4().hex[:8]}"
        self.safe_at: float | None = None
        self.problem: FileProblem | None = None
        self._on_problem = on_problem
        self._names = ArrayNames()
        self._events: queue.Queue[Event | None] = queue.Queue()
        self._missing: list[Event] = []
        # all that the folder has to hold: states are shared with the history, so that this costs next to nothing
        self._held: list[Event] = []
        self._lock: IO[str] | None = None
        self._thread = threading.Thread(target=self._run, name="arabesque-journal", daemon=True)
        self._thread.start()

    @classmethod
    def going_on(cls, leftover: Leftover, history: History, on_problem: Callable[[FileProblem], None]) -> Journal:
        """A journal that goes on in the folder of a window that did not close, so that nothing is written twice.

        history: what was read from there. Raises FileProblem when the folder cannot be taken; it stays as it is then.
        """
        journal = cls(leftover.folder.parent, on_problem)
        journal.folder = leftover.folder
        journal._held = _events_of(history, leftover.project)
        try:
            journal._take_folder(there=True)
            # a torn last line would spoil the next one
            path = leftover.folder / _STEPS
            os.truncate(path, sum(len(line) + 1 for line in _whole_lines(path.read_bytes())))
        except OSError as problem:
            journal.close(keep=True)
            why = "another window has it" if isinstance(problem, BlockingIOError) else reason(problem)
            raise FileProblem(f"The earlier work cannot be taken up ({why})", "Go on in the window that has it") from (
                problem
            )
        journal.safe_at = time.time()
        return journal

    def begin(
        self, label: str, document: Document, project: str | None, milestones: tuple[Milestone, ...] = ()
    ) -> None:
        """Work begins anew on a document: what was written before is given up. milestones: that its file holds."""
        self._put({"event": "begin", "label": label, "document": document, "project": project})
        for one in milestones:
            self._put(
                {"event": "milestone", "name": one.name, "before": document, "document": one.document, "opened": True}
            )

    def copy(self, history: History, project: str | None) -> None:
        """Begin anew with a whole history."""
        for event in _events_of(history, project):
            self._put(event)

    def commit(self, label: str, before: Document, document: Document) -> None:
        """A step was committed; only what differs from the state ``before`` it is written."""
        self._put({"event": "commit", "label": label, "before": before, "document": document})

    def amend(self, before: Document, document: Document) -> None:
        """What is derived in the present state was rebuilt."""
        self._put({"event": "amend", "before": before, "document": document})

    def move(self, position: int) -> None:
        """Undo or redo went to another state."""
        self._put({"event": "move", "position": position})

    def milestone(self, name: str, before: Document, document: Document) -> None:
        """A state got a name; what differs from the present state ``before`` is written."""
        self._put({"event": "milestone", "name": name, "before": before, "document": document})

    def saved(self, project: str, position: int | None) -> None:
        """The state at a position in the history (None: one that is gone) went to a project file."""
        self._put({"event": "saved", "project": project, "position": position})

    def flush(self, seconds: float = 30.0) -> bool:
        """Wait until everything has been written; False when something could not be, or it takes too long."""
        done = threading.Event()
        self._put({"event": "flush", "done": done})
        return done.wait(seconds) and not self._missing

    def close(self, keep: bool = False) -> None:
        """End the journal; without ``keep`` the folder goes, for nothing is left to lose."""
        self._events.put(None)
        self._thread.join()
        if self._lock is None:
            return
        if not keep and self._in_place():
            shutil.rmtree(self.folder, ignore_errors=True)
        self._lock.close()

    def _put(self, event: Event) -> None:
        self._events.put({"time": time.time(), **event})

    # in the thread

    def _run(self) -> None:
        while True:
            try:
                event = self._events.get(timeout=_LOOK_AFTER)
            except queue.Empty:
                if self._lock is not None and not self._in_place():
                    self._write()
                continue
            if event is None:
                break
            if event["event"] == "flush":
                event["done"].set()
                continue
            if event["event"] == "begin":
                self._missing, self._held = [], []
            self._missing.append(event)
            self._held.append(event)
            self._write()

    def _write(self) -> None:
        """Bring everything to the disk that is not there; what keeps it from being there is told."""
        try:
            self._write_missing()
            self.problem = None
        except OSError as problem:
            self._tell(reason(problem))
        except Exception as problem:  # whatever it is, the title must not go on saying that work is safe
            log.exception("the journal cannot write a step")
            self._tell(str(problem) or type(problem).__name__)

    def _tell(self, why: str) -> None:
        cure = "Your work is unharmed in memory: save it to another disk, or make room on this one"
        self.problem = FileProblem(f"The journal cannot be written ({why})", cure)
        self._on_problem(self.problem)

    def _write_missing(self) -> None:
        if self._lock is not None and not self._in_place():
            log.warning("The journal %s was taken away; it is made again", self.folder)
            self._lock.close()
            self._lock = None
            self.safe_at = None
            self._missing = list(self._held)
            # what another has put there in the meantime is left alone
            self.folder = self.folder.with_name(f"{time.strftime('%Y%m%d-%H%M%S')}-{uuid.uuid4().hex[:8]}")
        if self._lock is None:
            self._take_folder()
        while self._missing:
            self._write_event(self._missing[0])
            self._missing.pop(0)
        self.safe_at = time.time()

    def _in_place(self) -> bool:
        """True while the folder is the one whose lock is held."""
        assert self._lock is not None
        try:
            return os.path.samestat(os.fstat(self._lock.fileno()), (self.folder / _LOCK).stat())
        except OSError:
            return False

    def _take_folder(self, there: bool = False) -> None:
        """Hold the lock of the folder, which is made where it is not ``there``; raises OSError."""
        if there and not self.folder.is_dir():
            raise FileNotFoundError(2, "it is gone")
        self.folder.parent.mkdir(parents=True, exist_ok=True, mode=_PRIVATE)
        self.folder.mkdir(exist_ok=True, mode=_PRIVATE)
        self.folder.chmod(_PRIVATE)
        (self.folder / _ARRAYS).mkdir(exist_ok=True, mode=_PRIVATE)
        lock = (self.folder / _LOCK).open("a", encoding="ascii")
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.close()
            raise
        self._lock = lock

    def _write_event(self, event: Event) -> None:
        line = dict(event)
        before, document = line.pop("before", None), line.pop("document", None)
        if document is not None and before is None:
            line["document"] = document_record(document, self._put_array)
        elif document is not None:
            line["changes"] = document_changes(before.items, document, self._put_array)
        text = json.dumps(line) + "\n"
        path = self.folder / _STEPS
        if event["event"] == "begin":
            beside = path.with_suffix(".new")
            _write_synced(beside, text.encode(), "wb")
            beside.replace(path)
        else:
            _write_synced(path, text.encode(), "ab")

    def _put_array(self, array: AnyArray) -> str:
        name = self._names(array)
        path = self.folder / _ARRAYS / f"{name}.npy"
        if not path.exists():
            beside = path.with_suffix(".part")
            with beside.open("wb") as file:
                np.lib.format.write_array(file, array, allow_pickle=False)
                file.flush()
                os.fsync(file.fileno())
            beside.replace(path)
        return name


def _write_synced(path: Path, content: bytes, mode: str) -> None:
    """Write and flush to the disk; a line that got on the disk only in part is taken back."""
    with path.open(mode) as file:
        start = file.tell()
        try:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        except OSError:
            os.ftruncate(file.fileno(), start)
            raise


def leftovers(root: Path) -> list[Leftover]:
    """Journals of windows that did not close, newest first; those of living windows are left alone.

    A folder in which nothing was ever done is removed; one that cannot be read is set aside (see ``unreadable``).
    Nothing that lies there is an error: the window has to start.
    """
    found = []
    for folder in _folders(root):
        try:
            with _lock_of(folder) as free:
                if free and (leftover := _looked_at(folder)) is not None:
                    found.append(leftover)
        except PermissionError:
            # of another user, who may be at work in it: it is named by ``unreadable``
            log.warning("The journal %s may not be read", folder)
        except (OSError, *DAMAGE):
            set_aside(folder)
    return sorted(found, key=lambda leftover: -leftover.written)


def _looked_at(folder: Path) -> Leftover | None:
    """What an unheld folder holds; None where nothing was done in it: it is removed then. Raises DAMAGE, OSError."""
    events = _events(folder)
    if not events:
        raise ValueError("not even the beginning is there")
    if _worthless(events):
        shutil.rmtree(folder, ignore_errors=True)
        return None
    labels = [str(event["label"]) for event in events if "label" in event]
    projects = (event.get("project") for event in reversed(events))
    project = next((name for name in projects if name and isinstance(name, str)), None)
    return Leftover(folder, project, len(labels), labels[-1], _time_of(events, folder))


def _time_of(events: list[Event], folder: Path) -> float:
    """When the last event was written, by itself, else by the file."""
    last = events[-1].get("time")
    if isinstance(last, int | float) and 0 <= last < _LAST_TIME:
        return float(last)
    return (folder / _STEPS).stat().st_mtime


def _folders(root: Path) -> Iterator[Path]:
    """Those that may be journals."""
    for folder in root.glob("*"):
        with contextlib.suppress(PermissionError):
            if folder.name.endswith(_ASIDE) or not (folder / _STEPS).exists():
                continue
        yield folder


def unreadable(root: Path) -> list[Path]:
    """Folders of journals that could not be read, or only in part, and were set aside; and those that may not be."""
    return sorted([*root.glob(f"*{_ASIDE}"), *(folder for folder in _folders(root) if not _may_be_read(folder))])


def _may_be_read(folder: Path) -> bool:
    return os.access(folder, os.R_OK | os.W_OK | os.X_OK) and os.access(folder / _STEPS, os.R_OK)


def set_aside(folder: Path) -> None:
    """Keep a journal that cannot be read out of the way: it is never deleted."""
    aside = folder.with_name(f"{folder.name}-{uuid.uuid4().hex[:8]}{_ASIDE}")
    log.warning("The journal %s cannot be read; it is kept as %s", folder, aside)
    try:
        folder.rename(aside)
    except OSError:
        log.warning("The journal %s cannot be set aside either", folder)


@dataclass(frozen=True, eq=False)
class Recovered:
    """history: as the journal holds it. saved: the state last saved, or None. whole: nothing in it was unreadable."""

    history: History
    saved: Document | None
    whole: bool


def recover(leftover: Leftover) -> Recovered:
    """The history that a journal holds, up to the last step that is whole.

    Raises FileProblem when not even the first state can be read.
    """
    arrays: dict[str, AnyArray] = {}

    def get(name: str) -> AnyArray:
        if name not in arrays:
            arrays[name] = stored_array((leftover.folder / _ARRAYS / f"{name}.npy").read_bytes())
        return arrays[name]

    reader = Reader(get)
    history: History | None = None
    saved: Document | None = None
    whole = True

    def state(event: dict[str, Any]) -> Document:
        if history is None or "document" in event:
            return reader.document(event["document"])
        return reader.changed(history.document, event["changes"])

    try:
        events = _events(leftover.folder)
    except OSError as problem:
        raise FileProblem(
            f"The earlier work is not there any more ({reason(problem)})", "It was taken up or given up elsewhere"
        ) from problem
    for event in events:
        try:
            if event["event"] == "begin":
                document = state(event)
                history = History(document, event["label"])
                saved = document if event["project"] else None
            elif history is None:
                continue
            elif event["event"] == "commit":
                history.commit(event["label"], state(event))
            elif event["event"] == "amend":
                history.amend(state(event))
            elif event["event"] == "move":
                history.go_to(event["position"])
            elif event["event"] == "milestone":
                history.set_milestone(event["name"], state(event))
            elif event["event"] == "saved":
                position = event.get("position", history.position)
                saved = None if position is None else history.steps[position].document
        except (OSError, *DAMAGE):
            log.warning("A step of %s cannot be read; it ends there", leftover.folder)
            whole = False
            break  # what follows builds on what cannot be read
    if history is None:
        raise FileProblem(
            f"The journal of the earlier work cannot be read; it is kept in {leftover.folder}",
            "Open the project file instead",
        )
    return Recovered(history, saved, whole)


def discard(leftover: Leftover) -> None:
    """Give up a journal. Raises FileProblem where a living window has it: nothing is changed then."""
    if not leftover.folder.is_dir():
        return
    with _lock_of(leftover.folder) as free:
        if not free:
            raise FileProblem("Another window goes on with that work", "Close it there if it is not wanted")
        shutil.rmtree(leftover.folder, ignore_errors=True)


@contextlib.contextmanager
def _lock_of(folder: Path) -> Iterator[bool]:
    """Hold the lock of a folder, so that no window takes it up in the meantime; False where one has it. Raises
    OSError."""
    with (folder / _LOCK).open("a", encoding="ascii") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield False
            return
        yield True


def _worthless(events: list[Event]) -> bool:
    """True when nothing was ever done: an empty document, or a project that was opened, rebuilt and looked at."""
    begun = not events[0]["document"]["items"] or bool(events[0]["project"])
    return begun and all(event["event"] == "amend" or event.get("opened") is True for event in events[1:])


def _events_of(history: History, project: str | None) -> list[Event]:
    """A whole history as events."""
    steps, now = history.steps, {"time": time.time()}
    events: list[Event] = [
        {**now, "event": "begin", "label": steps[0].label, "document": steps[0].document, "project": project}
    ]
    for before, step in pairwise(steps):
        events.append(
            {**now, "event": "commit", "label": step.label, "before": before.document, "document": step.document}
        )
    events.append({**now, "event": "move", "position": history.position})
    for one in history.milestones:
        events.append(
            {**now, "event": "milestone", "name": one.name, "before": history.document, "document": one.document}
        )
    return events


def _events(folder: Path) -> list[Event]:
    """The events that are whole, from the start."""
    events = [json.loads(line) for line in _whole_lines((folder / _STEPS).read_bytes())]
    return events if events and events[0]["event"] == "begin" else []


def _whole_lines(content: bytes) -> list[bytes]:
    """The lines that hold an event, up to the first that does not."""
    lines = []
    for line in content.split(b"\n")[:-1]:
        try:
            event = json.loads(line)
        except (ValueError, RecursionError):
            break
        if not isinstance(event, dict) or "event" not in event:
            break
        lines.append(line)
    return lines
