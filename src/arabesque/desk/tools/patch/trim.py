"""Surfaces trimmed by others: the pieces are seen, clicked away or back, or left to the scan to choose."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.patches import borders
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Borders
from arabesque.desk.tools.extend_past import extend_past
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.patch.join_facts import distance_fact
from arabesque.desk.tools.patch.picked_border import Border, border_line, border_under, rim_of
from arabesque.desk.tools.towards import Towards
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, DoNotMeet
from arabesque.geometry import Curve, Face, Surface
from arabesque.joining import Pieces, facing
from arabesque.model import Item, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.progress import Progress
from arabesque.recipes import CutBy, Given, Recipe, TrimmedBy, shares_of
from arabesque.shapes import SAMPLES_ALONG

PAST = 1.0
"""mm by which a cutter passes beyond what it has to reach, where it is let go on."""


class By(Enum):
    """What cuts; the value is its words."""

    WHOLE = "surfaces and curves"
    BORDER = "borders of surfaces"


@dataclass(frozen=True, eq=False)
class Cut:
    """One surface that is cut: its id, how, what it falls into, which of that stays, and what is left (None while
    nothing is parted)."""

    of: str
    recipe: TrimmedBy
    pieces: Pieces
    staying: tuple[int, ...]
    face: Face | None
    gone: tuple[Face, ...]

    @property
    def apart(self) -> tuple[tuple[Face, TrimmedBy], ...]:
        """Each piece that does not stay, with the recipe that makes it alone."""
        numbers = [k for k in range(len(self.pieces.pieces)) if k not in self.staying]
        return tuple(
            (face, replace(self.recipe, keep=self.pieces.share(k)[None]))
            for face, k in zip(self.gone, numbers, strict=True)
        )

    @property
    def short(self) -> float:
        """mm that are missing where a line ends inside; 0 where none does."""
        known = [one.missing for one in self.pieces.loose if np.isfinite(one.missing)]
        return max(known, default=0.0)


class TrimSurface(Making):
    """The first click says which surface and which part of it stays, the next ones what cuts it."""

    needs = (Surface,)
    makes = TrimmedBy
    name = "Trimmed"
    id = "trim"
    step = Step.PATCH
    label = "Trim a surface"
    hint = "Click the surface to trim, on the part that is to stay"
    shortcut = "Shift+X"
    icon = "ph.scissors"
    short = "Trim"

    @dataclass
    class Options:
        """further: mm by which what cuts goes on at its ends. scan: those pieces stay that the scan shows. both: the
        surfaces that cut are cut as well; where they were clicked they stay. split: pieces that do not stay become
        faces of their own."""

        by: By = labelled(By.WHOLE, "Cut with")
        onto: Towards = labelled(Towards.CLOSEST, "Lines come")
        further: float = labelled(0.0, "Cutters go on by")
        scan: bool = labelled(False, "Keep what the scan shows")
        both: bool = labelled(False, "Cut each other")
        split: bool = labelled(False, "Keep the others as faces")

    def clear(self) -> None:
        self.of = ""
        self.cutters: list[Border] = []
        self.keep: dict[str, list[Floats]] = {}
        self._hover: Border | None = None
        self._apart: DoNotMeet | None = None

    @property
    def begun(self) -> bool:
        return bool(self.of)

    def take(self, item: Item) -> None:
        recipe, o, document = item.recipe, self.options, self.session.document
        assert isinstance(recipe, TrimmedBy)
        if any(key not in document for key in recipe.inputs):
            return
        self.of, o.scan, o.both = recipe.of, not len(recipe.keep), False
        self.cutters = [Border(one.of, one.rim) for one in recipe.cutters]
        self.keep = {recipe.of: list(recipe.keep)} if len(recipe.keep) else {}
        o.further = max((one.further for one in recipe.cutters), default=0.0)
        way = next((one.direction for one in recipe.cutters if one.direction is not None), None)
        o.onto = Towards.of(way)
        o.by = By.BORDER if recipe.cutters and recipe.cutters[-1].rim >= 0 else By.WHOLE

    def propose(self, borders: Borders) -> None:
        """The first is trimmed by the second: what the scan shows stays, or else its middle."""
        (self.of, _), *others = borders
        self.cutters = [Border(*one) for one in others]
        self.options.scan = self.session.scan is not None
        self.keep = {} if self.options.scan else {self.of: [np.array([0.5, 0.5])]}
        self.try_it()

    @property
    def says(self) -> str:
        if self.working:
            return "Cutting"
        if not self.of:
            return self.hint
        if not self.cutters:
            return "Click what cuts it: " + self.options.by.value
        if self.made is None or not self.can_apply:
            return "Click something else that cuts it; Backspace takes the last one back"
        return "Click pieces away or back, or another cutter; Enter keeps it"

    @property
    def can_apply(self) -> bool:
        return self.working or (self.made is not None and any(cut.face is not None for cut in self.made))

    @property
    def covers(self) -> frozenset[str]:
        cut = frozenset() if self.made is None else frozenset(one.of for one in self.made if one.face is not None)
        return super().covers | cut

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Surface", self._name(self.of)), Fact("Cutters", str(len(self.cutters)))]
        facts, scan = [], self.session.scan
        for cut in self.made:
            name = self._name(cut.of)
            facts.append(Fact(name, f"{len(cut.staying)} of {len(cut.pieces.pieces)} pieces stay"))
            if cut.short > 0:
                facts.append(Fact("Short by", f"{cut.short:.3g} mm", "bad"))
            if cut.face is not None and scan is not None:
                facts.append(distance_fact("99 %", cut.face, scan, self.session.document.tolerance))
        return facts

    @property
    def choices(self) -> list[Choice]:
        if self._apart is not None and len(self.cutters) == 1:
            names = self._name(self.of), self._name(self.cutters[0].key)
            return [Choice(f"Extend {names[0]} until it passes {names[1]}", self._extend)]
        short = 0.0 if self.made is None else max(cut.short for cut in self.made)
        if short <= 0:
            return []
        wanted = round(self.options.further + short + PAST, 2)
        return [Choice(f"Let what cuts go on by {wanted:g} mm", lambda: self._go_on(wanted))]

    def _extend(self) -> None:
        """The surface ends short of its cutter: it is let go on until it passes that."""
        document = self.session.history.document
        item, past = document[self.of], document[self.cutters[0].key]
        low, high = np.array(item.shape.domain).T
        places = [item.shape.at((low + share * (high - low))[None])[0] for share in self.keep.get(item.id, ())]

        def extended(key: str) -> None:
            if self.of == item.id:
                self.of = key
                self.keep[key] = [_share(self.session.document[key], place) for place in places]
                self.try_it()

        extend_past(self.session, item, (facing(item.shape, past.shape)[0],), past.id, extended)

    def _failed(self, problem: ArabesqueError) -> None:
        self._apart = problem if isinstance(problem, DoNotMeet) else None
        self.changed.emit()

    def _go_on(self, length: float) -> None:
        self.options.further = length
        self.form_changed.emit()
        self.try_it()

    def _name(self, key: str) -> str:
        document = self.session.document
        return document[key].name if key in document else "none"

    # the hand

    def move(self, pointer: Pointer, dragging: bool) -> None:
        self._hover = border_under(self.session, pointer, self.of) if self.options.by is By.BORDER else None
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        try:
            self._picked(pointer)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
        self.changed.emit()

    def _picked(self, pointer: Pointer) -> None:
        border = border_under(self.session, pointer, self.of) if self.of and self.options.by is By.BORDER else None
        curve = patch_under(self.session, pointer, Curve) if self.of and self.options.by is By.WHOLE else None
        found = patch_under(self.session, pointer)
        if border is None and curve is None and found is None:
            raise ArabesqueError("There is nothing here that cuts or is cut", "Click on a surface, or on a curve")
        if border is not None:
            self._toggled(border)
        elif curve is not None:
            self._toggled(Border(curve[0].id, -1))
        elif found is not None:
            origin, direction = pointer.camera.ray(pointer.x, pointer.y)
            self._on_surface(found[0], origin + found[1] * direction)
        self.try_it()

    def _on_surface(self, item: Item, place: Floats) -> None:
        """A surface clicked: the first is cut, others cut it; on one that is cut already, a piece stays or goes."""
        if not self.of:
            self.of, self.keep = item.id, {item.id: [_share(item, place)]}
            return
        cut = next((one for one in self.made or () if one.of == item.id), None)
        if cut is not None:
            self._piece(cut, item, place)
        elif item.id == self.of:
            self.keep = {item.id: [_share(item, place)]}
        elif self.options.by is By.BORDER:
            raise ArabesqueError("There is no border here", "Click nearer to one, or cut with surfaces")
        else:
            self._toggled(Border(item.id, -1))
            self.keep.setdefault(item.id, [_share(item, place)])

    def _piece(self, cut: Cut, item: Item, place: Floats) -> None:
        low, high = np.array(cut.pieces.surface.domain).T
        number = cut.pieces.at(low + _share(item, place) * (high - low))
        staying = set(cut.staying) ^ {number}
        if not staying:
            raise ArabesqueError("Nothing of the surface would be left", "Click a piece that is to stay first")
        self.options.scan = False
        self.form_changed.emit()
        inside = [cut.pieces.pieces[k].inside for k in sorted(staying)]
        self.keep[cut.of] = [(one - low) / (high - low) for one in inside]

    def _toggled(self, cutter: Border) -> None:
        if cutter in self.cutters:
            self.cutters.remove(cutter)
        else:
            self.cutters.append(cutter)

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.begun:
            if self.cutters:
                self.cutters.pop()
            else:
                self.clear()
            self.try_it()
            return True
        return False

    # the trim

    def draft(self) -> TrimmedBy | None:
        if not self.of or not self.cutters:
            return None
        way, further = self.options.onto.direction, self.options.further
        cutters = tuple(CutBy(one.key, one.rim, way, further) for one in self.cutters)
        return TrimmedBy(self.of, cutters, self._kept(self.of))

    def _kept(self, key: str) -> Floats:
        """Where pieces stay; none where the scan chooses. A surface that was not clicked stays where its middle is."""
        if self.options.scan and self.session.scan is not None:
            return np.empty((0, 2))
        return np.array(self.keep.get(key) or [np.array([0.5, 0.5])])

    def _others(self, recipe: TrimmedBy) -> list[TrimmedBy]:
        """How the surfaces that cut are cut by the first one, where all cut each other."""
        if not self.options.both or self.target is not None:
            return []
        surfaces = [one for one in recipe.cutters if one.rim < 0 and self._is_surface(one.of)]
        return [TrimmedBy(one.of, (CutBy(recipe.of, -1, None, one.further),), self._kept(one.of)) for one in surfaces]

    def _is_surface(self, key: str) -> bool:
        return isinstance(self.session.document[key].shape, Surface)

    def try_it(self) -> None:
        draft, document = self.draft(), self.session.document
        recipes = [] if draft is None else [draft, *self._others(draft)]
        # in one: a try that is given up may still read it beside the window
        self._work = tuple((one, given(document, one), ingredients(document, one)) for one in recipes)
        self._apart = None
        super().try_it()
        if self._job is not None:
            self._job.failed.connect(self._failed)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> tuple[Cut, ...]:
        return tuple(_cut(one, given_) for one, given_, _ in self._work)

    def shape_of(self, made: tuple[Cut, ...]) -> Surface:
        face = made[0].face
        if face is None:
            raise ArabesqueError("The cut does not part the surface", "Let what cuts go on further")
        return face

    def _keep(self, made: tuple[Cut, ...]) -> None:
        if self.target is not None:
            super()._keep(made)
            return
        done = zip(made, self._work, strict=True)
        parts = []
        for cut, (_, _, made_of) in done:
            if cut.face is not None:
                parts.append((cut.of, cut.face, cut.recipe, made_of))
                apart = cut.apart if self.options.split else ()
                parts += [(cut.of, face, recipe, made_of) for face, recipe in apart]
        if self.session.edit(edits.items.derived_in_place, "cut", parts):
            self.kept()

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        t = theme.now()
        for cut in self.made or ():
            if cut.face is not None:
                parts += self.preview(cut.face, camera) if cut.of == self.of else _drawn(cut.face, f"stays {cut.of}")
            for number, face in enumerate(cut.gone):
                parts += _drawn(face, f"gone {cut.of} {number}", away=True)
            for end in cut.pieces.loose:
                parts.append(Discs(end.place[None], np.array([2.0]), 5.0, t.above_far))
                if np.isfinite(end.missing):
                    parts.append(Label(end.place, f"{end.missing:.2g} mm short", True))
        if self._apart is not None:
            gap = np.array(self._apart.places)
            parts.append(Lines(polyline(gap), t.above_far, 2.4, on_top=True))
            parts.append(Discs(gap, np.full(2, 2.0), 5.0, t.above_far))
            parts.append(Label(gap.mean(axis=0), f"{self._apart.apart:.2g} mm short", True))
        for border in [*self.cutters, *([self._hover] if self._hover else [])]:
            line = self._line(border)
            if line is not None:
                parts.append(Lines(polyline(line), t.accent, 2.8, on_top=True))
        return parts

    def _line(self, border: Border) -> Floats | None:
        if border.key not in self.session.document:
            return None
        shape = self.session.document[border.key].shape
        if border.rim >= 0:
            rim = rim_of(self.session, border)
            return None if rim is None else border_line(rim)
        return curve_points(shape) if isinstance(shape, Curve) else None


def _share(item: Item, place: Floats) -> Floats:
    """(2,) where on a surface a place lies, as shares of its domain."""
    assert isinstance(item.shape, Surface)
    return shares_of(item.shape, place[None])[0]


def _cut(recipe: TrimmedBy, source: Given) -> Cut:
    pieces = recipe.pieces(source)
    count = len(pieces.pieces)
    if count < 2:
        return Cut(recipe.of, recipe, pieces, (), None, ())
    staying = tuple(recipe.staying(pieces, source))
    gone = tuple(pieces.kept([k]) for k in range(count) if k not in staying)
    return Cut(recipe.of, recipe, pieces, staying, pieces.kept(list(staying)) if staying else None, gone)


def _drawn(face: Face, slot: str, away: bool = False) -> list[Triangles | Lines | Discs | Label]:
    """A piece, see-through and pale where it is cut away."""
    samples = face.sampler(SAMPLES_ALONG // 2).read(face)
    t = theme.now()
    mesh = Triangles(
        slot, samples.points, samples.normals, samples.triangles, t.porcelain, see_through=away, dimmed=away, lift=0.25
    )
    return [mesh, Lines(borders(samples), t.unmeasured if away else t.accent, 1.2, lift=0.8)]
