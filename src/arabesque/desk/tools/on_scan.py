"""What tools on a scan share, and those among them that try first."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from typing import Any, ClassVar

from arabesque.desk.facts import Fact, number
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Needs, Tool
from arabesque.desk.tools.try_keep import TryKeep
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.scan import Scan


class ScanTool(Tool):
    """A tool that works on one scan: the selected one, or else the reference scan."""

    needs: ClassVar[Needs] = (Scan,)
    step = Step.PREPARE
    shortcut = ""

    @property
    def item(self) -> Item | None:
        """The scan's item, as committed."""
        document = self.session.history.document
        selected = self.session.selection
        if selected is not None and selected.id in document and isinstance(document[selected.id].shape, Scan):
            return document[selected.id]
        return document.items.get(document.reference or "")

    @property
    def scan(self) -> Scan | None:
        """The scan."""
        item = self.item
        return item.shape if item is not None and isinstance(item.shape, Scan) else None

    @property
    def size_facts(self) -> list[Fact]:
        """How large the scan is."""
        scan = self.scan
        return [] if scan is None else [Fact("Triangles", number(len(scan.triangles)))]


class TryOnScan(ScanTool, TryKeep):
    """Tries something on the scan."""

    lacks = "Open a scan first"

    @abstractmethod
    def work(self, scan: Scan) -> Callable[[Progress], Any]:
        """What is to be done, with the options as they are now; raises ArabesqueError when it cannot be."""

    def prepared(self) -> Callable[[Progress], Any] | None:
        scan = self.scan
        return None if scan is None else self.checked(scan, self.work(scan))

    def checked(self, scan: Scan, work: Callable[[Progress], Any]) -> Callable[[Progress], Any]:
        """The work with whatever is to be looked at before its result is shown."""
        return work
