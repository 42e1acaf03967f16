"""What tools share that look for a value beside the window, for what is picked as it stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from arabesque.desk.jobs import Job
from arabesque.desk.tools.making import Making
from arabesque.progress import Progress


class Searching(Making):
    """A search is stopped with what it was for."""

    def start(self) -> None:
        self._search: Job | None = None
        super().start()

    def stop(self) -> None:
        self.stop_search()
        super().stop()

    @property
    def searching(self) -> bool:
        """True while something is looked for."""
        return self._search is not None

    def stop_search(self) -> None:
        """Forget what is looked for."""
        if self._search is not None:
            search, self._search = self._search, None
            search.drop()

    def search(self, label: str, work: Callable[[Progress], Any], found: Callable[[Any], None]) -> None:
        """Look for something beside the window; ``found`` takes it, unless something else is asked for by then."""
        self.stop_search()
        job = self.session.run(label, work)
        self._search = job
        job.done.connect(lambda value: self._ended(job, lambda: found(value)))
        job.failed.connect(lambda _: self._ended(job, lambda: None))
        job.cancelled.connect(lambda: self._ended(job, lambda: None))

    def _ended(self, job: Job, then: Callable[[], None]) -> None:
        if job is self._search:
            self._search = None
            then()
            self.changed.emit()
