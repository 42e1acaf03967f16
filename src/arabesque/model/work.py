"""The work at hand: document, history, journal and project file, for the window and for scripts alike."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from arabesque.errors import FileProblem
from arabesque.model.document import Document
from arabesque.model.history import History, Milestone
from arabesque.model.journal import Journal, Leftover, Recovered, set_aside
from arabesque.model.kinds import kind_of
from arabesque.model.rebuild import order, rebuilt
from arabesque.model.store import Project


class Work:
    """What is being worked on. Every state, from the empty one on, is in the journal.

    path: the project file, if there is one. saved_at: when it was written last.
    """

    def __init__(
        self, journal_root: Path | None = None, on_problem: Callable[[FileProblem], None] = lambda problem: None
    ) -> None:
        """journal_root: where journals are kept; None for none. on_problem: hears, in a thread, of its troubles."""
        self._on_problem = on_problem
        self.journal_root = journal_root
        self.journal = None if journal_root is None else Journal(journal_root, on_problem)
        self._set(History(Document()), None, None)
        self._saved: Document | None = self.document
        if self.journal is not None:
            self.journal.begin("Start", self.document, None)

    def _set(self, history: History, saved: Document | None, path: Path | None) -> None:
        self.history = history
        self._saved = saved
        self._kept_milestones = tuple(history.milestones)
        self.path = path
        self.saved_at = time.time() if path else None

    @property
    def document(self) -> Document:
        """The committed document."""
        return self.history.document

    @property
    def unsaved(self) -> bool:
        """True when there is work that is not in the project file."""
        return self.document is not self._saved or tuple(self.history.milestones) != self._kept_milestones

    def commit(self, label: str, document: Document) -> None:
        """Make ``document`` the new state; ``label`` says in plain words what was done. Live recipes follow at once.

        Raises ArabesqueError for a document that holds what no project can: nothing is changed then.
        """
        before = self.document
        for item in document:
            if before.items.get(item.id) is not item:
                kind_of(item.shape)
        order(document)  # refuses circles
        document = rebuilt(document, live=True)
        self.history.commit(label, document)
        if self.journal is not None:
            self.journal.commit(label, before, document)

    def amend(self, document: Document) -> None:
        """Put what was rebuilt of the present state in its place; that is no step of its own."""
        before = self.document
        self.history.amend(document)
        if self._saved is before:
            self._saved = document  # what is derived follows from what is in the file
        if self.journal is not None:
            self.journal.amend(before, document)

    def undo(self) -> str | None:
        """One state back; returns the words of what was undone, None at the start."""
        return self._moved(self.history.undo())

    def redo(self) -> str | None:
        """One state forth; returns the words of what was done again, None at the end."""
        return self._moved(self.history.redo())

    def go_to(self, position: int) -> None:
        """Any state of the history."""
        self.history.go_to(position)
        self._moved("")

    def _moved(self, label: str | None) -> str | None:
        if label is not None and self.journal is not None:
            self.journal.move(self.history.position)
        return label

    def set_milestone(self, name: str, document: Document | None = None) -> None:
        """Give a state (the present one by default) a name."""
        document = document or self.document
        self.history.set_milestone(name, document)
        if self.journal is not None:
            self.journal.milestone(name, self.document, document)

    # files

    def begin(self, document: Document, path: Path | None, label: str, milestones: tuple[Milestone, ...] = ()) -> None:
        """Begin work on another document."""
        history = History(document, label)
        if self.journal is not None:
            self.journal.begin(label, document, str(path) if path else None, milestones)
        for milestone in milestones:
            history.set_milestone(milestone.name, milestone.document)
        self._set(history, document, path)

    def give_up(self) -> None:
        """What is not in the project file is not wanted any more."""
        self._saved, self._kept_milestones = self.document, tuple(self.history.milestones)

    def project(self) -> Project:
        """What there is to save."""
        return Project(self.document, tuple(self.history.milestones))

    def saved(self, path: Path, project: Project) -> None:
        """A project was written to a file; what was done meanwhile is not in it."""
        self.path, self.saved_at = path, time.time()
        self._saved, self._kept_milestones = project.document, project.milestones
        states = [step.document for step in self.history.steps]
        position = next((n for n, state in enumerate(states) if state is project.document), None)
        if self.journal is not None:
            self.journal.saved(str(path), position)

    def take_up(self, leftover: Leftover, recovered: Recovered) -> None:
        """Go on with the work of a window that did not close, in its own journal.

        A journal that can be read only in part is copied as far as that goes, and set aside. Raises FileProblem
        when its folder cannot be taken; nothing is changed then.
        """
        path = Path(leftover.project) if leftover.project else None
        if self.journal is not None and recovered.whole:
            taken = Journal.going_on(leftover, recovered.history, self._on_problem)
            self.journal.close()
            self.journal = taken
        self._set(recovered.history, recovered.saved, path)
        self._kept_milestones = () if recovered.saved is None else tuple(recovered.history.milestones)
        if self.journal is not None and not recovered.whole:
            self.journal.copy(recovered.history, leftover.project)
            set_aside(leftover.folder)

    def close(self) -> None:
        """End the journal: nothing is left to lose."""
        if self.journal is not None:
            self.journal.close()
