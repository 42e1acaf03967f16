"""A body parted: by surfaces that reach past it, or by the twin plane, one side kept, or mirrored."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Any

from arabesque.checking import seam_angle
from arabesque.desk.facts import Fact
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.options import labelled
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.recipes import Keeps, MirroredBody, PartedBody
from arabesque.solid import Body

SMOOTH = 0.1
"""Degrees: a seam that bends less is smooth (common practice)."""


class Kept(Enum):
    """What is kept; the value is its words."""

    BEHIND = "what is behind"
    BEFORE = "what is before"
    MIRRORED = "before, and mirrored"
    IMAGED = "behind, and mirrored"


class PartBody(MakingBody):
    """The first click takes the body, the next ones what parts it; without such, the twin plane does."""

    needs = (Body,)
    makes = PartedBody
    also_makes = (MirroredBody,)
    id = "part-body"
    label = "Part a body"
    hint = "Click the body, then the surfaces that part it; or let the twin plane part it"
    shortcut = "V"
    icon = "ph.knife"
    short = "Part"
    at_work = "Parting"
    begins = True
    picks = "body or surface"

    @dataclass
    class Options:
        """keeps: which side of it; mirror images are of the twin plane."""

        keeps: Kept = labelled(Kept.BEHIND, "Keep")

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        if isinstance(recipe, MirroredBody):
            self.options.keeps = Kept.MIRRORED if recipe.keeps is Keeps.BEFORE else Kept.IMAGED
        elif isinstance(recipe, PartedBody):
            self.options.keeps = Kept.BEFORE if recipe.keeps is Keeps.BEFORE else Kept.BEHIND

    def may_pick(self, item: Item) -> bool:
        return isinstance(item.shape, Surface if self.picked else Body) or item.id in self.picked

    @property
    def _mirrors(self) -> bool:
        return self.options.keeps in (Kept.MIRRORED, Kept.IMAGED)

    @property
    def facts(self) -> list[Fact]:
        names = [self.session.document[key].name for key in self.picked if key in self.session.document]
        by = "the twin plane" if len(names) < 2 or self._mirrors else ", ".join(names[1:])
        told = [Fact("Body", names[0] if names else "none"), Fact("Parted by", by)]
        if self.made is not None and self._mirrors:
            plane = self.session.document.plane
            bend = self.session.kept(seam_angle, self.made, plane)
            told.append(Fact("Seam bends by", f"{bend:.2g}°", "good" if bend <= SMOOTH else "bad"))
        return [*told, *(super().facts if self.made is not None else [])]

    def draft(self) -> PartedBody | MirroredBody | None:
        if not self.picked:
            return None
        keeps = Keeps.BEFORE if self.options.keeps in (Kept.BEFORE, Kept.MIRRORED) else Keeps.BEHIND
        if self._mirrors:
            return MirroredBody(self.picked[0], keeps)
        return PartedBody(self.picked[0], tuple(self.picked[1:]), keeps)

    def words(self, made: Any) -> str:
        return "mirrored at the plane" if self._mirrors else "parted"
