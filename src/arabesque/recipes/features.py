"""True features of a body, and what profiles make of one or in one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Curve, apply, frame_of
from arabesque.geometry.nets import flat_normal
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.bodies import Featured, Putting, body_in, kernel_of, patches_of, word_of
from arabesque.recipes.inputs import profile_of
from arabesque.solid import Body, FeatureKind, PushedProfile, TurnedProfile, body_of, boss, combine, hole, slot

PAST = 0.02
"""Of the size of a body: what goes through everything stands out by this above and below."""


@dataclass(frozen=True, eq=False)
class FeatureBody(Featured):
    """A body (id) with a hole, boss or slot.

    at: (3,) where it begins. out: (3,) out of the body, along its axis. along: (3,) along which a slot runs. diameter:
    mm, of a slot its width. depth: mm, 0 for through everything; of a boss its height. mouth, mouth_depth: mm, of a
    wider beginning of a hole, 0 for none. length: mm, between the centres of a slot. root: mm that a boss stands in the
    body.
    """

    word = "feature"

    of: str
    kind: FeatureKind
    at: Floats
    out: Floats
    along: Floats
    diameter: float
    depth: float = 0.0
    mouth: float = 0.0
    mouth_depth: float = 0.0
    length: float = 0.0
    root: float = 1.0

    def __post_init__(self) -> None:
        for name in ("at", "out", "along"):
            object.__setattr__(self, name, frozen_array(getattr(self, name), (3,), np.float64, what="Feature"))
        if not np.linalg.norm(self.out) > 0:
            raise InvalidShape("A feature needs an axis", "Give a direction that is not 0, 0, 0")

    def moved(self, matrix: Floats) -> FeatureBody:
        turn = matrix[:3, :3]
        return replace(self, at=apply(matrix, self.at[None])[0], out=turn @ self.out, along=turn @ self.along)

    @property
    def frame(self) -> Floats:
        """(4, 4) whose z looks out of the body, and x along a slot."""
        return frame_of(self.at, self.out, self.along)

    def bounding(self, body: Body) -> TurnedProfile | PushedProfile:
        """What it takes away from a body, or adds to it."""
        frame = self.frame
        if self.kind is FeatureKind.BOSS:
            return boss(frame, self.diameter, -self.root, self.depth)
        ends = through(body, frame[:3, 3], frame[:3, 2])
        low, high = ends if self.depth <= 0 else (-self.depth, max(self.diameter, self.mouth))
        if self.kind is FeatureKind.SLOT:
            return slot(frame, self.diameter, self.length, low, high)
        return hole(frame, self.diameter, low, high, self.mouth, self.mouth_depth)

    @property
    def how(self) -> Putting:
        return Putting.ADD if self.kind is FeatureKind.BOSS else Putting.CUT


class Runs(Enum):
    """How a profile becomes a solid; the value in words."""

    LENGTHS = "by lengths to both sides"
    THROUGH = "through everything"
    UP_TO = "up to a surface"
    TURNED = "turned about an axis"


@dataclass(frozen=True, eq=False)
class ProfileBody(Recipe):
    """What curves or sketches (ids) enclose as a body, or, where ``one`` is a body's id, put together with that.

    ahead, back: mm along ``way``, (3,), which is square to the profile where it is None. to: id of the surface at which
    it ends. at, way: (3,) of the axis about which it is turned by ``angle``, degrees.
    """

    word = "profile body"

    profile: tuple[str, ...]
    one: str = ""
    how: Putting = Putting.ADD
    runs: Runs = Runs.LENGTHS
    ahead: float = 10.0
    back: float = 0.0
    way: Floats | None = None
    at: Floats | None = None
    angle: float = 360.0
    to: str = ""

    def __post_init__(self) -> None:
        for name in ("way", "at"):
            value = getattr(self, name)
            if value is not None:
                object.__setattr__(self, name, frozen_array(value, (3,), np.float64, what="Axis"))
        if self.runs is Runs.UP_TO and not self.to:
            raise InvalidShape("There is no surface at which it ends", "Choose one, or give lengths")

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(key for key in (self.one, *self.profile, self.to) if key))

    @property
    def stands_for(self) -> tuple[str, ...]:
        return (self.one,) if self.one else ()

    def moved(self, matrix: Floats) -> ProfileBody:
        way = None if self.way is None else matrix[:3, :3] @ self.way
        return replace(self, way=way, at=None if self.at is None else apply(matrix, self.at[None])[0])

    def build(self, given: Given, progress: Progress = silent) -> Body:
        one = body_in(given, self.one) if self.one else None
        solid = self._solid(given, profile_of(given, self.profile), one)
        if one is None:
            return body_of(solid, kernel_of(given), progress)
        return combine(word_of(self.how), one, [solid], kernel_of(given), progress)

    def _solid(self, given: Given, curves: list[Curve], one: Body | None) -> TurnedProfile | PushedProfile:
        if not curves:
            raise ArabesqueError("There is no profile", "Choose a sketch, or curves")
        places = np.concatenate([curve.points for curve in curves])
        if self.runs is Runs.TURNED:
            at, axis = (default if value is None else value
                        for value, default in ((self.at, np.zeros(3)), (self.way, np.eye(3)[2])))  # fmt: skip
            return TurnedProfile(tuple(curves), at, axis, self.angle)
        way = flat_normal(places) if self.way is None else self.way
        if self.runs is Runs.THROUGH:
            if one is None:
                raise ArabesqueError("There is no body to go through", "Choose one, or give lengths")
            low, high = through(one, places.mean(axis=0), way)
            return PushedProfile(tuple(curves), way, low, high)
        if self.runs is Runs.UP_TO:
            stop = patches_of(given, self.to)
            far = max(
                float((place - places.mean(axis=0)) @ way) for face in stop for place in face.points.reshape(-1, 3)
            )
            return PushedProfile(tuple(curves), way, -self.back, far * (1 + PAST) + 1.0, tuple(stop))
        return PushedProfile(tuple(curves), way, -self.back, self.ahead)


def through(body: Body, place: Floats, way: Floats) -> tuple[float, float]:
    """From a (3,) place along a direction (3,): mm at which a body begins and ends, with something more at both."""
    low, high = body.box
    corners = np.array(np.meshgrid(*zip(low, high, strict=True))).reshape(3, -1).T
    heights = (corners - place) @ (way / np.linalg.norm(way))
    more = PAST * float(np.linalg.norm(high - low))
    return float(heights.min()) - more, float(heights.max()) + more
