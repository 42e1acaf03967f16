"""Bodies parted by surfaces, mirrored at a plane, hollowed, and with features elsewhere."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.geometry import Plane, apply, inverse
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given
from arabesque.recipes.bodies import FromBody, kernel_of, patches_of
from arabesque.recipes.inputs import plane_of
from arabesque.solid import Body, hollow, mirrored_half, part, swap_face, with_feature_at, without


class Keeps(Enum):
    """Which side of a surface stays, the value in words."""

    BEHIND = "behind it"
    BEFORE = "before it"


@dataclass(frozen=True)
class PartedBody(FromBody):
    """What of a body (id) lies on one side of surfaces (ids), or, where there are none, of the twin plane.

    They look to what is before them, along their normals.
    """

    word = "parted"

    of: str
    by: tuple[str, ...] = ()
    keeps: Keeps = Keeps.BEHIND

    @property
    def uses(self) -> tuple[str, ...]:
        return () if self.by else ("plane",)

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.of, *self.by)))

    @property
    def stands_for(self) -> tuple[str, ...]:
        return self.inputs

    def build(self, given: Given, progress: Progress = silent) -> Body:
        body, kernel = self.body(given), kernel_of(given)
        behind = self.keeps is Keeps.BEHIND
        sheets = [patch for key in self.by for patch in patches_of(given, key)]
        return part(body, sheets or plane_of(given), behind, kernel, progress)


@dataclass(frozen=True)
class MirroredBody(FromBody):
    """A body (id) that is cut at the twin plane, and joined with its mirror image."""

    word = "mirrored at the plane"

    of: str
    keeps: Keeps = Keeps.BEFORE

    @property
    def uses(self) -> tuple[str, ...]:
        return ("plane",)

    def build(self, given: Given, progress: Progress = silent) -> Body:
        plane = plane_of(given)
        if self.keeps is Keeps.BEHIND:
            plane = Plane(-plane.normal, -plane.offset)
        return mirrored_half(self.body(given), plane, kernel_of(given), progress)


class OfFaces(FromBody):
    """What recipes share that go by faces of a body. near: (k, 3) places nearest to which they are."""

    near: Floats

    def __post_init__(self) -> None:
        object.__setattr__(self, "near", frozen_array(self.near, (None, 3), np.float64, what="Places"))


@dataclass(frozen=True, eq=False)
class HollowBody(OfFaces):
    """A body (id) with a wall of so many mm inside its faces, open at those nearest to (k, 3) places."""

    word = "hollowed"

    of: str
    near: Floats
    wall: float

    def moved(self, matrix: Floats) -> HollowBody:
        return replace(self, near=apply(matrix, self.near))

    def build(self, given: Given, progress: Progress = silent) -> Body:
        return hollow(self.body(given), self.wall, self.near, kernel_of(given), progress)


@dataclass(frozen=True, eq=False)
class FaceSwapped(FromBody):
    """A body (id) whose face nearest to (3,) is exchanged for the surfaces of an item (id): the walls round it run on
    to them, or end there."""

    word = "face swapped"

    of: str
    near: Floats
    by: str

    def __post_init__(self) -> None:
        object.__setattr__(self, "near", frozen_array(self.near, (3,), np.float64, what="Place"))

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.of, self.by)))

    @property
    def stands_for(self) -> tuple[str, ...]:
        return self.inputs

    def moved(self, matrix: Floats) -> FaceSwapped:
        return replace(self, near=apply(matrix, self.near[None])[0])

    def build(self, given: Given, progress: Progress = silent) -> Body:
        sheets = patches_of(given, self.by)
        return swap_face(self.body(given), self.near, sheets, kernel_of(given), progress)


@dataclass(frozen=True, eq=False)
class FeatureMoved(OfFaces):
    """A body (id) whose feature, the faces nearest to (k, 3) places, is taken away, or made again after a (4, 4)
    motion."""

    word = "feature moved"

    of: str
    near: Floats
    motion: Floats | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.motion is not None:
            object.__setattr__(self, "motion", frozen_array(self.motion, (4, 4), np.float64, what="Motion"))

    def moved(self, matrix: Floats) -> FeatureMoved:
        motion = None if self.motion is None else matrix @ self.motion @ inverse(matrix)
        return replace(self, near=apply(matrix, self.near), motion=motion)

    def build(self, given: Given, progress: Progress = silent) -> Body:
        body, kernel = self.body(given), kernel_of(given)
        if self.motion is None:
            return without(body, self.near, kernel, progress)
        return with_feature_at(body, self.near, self.motion, kernel, progress)
