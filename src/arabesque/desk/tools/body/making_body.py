"""What tools share that make a body, or another form, of picked items, beside the window, in the kernel's process."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, ClassVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.desk.facts import Fact
from arabesque.desk.kinds.bodies import free_borders, told_facts
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.model import Change, Item, edits
from arabesque.recipes import Given, Recipe
from arabesque.shapes import Sampled
from arabesque.solid import Body


class MakingBody(Making):
    """Clicks take items, and give them back. picked: their ids, in order; they are hidden once the body is kept."""

    step = Step.BODY
    takes_places = True
    name = "Body"
    at_work: ClassVar[str]
    picks: ClassVar[str]
    """What is clicked, in words."""
    begins: ClassVar[bool] = False
    """True where the selected body is the first that is picked."""

    def clear(self) -> None:
        self.picked: list[str] = []

    def start(self) -> None:
        super().start()
        chosen = self.session.chosen(Body)
        if self.begins and self.target is None and chosen is not None and not self.picked:
            self.picked = [chosen.id]
            self.try_it()

    @property
    def begun(self) -> bool:
        return bool(self.picked)

    def take(self, item: Item) -> None:
        self.picked = [key for key in item.recipe.inputs if key in self.session.document]

    def may_pick(self, item: Item) -> bool:
        """True for what may be clicked."""
        raise NotImplementedError

    @property
    def says(self) -> str:
        if self.working:
            return self.at_work
        if self.made is not None:
            return "Enter keeps it; another click takes more, or gives one back"
        return self.hint

    @property
    def facts(self) -> list[Fact]:
        made: Any = self.made
        if made is None:
            return [Fact("Picked", str(len(self.picked)))]
        return [Fact("Faces", str(len(made.surfaces))), *told_facts(made.told)] if isinstance(made, Body) else []

    @property
    def covers(self) -> frozenset[str]:
        return super().covers | (frozenset() if self.made is None else frozenset(self.picked))

    # the hand

    def press(self, pointer: Pointer) -> None:
        found = patch_under(self.session, pointer, Sampled)
        if found is None or not self.may_pick(found[0]) or found[0].id == self.target:
            self.session.tell_problem(ArabesqueError(f"There is no {self.picks} here", "Click on one"))
            return
        key = found[0].id
        self.picked = [one for one in self.picked if one != key] if key in self.picked else [*self.picked, key]
        self.try_it()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.picked:
            self.picked.pop()
            self.try_it()
            return True
        return False

    # the body

    def source(self, recipe: Recipe) -> Given:
        return replace(super().source(recipe), kernel=self.session.kernel)

    @property
    def adds(self) -> Callable[..., Change]:
        return edits.items.standing_for

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        made: Any = self.made
        borders = free_borders(made.told) if isinstance(made, Body) else []
        return [] if made is None else [*self.preview(made, camera), *borders]
