"""Edges between two surfaces rounded: the parts that stay are clicked, the radius is given or read from the scan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import previewed
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.patch.join_facts import distance_fact
from arabesque.desk.tools.patch.searching import Searching
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Face, Surface
from arabesque.joining import Round, Section, Shown, side_of
from arabesque.model import Item, edits
from arabesque.model.item import new_id
from arabesque.model.rebuild import given
from arabesque.progress import Progress
from arabesque.recipes import Given, Recipe, RoundBetween, TrimmedBy

SMOOTH = 0.1
"""Degrees: tangent planes that differ by less are one, to the eye and to the touch (common practice)."""


class Picked(NamedTuple):
    """A surface that was clicked, and where: that part of it stays."""

    key: str
    place: Floats


class Made(NamedTuple):
    """A round, under the id that it will have, and what is left of both surfaces; fault: why they are not cut."""

    key: str
    round: Round
    cuts: tuple[tuple[TrimmedBy, Face], ...]
    facts: list[Fact]
    fault: str


class RoundEdges(Searching):
    """Two clicks, each on the part of a surface that stays; what lies between is rounded, and both are cut."""

    needs = (Surface,)
    makes = RoundBetween
    name = "Round"
    id = "round-edges"
    step = Step.PATCH
    label = "Round the edge of two surfaces"
    hint = "Click the first surface, on the part that is to stay"
    shortcut = "Shift+C"
    icon = "ph.intersect"
    short = "Round"

    @dataclass
    class Options:
        """radius, middle, end: mm, along the edge; 0 for as at the start. chord: they are lengths between the contacts.
        pull: how far a section that is not circular follows the surfaces. cut: both surfaces are cut at the
        contacts."""

        radius: float = labelled(3.0, "Radius")
        middle: float = labelled(0.0, "In the middle")
        end: float = labelled(0.0, "At the end")
        chord: bool = labelled(False, "Measured as chord")
        section: Section = labelled(Section.CIRCLE, "Section")
        pull: float = labelled(1.0, "Pull")
        cut: bool = labelled(True, "Cut both surfaces")

        @property
        def idle(self) -> tuple[str, ...]:
            """A circle is not pulled."""
            return ("pull",) if self.section is Section.CIRCLE else ()

    def clear(self) -> None:
        self.picked: list[Picked] = []
        self.shown: Shown | None = None
        self._sides = (1, 1)
        self.stop_search()

    @property
    def begun(self) -> bool:
        return bool(self.picked)

    def take(self, item: Item) -> None:
        recipe, o, document = item.recipe, self.options, self.session.document
        assert isinstance(recipe, RoundBetween)
        o.radius, o.section, o.chord, o.pull = recipe.radii[0], recipe.section, recipe.chord, recipe.pull
        o.middle, o.end = (0.0, 0.0) if len(set(recipe.radii)) == 1 else recipe.radii[1:]
        if all(key in document for key in recipe.inputs):
            self.picked = [Picked(key, recipe.near) for key in (recipe.one, recipe.two)]
            self._sides = recipe.sides

    @property
    def says(self) -> str:
        if self.searching:
            return "Reading the radius from the scan"
        if self.working:
            return "Rounding"
        if self.made is not None:
            return "Enter keeps it; Backspace takes the last click back"
        return "Click the other surface, on the part that is to stay" if len(self.picked) == 1 else self.hint

    @property
    def covers(self) -> frozenset[str]:
        cut = frozenset() if self.made is None else frozenset(recipe.of for recipe, _ in self.made.cuts)
        return super().covers | cut

    @property
    def facts(self) -> list[Fact]:
        told = []
        if self.shown is not None:
            s = self.shown
            told.append(Fact("The scan shows", f"{s.radius:.2f} mm ({s.low:.2f} to {s.high:.2f})"))
        if self.made is None:
            return [Fact("Surfaces", f"{len(self.picked)} of 2"), *told]
        facts: list[Fact] = self.made.facts
        return [*told, *facts]

    @property
    def choices(self) -> list[Choice]:
        if len(self.picked) < 2 or self.session.scan is None:
            return []
        return [Choice("Read the radius from the scan", self.read)]

    # the hand

    def press(self, pointer: Pointer) -> None:
        found = patch_under(self.session, pointer)
        if found is None:
            self.session.tell_problem(ArabesqueError("There is no surface here", "Click on a patch or a true shape"))
            return
        origin, direction = pointer.camera.ray(pointer.x, pointer.y)
        picked = Picked(found[0].id, origin + found[1] * direction)
        if self.picked and self.picked[0].key == picked.key:
            self.picked = [picked]
        else:
            self.picked = [*self.picked[:1], picked]
        if len(self.picked) == 2:
            one, two = self.picked
            surfaces = [self._surface(picked.key) for picked in (one, two)]
            self._sides = side_of(surfaces[0], two.place), side_of(surfaces[1], one.place)
        self.shown = None
        self.try_it()

    def _surface(self, key: str) -> Surface:
        shape = self.session.document[key].shape
        assert isinstance(shape, Surface)
        return shape.whole

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.picked:
            self.picked.pop()
            self.try_it()
            return True
        return False

    def read(self) -> None:
        """Look beside the window for the radius that the scan shows."""
        recipe, scan = self.draft(), self.session.scan
        if recipe is None or scan is None:
            return
        source = given(self.session.document, recipe)
        self.search("Read the radius", lambda progress: recipe.shown(source, scan), self._read)

    def _read(self, shown: Shown) -> None:
        self.shown, self.options.radius = shown, round(shown.radius, 2)
        self.options.middle = self.options.end = 0.0
        self.options.chord = False
        self.form_changed.emit()
        self.try_it()

    # the round

    def draft(self) -> RoundBetween | None:
        if len(self.picked) < 2:
            return None
        o, (one, two) = self.options, self.picked
        radii = (o.radius, o.middle or (o.radius + (o.end or o.radius)) / 2, o.end or o.radius)
        near = (one.place + two.place) / 2
        return RoundBetween(one.key, two.key, near, self._sides, radii, o.section, o.chord, o.pull)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Made:
        assert isinstance(recipe, RoundBetween)
        made, key = recipe.made(source), new_id()
        cuts: tuple[tuple[TrimmedBy, Face], ...] = ()
        fault = ""
        if self.options.cut and self.target is None:
            try:
                cuts = tuple(recipe.cuts(key, made, source))
            except ArabesqueError as problem:
                fault = problem.cause
        return Made(key, made, cuts, self._facts(made, source, fault), fault)

    def _facts(self, made: Round, source: Given, fault: str) -> list[Fact]:
        radius = made.touching.radius
        size = f"{radius.min():.3g} mm" if np.ptp(radius) < 1e-6 else f"{radius.min():.3g} to {radius.max():.3g} mm"
        facts = [
            Fact("Radius", size),
            Fact("Control points", str(made.surface.count)),
            Fact("Tangent within", f"{made.turned:.2g}°", "good" if made.turned <= SMOOTH else "bad"),
        ]
        if made.part[1] - made.part[0] < 1 - 1e-6:
            facts.append(Fact("Along the edge", f"{100 * made.part[0]:.1f} to {100 * made.part[1]:.1f} %"))
        if fault:
            facts.append(Fact("Not cut", fault, "bad"))
        scan = self.session.scan
        return facts if scan is None else [*facts, distance_fact("99 %", made.surface, scan, source.tolerance)]

    def shape_of(self, made: Made) -> Surface:
        return made.round.surface

    def _keep(self, made: Made) -> None:
        if self.target is not None:
            super()._keep(made)
            return
        assert self._of is not None
        recipe, made_of = self._of
        shapes = self.session.history.document
        parts = [(cut.of, face, cut, (shapes[cut.of].shape, made.round.surface)) for cut, face in made.cuts]
        item = made.key, made.round.surface, recipe, made_of
        if self.session.edit(edits.items.derived_and_cut, "edge rounded", self.name, item, parts):
            self.kept()

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        t = theme.now()
        if self.made is not None:
            parts += self.preview(self.made.round.surface, camera)
            for cut, face in self.made.cuts:
                parts += previewed(self.session, face, f"cut {cut.of}", 1.2)
            touching = self.made.round.touching
            for line in (touching.at_one, touching.at_two):
                parts.append(Lines(polyline(line), t.accent, 2.0, on_top=True))
        for number, picked in enumerate(self.picked if self.target is None else []):
            parts.append(Discs(picked.place[None], np.array([1.0]), 4.0))
            parts.append(Label(picked.place, str(number + 1), True))
        return parts
