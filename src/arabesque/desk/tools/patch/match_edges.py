"""Edges of a patch matched to others: what it costs in distance is seen before it is kept, and it follows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import Making, previewed
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.patch.join_facts import distance_fact, join_facts
from arabesque.desk.tools.patch.picked_border import Border, border_parts, border_under, curve_under
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import Face, Surface
from arabesque.joining import Ways
from arabesque.model import Item, edits
from arabesque.progress import Progress
from arabesque.recipes import INSIDE, Given, MatchedEdge, MatchedTo, Recipe

Made = tuple[Surface, list[Fact], dict[str, Surface]]
"""The patch, what is told of it, and others that come half way, by their ids."""


@dataclass(frozen=True)
class Pairs(Given):
    """What a match is tried with, in one piece: a try that is given up may still read it beside the window. half_way:
    the others come half way. names: of the others, by their ids."""

    half_way: bool = False
    names: Mapping[str, str] = field(default_factory=dict)


class MatchEdges(Making):
    """The edge of the patch that moves is clicked first, then what it is to go on in; more pairs may follow."""

    needs = (Surface,)
    makes = MatchedTo
    name = "Matched"
    id = "match-edges"
    step = Step.PATCH
    label = "Match edges"
    hint = "Click the edge that moves, then the border that it is to go on in"
    shortcut = "Shift+K"
    icon = "ph.magnet"
    short = "Match"

    @dataclass
    class Options:
        """order: of continuity. half_way: the other patch comes half way. rows: so many rows of control points take
        part, 0 for as few as it needs."""

        order: int = whole(2, 0, 3, "Continuity G")
        half_way: bool = labelled(False, "Both half way")
        rows: int = whole(0, 0, 12, "Rows at least")
        ways: Ways = labelled(Ways.ROWS, "Across")

    def clear(self) -> None:
        self.pairs: list[tuple[Border, Border]] = []
        self._first: Border | None = None
        self._hover: Border | None = None

    @property
    def begun(self) -> bool:
        return bool(self.pairs) or self._first is not None

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, MatchedTo)
        self.options.ways = recipe.ways
        self.options.order, self.options.half_way = recipe.edges[-1].to.order, False
        self.options.rows = recipe.edges[-1].rows
        self.pairs = [(Border(item.id, one.edge), Border.from_recipe(one.to)) for one in recipe.edges]

    @property
    def says(self) -> str:
        if self.working:
            return "Matching"
        if self._first is not None:
            return "Click what it is to go on in: a border, a curve, or the inside of a surface"
        if self.made is not None:
            return "Enter keeps it; click another edge of the patch to match that too; Backspace takes one back"
        return self.hint

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Edges matched", str(len(self.pairs)))]
        facts: list[Fact] = self.made[1]
        return facts

    @property
    def choices(self) -> list[Choice]:
        if self._first is None:
            return []
        return [Choice(f"Match it to the twin plane with G{self.options.order}", self._to_plane)]

    def _to_plane(self) -> None:
        first = self._first
        assert first is not None
        item = self.session.history.document[first.key]
        if self.session.edit(edits.twins.edge_seated, item, first.rim, self.options.order):
            self.begin_anew()
        self.changed.emit()

    # the hand

    def move(self, pointer: Pointer, dragging: bool) -> None:
        self._hover = border_under(self.session, pointer)
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        try:
            found = border_under(self.session, pointer) or self._inside_under(pointer)
            if found is None:
                raise ArabesqueError("There is no edge here", "Click on the edge of a patch")
            self._picked(found)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
        self.changed.emit()

    def _inside_under(self, pointer: Pointer) -> Border | None:
        """A curve, or the inside of a surface, that the edge picked first may go on in."""
        if self._first is None:
            return None
        curve = curve_under(self.session, pointer)
        if curve is not None:
            return Border(curve.id, INSIDE)
        found = patch_under(self.session, pointer)
        return None if found is None or found[0].id == self._first.key else Border(found[0].id, INSIDE)

    def _picked(self, found: Border) -> None:
        if self._first is None:
            shape = self.session.document[found.key].shape
            if self.pairs and found.key != self.pairs[0][0].key:
                raise ArabesqueError("Only edges of one patch are matched at once", "Keep this first")
            if isinstance(shape, Face):
                raise ArabesqueError("A trimmed border cannot be moved", "Click what it is to go on in last")
            self._first = found
        elif found.key == self._first.key:
            raise ArabesqueError("A patch cannot go on in itself", "Click the border of another one")
        else:
            self.pairs = [*(pair for pair in self.pairs if pair[0] != self._first), (self._first, found)]
            self.target, self._first = self._first.key, None
            self.try_it()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.begun:
            if self._first is None:
                self.pairs.pop()
            self._first = None
            self.try_it()
            return True
        return False

    # the patch

    def draft(self) -> MatchedTo | None:
        if not self.pairs or self.target is None:
            return None
        item = self.session.history.document[self.target]
        recipe = item.recipe if isinstance(item.recipe, MatchedTo) else None
        assert isinstance(item.shape, Surface)
        o = self.options
        edges = [MatchedEdge(own.rim, to.of(o.order), o.rows) for own, to in self.pairs]
        before = item.shape if recipe is None else recipe.before
        return MatchedTo(before, tuple(edges), o.ways)

    def source(self, recipe: Recipe) -> Given:
        plain, document = super().source(recipe), self.session.document
        names = {key: document[key].name for key in recipe.inputs}
        return Pairs(plain.shapes, self.session.scan, plain.tolerance, half_way=self.options.half_way, names=names)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Made:
        assert isinstance(recipe, MatchedTo)
        assert isinstance(source, Pairs)
        scan, before = source.scan, source.shapes
        others: dict[str, Surface] = {}
        for one in recipe.edges if source.half_way else ():
            there, name = others.get(one.to.of, before[one.to.of]), source.names[one.to.of]
            others[one.to.of] = edits.joining.coming_half_way(there, name, recipe.before, one.edge, one.to, recipe.ways)
        source = replace(source, shapes={**before, **others})
        steps = recipe.matched(source)
        made = steps[-1].surface
        facts = [
            Fact("Control points", f"{recipe.before.count} → {made.count}"),
            Fact("Moved at most", f"{max(step.moved for step in steps):.3f} mm"),
        ]
        for number, one in enumerate(recipe.edges):
            facts += join_facts(f"Edge {number + 1}", source, one.to, made, one.edge)
        if scan is not None:
            for label, surface in (("99 % before", recipe.before), ("99 % now", made)):
                facts.append(distance_fact(label, surface, scan, source.tolerance))
            for key, moved in others.items():
                name = source.names[key]
                for label, surface in ((f"{name} before", before[key]), (f"{name} now", moved)):
                    facts.append(distance_fact(label, surface, scan, source.tolerance))
        return made, facts, others

    def shape_of(self, made: Made) -> Surface:
        return made[0]

    def _keep(self, made: Any) -> None:
        assert self._of is not None and self.target is not None
        item, recipe = self.session.history.document[self.target], self._of[0]
        shape, others = self.shape_of(made), made[2]
        if self.session.edit(edits.joining.blended, others, "edges matched", self.name, shape, recipe, item):
            self.kept()

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self.made is not None:
            parts += self.preview(self.made[0], camera)
            for key, shape in self.made[2].items():
                parts += previewed(self.session, shape, f"half way {key}", 1.2)
        picked = [border for pair in self.pairs for border in pair]
        parts += border_parts(self.session, [*picked, *([self._first] if self._first else [])], self._hover)
        return parts
