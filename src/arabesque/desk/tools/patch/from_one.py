"""What tools share that make something from one surface: a click takes it, another click another one."""

from __future__ import annotations

from typing import ClassVar

from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.view.pointer import Pointer
from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface
from arabesque.model import Item


class FromOneSurface(Making):
    """The surface that is selected is taken at once. picked: its id."""

    takes: ClassVar[type[Surface]] = Surface
    taken: ClassVar[str] = "surface"
    """What is clicked, in words."""
    at_work: ClassVar[str]

    def clear(self) -> None:
        self.picked = ""

    @property
    def begun(self) -> bool:
        return bool(self.picked)

    def start(self) -> None:
        super().start()
        chosen = self.session.chosen(self.takes)
        if self.target is None and chosen is not None and not self.picked:
            self.picked = chosen.id
            self.try_it()

    def take(self, item: Item) -> None:
        (source,) = item.recipe.inputs
        self.picked = source if source in self.session.document else ""

    @property
    def says(self) -> str:
        if self.made is not None:
            return f"Enter keeps it; click another {self.taken} instead"
        return self.at_work if self.working else self.hint

    def press(self, pointer: Pointer) -> None:
        found = patch_under(self.session, pointer)
        if found is None or not isinstance(found[0].shape, self.takes):
            self.session.tell_problem(ArabesqueError(f"There is no {self.taken} here", "Click on one"))
            return
        self.picked = found[0].id
        self.try_it()
