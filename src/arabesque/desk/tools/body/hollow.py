"""A body hollowed: a wall inside its faces, open at those that are clicked."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.desk.tools.body.picked_faces import FromFaces
from arabesque.desk.tools.options import labelled
from arabesque.model import Item
from arabesque.recipes import HollowBody


class HollowOut(FromFaces):
    """The faces that are clicked are open."""

    makes = HollowBody
    id = "hollow-body"
    label = "Hollow a body"
    hint = "Click the faces that are to be open"
    shortcut = "Y"
    icon = "ph.bounding-box"
    short = "Hollow"
    at_work = "Hollowing"

    @dataclass
    class Options:
        """wall: mm inside the faces."""

        wall: float = labelled(2.0, "Wall")

    def take(self, item: Item) -> None:
        super().take(item)
        assert isinstance(item.recipe, HollowBody)
        self.options.wall = item.recipe.wall

    def draft(self) -> HollowBody | None:
        if not self.places:
            return None
        return HollowBody(self.picked[0], np.array(self.places), self.options.wall)

    def words(self, made: Any) -> str:
        return "hollowed"
