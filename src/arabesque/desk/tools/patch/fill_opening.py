"""Openings between surfaces filled: the borders round them are clicked, and what meets them how is told."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Borders
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.patch.join_facts import distance_fact
from arabesque.desk.tools.patch.picked_border import Border, border_parts, border_under, rim_of
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Patchwork, Surface
from arabesque.joining import BlendSide, Filled, ring_of
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import BorderOf, FillOpening, FillWith, Given, Recipe

MEETING = 0.05
"""Of the shortest border: ends that are nearer to each other make a corner of the ring."""
SMOOTH, ALIKE = 0.05, 5.0
"""Degrees, and percent of curvature, up to which borders count as met in tangent planes, and in curvature."""


class Made(NamedTuple):
    """A fill: the one patch that all comes from, and the shape that is kept."""

    filled: Filled
    shape: Surface | Patchwork


class FillBetween(Making):
    """Borders are clicked round the opening, in any order; as soon as they close, it is filled."""

    needs = (Surface,)
    makes = FillOpening
    name = "Fill"
    id = "fill-opening"
    step = Step.PATCH
    label = "Fill an opening"
    hint = "Click the borders round the opening, one after the other"
    shortcut = "Shift+F"
    icon = "ph.selection-background"
    short = "Fill"

    @dataclass
    class Options:
        """order: of continuity to all borders. scan: it goes by the scan inside."""

        order: int = whole(2, 0, 2, "Continuity G")
        pieces: FillWith = labelled(FillWith.AS_SUITS, "With")
        scan: bool = labelled(False, "Go by the scan")

    def clear(self) -> None:
        self.picked: list[Border] = []
        self.curves: list[str] = []
        self._own: dict[Border, int] = {}
        self._hover: Border | None = None

    @property
    def begun(self) -> bool:
        return bool(self.picked)

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, FillOpening)
        o.order, o.pieces, o.scan = max(one.order for one in recipe.borders), recipe.pieces, recipe.scan
        if all(key in self.session.document for key in recipe.inputs):
            self.picked = [Border(one.of, one.rim) for one in recipe.borders]
            self.curves = list(recipe.curves)
            self._own = {Border(one.of, one.rim): one.order for one in recipe.borders if one.order != o.order}

    def propose(self, borders: Borders) -> None:
        self.picked = [Border(*one) for one in borders]
        self.try_it()

    def _order(self, border: Border) -> int:
        """The continuity to one border: its own, or that of the form."""
        return min(self._own.get(border, self.options.order), self.options.order)

    @property
    def says(self) -> str:
        if self.working:
            return "Filling"
        if self.made is not None:
            return "Enter keeps it; Ctrl-click a border for another continuity there; click curves that it is to pass"
        return "Click the next border round the opening" if self.picked else self.hint

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Borders", str(len(self.picked)))]
        filled, shape = self.made
        order = self.options.order
        facts = [
            Fact("Borders", ", ".join(f"G{self._order(border)}" for border in self.picked)),
            Fact("Control points", str(shape.count)),
            Fact("Gap", f"{1000 * filled.gap:.2g} µm", "good" if filled.gap <= 1e-3 else "bad"),
        ]
        if order >= 1:
            facts.append(Fact("Tangent within", f"{filled.turned:.2g}°", "good" if filled.turned <= SMOOTH else "bad"))
        if order >= 2:
            bent = 100 * filled.bent
            facts.append(Fact("Curvature within", f"{bent:.2g} %", "good" if bent <= ALIKE else "bad"))
        scan = self.session.scan
        if scan is not None and isinstance(shape, Surface):
            facts.append(distance_fact("99 %", shape, scan, self.session.document.tolerance))
        return facts

    # the hand

    def move(self, pointer: Pointer, dragging: bool) -> None:
        self._hover = border_under(self.session, pointer, self.target)
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        found = border_under(self.session, pointer, self.target)
        curve = None if found is not None else patch_under(self.session, pointer, Curve)
        if found is not None and pointer.ctrl:
            # first only its place, then round
            self._own[found] = (self._order(found) + 1) % (self.options.order + 1) if found in self.picked else 0
            self.picked = self.picked if found in self.picked else [*self.picked, found]
        elif found is not None:
            self._own.pop(found, None)
            self.picked = (
                [one for one in self.picked if one != found] if found in self.picked else [*self.picked, found]
            )
        elif curve is not None:
            self.curves = list(dict.fromkeys([*self.curves, curve[0].id]))
        else:
            self.session.tell_problem(ArabesqueError("There is no border here", "Click on the edge of a surface"))
            return
        self.try_it()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and (self.picked or self.curves):
            (self.curves or self.picked).pop()
            self.try_it()
            return True
        return False

    # the fill

    def _closed(self) -> bool:
        """True where they go round, and each ends where the next begins, or on it."""
        rims = [rim_of(self.session, border) for border in self.picked]
        try:
            ring = ring_of([BlendSide(rim, 0) for rim in rims if rim is not None])
        except ArabesqueError:
            return False
        ends = np.array([side.places(np.array([0.0, 1.0])) for side in ring])
        shortest = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).min())
        gaps = np.linalg.norm(ends[:, 0] - np.roll(ends[:, 1], 1, axis=0), axis=1)
        return len(ring) == len(self.picked) and (len(ring) == 1 or bool(gaps.max() <= MEETING * shortest))

    def draft(self) -> FillOpening | None:
        if not self.picked or not self._closed():
            return None
        o = self.options
        borders = tuple(BorderOf(border.key, border.rim, self._order(border)) for border in self.picked)
        return FillOpening(borders, o.pieces, tuple(self.curves), o.scan and self.session.scan is not None)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Made:
        assert isinstance(recipe, FillOpening)
        filled = recipe.filled(source, progress)
        return Made(filled, recipe.shape_of(filled))

    def shape_of(self, made: Made) -> Surface | Patchwork:
        return made.shape

    def words(self, made: Made) -> str:
        return "opening filled"

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self.made is not None:
            parts += self.preview(self.made.shape, camera)
        words = [f"{number + 1}: G{self._order(border)}" for number, border in enumerate(self.picked)]
        parts += border_parts(self.session, self.picked, self._hover, words)
        return parts
