"""Weld: border points made one, borders seated on the twin plane, a half welded to its mirror image."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import ClassVar

import numpy as np

from arabesque.cages import Cage
from arabesque.cages.edits import seat, weld, weld_near
from arabesque.cages.symmetry import is_symmetric
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.base import Reworks
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.patch.twins import plane_rim
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.model import Item, edits


class What(Enum):
    """What is welded; the value is its words."""

    NEAR = "near borders"
    POINTS = "two points"
    SEAT = "seat on plane"
    MIRROR = "mirror image"


class WeldBorders(Reworks):
    """What would become one is drawn before it does."""

    id = "weld-cage"
    label = "Weld and mirror"
    hint = "Make border points one; seat a border on the twin plane; weld a half to its mirror image"
    shortcut = "Y"
    icon = "ph.git-merge"
    short = "Weld"
    words: ClassVar[str] = "welded"

    @dataclass
    class Options:
        """what: of all these. reach: mm within which border points are one, or lie on the plane. keep: of a cage
        across the plane, the half that stays."""

        what: What = What.MIRROR
        reach: float = 2.0
        upper: bool = labelled(True, "Keep the + half")

        @property
        def idle(self) -> tuple[str, ...]:
            """Clicked points need no reach; only mirroring keeps a half."""
            reach = ("reach",) if self.what is What.POINTS else ()
            return reach if self.what is What.MIRROR else (*reach, "upper")

    def clear(self) -> None:
        self._points: list[int] = []

    @property
    def begun(self) -> bool:
        return bool(self._points)

    @property
    def says(self) -> str:
        if self.trouble:
            return self.trouble
        if self.options.what is What.POINTS and self.made is None:
            return "Click two points that are to become one"
        return "Enter keeps it" if self.made is not None else self.hint

    def press(self, pointer: Pointer) -> None:
        at = self.point_under(pointer) if self.options.what is What.POINTS else None
        if at is None:
            self.select_under(pointer)
        elif at not in self._points:
            self._points = [*self._points[-1:], at] if len(self._points) < 2 else [at]
        self.refresh()

    def rework(self, item: Item) -> Cage | None:
        o, cage, document = self.options, item.shape, self.session.history.document
        if o.what is What.MIRROR:
            if edits.cages.is_tied(item):
                return None
            made = edits.cages.mirrored_whole(document, item, o.reach, o.upper).document[item.id].shape
            assert isinstance(made, Cage)
            return made
        if o.what is What.SEAT:
            return seat(cage, self.plane, o.reach)
        if o.what is What.POINTS:
            return weld(cage, np.array([self._points])) if len(self._points) == 2 else None
        return weld_near(cage, o.reach)

    def apply(self) -> None:
        item = self.item
        if self.options.what is not What.MIRROR or item is None:
            super().apply()
            return
        made, self.made = self.made, None
        self.session.drop_shown()
        if made is not None:
            self.session.edit(edits.cages.mirrored_whole, item, self.options.reach, self.options.upper)
        self.refresh()

    @property
    def facts(self) -> list[Fact]:
        item = self.item
        if item is None:
            return []
        tied = "tied across the plane" if edits.cages.is_tied(item) else "stands alone"
        facts = [Fact("Cage", tied)]
        if edits.cages.is_tied(item):
            exact = is_symmetric(item.shape, self.plane)
            facts.append(Fact("Symmetric", "to the last bit" if exact else "not exactly", "good" if exact else "bad"))
        if self.made is not None:
            facts.append(Fact("Points", f"{item.shape.quads.count} → {self.made.quads.count}"))
        return [*facts, *super().facts]

    @property
    def choices(self) -> list[Choice]:
        item = self.item
        if item is None:
            return []
        if edits.cages.is_tied(item):
            return [Choice("Let the twin go", lambda: self._do(edits.cages.let_go))]
        return [Choice("Tie across the plane", lambda: self._do(edits.cages.tied))]

    def _do(self, edit: object) -> None:
        item = self.item
        if item is not None:
            self.session.drop_shown()
            try:
                self.session.edit(edit, item)  # type: ignore[arg-type]
            except ArabesqueError as problem:
                self.session.tell_problem(problem)
            self.refresh()

    def picked_parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        cage, t = self.cage, now()
        if cage is None:
            return parts
        if self.options.what in (What.MIRROR, What.SEAT):
            rim = plane_rim(self.plane, *self.session.seen.ends)
            if rim is not None:
                parts.append(Lines(polyline(rim, closed=True), t.accent, 1.4, 0.9))
            near = cage.quads.on_border & (np.abs(self.plane.height(cage.points)) <= self.options.reach)
            parts.append(Discs(cage.points[near], np.ones(int(near.sum())), 4.0))
        if self.options.what is What.POINTS:
            parts.append(Discs(cage.points, np.isin(np.arange(cage.quads.count), self._points).astype(float), 3.5))
        return parts
