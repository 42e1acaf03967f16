"""Faces of bodies under the pointer, and tools that go by such."""

from __future__ import annotations

from typing import Any, ClassVar, NamedTuple

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats, tree_of
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.session import Session
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import foot_points
from arabesque.model import Item
from arabesque.shapes import Sampled, Samples
from arabesque.solid import Body

ALONG = 24
"""Samples along a face by which it is found and lit."""


class OnFace(NamedTuple):
    """A place on a surface: its item, (3,) the place, (3,) the normal there, and the number of the face."""

    item: Item
    place: Floats
    normal: Floats
    face: int


def read_faces(shape: Any) -> Samples:
    """Coarse samples of a shape, for the session to keep."""
    samples: Samples = shape.sampler(ALONG).read(shape)
    return samples


def place_under(session: Session, pointer: Pointer, what: type = Sampled) -> OnFace | None:
    """The place on a body, or another shape with surfaces, that the pointer's ray hits first."""
    found = patch_under(session, pointer, what)
    if found is None:
        return None
    origin, way = pointer.camera.ray(pointer.x, pointer.y)
    place = origin + found[1] * way
    samples = session.kept(read_faces, found[0].shape)
    face = int(samples.part[int(tree_of(samples.points).query(place)[1])])
    # what is drawn stands off the surface by its chords
    surface = found[0].shape.patches()[face].whole
    feet = foot_points(surface, place[None])
    return OnFace(found[0], feet.points[0], surface.normals(feet.uv)[0], face)


def lit_face(session: Session, shape: Any, face: int, slot: str) -> Triangles:
    """A face in the accent colour."""
    samples = session.kept(read_faces, shape)
    some = samples.triangles[samples.part[samples.triangles[:, 0]] == face]
    return Triangles(slot, samples.points, samples.normals, some, theme.now().accent, see_through=True, lift=1.0)


class FromFaces(MakingBody):
    """Clicks take faces of one body, and give them back. places: (3,) on each, in order."""

    needs: ClassVar[Needs] = (Body,)
    picks = "face of a body"
    most = 1000
    """So many faces are taken at most: the last click counts."""

    def clear(self) -> None:
        super().clear()
        self.places: list[Floats] = []

    def take(self, item: Item) -> None:
        recipe: Any = item.recipe
        self.picked = [key for key in (recipe.of,) if key in self.session.document]
        self.places = list(np.atleast_2d(recipe.near))

    @property
    def body(self) -> Item | None:
        """The body whose faces are picked."""
        key = self.picked[0] if self.picked else ""
        return self.session.history.document.items.get(key)

    def face_of(self, place: Floats) -> int:
        """The number of the picked body's face at a place."""
        assert self.body is not None
        samples = self.session.kept(read_faces, self.body.shape)
        return int(samples.part[int(tree_of(samples.points).query(place)[1])])

    @property
    def facts(self) -> list[Fact]:
        return [Fact("Faces picked", str(len(self.places))), *(super().facts if self.made is not None else [])]

    def press(self, pointer: Pointer) -> None:
        found = place_under(self.session, pointer, Body)
        if found is None or found.item.id == self.target:
            self.session.tell_problem(ArabesqueError(f"There is no {self.picks} here", "Click on one"))
            return
        if self.picked[:1] != [found.item.id]:
            self.picked, self.places = [found.item.id, *self.picked[1:]], []
        same = [k for k, place in enumerate(self.places) if self.face_of(place) == found.face]
        if same:
            del self.places[same[0]]
        else:
            self.places = [*self.places, found.place][-self.most :]
        self.try_it()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.places:
            self.places.pop()
            self.try_it()
            return True
        return False

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = super().parts(camera)
        body = self.body
        if body is not None and self.made is None:
            parts += [lit_face(self.session, body.shape, self.face_of(place), f"face {k}")
                      for k, place in enumerate(self.places)]  # fmt: skip
        return parts
