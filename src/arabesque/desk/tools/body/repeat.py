"""A body repeated round an axis, or along it: of the world, or of a true shape that is clicked."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from functools import partial
from typing import Any

import numpy as np

from arabesque.desk.facts import Choice
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.pointer import Pointer
from arabesque.geometry import Elementary
from arabesque.model import Document, Item
from arabesque.recipes import RepeatedBody
from arabesque.shapes import Sampled
from arabesque.solid import Body

EARLIER = 6
"""Earlier bodies that are offered."""


class About(Enum):
    """Along or about what it is repeated; the value is its words."""

    X = "the x axis"
    Y = "the y axis"
    Z = "the z axis"
    SHAPE = "a true shape's axis"


def earlier_bodies(document: Document, key: str) -> list[str]:
    """Ids of the bodies that one was made from, one after the other, the latest first."""
    found: list[str] = []
    while key in document:
        recipe = document[key].recipe
        inputs = () if recipe is None else recipe.inputs
        key = next((one for one in inputs if one in document and isinstance(document[one].shape, Body)), "")
        if not key or key in found:
            break
        found.append(key)
    return found


class RepeatBody(MakingBody):
    """The first click takes the body; a click on a true shape takes its axis."""

    needs = (Body,)
    makes = RepeatedBody
    id = "repeat-body"
    label = "Repeat a body"
    hint = "Click the body; then, if wanted, the true shape whose axis it goes round"
    shortcut = "U"
    icon = "ph.circles-three"
    short = "Repeat"
    at_work = "Repeating"
    begins = True
    picks = "body"

    @dataclass
    class Options:
        """count: of all of them. about: the axis. step: mm along the axis each time, 0 for evenly round it."""

        count: int = whole(5, 2, 200, "Count")
        about: About = labelled(About.Z, "Axis")
        step: float = labelled(0.0, "Step along it")

    def clear(self) -> None:
        super().clear()
        self._axis = np.zeros(3), np.eye(3)[2]
        self.since = ""

    def take(self, item: Item) -> None:
        super().take(item)
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, RepeatedBody)
        self.picked, self.since = [recipe.of], recipe.since
        o.count, o.step, o.about, self._axis = recipe.count, recipe.step, About.SHAPE, (recipe.at, recipe.way)

    def may_pick(self, item: Item) -> bool:
        return isinstance(item.shape, Body)

    def press(self, pointer: Pointer) -> None:
        found = patch_under(self.session, pointer, Sampled)
        shape = None if found is None else found[0].shape
        if isinstance(shape, Elementary):
            self._axis, self.options.about = (shape.origin, shape.axis), About.SHAPE
            self.form_changed.emit()
            self.try_it()
            return
        if isinstance(shape, Body):
            self.picked = []
        super().press(pointer)

    def draft(self) -> RepeatedBody | None:
        if not self.picked:
            return None
        o = self.options
        at, way = self._axis if o.about is About.SHAPE else (np.zeros(3), np.eye(3)["XYZ".index(o.about.name)])
        return RepeatedBody(self.picked[0], at, way, o.count, o.step, self.since)

    @property
    def choices(self) -> list[Choice]:
        """The whole body, or what was done to it since one that it was made from."""
        if not self.picked:
            return []
        document = self.session.document
        earlier = earlier_bodies(document, self.picked[0])
        lines = [Choice("Repeat all of it", lambda: self._since(""), not self.since)]
        return lines + [
            Choice(f"Repeat what was done since {document[key].name}", partial(self._since, key), key == self.since)
            for key in earlier[:EARLIER]
        ]

    def _since(self, key: str) -> None:
        self.since = key
        self.try_it()

    def words(self, made: Any) -> str:
        return "repeated"
