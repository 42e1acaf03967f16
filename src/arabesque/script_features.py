"""True features and parted bodies from Python: profiles, holes, bosses, slots, halves, hollow bodies."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from arabesque.checking import Asked, Looked, look_at
from arabesque.errors import ArabesqueError
from arabesque.geometry import motion
from arabesque.recipes import (
    FaceSwapped,
    FeatureBody,
    FeatureMoved,
    HollowBody,
    Keeps,
    MirroredBody,
    MorphedShape,
    PartedBody,
    ProfileBody,
    PushedPast,
    Putting,
    Runs,
    SewnBody,
    WrappedOn,
)
from arabesque.script_base import AnyItem
from arabesque.script_bodies import Bodies
from arabesque.solid import Body, FeatureKind


class Features(Bodies):
    """What is drilled, drawn and parted; ``script.Project`` is one."""

    def cap(self, body: AnyItem, within: float = 0.01) -> AnyItem:
        """An open body with faces over its openings; flat ones where they are."""
        return self._body("capped", SewnBody((self.item(body.id).id,), within, True))

    def profile_body(
        self, profile: AnyItem | Sequence[AnyItem], body: AnyItem | None = None, how: str = "added", **numbers: Any
    ) -> AnyItem:
        """What sketches or curves enclose as a body, or "cut away", "added", "kept in common" with one.

        numbers: ``ahead`` and ``back``, mm along ``way`` (square to the profile by itself); ``through=True``, past all
        of the body; ``to``, an item at whose surface it ends; or ``at`` and ``axis`` about which it is turned by
        ``angle``, degrees.
        """
        some = profile if isinstance(profile, Sequence) else [profile]
        keys = tuple(self.item(item.id).id for item in some)
        known = dict(numbers)
        runs, to = Runs.LENGTHS, known.pop("to", None)
        if known.pop("through", False):
            runs = Runs.THROUGH
        elif to is not None:
            runs = Runs.UP_TO
        elif "axis" in known:
            runs, known["way"] = Runs.TURNED, known.pop("axis")
        for name in ("way", "at"):
            if name in known:
                known[name] = np.asarray(known[name], dtype=float)
        one = "" if body is None else self.item(body.id).id
        target = "" if to is None else self.item(to.id).id
        word = "drawn" if body is None else how
        return self._body(word, ProfileBody(keys, one, Putting(how), runs, to=target, **known))

    def hole(
        self,
        body: AnyItem,
        at: ArrayLike,
        out: ArrayLike,
        diameter: float,
        depth: float = 0.0,
        mouth: float = 0.0,
        mouth_depth: float = 0.0,
    ) -> AnyItem:
        """A body drilled at (3,), against ``out`` (3,), so many mm deep, or through everything.

        mouth, mouth_depth: mm, a wider beginning.
        """
        return self._feature(body, FeatureKind.HOLE, at, out, diameter, depth, mouth=mouth, mouth_depth=mouth_depth)

    def boss(
        self, body: AnyItem, at: ArrayLike, out: ArrayLike, diameter: float, height: float, root: float = 1.0
    ) -> AnyItem:
        """A body with a round boss that stands out of it at (3,) along ``out`` (3,), and ``root`` mm in it."""
        return self._feature(body, FeatureKind.BOSS, at, out, diameter, height, root=root)

    def slot(
        self,
        body: AnyItem,
        at: ArrayLike,
        out: ArrayLike,
        along: ArrayLike,
        width: float,
        length: float,
        depth: float = 0.0,
    ) -> AnyItem:
        """A body with a slot whose ends are half circles, their centres ``length`` mm apart along ``along`` (3,)."""
        return self._feature(body, FeatureKind.SLOT, at, out, width, depth, along=np.asarray(along), length=length)

    def part_body(self, body: AnyItem, by: AnyItem | Sequence[AnyItem] = (), keep: str = "behind it") -> AnyItem:
        """What of a body lies "behind it" or "before it": behind or before surfaces that reach past it, or the twin
        plane where none is given."""
        some = by if isinstance(by, Sequence) else [by]
        keys = tuple(self.item(item.id).id for item in some)
        return self._body("parted", PartedBody(self.item(body.id).id, keys, Keeps(keep)))

    def mirror_body(self, body: AnyItem, keep: str = "before it") -> AnyItem:
        """A body cut at the twin plane and joined with its mirror image."""
        return self._body("mirrored at the plane", MirroredBody(self.item(body.id).id, Keeps(keep)))

    def hollow(self, body: AnyItem, wall: float, open_at: ArrayLike = ()) -> AnyItem:
        """A body with a wall of so many mm inside its faces, open at those nearest to places, (k, 3)."""
        places = np.asarray(open_at, dtype=float).reshape(-1, 3)
        return self._body("hollowed", HollowBody(self.item(body.id).id, places, wall))

    def without_feature(self, body: AnyItem, near: ArrayLike) -> AnyItem:
        """A body without the faces nearest to places, (k, 3), whose gap the neighbours close."""
        return self._body("healed", FeatureMoved(self.item(body.id).id, np.asarray(near, dtype=float).reshape(-1, 3)))

    def move_feature(self, body: AnyItem, near: ArrayLike, shift: ArrayLike) -> AnyItem:
        """A body whose feature, the faces nearest to places, (k, 3), is healed away and made again ``shift`` (3,) mm
        from there."""
        places = np.asarray(near, dtype=float).reshape(-1, 3)
        moved = motion(shift=np.asarray(shift, dtype=float))
        return self._body("feature moved", FeatureMoved(self.item(body.id).id, places, moved))

    def swap_face(self, body: AnyItem, near: ArrayLike, by: AnyItem) -> AnyItem:
        """A body whose face nearest to (3,) is exchanged for the surface of an item that reaches past it: the walls
        round it run on to that, or end there."""
        place = np.asarray(near, dtype=float)
        return self._body("face swapped", FaceSwapped(self.item(body.id).id, place, self.item(by.id).id))

    def morph(
        self, item: AnyItem, start: AnyItem, end: AnyItem, wholly: float, until: float, near: float = 0.01
    ) -> AnyItem:
        """A patch, cage, curve or body drawn along from one curve to another.

        wholly, until: mm from the first curve up to which it moves wholly, and from which on it stays. near: mm.
        """
        one, here, there = (self.item(some.id).id for some in (item, start, end))
        return self._body("morphed", MorphedShape(one, here, there, wholly, until, near), item.name)

    def wrap(
        self,
        what: AnyItem,
        on: AnyItem,
        place: ArrayLike,
        up: ArrayLike = (0.0, 0.0, 1.0),
        size: float = 1.0,
        height: float = 0.0,
        sunk: float = 0.5,
    ) -> AnyItem:
        """A flat curve, a sketch or a relief mesh laid on a surface.

        place, up: (3,) where its origin lies, and towards which its y looks. size: factor. height: mm that what curves
        enclose is raised to a body, ``sunk`` mm into the surface, 0 for the curve alone; of a relief mesh a factor of
        its heights.
        """
        flat, below = (self.item(some.id).id for some in (what, on))
        at, towards = (np.asarray(value, dtype=float) for value in (place, up))
        return self._body("wrapped", WrappedOn(flat, below, at, towards, size, height, sunk), "Wrap")

    def overshoot(
        self, item: AnyItem, by: AnyItem | Sequence[AnyItem] = (), within: float = 2.0, past: float = 1.0
    ) -> AnyItem:
        """A patch or cage with what lies within so many mm of forms, or of the twin plane where none is given, ``past``
        mm beyond them, so that a trim cuts clean."""
        some = by if isinstance(by, Sequence) else [by]
        keys = tuple(self.item(one.id).id for one in some)
        return self._body("pushed past", PushedPast(self.item(item.id).id, keys, within, past), item.name)

    def look_at_body(self, body: AnyItem, asked: str, way: ArrayLike = (0.0, 0.0, 1.0), count: int = 5) -> Looked:
        """What the window's check of bodies shows: "wall thickness", "draft angle", "smallest radius", "where it
        crosses itself", "filled sections" or "distance, face by face".

        way: (3,) along which a mould is drawn, or that ``count`` sections stand square to.
        """
        shape, scan = self.item(body.id).shape, self.document.reference_scan
        if not isinstance(shape, Body):
            raise ArabesqueError(f"{body.name} is no body", "Give one that sew, cut, add or common has made")
        return look_at(shape, Asked(asked), np.asarray(way, dtype=float), count, scan, self._progress)

    def _feature(
        self, body: AnyItem, kind: FeatureKind, at: ArrayLike, out: ArrayLike, size: float, depth: float, **more: Any
    ) -> AnyItem:
        place, axis = (np.asarray(value, dtype=float) for value in (at, out))
        along = more.pop("along", np.eye(3)[np.abs(axis).argmin()])
        recipe = FeatureBody(self.item(body.id).id, kind, place, axis, along, size, depth, **more)
        return self._body(kind.value, recipe)
