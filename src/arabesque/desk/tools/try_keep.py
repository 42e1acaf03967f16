"""The first Enter tries, beside the window, the second keeps, Esc drops."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from typing import Any, ClassVar

from arabesque.desk.facts import Fact
from arabesque.desk.jobs import Job
from arabesque.desk.tools.base import AT_WORK, Tool
from arabesque.errors import ArabesqueError
from arabesque.model import Document, Item
from arabesque.progress import Progress


class TryKeep(Tool):
    """Tries something on its subject; that may be a scan, a patch, or whatever has an item.

    made: what the last try brought, shown but not committed; it has ``facts`` to tell.
    """

    lacks: ClassVar[str]
    """What to say while there is nothing to work on."""

    def start(self) -> None:
        self.made: Any = None
        self._job: Job | None = None
        self._worked_on: Item | None = None
        self.session.document_changed.connect(self._check)
        self.session.selection_changed.connect(self._check)

    def stop(self) -> None:
        self.session.document_changed.disconnect(self._check)
        self.session.selection_changed.disconnect(self._check)
        self._drop()

    @property
    @abstractmethod
    def item(self) -> Item | None:
        """The subject, as committed; None while there is nothing to work on."""

    @abstractmethod
    def prepared(self) -> Callable[[Progress], Any] | None:
        """The work, with the options as they are now, ready to run beside the window; None without a subject.

        Raises ArabesqueError when it cannot be.
        """

    @abstractmethod
    def shown_with(self, made: Any) -> Document:
        """The committed document with what was made."""

    @abstractmethod
    def keep(self, made: Any) -> None:
        """Commit what was made."""

    @property
    def says(self) -> str:
        if self.item is None:
            return self.lacks
        if self._job is not None:
            return AT_WORK
        return self.hint if self.made is None else "Enter keeps it, Esc drops it"

    @property
    def can_apply(self) -> bool:
        return self.item is not None and self._job is None

    @property
    def apply_word(self) -> str:
        return "Try" if self.made is None else "Keep"

    @property
    def size_facts(self) -> list[Fact]:
        """How large the subject is."""
        return []

    @property
    def facts(self) -> list[Fact]:
        return self.size_facts if self.made is None else self.made.facts

    def options_changed(self) -> None:
        self._drop()
        self.changed.emit()

    def escape(self) -> None:
        if self.made is None and self._job is None:
            self.left.emit()
        else:
            self._drop()
            self.changed.emit()

    def apply(self) -> None:
        if self.made is not None:
            made, self.made = self.made, None
            self.keep(made)
        elif self.can_apply:
            self.try_it()

    def try_it(self) -> None:
        """Do the work beside the window and show what comes of it."""
        item = self.item
        try:
            work = self.prepared()
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return
        if item is None or work is None:
            return
        job = self.session.run(self.label, work)
        self._job, self._worked_on = job, item
        job.done.connect(lambda made: self._tried(job, made))
        job.failed.connect(lambda _: self._tried(job, None))
        job.cancelled.connect(lambda: self._tried(job, None))
        self.changed.emit()

    def _tried(self, job: Job, made: Any) -> None:
        if job is not self._job:
            return
        self._job = None
        if made is not None and self._worked_on is not None:
            known = self.session.history.document.items.get(self._worked_on.id)
            if known is not None and known.shape is self._worked_on.shape:
                self._show(made)
        self.changed.emit()

    def _show(self, made: Any) -> None:
        try:
            document = self.shown_with(made)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return
        self.made = made
        self.session.show(document)

    def _check(self) -> None:
        """Undo, or any other step in between, drops what was tried and not kept."""
        if self.made is not None and self.session.document is self.session.history.document:
            self.made = None
            self.changed.emit()

    def _drop(self) -> None:
        if self._job is not None:
            self._job.drop()
            self._job = None
        if self.made is not None:
            self.made = None
            self.session.drop_shown()
