"""A blend between two edges: picked, pulled by handles while its distance to the scan is seen, kept as a recipe."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.checking import shape_to_scan
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Borders
from arabesque.desk.tools.making import previewed
from arabesque.desk.tools.on_patches import NEAR
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.patch.join_facts import distance_fact, join_facts
from arabesque.desk.tools.patch.picked_border import (
    Border,
    border_line,
    border_parts,
    border_under,
    curve_under,
    line_under,
    rim_of,
)
from arabesque.desk.tools.patch.pull_back import TriedStates, can_be_pulled, pulled_shapes, way_back
from arabesque.desk.tools.patch.searching import Searching
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import LARGEST_DEGREE, Edge, Surface
from arabesque.joining import Blend, PulledBack, Ways, best_backs
from arabesque.model import Item, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.progress import Progress
from arabesque.recipes import INSIDE, BlendBetween, Given, Recipe

WEAKEST, STRONGEST = 0.1, 3.0
"""Pulls between which a handle can be dragged."""
REACH = 1 / 3
"""Of the gap: how far from its border a handle of pull 1 stands."""
SAME = 1e-6
"""mm: what differs by less is one."""
PLACES = 401
"""Along a border, where a blend can begin or end."""
FIELDS = (("one_start", "one_middle", "one_end"), ("two_start", "two_middle", "two_end"))
BACKS = ("one_back", "two_back")
PARTS = (("one_from", "one_to"), ("two_from", "two_to"))
USUAL = (1.0,) * 6 + (0.0,) * 2 + (0.0, 1.0) * 2
"""What the fields are that belong to two edges, before the hand changes them."""
TRIED = (*FIELDS[0], *FIELDS[1], *BACKS)
"""What a tried state is told apart by."""


@dataclass(frozen=True, eq=False)
class Handle:
    """A value of the form that can be dragged. line: (k, 3) where it stands for ``values``, beginning ``at``. edge: it
    is an edge that is pulled back, or a place on one where the blend begins or ends."""

    field: str
    at: Floats
    line: Floats
    values: Floats
    edge: bool = False


class BlendEdges(Searching):
    """Two clicks choose the borders; what lies between shows at once, and six handles pull it."""

    needs = (Surface,)
    makes = BlendBetween
    name = "Blend"
    id = "blend"
    step = Step.PATCH
    label = "Blend two edges"
    hint = "Click an edge, then the edge to blend it with"
    shortcut = "K"
    icon = "ph.path"
    short = "Blend"
    told_first = True

    @dataclass
    class Options:
        """one, two: continuity. The pulls are shares of the usual one; back is mm by which a patch is pulled back along
        its form first, forward below 0; from and to are shares of each border's way. middle: rows between that lie on
        the scan."""

        one: int = whole(2, 0, 3, "Edge 1: G")
        two: int = whole(2, 0, 3, "Edge 2: G")
        ways: Ways = labelled(Ways.ROWS, "Leaves")
        middle: int = whole(0, 0, 4, "Rows on the scan")
        one_start: float = labelled(1.0, "Pull 1, start")
        one_middle: float = labelled(1.0, "Pull 1, middle")
        one_end: float = labelled(1.0, "Pull 1, end")
        two_start: float = labelled(1.0, "Pull 2, start")
        two_middle: float = labelled(1.0, "Pull 2, middle")
        two_end: float = labelled(1.0, "Pull 2, end")
        one_back: float = labelled(0.0, "Edge 1 back by")
        two_back: float = labelled(0.0, "Edge 2 back by")
        one_from: float = labelled(0.0, "Edge 1 from")
        one_to: float = labelled(1.0, "Edge 1 to")
        two_from: float = labelled(0.0, "Edge 2 from")
        two_to: float = labelled(1.0, "Edge 2 to")
        degree: int = whole(1, 1, LARGEST_DEGREE, "Degree across")

    def clear(self) -> None:
        self.picked: list[Border] = []
        self.lines: list[str] = []
        self.mirrored = False
        self._hover: Border | None = None
        self._held: Handle | None = None
        # what belongs to two edges is of no use to others; how they are met is
        for name, value in zip((*TRIED, *PARTS[0], *PARTS[1]), USUAL, strict=True):
            setattr(self.options, name, value)
        self._tried = TriedStates(self._state_words, self._bring)
        self.stop_search()

    def try_it(self) -> None:
        # pulls for what it was before are of no use
        self.stop_search()
        super().try_it()

    def kept(self) -> None:
        super().kept()
        self.form_changed.emit()

    @property
    def begun(self) -> bool:
        return bool(self.picked)

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, BlendBetween)
        o.one, o.two, o.ways, o.degree = recipe.one.order, recipe.two.order, recipe.ways, max(recipe.degree, 1)
        o.middle = recipe.middle
        for side, names in zip((recipe.one, recipe.two), FIELDS, strict=True):
            for name, pull in zip(names, side.pull, strict=True):
                setattr(o, name, pull)
        (o.one_from, o.one_to), (o.two_from, o.two_to) = recipe.one.part, recipe.two.part
        borders = [Border.from_recipe(side) for side in (recipe.one, recipe.two)[: 1 if recipe.mirrored else 2]]
        self.picked = borders if all(border.key in self.session.document for border in borders) else []
        self.mirrored, self.lines = recipe.mirrored, [key for key in recipe.lines if key in self.session.document]

    def propose(self, borders: Borders) -> None:
        self.picked = [Border(*one) for one in borders]
        self.try_it()

    @property
    def says(self) -> str:
        if self._held is not None:
            return "The blend follows the pull; the distance to the scan is live"
        if self.made is not None:
            return "Drag handles: filled ones pull, hollow ones move an end or a patch; click curves for its sides"
        if self.working:
            return "Blending"
        return "Click the edge to blend it with" if self.picked else self.hint

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Edges", f"{len(self.picked)} of 2")]
        facts: list[Fact] = self.made[1]
        return facts

    @property
    def choices(self) -> list[Choice]:
        if len(self.picked) == 1 and not self.mirrored:
            return [Choice("Blend it to its mirror image", self.to_image)]
        if self.made is None or self.session.scan is None:
            return []
        found = [Choice("Find the nearest pulls", self.find_best)]
        if not self.mirrored and all(can_be_pulled(self.session, border) for border in self.picked):
            found.append(Choice("Find the nearest pull-back", self.find_backs))
        return [*found, *self._tried.choices(self._values())]

    def to_image(self) -> None:
        """Blend the edge that is picked to its mirror image over the twin plane."""
        self.mirrored = True
        self.try_it()

    # the hand

    def move(self, pointer: Pointer, dragging: bool) -> None:
        held = self._held
        if dragging and held is not None:
            value = float(held.values[pointer.nearest(held.line)])
            if value != getattr(self.options, held.field):
                setattr(self.options, held.field, round(value, 3))
                self._follow()
        else:
            self._hover = (
                None if self._handle_under(pointer) is not None else border_under(self.session, pointer, self.target)
            )
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        self._held = self._handle_under(pointer)
        if self._held is not None:
            return
        try:
            self._clicked(pointer)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)

    def _clicked(self, pointer: Pointer) -> None:
        found = border_under(self.session, pointer, self.target)
        curve = None if found is not None or not self._whole else curve_under(self.session, pointer)
        if curve is not None:
            if curve.id in self.lines:
                self.lines.remove(curve.id)
            else:
                self.lines = [*self.lines[-1:], curve.id]
            self.try_it()
            return
        found = found or line_under(self.session, pointer)
        if found is None:
            raise ArabesqueError("There is no edge here", "Click on the edge of a patch, or on a curve over one")
        if found not in self.picked:
            self.mirrored = len(self.picked) == 1 and self._is_image(found, self.picked[0])
            self.picked = self.picked[:1] if self.mirrored else [*self.picked[:1], found]
            self.try_it()

    @property
    def _whole(self) -> bool:
        """True where both borders are known."""
        return len(self.picked) == 2 or self.mirrored

    def _is_image(self, found: Border, border: Border) -> bool:
        """True where a border is the live mirror image of another one."""
        document = self.session.document
        if found.line or border.line or document[found.key] not in document.images_of(document[border.key]):
            return False
        rims = [rim_of(self.session, one) for one in (found, border)]
        if rims[0] is None or rims[1] is None:
            return False
        image, line = (border_line(rim) for rim in rims if rim is not None)
        there = document.plane_of(document[border.key]).mirrored(line)
        return any(bool(np.allclose(image, run, atol=SAME)) for run in (there, there[::-1]))

    def release(self, pointer: Pointer) -> None:
        if self._held is not None:
            self._held = None
            self.form_changed.emit()
            self.try_it()

    def remove_last(self) -> None:
        """Take back what was picked last."""
        if self.lines:
            self.lines.pop()
        elif self.mirrored:
            self.mirrored = False
        else:
            del self.picked[-1:]
        self.try_it()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.picked:
            self.remove_last()
            return True
        return False

    def _follow(self) -> None:
        """While a handle is dragged the blend is made at once, with its distance: that takes a few milliseconds."""
        recipe = self.draft()
        if recipe is None:
            return
        try:
            source = self.source(recipe)
            # rows on the scan are fitted when the hand lets go
            made = replace(recipe, middle=0).made(source)
        except ArabesqueError:  # the last one that holds stays, and release says why
            return
        self.drop()
        self._of = recipe, ingredients(self.session.document, recipe)
        self.made = made.surface, self._plain_facts(made, source)

    def find_best(self) -> None:
        """Look beside the window for the pulls at which the blend lies nearest to the scan."""
        recipe, scan = self.draft(), self.session.scan
        if recipe is None or scan is None:
            return
        source = self.source(recipe)
        self.search("Find the best pulls", lambda progress: recipe.best(source, scan, progress)[0], self._pulled)

    def _pulled(self, found: BlendBetween) -> None:
        for side, names in zip((found.one, found.two), FIELDS, strict=True):
            for name, pull in zip(names, side.pull, strict=True):
                setattr(self.options, name, round(pull, 3))
        self.form_changed.emit()
        self.try_it()

    def find_backs(self) -> None:
        """Look beside the window for how far both patches are to be pulled back so that the blend lies nearest."""
        recipe, scan = self.draft(), self.session.scan
        if recipe is None or scan is None or self.made is None:
            return
        source = given(self.session.document, recipe)
        one, two = recipe.sides(source)
        edges = recipe.one.rim, recipe.two.rim
        t = np.linspace(0, 1, 9)
        lines = [side.rim.surface.at(side.rim.places(t)) for side in (one, two)]
        gap = min(float(np.linalg.norm(lines[0] - line, axis=1).mean()) for line in (lines[1], lines[1][::-1]))
        tolerance, ways = source.tolerance, recipe.ways
        self.search(
            "Find the best pull-backs",
            lambda progress: best_backs((one, two), edges, gap, scan, tolerance, ways, progress),
            self._backed,
        )

    def _backed(self, found: PulledBack) -> None:
        self._bring({**self._values(), "one_back": round(found.one, 2), "two_back": round(found.two, 2)})

    # states that were tried

    def _values(self) -> dict[str, float]:
        return {name: getattr(self.options, name) for name in TRIED}

    def _state_words(self, values: dict[str, float]) -> str:
        return f"back {values['one_back']:.3g}, {values['two_back']:.3g}"

    def _bring(self, values: dict[str, float]) -> None:
        for name, value in values.items():
            setattr(self.options, name, value)
        self.form_changed.emit()
        self.try_it()

    def built(self) -> None:
        scan = self.session.scan
        if scan is not None:
            tolerance = self.session.document.tolerance
            self._tried.note(self._values(), shape_to_scan(self.made[0], scan).figures(tolerance).inlier_p99)

    # the blend

    @property
    def _backs(self) -> list[float]:
        return [getattr(self.options, name) for name in BACKS[: len(self.picked)]]

    def source(self, recipe: Recipe) -> Given:
        source = super().source(recipe)
        shapes = pulled_shapes(self.session.document, self.picked, self._backs)
        return replace(source, shapes={**source.shapes, **shapes}) if shapes else source

    @property
    def covers(self) -> frozenset[str]:
        moved = {border.key for border, back in zip(self.picked, self._backs, strict=True) if back}
        return super().covers | (frozenset() if self.made is None else frozenset(moved))

    def _keep(self, made: Any) -> None:
        document = self.session.history.document
        shapes = pulled_shapes(document, self.picked, self._backs)
        if not shapes:
            super()._keep(made)
            return
        assert self._of is not None
        again = document.items.get(self.target or "")
        recipe, shape = self._of[0], self.shape_of(made)
        words = self.words(made) if again is None else self.words_again(again)
        if self.session.edit(edits.joining.blended, shapes, words, self.name, shape, recipe, again):
            self.kept()

    def draft(self) -> BlendBetween | None:
        if not self._whole:
            return None
        o = self.options
        parts = (o.one_from, o.one_to), (o.two_from, o.two_to)
        sides = [
            replace(border.of(order), part=part, pull=tuple(getattr(o, name) for name in names))
            for border, order, part, names in zip(self.picked, (o.one, o.two), parts, FIELDS, strict=False)
        ]
        middle = o.middle if self.session.scan is not None else 0
        degree = o.degree if o.degree > 1 else 0
        return BlendBetween(sides[0], sides[-1], o.ways, degree, middle, self.mirrored, tuple(self.lines))

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> tuple[Surface, list[Fact]]:
        assert isinstance(recipe, BlendBetween)
        made = recipe.made(source, progress)
        facts = self._plain_facts(made, source)
        both = (("Edge 1", recipe.one, Edge.U_LOW), ("Edge 2", recipe.two, Edge.U_HIGH))
        for label, side, own in both[:1] if recipe.mirrored else both:
            facts += join_facts(label, source, side, made.surface, int(own))
        return made.surface, facts

    def _plain_facts(self, made: Blend, source: Given) -> list[Fact]:
        """What is told in a drag, too."""
        facts = [
            Fact("Degrees", " × ".join(str(n) for n in made.surface.degree)),
            Fact("Control points", str(made.surface.count)),
            Fact("Borders held", "exactly" if made.exact else f"to {1000 * made.off:.2g} µm"),
        ]
        if made.lined:
            facts.append(
                Fact("Off its curves", f"{made.aside:.2g} mm", "good" if made.aside <= source.tolerance else "bad")
            )
        scan = self.session.scan
        return facts if scan is None else [*facts, distance_fact("99 %", made.surface, scan, source.tolerance)]

    def shape_of(self, made: tuple[Surface, list[Fact]]) -> Surface:
        return made[0]

    def words(self, made: tuple[Surface, list[Fact]]) -> str:
        return f"blend of {made[0].count} points"

    # the picture

    def _handles(self) -> list[Handle]:
        """Where the pulls can be dragged: out from each border along the blend's own way."""
        if self.made is None or not self._whole:
            return []
        surface: Surface = self.made[0]
        pulls = np.linspace(WEAKEST, STRONGEST, 117)
        lines = []
        for side, border in enumerate(self.picked):
            if can_be_pulled(self.session, border):
                line, lengths = way_back(self.session, border)
                lines.append(Handle(BACKS[side], line[np.abs(lengths).argmin()], line, lengths, True))
        shares = np.linspace(0, 1, PLACES)
        for side, border in enumerate(self.picked):
            rim = rim_of(self.session, border)
            if rim is not None and not self._backs[side]:
                line = np.asarray(rim.surface.at(rim.places(shares)))
                for field in PARTS[side]:
                    nearest = int(np.abs(shares - getattr(self.options, field)).argmin())
                    lines.append(Handle(field, line[nearest], line, shares, True))
        for side in range(len(self.picked)):
            for at, v in enumerate((0.02, 0.5, 0.98)):
                ends = surface.at(np.array([[0.0, v], [1.0, v]]))
                d = surface.derivatives(np.array([[float(side), v]]), 1)
                out = d[1, 0, 0] * (1 if side == 0 else -1)
                size = float(np.linalg.norm(out))
                if size < 1e-9:
                    continue
                gap = float(np.linalg.norm(ends[1] - ends[0]))
                # pulls that differ along a border are counted from its start, whichever way the blend runs
                number = at if self._runs_on(side) else 2 - at
                line = ends[side] + (REACH * gap * pulls)[:, None] * (out / size)
                lines.append(Handle(FIELDS[side][number], line[0], line, pulls))
        return lines

    def _runs_on(self, side: int) -> bool:
        """True where the blend runs along a border as that does."""
        rim, surface = rim_of(self.session, self.picked[side]), self.made[0]
        if rim is None:
            return True
        low = getattr(self.options, ("one_from", "two_from")[side])
        start = rim.surface.at(rim.places(np.array([low])))[0]
        ends = surface.at(np.array([[float(side), 0.0], [float(side), 1.0]]))
        return bool(np.linalg.norm(ends[0] - start) <= np.linalg.norm(ends[1] - start))

    def _place(self, handle: Handle) -> Floats:
        value = getattr(self.options, handle.field)
        place: Floats = handle.line[np.abs(handle.values - value).argmin()]
        return place

    def _handle_under(self, pointer: Pointer) -> Handle | None:
        return next((one for one in self._handles() if pointer.near(self._place(one), NEAR)), None)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        t = theme.now()
        if self.made is not None:
            parts += self.preview(self.made[0], camera)
            for key, shape in self._moved().items():
                parts += previewed(self.session, shape, f"pulled back {key}", 1.2)
        parts += border_parts(self.session, self.picked, self._hover)
        parts += border_parts(
            self.session, [Border(key, INSIDE) for key in self.lines], None, ["side"] * len(self.lines)
        )
        for handle in self._handles():
            place = self._place(handle)
            parts.append(Lines(polyline(np.array([handle.at, place])), t.accent, 1.6, on_top=True))
            parts.append(Discs(place[None], np.array([3.0 if handle.edge else 1.0]), 6.0 if handle.edge else 5.0))
        return parts

    def _moved(self) -> dict[str, Surface]:
        """The patches whose edges are pulled back, as they are then; none where one cannot be."""
        try:
            return pulled_shapes(self.session.document, self.picked, self._backs)
        except ArabesqueError:
            return {}
