"""What tools share that look at one shape beside the window, and look again when it, or what they ask, changes."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from enum import Enum
from functools import partial
from typing import Any, ClassVar

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.jobs import Job
from arabesque.desk.patches import LIFT
from arabesque.desk.tools.base import AT_WORK, Tool
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Paint, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.shapes import Samples


class Looking(Tool):
    """A click takes another shape; nothing is changed.

    found: what was seen of the shape as it is now; None until then. trouble: why nothing could be seen.
    """

    kinds: ClassVar[tuple[type, ...]]
    """Of shapes that it looks at, those it takes first before others."""
    word: ClassVar[str] = "shape"
    """What it calls such a shape."""
    applies = False
    told_first = True

    def start(self) -> None:
        self._job: Job | None = None
        self.found: Any = None
        self.trouble: ArabesqueError | None = None
        self._for: tuple[object, ...] = ()
        if self.item is None:
            shown = [item for kind in self.kinds for item in self.session.seen.that(kind)]
            if shown:
                self.session.select(shown[0].id)
        self.session.document_changed.connect(self.look)
        self.session.selection_changed.connect(self.look)
        self.look()

    def stop(self) -> None:
        self.session.document_changed.disconnect(self.look)
        self.session.selection_changed.disconnect(self.look)
        if self._job is not None:
            self._job.drop()

    # what a tool says

    @abstractmethod
    def asks(self, shape: Any) -> tuple[object, ...]:
        """All that what is seen depends on; compared by identity and value."""

    @abstractmethod
    def see(self, shape: Any) -> Callable[[Progress], Any]:
        """What looks at the shape, beside the window, as the form stands now."""

    @property
    @abstractmethod
    def samples(self) -> Samples | None:
        """The places that were looked at."""

    # the work

    @property
    def item(self) -> Item[Any] | None:
        """The selected shape."""
        chosen = [self.session.chosen(kind) for kind in self.kinds]
        return next((item for item in chosen if item is not None), None)

    @property
    def working(self) -> bool:
        """True while it looks."""
        return self._job is not None

    @property
    def says(self) -> str:
        return AT_WORK if self._job is not None else self.hint

    def options_changed(self) -> None:
        self.look()
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        under = [hit for kind in self.kinds if (hit := patch_under(self.session, pointer, kind)) is not None]
        if not under:
            self.session.tell_problem(ArabesqueError(f"There is no {self.word} here", "Click on one"))
        else:
            self.session.select(min(under, key=lambda hit: hit[1])[0].id)

    def look(self) -> None:
        """Look beside the window at the shape as it is now."""
        item = self.item
        wanted = () if item is None else (item.shape, *self.asks(item.shape))
        if len(wanted) == len(self._for) and all(
            a is b or _alike(a, b) for a, b in zip(wanted, self._for, strict=True)
        ):
            return
        self._for, self.found, self.trouble = wanted, None, None
        if self._job is not None:
            self._job.drop()
            self._job = None
        if item is None:
            return
        job = self._job = self.session.run(self.label, self.see(item.shape))
        job.done.connect(partial(self._take, job))
        job.failed.connect(lambda problem: self._fail(job, problem))
        job.cancelled.connect(lambda: self._take(job, None))
        self.changed.emit()

    def _take(self, job: Job, found: Any) -> None:
        if job is self._job:
            self._job, self.found = None, found
            self.changed.emit()

    def _fail(self, job: Job, problem: ArabesqueError) -> None:
        if job is self._job:
            self.trouble = problem
        self._take(job, None)

    def fly(self, place: Floats) -> None:
        """Bring the view to a place on the shape."""
        samples = self.samples
        if samples is not None:
            near = int(((samples.points - place) ** 2).sum(axis=1).argmin())
            self.session.asks.fly.emit(place, samples.normals[near], 0.2 * samples.size)


def mapped(
    samples: Samples, values: Floats | None, paint: Paint, see_through: bool = False
) -> list[Triangles | Lines | Discs | Label]:
    """A shape with values (n,) laid over it, and its borders."""
    colours = theme.now()
    mesh = Triangles("checked", samples.points, samples.normals, samples.triangles, colours.porcelain, values, paint,
                     see_through=see_through, lift=LIFT)  # fmt: skip
    return [mesh, *(Lines(polyline(samples.points[row]), colours.ink, 1.0, lift=0.8) for row in samples.rims)]


def _alike(one: object, other: object) -> bool:
    """True for equal plain values; shapes are compared by identity alone."""
    return one is other or (
        isinstance(one, bool | int | float | str | tuple | Enum) and type(one) is type(other) and one == other
    )
