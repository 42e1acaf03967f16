"""What tools share that make the selected patch anew: tried at once beside the window, Enter keeps, Esc drops."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, ClassVar

from arabesque.arrays import Floats
from arabesque.checking import evenness, shape_to_scan
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.on_patches import committed_patch, take_one
from arabesque.desk.tools.try_keep import TryKeep
from arabesque.errors import ArabesqueError
from arabesque.fitting import roughness
from arabesque.geometry import Surface, tie_matrix
from arabesque.model import Document, Item
from arabesque.progress import Progress
from arabesque.scan import Scan


@dataclass(frozen=True, eq=False)
class NewShape:
    """A patch made anew. words: for the history. gone: ids of items that it takes in."""

    surface: Surface
    facts: list[Fact]
    words: str
    gone: tuple[str, ...] = field(default=())


class PatchWork(TryKeep):
    """A tool that makes the selected patch anew; what it would be is tried whenever an option changes."""

    needs: ClassVar[Needs] = (Surface,)
    step = Step.PATCH
    lacks = "Make a patch first"
    eager = True
    """Tried without being asked, as soon as there is something to try."""

    def start(self) -> None:
        super().start()
        take_one(self.session)
        if self.eager and self.can_apply:
            self.try_it()

    @property
    def item(self) -> Item | None:
        """The patch, as committed."""
        return committed_patch(self.session)

    @property
    def surface(self) -> Surface | None:
        """Its surface, as committed."""
        item = self.item
        return item.shape if item is not None and isinstance(item.shape, Surface) else None

    @property
    def size_facts(self) -> list[Fact]:
        surface = self.surface
        return [] if surface is None else [Fact("Control points", str(surface.count))]

    def options_changed(self) -> None:
        super().options_changed()
        if self.eager and self.can_apply:
            self.try_it()

    @abstractmethod
    def shape_work(self, scan: Scan | None) -> Callable[[Progress], NewShape]:
        """What is to be done, with the options as they are now; raises ArabesqueError when it cannot be."""

    def prepared(self) -> Callable[[Progress], Any] | None:
        return None if self.surface is None else self.shape_work(self.session.scan)

    def shown_with(self, made: NewShape) -> Document:
        item = self.item
        assert item is not None
        document = self.session.history.document.with_shape(item.id, made.surface)
        for key in made.gone:
            document = document.without(key)
        return self.session.moving(document)

    def keep(self, made: NewShape) -> None:
        item = self.item
        if item is None:
            return
        try:
            self.session.commit(f"{item.name}: {made.words}", self.shown_with(made))
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return
        self.left.emit()

    def tie(self, surface: Surface) -> Floats | None:
        """The moves that keep the patch tied to its mirror image; None where it has none."""
        item = self.item
        if item is None or item.ties.twin is None:
            return None
        return tie_matrix(item.ties.twin, self.session.history.document.plane_of(item), surface)

    def tied(self, surface: Surface) -> Surface:
        """The surface tied to its mirror image, where the patch is."""
        item = self.item
        if item is None or item.ties.twin is None:
            return surface
        return item.ties.twin.kept(surface, self.session.history.document.plane_of(item))


def compared(before: Surface, after: Surface, scan: Scan | None, tolerance: float) -> list[Fact]:
    """Weight, closeness and calm of both, the old figure in brackets."""
    facts = [
        Fact("Control points", f"{after.count} ({before.count})"),
        Fact("Wobble of the form", f"{roughness(after):.3g} mm ({roughness(before):.3g})"),
    ]
    nets = evenness(after), evenness(before)
    facts += [
        Fact("Net: legs", f"{nets[0].leg:.2f} : 1 ({nets[1].leg:.2f})"),
        Fact("Net: bend", f"{nets[0].bend:.0f}° ({nets[1].bend:.0f})"),
        Fact("Net: speed", f"{nets[0].speed:.2f} : 1 ({nets[1].speed:.2f})"),
    ]
    if scan is not None:
        old, new = (shape_to_scan(s, scan).figures(tolerance) for s in (before, after))
        good = "good" if new.within(tolerance) else "bad"
        facts.append(Fact("99 % of inliers", f"{new.inlier_p99:.3f} mm ({old.inlier_p99:.3f})", good))
        facts.append(Fact("rms", f"{new.rms:.3f} mm ({old.rms:.3f})"))
    return facts
