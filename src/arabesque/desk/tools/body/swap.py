"""A face of a body exchanged for another surface: its walls run on to that, or end there."""

from __future__ import annotations

from typing import Any

from arabesque.desk.facts import Fact
from arabesque.desk.tools.body.picked_faces import FromFaces
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.view.pointer import Pointer
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.recipes import FaceSwapped
from arabesque.shapes import Sampled
from arabesque.solid import Body


class SwapFace(FromFaces):
    """A click on the body takes the face, one on a patch or a true shape what takes its place."""

    needs = (Body, Surface)
    makes = FaceSwapped
    id = "swap-face"
    label = "Swap a face"
    hint = "Click the face of the body, then the patch or true shape that takes its place"
    shortcut = "X"
    icon = "ph.swap"
    short = "Swap"
    at_work = "Running the walls to it"
    most = 1

    def clear(self) -> None:
        super().clear()
        self.by = ""

    def take(self, item: Item) -> None:
        super().take(item)
        assert isinstance(item.recipe, FaceSwapped)
        self.by = item.recipe.by

    @property
    def says(self) -> str:
        if self.places and not self.by:
            return "Click the patch or true shape that takes its place"
        return super().says

    @property
    def facts(self) -> list[Fact]:
        item = self.session.history.document.items.get(self.by)
        return [Fact("In its place", "none" if item is None else item.name), *super().facts]

    def press(self, pointer: Pointer) -> None:
        found = patch_under(self.session, pointer, Sampled)
        if found is not None and not isinstance(found[0].shape, Body) and found[0].id != self.target:
            self.by = "" if found[0].id == self.by else found[0].id
            self.try_it()
        else:
            super().press(pointer)

    def draft(self) -> FaceSwapped | None:
        return FaceSwapped(self.picked[0], self.places[0], self.by) if self.places and self.by else None

    def words(self, made: Any) -> str:
        return "a face swapped"
