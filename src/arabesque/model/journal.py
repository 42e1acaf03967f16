"""The journal: every committed step is on disk within a second, and offered after a crash.

One folder a window, held by a file lock for as long as the window lives. It
holds ``steps.jsonl``, one line an event, and ``arrays/``, named by content
and written once: a step that moves a control point writes a few kilobytes,
whatever the scan weighs. A line is written only when all arrays it names are
on the disk; a torn last line is left out of account.
"""

from __future__ import annotations

import fcntl
import json
import os
import queue
import shutil
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import numpy as np

from arabesque.errors import ArabesqueError, FileProblem
from arabesque.model.document import Document
from arabesque.model.history import History
from arabesque.model.records import AnyArray, ArrayNames, document_from, document_record, stored_array

_STEPS, _LOCK, _ARRAYS = "steps.jsonl", "lock", "arrays"


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

    on_problem is called, in that thread, with a FileProblem when the disk
    refuses a step; the steps go on being kept in memory, and the next one
    tries to write all that is missing.
    """

    def __init__(self, root: Path, on_problem: Callable[[FileProblem], None], folder: Path | None = None) -> None:
        self.folder = folder or root / f"{time.strftime('%Y%m%d-%H%M%S')}-{uuid.uuid4().hex[:8]}"
        self.safe_at: float | None = None
        self._on_problem = on_problem
        self._names = ArrayNames()
        self._events: queue.Queue[dict[str, Any] | None] = queue.Queue()
        self._missing: list[dict[str, Any]] = []
        self._lock: IO[str] | None = None
        self._thread = threading.Thread(target=self._run, name="arabesque-journal", daemon=True)
        self._thread.start()

    def begin(self, label: str, document: Document, project: str | None) -> None:
        """Work begins anew on a document: what was written before is given up."""
        self._put({"event": "begin", "label": label, "document": document, "project": project})

    def commit(self, label: str, document: Document) -> None:
        """A step was committed."""
        self._put({"event": "commit", "label": label, "document": document})

    def move(self, position: int) -> None:
        """Undo or redo went to another state."""
        self._put({"event": "move", "position": position})

    def milestone(self, name: str, document: Document) -> None:
        """A state got a name."""
        self._put({"event": "milestone", "name": name, "document": document})

    def saved(self, project: str) -> None:
        """The state as it is went to a project file."""
        self._put({"event": "saved", "project": project})

    def flush(self, seconds: float = 30.0) -> bool:
        """Wait until everything has been written or refused; False when that takes too long."""
        done = threading.Event()
        self._put({"event": "flush", "done": done})
        return done.wait(seconds)

    def close(self, keep: bool = False) -> None:
        """End the journal; without ``keep`` the folder goes, for nothing is left to lose."""
        self._events.put(None)
        self._thread.join()
        if self._lock is not None:
            self._lock.close()
        if not keep:
            shutil.rmtree(self.folder, ignore_errors=True)

    def _put(self, event: dict[str, Any]) -> None:
        self._events.put({"time": time.time(), **event})

    # in the thread

    def _run(self) -> None:
        while (event := self._events.get()) is not None:
            if event["event"] == "flush":
                event["done"].set()
                continue
            self._missing.append(event)
            if event["event"] == "begin":
                self._missing = [event]
            try:
                self._write_missing()
            except OSError as problem:
                self._on_problem(
                    FileProblem(
                        f"The journal cannot be written ({problem.strerror})",
                        "Your work is unharmed in memory: save it to another disk, or make room on this one",
                    )
                )

    def _write_missing(self) -> None:
        if self._lock is None:
            self._take_folder()
        while self._missing:
            self._write(self._missing[0])
            self._missing.pop(0)
        self.safe_at = time.time()

    def _take_folder(self) -> None:
        (self.folder / _ARRAYS).mkdir(parents=True, exist_ok=True)
        lock = (self.folder / _LOCK).open("a", encoding="ascii")
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.close()
            raise
        self._lock = lock

    def _write(self, event: dict[str, Any]) -> None:
        line = dict(event)
        if "document" in line:
            line["document"] = document_record(line["document"], self._put_array)
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

    A folder in which nothing can be read is removed.
    """
    found = []
    for folder in root.glob("*"):
        if not (folder / _STEPS).exists() or _is_held(folder):
            continue
        events = _events(folder)
        if not events or _worthless(events):
            shutil.rmtree(folder, ignore_errors=True)
            continue
        labels = [event["label"] for event in events if "label" in event]
        project = next((event["project"] for event in reversed(events) if event.get("project")), None)
        found.append(Leftover(folder, project, len(labels), labels[-1], events[-1]["time"]))
    return sorted(found, key=lambda leftover: -leftover.written)


def recover(leftover: Leftover) -> tuple[History, Document | None]:
    """The history that a journal holds, up to the last step that is whole, and the state last saved.

    Raises FileProblem when not even the first state can be read.
    """
    arrays: dict[str, AnyArray] = {}

    def get(name: str) -> AnyArray:
        if name not in arrays:
            arrays[name] = stored_array((leftover.folder / _ARRAYS / f"{name}.npy").read_bytes())
        return arrays[name]

    history: History | None = None
    saved: Document | None = None
    for event in _events(leftover.folder):
        try:
            if event["event"] == "begin":
                document = document_from(event["document"], get)
                history = History(document, event["label"])
                saved = document if event["project"] else None
            elif history is None:
                continue
            elif event["event"] == "commit":
                history.commit(event["label"], document_from(event["document"], get))
            elif event["event"] == "move":
                history.go_to(event["position"])
            elif event["event"] == "milestone":
                history.set_milestone(event["name"], document_from(event["document"], get))
            elif event["event"] == "saved":
                saved = history.document
        except (OSError, ValueError, LookupError, TypeError, EOFError, ArabesqueError):
            break  # what follows builds on what cannot be read
    if history is None:
        raise FileProblem("The journal of the earlier work cannot be read", "Open the project file instead")
    return history, saved


def discard(leftover: Leftover) -> None:
    """Give up a journal."""
    shutil.rmtree(leftover.folder, ignore_errors=True)


def _is_held(folder: Path) -> bool:
    try:
        with (folder / _LOCK).open("a", encoding="ascii") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except FileNotFoundError:
        return False
    except OSError:
        return True
    return False


def _worthless(events: list[dict[str, Any]]) -> bool:
    """True when nothing was ever done: an empty document, or a project only looked at."""
    return len(events) == 1 and (not events[0]["document"]["items"] or bool(events[0]["project"]))


def _events(folder: Path) -> list[dict[str, Any]]:
    """The lines that are whole, from the start."""
    events = []
    for line in (folder / _STEPS).read_bytes().split(b"\n"):
        try:
            event = json.loads(line)
        except ValueError:
            break
        if not isinstance(event, dict) or "event" not in event:
            break
        events.append(event)
    return events if events and events[0]["event"] == "begin" else []
