"""What tools share that make a derived item: picks fill its recipe, the preview is what the recipe builds."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from typing import Any, ClassVar

from arabesque.desk.jobs import Job
from arabesque.desk.patches import borders, shape_triangles
from arabesque.desk.session import Session
from arabesque.desk.theme import now
from arabesque.desk.tools.base import Tool
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.model import Change, Item, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.progress import Progress
from arabesque.recipes import Given, Recipe
from arabesque.shapes import Sampled, Shape, can


class Making(Tool):
    """Enter keeps what was built; on an item that this tool made, it edits that item's recipe.

    A tool says which recipe it ``makes``, what its picks and its form make of
    it (``draft``), and how they are filled from one (``take``).
    made: what the draft as it stands built; None until that is done. target:
    id of the item that is made again, or None. trouble: why the draft could not be built.
    """

    makes: ClassVar[type[Recipe]]
    name: ClassVar[str]
    """Of the items that it makes."""
    at_once: ClassVar[bool] = False
    """True where what is there is made again without Enter."""

    def start(self) -> None:
        self.made: Any = None
        self.trouble: ArabesqueError | None = None
        self.target: str | None = None
        self._job: Job | None = None
        self._of: tuple[Recipe, tuple[object, ...]] | None = None
        self._wanted = False
        self.clear()
        item = self.session.selection
        if item is not None and self.may_make_again(item):
            self.target = item.id
            self.take(item)
            if not self.at_once:
                self.try_it()

    def stop(self) -> None:
        self.drop()

    # what a tool says

    @abstractmethod
    def draft(self) -> Recipe | None:
        """The recipe that picks and form make; None while something is missing."""

    @abstractmethod
    def take(self, item: Item) -> None:
        """Fill picks and form from an item that is to be made again."""

    @abstractmethod
    def clear(self) -> None:
        """No picks."""

    @property
    @abstractmethod
    def begun(self) -> bool:
        """True when there are picks."""

    def may_make_again(self, item: Item) -> bool:
        """True for an item that is made again rather than another one made."""
        return isinstance(item.recipe, (self.makes, *self.also_makes))

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Any:
        """What the recipe makes, beside the window; with whatever else is to be told of it."""
        return recipe.build(source, progress)

    def source(self, recipe: Recipe) -> Given:
        """What a draft is built from."""
        return given(self.session.document, recipe)

    def shape_of(self, made: Any) -> Shape:
        """The shape in what was built."""
        return made

    def words(self, made: Any) -> str:
        """What was made, for the history."""
        return self.name.lower()

    @property
    def adds(self) -> Callable[..., Change]:
        """The edit that puts a new item into the document."""
        return edits.items.derived

    def words_again(self, item: Item) -> str:
        """What was done to an item that is made again, for the history."""
        return "made again"

    def built(self) -> None:
        """Something was built: it is in ``made``."""

    # the work

    @property
    def working(self) -> bool:
        """True while the draft is built."""
        return self._job is not None

    @property
    def subject(self) -> str:
        item = self.session.history.document.items.get(self.target or "")
        return "" if item is None else item.name

    @property
    def can_apply(self) -> bool:
        return self.made is not None or self.working

    @property
    def covers(self) -> frozenset[str]:
        if self.target is None or self.made is None or self.at_once:
            return frozenset()
        return frozenset({self.target})

    def options_changed(self) -> None:
        self.try_it()

    def try_it(self) -> None:
        """Build the draft beside the window as soon as it is whole."""
        self.drop()
        recipe = self.draft()
        if recipe is not None:
            source = self.source(recipe)
            self._of = recipe, ingredients(self.session.document, recipe)
            job = self.session.run(self.label, lambda progress: self.build(recipe, source, progress))
            self._job = job
            job.done.connect(lambda made: self._take(job, made))
            job.failed.connect(lambda problem: self._fail(job, problem))
            job.cancelled.connect(lambda: self._take(job, None))
        self.changed.emit()

    def _take(self, job: Job, made: Any) -> None:
        if job is not self._job:
            return
        self._job, self.made = None, made
        wanted, self._wanted = self._wanted, False
        if made is not None:
            self.built()
            if wanted or (self.at_once and self.target is not None):
                self._keep(made)
        self.changed.emit()

    def _fail(self, job: Job, problem: ArabesqueError) -> None:
        if job is self._job:
            self.trouble = problem
        self._take(job, None)

    def apply(self) -> None:
        if not self.can_apply:
            return
        if self.made is not None:
            self._keep(self.made)
            self.changed.emit()
        else:
            self._wanted = self.working

    def _keep(self, made: Any) -> None:
        assert self._of is not None
        shape, session = self.shape_of(made), self.session
        item = session.history.document.items.get(self.target or "")
        if item is None:
            done = session.edit(self.adds, self.words(made), self.name, shape, *self._of)
            self.target = session.selection.id if done and session.selection is not None else None
        elif isinstance(item.recipe, (self.makes, *self.also_makes)):
            done = session.edit(edits.items.derived_again, item, self.words_again(item), shape, *self._of)
        else:  # made in another way, or by hand: it is free from then on
            done = session.edit(edits.items.reshaped, item, self.words_again(item), shape)
        if done:
            self.kept()

    def kept(self) -> None:
        """What was made is in the document, as ``target``."""
        self.begin_anew()

    def begin_anew(self) -> None:
        """Nothing is picked and nothing made."""
        self.drop()
        self.target = None
        self.clear()

    def escape(self) -> None:
        begun = self.begun
        self.begin_anew()
        if begun:
            self.changed.emit()
        else:
            self.left.emit()

    def drop(self) -> None:
        """Forget what was built, or is being built."""
        self.made, self._wanted, self.trouble = None, False, None
        if self._job is not None:
            job, self._job = self._job, None
            job.drop()

    def preview(self, shape: Any, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        """A shape that is not in the document yet."""
        return previewed(self.session, shape)


def previewed(
    session: Session, shape: Any, slot: str = "preview", width: float = 1.6
) -> list[Triangles | Lines | Discs | Label]:
    """How a shape is drawn that is not in the document yet."""
    if not can(shape, Sampled):
        return []
    measured = session.meters.measure_now(slot, shape, session.scan)
    mesh = session.kept(shape_triangles, slot, measured)
    return [mesh, Lines(borders(measured.samples), now().accent, width, lift=0.8)]
