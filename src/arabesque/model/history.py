"""Undo and redo: a list of documents that share what did not change."""

from dataclasses import dataclass

from arabesque.model.document import Document


@dataclass(frozen=True)
class Step:
    """A state of the work and the words for what led to it."""

    label: str
    document: Document


@dataclass(frozen=True)
class Milestone:
    """A state of the whole work that has a name and can be returned to."""

    name: str
    document: Document


class History:
    """The states one can go back and forth among."""

    def __init__(self, document: Document, label: str = "Start") -> None:
        self._steps = [Step(label, document)]
        self._now = 0
        self._milestones: dict[str, Milestone] = {}

    @property
    def milestones(self) -> list[Milestone]:
        """The named states, in the order in which they were set."""
        return list(self._milestones.values())

    def set_milestone(self, name: str, document: Document | None = None) -> None:
        """Name a state (the present one by default); a milestone of that name is replaced."""
        self._milestones[name] = Milestone(name, document or self.document)

    @property
    def document(self) -> Document:
        """The document as it stands."""
        return self._steps[self._now].document

    @property
    def steps(self) -> list[Step]:
        """All states, oldest first, undone ones included."""
        return list(self._steps)

    @property
    def position(self) -> int:
        """Index of the present state in ``steps``."""
        return self._now

    def commit(self, label: str, document: Document) -> None:
        """Add a state; what was undone before is given up."""
        del self._steps[self._now + 1 :]
        self._steps.append(Step(label, document))
        self._now += 1

    def amend(self, document: Document) -> None:
        """Put a document in place of the present state: what was derived of it has been rebuilt."""
        self._steps[self._now] = Step(self._steps[self._now].label, document)

    def undo(self) -> str | None:
        """Go one state back; returns the words of what was undone, None at the start."""
        if self._now == 0:
            return None
        self._now -= 1
        return self._steps[self._now + 1].label

    def go_to(self, position: int) -> None:
        """Go to any state; raises IndexError when there is none of that number."""
        if not 0 <= position < len(self._steps):
            raise IndexError(position)
        self._now = position

    def redo(self) -> str | None:
        """Go one state forth; returns the words of what was done again, None at the end."""
        if self._now + 1 == len(self._steps):
            return None
        self._now += 1
        return self._steps[self._now].label
