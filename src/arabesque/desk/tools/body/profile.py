"""A profile as a body, or put together with one: by lengths, through everything, up to a surface, or turned."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.on_guides import guide_under
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Elementary, Sketch
from arabesque.model import Item
from arabesque.recipes import ProfileBody, Putting, Runs
from arabesque.shapes import Guiding, Sampled
from arabesque.solid import Body


class With(Enum):
    """What is done with it; the value is its words."""

    ALONE = "a body of its own"
    ADD = "added to a body"
    CUT = "cut away from a body"
    COMMON = "kept in common with a body"


class Way(Enum):
    """Along or about what; the value is its words."""

    OWN = "square to the profile"
    X = "x"
    Y = "y"
    Z = "z"
    SHAPE = "a true shape's axis"


class DrawBody(MakingBody):
    """Clicks take curves and sketches as the profile, a body, and what it is to reach."""

    needs = ((Curve, Sketch),)
    makes = ProfileBody
    id = "profile-body"
    label = "Draw a body from a profile"
    hint = "Click the sketch or the curves of the profile; then the body that it changes, if any"
    shortcut = "Q"
    icon = "ph.arrow-square-up"
    short = "Profile"
    at_work = "Drawing it out"
    picks = "curve or body"

    @dataclass
    class Options:
        """ahead, back: mm to both sides of the profile. angle: degrees of a turn."""

        use: With = labelled(With.ALONE, "It is")
        runs: Runs = labelled(Runs.LENGTHS, "It goes")
        way: Way = labelled(Way.OWN, "Axis")
        ahead: float = labelled(10.0, "Ahead")
        back: float = labelled(0.0, "Back")
        turn: float = labelled(360.0, "Degrees")

        @property
        def idle(self) -> tuple[str, ...]:
            """What the way it goes has no use for."""
            return {
                Runs.LENGTHS: ("turn",),
                Runs.THROUGH: ("ahead", "back", "turn"),
                Runs.UP_TO: ("ahead", "turn"),
                Runs.TURNED: ("ahead", "back"),
            }[self.runs]

    def clear(self) -> None:
        super().clear()
        self.one, self.to = "", ""
        self._axis: tuple[Floats, Floats] | None = None

    def start(self) -> None:
        super().start()
        chosen = [item.id for item in self.session.selected_items if isinstance(item.shape, Curve | Sketch)]
        if self.target is None and chosen and not self.picked:
            self.picked = chosen
            self.try_it()

    def take(self, item: Item) -> None:
        recipe, o, document = item.recipe, self.options, self.session.document
        assert isinstance(recipe, ProfileBody)
        self.picked = [key for key in recipe.profile if key in document]
        self.one, self.to = recipe.one, recipe.to
        o.runs, o.ahead, o.back, o.turn = recipe.runs, recipe.ahead, recipe.back, recipe.angle
        o.use = With.ALONE if not recipe.one else With[recipe.how.name]
        if recipe.way is not None:
            o.way, self._axis = Way.SHAPE, (np.zeros(3) if recipe.at is None else recipe.at, recipe.way)

    @property
    def says(self) -> str:
        o = self.options
        if self.picked and o.use is not With.ALONE and not self.one:
            return "Click the body"
        if self.picked and o.runs is Runs.UP_TO and not self.to:
            return "Click the surface at which it ends"
        return super().says

    @property
    def facts(self) -> list[Fact]:
        items = self.session.history.document.items
        told = [Fact("Profile", str(len(self.picked)))]
        if self.options.use is not With.ALONE:
            told.append(Fact("Body", items[self.one].name if self.one in items else "none"))
        if self.options.runs is Runs.UP_TO:
            told.append(Fact("Up to", items[self.to].name if self.to in items else "none"))
        return [*told, *(super().facts if self.made is not None else [])]

    def press(self, pointer: Pointer) -> None:
        guide, under = guide_under(self.session, pointer, self.target), patch_under(self.session, pointer, Sampled)
        if guide is not None and isinstance(guide.item.shape, Curve | Sketch):
            key = guide.item.id
            self.picked = [one for one in self.picked if one != key] if key in self.picked else [*self.picked, key]
        elif under is None or under[0].id == self.target:
            self.session.tell_problem(ArabesqueError("There is no curve and no body here", "Click on one"))
            return
        else:
            self._take_surface(under[0])
        self.form_changed.emit()
        self.try_it()

    def _take_surface(self, item: Item) -> None:
        """A body is what it changes; another surface is its axis, or where it ends."""
        shape, o = item.shape, self.options
        if isinstance(shape, Body) and not (o.runs is Runs.UP_TO and self.one not in ("", item.id)):
            self.one = item.id
            o.use = With.CUT if o.use is With.ALONE else o.use
        elif o.runs is Runs.UP_TO:
            self.to = item.id
        elif isinstance(shape, Elementary):
            self._axis, o.way = (shape.origin, shape.axis), Way.SHAPE
        else:
            self.to, o.runs = item.id, Runs.UP_TO

    def draft(self) -> ProfileBody | None:
        o = self.options
        keys = tuple(key for key in self.picked if key in self.session.document)
        alone = o.use is With.ALONE
        if not keys or (not alone and not self.one) or (o.runs is Runs.UP_TO and not self.to):
            return None
        at, way = self._line(keys)
        return ProfileBody(
            keys, "" if alone else self.one, Putting.ADD if alone else Putting[o.use.name], o.runs, o.ahead, o.back,
            way, at, o.turn, self.to if o.runs is Runs.UP_TO else "",
        )  # fmt: skip

    def _line(self, keys: tuple[str, ...]) -> tuple[Floats | None, Floats | None]:
        """A place on the axis, and its direction; None for square to the profile."""
        way = self.options.way
        if way is Way.SHAPE and self._axis is not None:
            return self._axis
        sketch = next((s for key in keys if isinstance(s := self.session.document[key].shape, Sketch)), None)
        if way in (Way.OWN, Way.SHAPE):
            if sketch is None:
                return None, None
            if self.options.runs is not Runs.TURNED:
                return None, sketch.frame[:3, 2]
            # about the first line that is no part of the form, or the y axis of the drawing
            aid = next((k for k, one in enumerate(sketch.elements) if one.aid), None)
            ends = None if aid is None else sketch.curve(aid).points[[0, -1]]
            return (sketch.frame[:3, 3], sketch.frame[:3, 1]) if ends is None else (ends[0], ends[1] - ends[0])
        return np.zeros(3), np.eye(3)["XYZ".index(way.name)]

    def words(self, made: Any) -> str:
        return "drawn" if self.options.use is With.ALONE else str(Putting[self.options.use.name].value)

    @property
    def covers(self) -> frozenset[str]:
        shown = super().covers - frozenset(self.picked)
        return shown | (frozenset({self.one}) if self.made is not None and self.one else frozenset())

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = super().parts(camera)
        document = self.session.document
        for key in self.picked:
            if key in document:
                shape: Guiding = document[key].shape
                accent = theme.now().accent
                parts += [Lines(polyline(guide.points), accent, 3.0, on_top=True) for guide in shape.guides()]
        return parts
