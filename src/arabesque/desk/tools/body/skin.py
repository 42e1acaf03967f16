"""What tools share that make a body of a skin: what is selected is taken at once, or all that shows."""

from __future__ import annotations

from arabesque.cages import Cage
from arabesque.desk.facts import Choice
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.geometry import Patchwork, Surface
from arabesque.model import Item
from arabesque.shapes import Sampled, can
from arabesque.solid import Body


class FromSkin(MakingBody):
    """Patches, faces, true shapes, cages: whatever has a surface, but for bodies."""

    needs = ((Surface, Cage, Patchwork),)
    picks = "patch"

    def start(self) -> None:
        super().start()
        chosen = [item.id for item in self.session.selected_items if self.may_pick(item)]
        if self.target is None and len(chosen) > 1:
            self.picked = chosen
            self.try_it()

    def may_pick(self, item: Item) -> bool:
        return can(item.shape, Sampled) and not isinstance(item.shape, Body)

    @property
    def choices(self) -> list[Choice]:
        shown = [item.id for item in self.session.seen.that(Sampled) if self.may_pick(item)]
        if self.target is not None or set(shown) <= set(self.picked):
            return []
        return [Choice(f"Take all {len(shown)} that show", lambda: self._take_all(shown))]

    def _take_all(self, keys: list[str]) -> None:
        self.picked = list(dict.fromkeys([*self.picked, *keys]))
        self.try_it()
