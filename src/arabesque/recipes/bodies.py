"""Bodies: sewn of surfaces, put together from other bodies and true shapes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import Enum
from typing import Any

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Elementary, Surface, apply
from arabesque.joining import Rims, thickened
from arabesque.progress import Progress, part, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.shapes import Sampled, can
from arabesque.solid import (
    Body,
    KernelWorker,
    PushedProfile,
    TurnedProfile,
    combine,
    repeat,
    repeat_change,
    sew,
    steps,
    turns,
    with_edges,
)

SEWN = 10.0
"""Times as near as its sides come to true offsets: within this a thickened skin is sewn."""
MOST_FEATURES = 100
"""One after the other that are repeated as such."""


class Putting(Enum):
    """How bodies are put together, the value in words."""

    CUT = "cut away"
    ADD = "added"
    COMMON = "kept in common"


def word_of(how: Putting) -> str:
    """For ``solid.combine``."""
    return {Putting.CUT: "cut", Putting.ADD: "add", Putting.COMMON: "common"}[how]


class OfSkin(Recipe):
    """What recipes share that make a body of the surfaces of some items, in their place. of: their ids."""

    of: tuple[str, ...]

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.of

    @property
    def stands_for(self) -> tuple[str, ...]:
        return self.of

    def skin(self, given: Given) -> list[Surface]:
        """Their patches and faces; raises ArabesqueError where one has none any more."""
        return [patch for key in self.of for patch in patches_of(given, key)]


@dataclass(frozen=True)
class SewnBody(OfSkin):
    """The body of the patches and faces of items (ids), whose borders lie within so many mm of each other. cap:
    openings are closed. merge: faces of one surface become one."""

    word = "sewn"

    of: tuple[str, ...]
    within: float = 0.01
    cap: bool = False
    merge: bool = False

    def build(self, given: Given, progress: Progress = silent) -> Body:
        return sew(named(self.skin(given)), self.within, kernel_of(given), self.cap, progress, self.merge)


class Thickness(Enum):
    """To which side of a skin its thickness goes, the value in words."""

    OUT = "along the normals"
    IN = "against the normals"
    BOTH = "to both sides"


@dataclass(frozen=True)
class ThickenedBody(OfSkin):
    """The skin of some items (ids) with a thickness, mm: both sides, and walls over its free borders, which are square,
    rounded or drawn to an edge."""

    word = "thickened"

    of: tuple[str, ...]
    length: float
    side: Thickness = Thickness.OUT
    near: float = 0.002
    rims: Rims = Rims.SQUARE

    def build(self, given: Given, progress: Progress = silent) -> Body:
        shares = {Thickness.OUT: (0.0, 1.0), Thickness.IN: (-1.0, 0.0), Thickness.BOTH: (-0.5, 0.5)}[self.side]
        low, high = (share * self.length for share in shares)
        faces = thickened(self.skin(given), low, high, self.near, part(progress, 0.0, 0.6), self.rims)
        made = sew(named(faces), SEWN * self.near, kernel_of(given), progress=part(progress, 0.6, 1.0))
        if not made.told.closed:
            words = f"{len(made.told.free)} borders of the thickened skin stay free"
            raise ArabesqueError(words, "Look in the joins check where its patches do not meet smoothly")
        return made


@dataclass(frozen=True)
class CombinedBody(Recipe):
    """A body (id) with others, or with the solids that closed true shapes bound, put together."""

    word = "put together"

    one: str
    others: tuple[str, ...]
    how: Putting = Putting.CUT

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.one, *self.others)))

    @property
    def stands_for(self) -> tuple[str, ...]:
        return self.inputs

    def build(self, given: Given, progress: Progress = silent) -> Body:
        one, *others = (_solid(given.shapes[key]) for key in (self.one, *self.others))
        if not isinstance(one, Body):
            raise ArabesqueError("A true shape alone is no body", "Sew a body first, or choose one")
        return combine(word_of(self.how), one, others, kernel_of(given), progress)


class FromBody(Recipe):
    """What recipes share that make a body of one other, in its place. of: its id."""

    of: str

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of,)

    @property
    def stands_for(self) -> tuple[str, ...]:
        return (self.of,)

    def body(self, given: Given) -> Body:
        """The body; raises ArabesqueError where it is none any more."""
        return body_in(given, self.of)


class Featured(FromBody):
    """What recipes share that add what some solid bounds to a body, or take it away."""

    @property
    def how(self) -> Putting:
        """Which of both."""
        raise NotImplementedError

    def bounding(self, body: Body) -> PushedProfile | TurnedProfile:
        """What bounds it in a body."""
        raise NotImplementedError

    def build(self, given: Given, progress: Progress = silent) -> Body:
        body = self.body(given)
        return combine(word_of(self.how), body, [self.bounding(body)], kernel_of(given), progress)


@dataclass(frozen=True, eq=False)
class RoundedBody(FromBody):
    """A body (id) with the edges nearest to (k, 3) places rounded with a radius, mm, or cut off by a length. end: mm,
    the radius at the other end of each edge, 0 for the same."""

    word = "edges rounded"

    of: str
    near: Floats
    size: float
    chamfer: bool = False
    end: float = 0.0

    def __post_init__(self) -> None:
        object.__setattr__(self, "near", frozen_array(self.near, (None, 3), np.float64, what="Places"))

    def moved(self, matrix: Floats) -> RoundedBody:
        return replace(self, near=apply(matrix, self.near))

    def build(self, given: Given, progress: Progress = silent) -> Body:
        end = self.end or self.size
        return with_edges(self.body(given), self.near, self.size, self.chamfer, kernel_of(given), progress, end)


@dataclass(frozen=True, eq=False)
class RepeatedBody(FromBody):
    """A body (id) ``count`` times: turned about an axis ``way`` (3,) through ``at`` (3,), evenly all round, or each
    time ``step`` mm further along it. since: id of an earlier body, where only what was done to that is repeated."""

    word = "repeated"

    of: str
    at: Floats
    way: Floats
    count: int
    step: float = 0.0
    since: str = ""

    def __post_init__(self) -> None:
        for name in ("at", "way"):
            object.__setattr__(self, name, frozen_array(getattr(self, name), (3,), np.float64, what="Axis"))
        if self.count < 2 or not np.linalg.norm(self.way) > 0:
            raise InvalidShape("A body is repeated along an axis, twice at least", "Give a count above 1, and an axis")

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of, self.since) if self.since else (self.of,)

    def moved(self, matrix: Floats) -> RepeatedBody:
        return replace(self, at=apply(matrix, self.at[None])[0], way=matrix[:3, :3] @ self.way)

    def build(self, given: Given, progress: Progress = silent) -> Body:
        unit = self.way / np.linalg.norm(self.way)
        round_it = turns(self.at, unit, self.count, 2 * np.pi / self.count)
        motions = steps(self.step * unit, self.count) if self.step else round_it
        if not self.since:
            return repeat(self.body(given), motions, kernel_of(given), progress)
        before = body_in(given, self.since)
        features = self._features(given)
        if not features:
            return repeat_change(before, self.body(given), motions, kernel_of(given), progress)
        made = before
        for feature in features:
            # all at once: what was done is known, and need not be found from both bodies
            solid = feature.bounding(before)
            made = combine(
                word_of(feature.how), made, [solid.moved(one) for one in motions], kernel_of(given), progress
            )
        return made

    def _features(self, given: Given) -> list[Featured]:
        """What was done since, in order, where all of it is features."""
        found: list[Featured] = []
        key = self.of
        while key != self.since:
            recipe = given.recipes.get(key)
            if not isinstance(recipe, Featured) or len(found) > MOST_FEATURES:
                return []
            found.append(recipe)
            key = recipe.of
        return found[::-1]


def body_in(given: Given, key: str) -> Body:
    """The body of an input; raises ArabesqueError where it is none any more."""
    shape = given.shapes[key]
    if not isinstance(shape, Body):
        raise ArabesqueError("What it was made from is no body any more", "Undo that, or make it free")
    return shape


def patches_of(given: Given, key: str) -> list[Surface]:
    """The patches and faces of an input; raises ArabesqueError where it has none any more."""
    shape = given.shapes[key]
    if not can(shape, Sampled):
        raise ArabesqueError("Something it was made from has no surface any more", "Undo that, or make it free")
    return list(shape.patches())


def kernel_of(given: Given) -> KernelWorker:
    """The process of the B-rep kernel; raises ArabesqueError where there is none."""
    if given.kernel is None:
        raise ArabesqueError("There is no geometry kernel here", "Rebuild it in the window, or from a project")
    worker: KernelWorker = given.kernel
    return worker


def named(faces: Sequence[Surface]) -> list[tuple[str, Surface]]:
    """Faces with names, as the kernel takes them."""
    return [(f"face {number + 1}", face) for number, face in enumerate(faces)]


def _solid(shape: Any) -> Body | Elementary:
    if not isinstance(shape, Body | Elementary):
        raise ArabesqueError("Only bodies and true shapes are put together", "Sew the surfaces first")
    return shape
