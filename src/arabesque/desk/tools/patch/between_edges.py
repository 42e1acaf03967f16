"""Lay a patch between edges of other patches and places on the scan."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.checking import Figures, Limits, find_joins, shape_to_scan
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import AT_WORK
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_patches import NEAR, edge_points, edge_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.fitting import EdgeOf, Piece, ring_of
from arabesque.geometry import LARGEST_DEGREE, Surface
from arabesque.model import Item
from arabesque.model.rebuild import given
from arabesque.progress import Progress
from arabesque.recipes import Given, PatchBetween, Recipe, RingPiece
from arabesque.scan import Scan


class LayBetween(Making):
    """Go round the gap: click edges and places; the patch shows as soon as there are four sides."""

    needs = (Scan,)
    makes = PatchBetween
    name = "Patch"
    id = "lay-between"
    step = Step.PATCH
    label = "Patch between edges"
    hint = "Go round the gap: click edges of patches, and places on the scan, until there are four sides"
    shortcut = "Shift+N"
    icon = "ph.frame-corners"
    short = "Between"
    takes_places = True

    @dataclass
    class Options:
        """u, v: degrees at least. tangent: the tangent planes of the edges are taken on."""

        u: int = whole(3, 1, LARGEST_DEGREE, "Degree u")
        v: int = whole(3, 1, LARGEST_DEGREE, "Degree v")
        tangent: bool = labelled(False, "Tangent to edges")

    def clear(self) -> None:
        self.pieces: list[tuple[str, int] | Floats] = []
        self._hover: tuple[str, int] | Floats | None = None

    @property
    def begun(self) -> bool:
        return bool(self.pieces)

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, PatchBetween)
        self.options.u, self.options.v = recipe.degree
        self.options.tangent = recipe.tangent
        pieces = [(p.patch, p.edge) if p.place is None else p.place for p in recipe.pieces]
        there = all(piece[0] in self.session.document for piece in pieces if isinstance(piece, tuple))
        self.pieces = pieces if there else []

    @property
    def says(self) -> str:
        if self.session.scan is None:
            return "Open a scan first"
        if self.working:
            return AT_WORK
        if self.made is not None:
            return "Enter takes it; Backspace takes the last one back"
        return "Click an edge, or a place on the scan; Backspace takes the last one back" if self.pieces else self.hint

    @property
    def facts(self) -> list[Fact]:
        edges = sum(isinstance(piece, tuple) for piece in self.pieces)
        places = len(self.pieces) - edges
        return [Fact("Edges", str(edges)), Fact("Places", str(places)), *([] if self.made is None else self.made[1])]

    # the hand

    def _under(self, pointer: Pointer) -> tuple[str, int] | Floats | None:
        """A corner of a patch, an edge, or a place on the scan."""
        items = self.session.seen.of(Surface)
        for item in items:
            assert isinstance(item.shape, Surface)
            for corner in item.shape.points[np.ix_([0, -1], [0, -1])].reshape(-1, 3):
                if pointer.near(corner, NEAR - 2):
                    place: Floats = corner
                    return place
        edge = edge_under(items, pointer)
        return pointer.on_scan(self.session.scan) if edge is None else (edge[0].id, edge[1])

    def move(self, pointer: Pointer, dragging: bool) -> None:
        self._hover = self._under(pointer)
        self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        found = self._under(pointer)
        if found is None:
            self.session.tell_problem(ArabesqueError("There is neither an edge nor the scan here", "Click on one"))
            return
        if isinstance(found, tuple) and found in self.pieces:
            return
        self.pieces.append(found)
        self.try_it()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.pieces:
            self.pieces.pop()
            self.try_it()
            return True
        return False

    # the patch

    def draft(self) -> PatchBetween | None:
        pieces = [RingPiece(p[0], p[1]) if isinstance(p, tuple) else RingPiece(place=p) for p in self.pieces]
        recipe = PatchBetween(tuple(pieces), (self.options.u, self.options.v), self.options.tangent)
        source = given(self.session.document, recipe)
        whole = source.scan is not None and _four_sides(recipe.ring(source), source.tolerance)
        return recipe if whole else None

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> tuple[Surface, list[Fact]]:
        assert isinstance(recipe, PatchBetween) and source.scan is not None
        made = recipe.build(source, progress)
        figures = shape_to_scan(made, source.scan).figures(source.tolerance)
        return made, _facts_of(made, recipe.ring(source), figures, source.tolerance)

    def shape_of(self, made: tuple[Surface, list[Fact]]) -> Surface:
        return made[0]

    def words(self, made: tuple[Surface, list[Fact]]) -> str:
        return f"patch of {made[0].count} points between edges"

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        t = theme.now()
        if self.made is not None:
            parts += self.preview(self.made[0], camera)
        for piece, width in [*((piece, 4.0) for piece in self.pieces), (self._hover, 2.4)]:
            if isinstance(piece, tuple) and piece[0] in self.session.document:
                shape = self.session.document[piece[0]].shape
                assert isinstance(shape, Surface)
                parts.append(Lines(polyline(edge_points(shape, piece[1])), t.accent, width, on_top=True))
            elif piece is not None and not isinstance(piece, tuple):
                parts.append(Discs(piece[None], np.array([2.0 if width < 3 else 1.0]), 4.0))
        return parts


def _four_sides(pieces: list[Piece], tolerance: float) -> bool:
    if len(pieces) < 2:
        return False
    try:
        ring_of(pieces, tolerance)
    except FitProblem:  # not yet four sides: the user goes on clicking
        return False
    return True


def _facts_of(made: Surface, pieces: list[Piece], figures: Figures, tolerance: float) -> list[Fact]:
    facts = [
        Fact("Control points", str(made.count)),
        Fact("99 % of inliers", f"{figures.inlier_p99:.3f} mm", "good" if figures.within(tolerance) else "bad"),
    ]
    neighbours = {id(piece.surface): piece.surface for piece in pieces if isinstance(piece, EdgeOf)}
    found = [join for other in neighbours.values() for join in find_joins([made, other])]
    if found:
        worst = max(found, key=lambda join: float(join.angle.max()))
        facts += [Fact("Joins", worst.word(Limits())), Fact("Worst angle", f"{worst.angle.max():.3f}°")]
    return facts
