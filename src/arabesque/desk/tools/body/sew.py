"""Patches and faces sewn to a body: where it is open, its free borders are drawn with their widths."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.desk.facts import Choice
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.options import labelled
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.recipes import SewnBody
from arabesque.shapes import Sampled, can
from arabesque.solid import Body


class SewFaces(MakingBody):
    """What is selected is taken at once; or all that shows, by a line of the form."""

    needs = (Surface,)
    makes = SewnBody
    id = "sew"
    label = "Sew to a body"
    hint = "Click the patches that are to be one body, or take all that show"
    shortcut = "S"
    icon = "ph.stack"
    short = "Sew"
    at_work = "Sewing"
    picks = "patch"

    @dataclass
    class Options:
        """within: mm up to which borders are one. cap: flat openings are closed."""

        within: float = labelled(0.01, "Borders within")
        cap: bool = labelled(False, "Cap flat openings")

    def start(self) -> None:
        super().start()
        chosen = [item.id for item in self.session.selected_items if self.may_pick(item)]
        if self.target is None and len(chosen) > 1:
            self.picked = chosen
            self.try_it()

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        assert isinstance(recipe, SewnBody)
        self.options.within, self.options.cap = recipe.within, recipe.cap

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

    def draft(self) -> SewnBody | None:
        return SewnBody(tuple(self.picked), self.options.within, self.options.cap) if self.picked else None

    def words(self, made: Body) -> str:
        return "sewn"
