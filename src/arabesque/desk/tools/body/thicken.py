"""A smooth skin given a thickness: both sides and the walls round it, as a closed body."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.desk.tools.body.skin import FromSkin
from arabesque.desk.tools.options import labelled
from arabesque.model import Item
from arabesque.recipes import ThickenedBody, Thickness
from arabesque.solid import Body


class ThickenSkin(FromSkin):
    """What is selected is taken at once; the thickness goes along the normals of the first, or against them."""

    makes = ThickenedBody
    id = "thicken"
    label = "Thicken a skin"
    hint = "Click the patches of a smooth skin, or take all that show"
    shortcut = "K"
    icon = "ph.stack-simple"
    short = "Thicken"
    at_work = "Setting both sides off, and sewing"

    @dataclass
    class Options:
        """length: mm. side: to which side of the first patch."""

        length: float = labelled(2.5, "Thickness")
        side: Thickness = labelled(Thickness.IN, "Goes")

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        assert isinstance(recipe, ThickenedBody)
        self.options.length, self.options.side = recipe.length, recipe.side

    def draft(self) -> ThickenedBody | None:
        return ThickenedBody(tuple(self.picked), self.options.length, self.options.side) if self.picked else None

    def words(self, made: Body) -> str:
        return "thickened"
