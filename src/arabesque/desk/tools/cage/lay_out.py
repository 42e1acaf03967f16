"""Lay out: the scan, or a part of it, becomes a cage of quads by itself, tried first and kept when it pleases."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import Any, ClassVar

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.cages import cage_parts
from arabesque.desk.patches import shape_triangles
from arabesque.desk.steps import Step
from arabesque.desk.theme import now
from arabesque.desk.tools.base import AT_WORK, Needs
from arabesque.desk.tools.cage.layout_hand import FEWEST, Hand, Stroke, begun, counted, drawn, gone_on, with_stroke
from arabesque.desk.tools.cage.layout_part import What, taken_for, toggled, what_of
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.over_marked import OverMarked
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve
from arabesque.layout import Detail, Ground, Guides, Layout
from arabesque.model import Change, Item, edits
from arabesque.progress import Progress
from arabesque.reading import LineSet
from arabesque.recipes import Given, LayoutOfScan, Recipe, Taken
from arabesque.scan import Scan
from arabesque.shapes import Shape

BRUSH = 0.06
"""Of the scan's diagonal: the brush as it comes."""
LITTLE = 0.0005
SAYS = {
    Hand.ALONG: "Drag on the scan where rows are to run",
    Hand.MOVE: "Drag an irregular point to where it is to be, or click where one is wanted",
    Hand.CALM: "Brush where no irregular point is to be",
    Hand.MORE: "Brush where there are to be more quads",
    Hand.FEWER: "Brush where there are to be fewer quads",
}


class By(Enum):
    """What decides how many quads there are; the value is its words."""

    COUNT = "the count"
    TOLERANCE = "the tolerance"


class ShownLines(Enum):
    """What the rows make of shown curves and feature lines; the value is its words."""

    LEFT = "left alone"
    ALONG = "rows along them"
    SHARP = "sharp edges on them"


