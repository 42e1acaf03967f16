"""What tools share that try something on a cage over the scan before it is kept."""

from __future__ import annotations

from typing import Any, ClassVar

from arabesque.cages import Cage
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.on_patches import take_one
from arabesque.desk.tools.try_keep import TryKeep
from arabesque.model import Document, Item
from arabesque.scan import Scan


class TryOnCage(TryKeep):
    """Its subject is the chosen cage, or else the first that shows; what it makes has a ``cage``."""

    needs: ClassVar[Needs] = (Cage, Scan)
    step = Step.CAGE
    lacks = "Make a cage first"

    def start(self) -> None:
        super().start()
        take_one(self.session, Cage)

    @property
    def item(self) -> Item | None:
        chosen, document = self.session.chosen(Cage), self.session.history.document
        return document.items.get(chosen.id) if chosen is not None else None

    def shown_with(self, made: Any) -> Document:
        document, item = self.session.history.document, self.item
        assert item is not None
        return document.with_shape(item.id, made.cage)
