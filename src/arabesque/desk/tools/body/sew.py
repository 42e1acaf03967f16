"""Patches and faces sewn to a body: where it is open, its free borders are drawn with their widths."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.desk.tools.body.skin import FromSkin
from arabesque.desk.tools.options import labelled
from arabesque.model import Item
from arabesque.recipes import SewnBody
from arabesque.solid import Body


class SewFaces(FromSkin):
    """What is selected is taken at once; or all that shows, by a line of the form."""

    makes = SewnBody
    id = "sew"
    label = "Sew to a body"
    hint = "Click the patches that are to be one body, or take all that show"
    shortcut = "S"
    icon = "ph.stack"
    short = "Sew"
    at_work = "Sewing"

    @dataclass
    class Options:
        """within: mm up to which borders are one. cap: openings are closed."""

        within: float = labelled(0.01, "Borders within")
        cap: bool = labelled(False, "Close openings")

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        assert isinstance(recipe, SewnBody)
        self.options.within, self.options.cap = recipe.within, recipe.cap

    def draft(self) -> SewnBody | None:
        return SewnBody(tuple(self.picked), self.options.within, self.options.cap) if self.picked else None

    def words(self, made: Body) -> str:
        return "sewn"