class LayOut(OverMarked):
    """Enter tries, Enter keeps; a changed count goes on from the rows that were found. Drags on the scan guide the
    rows, clicks take areas."""

    needs: ClassVar[Needs] = (Scan,)
    makes = LayoutOfScan
    name = "Layout"
    id = "lay-out"
    step = Step.CAGE
    label = "Lay out"
    hint = "Enter lays quads over the scan by itself; drags on the scan guide their rows; Enter again keeps them"
    shortcut = "U"
    icon = "ph.shield-checkered"
    short = "Lay out"
    takes_places = True
    told_first = True

    @dataclass
    class Options:
        """by: what decides how many quads there are. quads: about so many. detail: how much small forms count.
        what: is laid out. alike: both sides of the twin plane are the same. close: openings inside are gone over.
        lines: what rows make of shown curves and feature lines. meet: borders of shown cages are met. hand: what a drag
        does. brush: radius, mm. factor: how many times as many quads, or as few, a brush asks for."""

        by: By = labelled(By.COUNT, "Quads by")
        quads: int = whole(500, 6, 20_000, "Quads")
        detail: Detail = labelled(Detail.BALANCED, "Detail")
        alike: bool = labelled(False, "Both sides alike")
        close: bool = labelled(False, "Close openings")
        what: What = labelled(What.ALL, "Lay over")
        lines: ShownLines = labelled(ShownLines.LEFT, "Shown lines")
        meet: bool = labelled(False, "Meet shown cages")
        hand: Hand = labelled(Hand.ALONG, "A drag")
        brush: float = labelled(15.0, "Brush radius")
        factor: float = labelled(2.0, "Times")

        @property
        def idle(self) -> tuple[str, ...]:
            """The count is not asked where the tolerance decides, nor a brush where lines are drawn."""
            idle = ("quads",) if self.by is By.TOLERANCE else ()
            brushed = self.hand in (Hand.CALM, Hand.MORE, Hand.FEWER)
            idle = idle if brushed else (*idle, "brush")
            idle = idle if brushed and self.hand is not Hand.CALM else (*idle, "factor")
            return (*idle, "meet") if self.what is What.FREE else idle

    def start(self) -> None:
        self._ground: tuple[tuple[object, ...], Ground] | None = None
        super().start()
        scan = self.session.scan
        if scan is not None and self.target is None:
            self.options.brush = float(f"{BRUSH * scan.diagonal:.2g}")

    def clear(self) -> None:
        self._guides = Guides()
        self._areas: tuple[Floats, ...] = ()
        self._stroke: Stroke | None = None
        super().clear()
        self._earlier = Taken()
        self._guides_before: list[tuple[Guides, tuple[Floats, ...]]] = []

    @property
    def begun(self) -> bool:
        return self.made is not None or self.working or bool(self._guides) or bool(self._areas)

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, LayoutOfScan)
        o.by = By.COUNT if recipe.quads else By.TOLERANCE
        o.quads = recipe.quads or o.quads
        o.detail, o.alike, o.close = recipe.detail, recipe.alike, recipe.close
        o.lines = ShownLines.SHARP if recipe.sharp else ShownLines.ALONG if recipe.curves else ShownLines.LEFT
        taken = recipe.taken
        o.what = what_of(taken)
        o.meet = bool(recipe.beside)
        self._guides, self._areas, self._earlier = recipe.guides, taken.areas, taken
        self.marked = taken if taken.rims else Taken()

    def draft(self) -> Recipe | None:
        o, scan = self.options, self.session.scan
        if scan is None:
            return None
        seen = self.session.seen
        curves = tuple(item.id for kind in (Curve, LineSet) for item in seen.of(kind) if self._is_free(item))
        cages = tuple(item.id for item in seen.of(Cage) if self._is_free(item))
        beside = cages if o.meet or o.what is What.FREE else ()
        try:
            taken = taken_for(self.session, scan, o.what, self._areas, self.marked, self._is_free)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return None
        return LayoutOfScan(
            o.quads if o.by is By.COUNT else 0,
            o.detail,
            o.alike,
            o.close,
            curves if o.lines is ShownLines.ALONG else (),
            curves if o.lines is ShownLines.SHARP else (),
            taken,
            beside,
            self._guides,
        )

    def _is_free(self, item: Item) -> bool:
        """True for an item that is not made of the layout that is made again."""
        return item.id != self.target and (item.recipe is None or self.target not in item.recipe.inputs)

    # the hand

    def press(self, pointer: Pointer) -> None:
        scan = self.session.scan
        if scan is not None and not self.working:
            self._stroke = begun(pointer, scan, self.options.hand, None if self.made is None else self.made.cage)
            self.changed.emit()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        scan = self.session.scan
        if dragging and self._stroke is not None and scan is not None:
            self._stroke = gone_on(self._stroke, pointer, scan)
            self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        stroke, self._stroke = self._stroke, None
        if stroke is None:
            return
        o = self.options
        if o.what is What.AREAS and len(stroke.places) < FEWEST:
            self._guide(self._guides, toggled(self.session, self._areas, stroke.places[0]))
        else:
            try:
                self._guide(with_stroke(self._guides, stroke, o.hand, o.brush, o.factor))
            except ArabesqueError as problem:
                self.session.tell_problem(problem)
        self.changed.emit()

    def _guide(self, guides: Guides, areas: tuple[Floats, ...] | None = None) -> None:
        """Other guides, from which a next try begins."""
        areas = self._areas if areas is None else areas
        if guides is not self._guides or areas is not self._areas:
            self._guides_before.append((self._guides, self._areas))
            self._guides, self._areas = guides, areas
            self.options_changed()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() != Qt.Key.Key_Backspace or not self._guides_before:
            return False
        self._guides, self._areas = self._guides_before.pop()
        self.options_changed()
        return True

    def options_changed(self) -> None:
        if self.options.what is What.FREE and what_of(self._earlier) is not What.FREE:
            self.target = None  # what a layout leaves is another cage
        # what takes seconds is not begun by a turn of a wheel
        self.drop()
        self.changed.emit()

    @property
    def can_apply(self) -> bool:
        return self.session.scan is not None and not self.working

    @property
    def apply_word(self) -> str:
        return "Try" if self.made is None else "Keep"

    def apply(self) -> None:
        if self.made is not None:
            super().apply()
        elif self.can_apply:
            self.try_it()

    @property
    def wants_marked(self) -> bool:
        return self.options.what is What.MARKED

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Any:
        assert isinstance(recipe, LayoutOfScan)
        plane = source.plane if recipe.alike else None
        shapes = (source.shapes[name] for name in recipe.inputs)
        drawn_for = (recipe.guides, *recipe.taken.areas, *recipe.taken.rims)
        how = (recipe.detail, recipe.close, *map(bool, (recipe.curves, recipe.sharp, recipe.taken.free)))
        key = (source.scan, plane, *how, *shapes, *drawn_for)
        known = self._ground
        same = (
            known is not None and len(known[0]) == len(key) and all(a is b for a, b in zip(known[0], key, strict=True))
        )
        made = recipe.lay(source, known[1] if known is not None and same else None, progress)
        if made.ground is not None:
            self._ground = key, made.ground
        return made

    def shape_of(self, made: Layout) -> Shape:
        return made.cage

    @property
    def adds(self) -> Callable[..., Change]:
        # by hand it goes on being alike
        return edits.cages.laid_out if self.options.alike else super().adds

    def words(self, made: Layout) -> str:
        return f"layout of {made.cage.count} quads"

    def kept(self) -> None:
        super().kept()
        self.left.emit()

    @property
    def says(self) -> str:
        if self.session.scan is None:
            return "Open a scan first"
        if self.working:
            return AT_WORK
        if self.made is not None:
            return "Enter keeps it, Esc drops it; another count is quick, and drags guide the next try"
        return f"{SAYS[self.options.hand]}, Backspace takes that back; Enter lays it out"

    @property
    def facts(self) -> list[Fact]:
        told = [Fact("Drawn", counted(self._guides))] if self._guides else []
        if self.options.what is What.AREAS:
            told.append(Fact("Areas", str(len(self._areas)), "" if self._areas else "bad"))
        if self.made is None:
            return told
        made, tolerance = self.made, self.made.fit.tolerance
        there, back = made.figures.surface_to_scan, made.figures.scan_to_surface
        folded = int(made.net.folded.sum())
        return [
            *[Fact("Not reached", words, "bad") for words in made.lacking],
            *told,
            Fact("Quads", str(made.cage.count)),
            Fact("Irregular points", made.net.irregular_words),
            Fact("Surface to scan", f"{there.inlier_p99:.3f} mm", "good" if there.within(tolerance) else "bad"),
            Fact("Scan to surface", f"{back.inlier_p99:.3f} mm", "good" if back.within(tolerance) else "bad"),
            Fact("Worst", f"{there.max:.2f}, {back.max:.2f} mm"),
            Fact("Within", f"{100 * back.inside:.1f} %"),
            Fact("Folded faces", str(folded), "bad" if folded else "good"),
            *([Fact("Left out", f"{100 * made.left_out:.1f} % of the scan")] if made.left_out > LITTLE else []),
        ]

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = [*drawn(self._guides, self._stroke), *self._area_parts()]
        if self.made is None:
            return parts
        cage = self.made.cage
        measured = self.session.meters.measure_now("layout", cage, self.session.scan)
        mesh = self.session.kept(shape_triangles, "layout", measured, True)
        return [mesh, *cage_parts(cage, now().accent, 1.4), *parts]

    def _area_parts(self) -> list[Triangles | Lines | Discs | Label]:
        if not self._areas:
            return []
        return [Discs(np.array(self._areas), np.ones(len(self._areas)), 5.0, now().accent)]
