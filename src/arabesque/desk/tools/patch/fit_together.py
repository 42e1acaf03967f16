"""Selected neighbours fitted once more, together: smooth over the edges that they share, outer edges held."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar

from arabesque.checking import Limits, find_joins, measure_both_ways
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.options import whole
from arabesque.desk.tools.try_keep import TryKeep
from arabesque.errors import ArabesqueError
from arabesque.fitting import Together
from arabesque.geometry import Surface
from arabesque.model import Document, Item, edits
from arabesque.progress import Progress, part
from arabesque.scan import Scan


@dataclass(frozen=True, eq=False)
class Fitted:
    """Patches fitted together, and what is told of them."""

    items: list[Item]
    made: Together
    order: int
    facts: list[Fact]


class FitTogether(TryKeep):
    """Works on all patches that are selected; both figures are shown before it is kept."""

    needs: ClassVar[Needs] = (Surface,)
    id = "fit-together"
    step = Step.PATCH
    label = "Fit neighbours together"
    hint = "Fit the selected neighbours once more, smooth over the edges that they share; outer edges stay"
    shortcut = "Shift+G"
    icon = "ph.squares-four"
    short = "Fit several"
    lacks = "Select two neighbours or more: Ctrl adds one to the selection"

    @dataclass
    class Options:
        """order: of continuity over shared edges."""

        order: int = whole(1, 0, 2, "Continuity G")

    @property
    def items(self) -> list[Item]:
        """The selected patches, as committed."""
        document = self.session.history.document
        some = [document[item.id] for item in self.session.selected_items if item.id in document]
        return [item for item in some if isinstance(item.shape, Surface)]

    @property
    def item(self) -> Item | None:
        return self.items[0] if len(self.items) > 1 else None

    @property
    def size_facts(self) -> list[Fact]:
        return [Fact("Patches", str(len(self.items)))]

    def prepared(self) -> Callable[[Progress], Any] | None:
        items, order = self.items, self.options.order
        document, scan = self.session.history.document, self.session.scan
        if len(items) < 2:
            raise ArabesqueError("One patch has no neighbour", self.lacks)

        def run(progress: Progress) -> Fitted:
            made = edits.joining.together(document, items, scan, order, part(progress, 0.0, 0.8))
            facts = _facts(items, made, scan, document.tolerance, order)
            return Fitted(items, made, order, facts)

        return run

    def shown_with(self, made: Fitted) -> Document:
        document = self.session.history.document
        return self.session.moving(edits.joining.fitted_together(document, made.items, made.made, made.order).document)

    def keep(self, made: Fitted) -> None:
        if self.session.edit(edits.joining.fitted_together, made.items, made.made, made.order):
            self.left.emit()


def _facts(items: list[Item], made: Together, scan: Scan | None, tolerance: float, order: int) -> list[Fact]:
    before = [item.shape for item in items]
    grades = [min(find_joins(some), key=lambda join: join.rank(), default=None) for some in (before, made.surfaces)]
    words = ["none" if join is None else join.word() for join in grades]
    good = grades[1] is not None and grades[1].grade(Limits()) >= order
    counts = [sum(surface.count for surface in some) for some in (made.surfaces, before)]
    facts = [
        Fact("Shared edges", str(made.shared)),
        Fact("Control points", f"{counts[0]} ({counts[1]})"),
        Fact("Worst join", f"{words[1]} ({words[0]})", "good" if good else "bad"),
        Fact("Moved at most", f"{made.moved:.3f} mm"),
    ]
    if scan is not None:
        now, old = (measure_both_ways(some, scan, tolerance) for some in (made.surfaces, before))
        close = "good" if now.close(tolerance) else "bad"
        facts.append(Fact("99 %", f"{now.inlier_p99:.3f} mm ({old.inlier_p99:.3f})", close))
    return facts
