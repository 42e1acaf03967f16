"""What tools share that lay something over what is marked of the scan: the lines round that are found first."""

from __future__ import annotations

from arabesque.arrays import Bools
from arabesque.desk.jobs import Job
from arabesque.desk.tools.making import Making
from arabesque.recipes import Taken, marked_part


class OverMarked(Making):
    """marked: the lines round what was marked last; they stay until something else is marked."""

    def clear(self) -> None:
        self.marked = Taken()
        self._mask: Bools | None = None

    @property
    def wants_marked(self) -> bool:
        """True where the form asks for what is marked."""
        raise NotImplementedError

    def try_it(self) -> None:
        scan, mask = self.session.scan, self.session.marks.of(self.session.scan)
        if scan is None or mask is None or mask is self._mask or not self.wants_marked:
            super().try_it()
            return
        # beside the window
        self.drop()
        job = self.session.run("Going round what is marked", lambda progress: marked_part(scan, mask))
        self._job = job
        job.done.connect(lambda taken: self._go_on(job, mask, taken))
        job.failed.connect(lambda problem: self._fail(job, problem))
        job.cancelled.connect(lambda: self._take(job, None))
        self.changed.emit()

    def _go_on(self, job: Job, mask: Bools, taken: Taken) -> None:
        if job is self._job:
            self._mask, self.marked = mask, taken
            super().try_it()
