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
from arabesque.desk.jobs import Job
from arabesque.desk.patches import borders, shape_triangles
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.on_patches import NEAR, edge_points, edge_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.fitting import EdgeOf, Piece, ring_of
from arabesque.geometry import LARGEST_DEGREE, Surface
from arabesque.model import edits
from arabesque.model.rebuild import given, ingredients
from arabesque.progress import Progress
from arabesque.recipes import PatchBetween, RingPiece
from arabesque.scan import Scan


class LayBetween(Tool):
    """Go round the gap: click edges and places; the patch shows as soon as there are four sides."""

    needs = (Scan,)
    makes = PatchBetween
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

    def start(self) -> None:
        self.pieces: list[tuple[str, int] | Floats] = []
        self.made: Surface | None = None
        self._facts: list[Fact] = []
        self._hover: tuple[str, int] | Floats | None = None
        self._job: Job | None = None
        self._made_of: tuple[PatchBetween, tuple[object, ...]] | None = None
        self._apply_when_made = False
        self._target: str | None = None
        item = self.session.surface_item
        if item is not None and isinstance(item.recipe, PatchBetween):
            recipe, self._target = item.recipe, item.id
            self.options.u, self.options.v = recipe.degree
            self.options.tangent = recipe.tangent
            self.pieces = [(p.patch, p.edge) if p.place is None else p.place for p in recipe.pieces]
            if all(piece[0] in self.session.document for piece in self.pieces if isinstance(piece, tuple)):
                self._try()
            else:
                self.pieces = []

    @property
    def covers(self) -> frozenset[str]:
        return frozenset() if self._target is None or self.made is None else frozenset({self._target})

    def stop(self) -> None:
        self._drop_job()

    @property
    def says(self) -> str:
        if self.session.scan is None:
            return "Open a scan first"
        if self._job is not None:
            return "Fitting: Esc drops it"
        if self.made is not None:
            return "Enter takes it; Backspace takes the last one back"
        return "Click an edge, or a place on the scan; Backspace takes the last one back" if self.pieces else self.hint

    @property
    def can_apply(self) -> bool:
        return self.made is not None or self._job is not None

    @property
    def facts(self) -> list[Fact]:
        edges = sum(isinstance(piece, tuple) for piece in self.pieces)
        places = len(self.pieces) - edges
        return [Fact("Edges", str(edges)), Fact("Places", str(places)), *self._facts]

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
        self._try()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.pieces:
            self.pieces.pop()
            self._try()
            return True
        return False

    def escape(self) -> None:
        if self.pieces:
            self.pieces = []
            self._try()
        else:
            self.left.emit()

    def options_changed(self) -> None:
        self._try()

    # the patch

    def _recipe(self) -> PatchBetween:
        pieces = [RingPiece(p[0], p[1]) if isinstance(p, tuple) else RingPiece(place=p) for p in self.pieces]
        return PatchBetween(tuple(pieces), (self.options.u, self.options.v), self.options.tangent)

    def _try(self) -> None:
        """Fit the patch as soon as the pieces make four sides."""
        self._drop_job()
        self.made, self._facts = None, []
        document, recipe = self.session.document, self._recipe()
        source = given(document, recipe)
        scan, tolerance, pieces = source.scan, source.tolerance, recipe.ring(source)
        if scan is None or not _four_sides(pieces, tolerance):
            self.changed.emit()
            return
        self._made_of = recipe, ingredients(document, recipe)

        def work(progress: Progress) -> tuple[Surface, list[Fact]]:
            made = recipe.build(source, progress)
            return made, _facts_of(made, pieces, shape_to_scan(made, scan).figures(tolerance), tolerance)

        job = self.session.run("Laying the patch", work)
        self._job = job
        job.done.connect(lambda made: self._take(job, made))
        job.failed.connect(lambda _: self._take(job, None))
        job.cancelled.connect(lambda: self._take(job, None))
        self.changed.emit()

    def _take(self, job: Job, made: tuple[Surface, list[Fact]] | None) -> None:
        if job is not self._job:
            return
        self._job = None
        if made is not None:
            self.made, self._facts = made
            if self._apply_when_made:
                self.apply()
        self._apply_when_made = False
        self.changed.emit()

    def _drop_job(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job = None

    def apply(self) -> None:
        if self._job is not None:
            self._apply_when_made = True
        if self.made is None:
            return
        made, self.pieces = self.made, []
        self.made, self._facts = None, []
        assert self._made_of is not None
        label = f"patch of {made.count} points between edges"
        target = self.session.history.document.items.get(self._target or "")
        if target is not None:
            self.session.edit(edits.items.derived_again, target, "made again", made, *self._made_of)
            self._target = None
        else:
            self.session.edit(edits.items.derived, label, "Patch", made, *self._made_of)
        self.changed.emit()

    # the picture

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        t = theme.now()
        if self.made is not None:
            measured = self.session.meters.measure_now("preview", self.made, self.session.scan)
            parts.append(shape_triangles("preview", measured))
            parts.append(Lines(borders(measured.samples), t.accent, 1.6, lift=0.8))
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
