"""Long work beside the window: one job after the other, each with progress and cancel."""

from __future__ import annotations

import logging
import os
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from arabesque.errors import ArabesqueError
from arabesque.progress import Cancelled, Progress

log = logging.getLogger(__name__)

Work = Callable[[Progress], Any]
TOLD_EVERY = 0.1
"""Seconds between reports that the window hears of: each has it drawn."""


class Job(QObject):
    """A piece of work in a thread. Signals arrive in the window's thread.

    done carries the result, failed an ArabesqueError, cancelled nothing.
    """

    progressed = pyqtSignal(float, str)
    done = pyqtSignal(object)
    failed = pyqtSignal(object)
    cancelled = pyqtSignal()
    ended = pyqtSignal()
    over = pyqtSignal()
    """After everything that ``ended`` sets off: until then the queue keeps the job, for Python may otherwise
    clear the slots that still wait for their turn."""

    def __init__(self, label: str, work: Work) -> None:
        super().__init__()
        self.label = label
        self.fraction = 0.0
        self.message = label
        self._work = work
        self._wanted = True
        self.dropped = False
        self._told = 0.0

    def cancel(self) -> None:
        """Stop at the next progress report; the result is dropped in any case."""
        self._wanted = False

    def drop(self) -> None:
        """Cancel what nobody waits for any more, as another click asks for something else: that is not told."""
        self.dropped = True
        self.cancel()

    def run(self) -> None:
        """Do the work; called in the worker thread."""
        try:
            self._report(0.0, self.label)
            result = self._work(self._report)
            if not self._wanted:
                raise Cancelled
        except Cancelled:
            self.cancelled.emit()
        except ArabesqueError as problem:
            self.failed.emit(problem)
        except Exception as problem:  # what went wrong is shown and logged
            log.exception("job %s failed", self.label)
            self.failed.emit(
                ArabesqueError(f"{self.label}: something unforeseen went wrong ({problem})", "Your work is unharmed")
            )
        else:
            self.done.emit(result)
        self.ended.emit()
        self.over.emit()

    def _report(self, fraction: float, message: str) -> None:
        if not self._wanted:
            raise Cancelled
        self.fraction, self.message = fraction, message
        now = time.monotonic()
        if now - self._told >= TOLD_EVERY:
            self._told = now
            self.progressed.emit(fraction, message)


def _step_back() -> None:
    """Let this thread, and those it starts, give way to the window where processors are few."""
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 8)


class JobQueue(QObject):
    """Runs jobs one after the other, in three lanes: long work, what is derived, and quick work, which is not shown."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._long = ThreadPoolExecutor(1, "arabesque-job", initializer=_step_back)
        self._short = ThreadPoolExecutor(1, "arabesque-quick")
        self._derived = ThreadPoolExecutor(1, "arabesque-derived", initializer=_step_back)
        self.jobs: list[Job] = []
        self._quick: set[Job] = set()
        self._closed = False

    def start(self, label: str, work: Work) -> Job:
        """Queue long work; it is shown with progress and can be cancelled."""
        return self._shown(self._long, label, work)

    def derive(self, label: str, work: Work) -> Job:
        """Run the rebuilding of what is derived: shown as long work is, in a lane of its own."""
        return self._shown(self._derived, label, work)

    def _shown(self, lane: ThreadPoolExecutor, label: str, work: Work) -> Job:
        job = Job(label, work)
        self.jobs.append(job)
        job.over.connect(lambda: self._forget(job))
        job.progressed.connect(self.changed)
        self._submit(lane, job)
        self.changed.emit()
        return job

    def quick(self, label: str, work: Work) -> Job:
        """Queue short work that needs no showing, such as a measurement."""
        job = Job(label, work)
        self._quick.add(job)
        job.over.connect(lambda: self._quick.discard(job))
        self._submit(self._short, job)
        return job

    def _submit(self, lane: ThreadPoolExecutor, job: Job) -> None:
        # not before the caller has connected the job's signals: short work would be over by then
        QTimer.singleShot(0, lambda: None if self._closed else lane.submit(job.run))

    @property
    def idle(self) -> bool:
        """True when nothing runs or waits."""
        return not self.jobs and not self._quick

    def close(self) -> None:
        """Cancel everything and wait for the threads."""
        self._closed = True
        for job in [*self.jobs, *self._quick]:
            job.cancel()
        self._long.shutdown(wait=True, cancel_futures=True)
        self._derived.shutdown(wait=True, cancel_futures=True)
        self._short.shutdown(wait=True, cancel_futures=True)

    def _forget(self, job: Job) -> None:
        self.jobs.remove(job)
        self.changed.emit()
