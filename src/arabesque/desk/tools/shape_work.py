"""What tools share that make something new beside a scan: regions, lines, true shapes."""

from __future__ import annotations

from dataclasses import dataclass, field

from arabesque.desk.facts import Fact
from arabesque.desk.tools.on_scan import TryOnScan
from arabesque.model import Document, Item, Origin, new_id
from arabesque.shapes import Shape


@dataclass(frozen=True, eq=False)
class Found:
    """What was found on a scan: the shape, the item's name, what was done in words, and facts about it."""

    shape: Shape
    name: str
    words: str
    facts: list[Fact] = field(default_factory=list)


class ShapeWork(TryOnScan):
    """Work that finds something; what is kept is an item of its own, made from the scan."""

    def start(self) -> None:
        super().start()
        self._id = new_id()

    def shown_with(self, made: Found) -> Document:
        assert self._worked_on is not None
        document = self.session.history.document
        name = document.free_name(made.name)
        return document.with_item(Item(self._id, name, made.shape, Origin((self._worked_on.id,), made.words)))

    def keep(self, made: Found) -> None:
        self.session.commit(made.words, self.shown_with(made))
        self.session.select(self._id)
        self._id = new_id()
        self.left.emit()
