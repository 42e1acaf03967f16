"""A skin given a thickness: both sides and the walls round it, as a closed body; edges inside stay edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.desk import theme
from arabesque.desk.tools.body.skin import FromSkin
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import TooTight
from arabesque.joining import Rims
from arabesque.model import Item
from arabesque.recipes import ThickenedBody, Thickness
from arabesque.solid import Body


class ThickenSkin(FromSkin):
    """What is selected is taken at once; the thickness goes along the normals of the first, or against them."""

    makes = ThickenedBody
    id = "thicken"
    label = "Thicken a skin"
    hint = "Click the patches of a skin, or take all that show"
    shortcut = "K"
    icon = "ph.stack-simple"
    short = "Thicken"
    at_work = "Setting both sides off, and sewing"

    @dataclass
    class Options:
        """length: mm. side: to which side of the first patch. rims: how free borders are closed."""

        length: float = labelled(2.5, "Thickness")
        side: Thickness = labelled(Thickness.IN, "Goes")
        rims: Rims = labelled(Rims.SQUARE, "Rims are")

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        assert isinstance(recipe, ThickenedBody)
        self.options.length, self.options.side, self.options.rims = recipe.length, recipe.side, recipe.rims

    def draft(self) -> ThickenedBody | None:
        o = self.options
        return ThickenedBody(tuple(self.picked), o.length, o.side, rims=o.rims) if self.picked else None

    def words(self, made: Body) -> str:
        return "thickened"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = super().parts(camera)
        if isinstance(self.trouble, TooTight):
            # where it bends too tightly
            places = np.asarray(self.trouble.places)
            parts.append(Discs(places, np.ones(len(places)), 3.5, theme.now().outside))
        return parts
