"""Pull out: new faces drawn out of the border, one edge or a whole chain at a time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, Ints, unit
from arabesque.cages import Cage
from arabesque.cages.both_sides import Part
from arabesque.cages.edits import extrude, outward_moves
from arabesque.cages.net import through
from arabesque.desk.facts import Fact
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.base import CageTool
from arabesque.desk.tools.cage.chains import Twice, chain_from
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import on_plane
from arabesque.desk.view.pointer import Pointer, facing
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.model import Change, Document, Item, edits
from arabesque.scan import Scan

LEAST_PIXELS = 4.0
LEAST_SHARED = 0.3
"""Of unit ways: where their mean is shorter, edges have no way in common."""


class PullOut(CageTool):
    """A drag on an edge of the border pulls a face out of it; a double click takes the chain first."""

    id = "pull-out"
    label = "Pull out"
    hint = "Drag an edge of the border: a face comes out of it. A double click takes the chain"
    shortcut = "X"
    icon = "ph.arrow-square-out"
    applies = False

    @dataclass
    class Options:
        """cling: the new points come to lie on the scan."""

        cling: bool = labelled(True, "On the scan")

    def start(self) -> None:
        super().start()
        self._twice = Twice()
        self._chain: Ints | None = None
        self._hover: int | None = None
        self._drag: tuple[Pointer, Ints, Document] | None = None
        self._trouble = ""

    def stop(self) -> None:
        self.session.drop_shown()

    @property
    def says(self) -> str:
        if self._drag is not None:
            return self._trouble or "Let go where the new edge is to lie; Esc drops it"
        if self._chain is not None and len(self._chain) > 1:
            return f"Drag the {len(self._chain)} edges out, or click elsewhere"
        return self.hint

    @property
    def facts(self) -> list[Fact]:
        cage = self.cage
        chain = [] if self._chain is None else [Fact("Edges", str(len(self._chain)))]
        return [] if cage is None else [Fact("Faces", str(cage.count)), *chain]

    def _edges_under(self, pointer: Pointer) -> int | None:
        found = self.edge_under(pointer, border=True)
        if found is None or self.cage is None:
            return None
        return found[0]

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if dragging and self._drag is not None:
            self._show(pointer)
        elif not dragging:
            hover = self._edges_under(pointer)
            if hover != self._hover:
                self._hover = hover
                self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        twice, half, cage = self._twice.pressed(pointer), self._edges_under(pointer), self.cage
        if half is None or cage is None:
            self._chain = None
            if not self.select_under(pointer):
                self.changed.emit()
            return
        if twice:
            self._chain = chain_from(cage, half)
        elif pointer.ctrl and self._chain is not None:
            self._chain = np.unique(np.append(self._chain, half))
        elif self._chain is None or half not in self._chain:
            self._chain = np.array([half])
        self._drag = (pointer, self._chain, self.session.history.document)
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._drag is None:
            return
        pressed, chain, _ = self._drag
        far = abs(pointer.x - pressed.x) + abs(pointer.y - pressed.y)
        item = self.item
        moves = None if item is None else self._moves(item.shape, chain, pressed, pointer)
        self._drag = None
        self.session.drop_shown()
        if far >= LEAST_PIXELS and item is not None and moves is not None:
            before = item.shape.quads.count
            if self.session.edit(self._pulled, item, chain, moves):
                self._follow(before)
        self.changed.emit()

    def _follow(self, before: int) -> None:
        """The new edges are taken, so that one can go on pulling."""
        cage = self.cage
        self._chain = None
        if cage is None:
            return
        quads = cage.quads
        fresh = np.flatnonzero(quads.border & (quads.starts >= before) & (quads.ends >= before))
        self._chain = fresh if len(fresh) else None

    def escape(self) -> None:
        if self._drag is not None or self._chain is not None:
            self._drag = self._chain = None
            self.session.drop_shown()
            self.changed.emit()
        else:
            self.left.emit()

    def _moves(self, cage: Cage, chain: Ints, pressed: Pointer, pointer: Pointer) -> Floats | None:
        """(n, 3) moves of the border points: one edge follows the pointer, a chain goes on as its faces do."""
        quads = cage.quads
        used = np.unique(np.concatenate([quads.starts[chain], quads.ends[chain]]))
        middle = cage.points[used].mean(axis=0)
        normal = facing(pointer.camera)
        start, now_at = (on_plane(p.camera, p.x, p.y, middle, normal) for p in (pressed, pointer))
        if start is None or now_at is None:
            return None
        by = now_at - start
        if len(chain) <= 2:
            moves = np.zeros((quads.count, 3))
            moves[used] = by
            return moves
        onward = unit(outward_moves(cage, chain))
        ahead = onward[used].mean(axis=0)
        size = float(np.linalg.norm(ahead))
        # of a closed border the ways cancel out: then the distance from its middle counts
        wider = float(np.linalg.norm(now_at - middle) - np.linalg.norm(start - middle))
        length = float(by @ ahead) / size if size > LEAST_SHARED else wider
        return onward * length

    def _made(self, cage: Cage, halves: Ints, moves: Floats, scan: Scan | None) -> Cage:
        made = extrude(cage, halves, moves)
        if not self.options.cling or scan is None:
            return made
        fresh = np.zeros(made.quads.count, dtype=bool)
        fresh[cage.quads.count :] = True
        limit = made.limit
        places = limit.copy()
        places[fresh] = scan.closest(limit[fresh]).points
        return through(made, places, fresh)

    def _pulled(self, document: Document, item: Item, chain: Ints, moves: Floats) -> Change:
        scan = document.reference_scan

        def work(cage: Cage, part: Part) -> Cage:
            own = np.zeros((cage.quads.count, 3))
            there = part.points >= 0
            own[part.points[there]] = moves[there]
            return self._made(cage, part.halves(chain), own, scan)

        words = "face pulled out" if len(chain) == 1 else f"{len(chain)} faces pulled out"
        return edits.cages.edited(document, item, words, chain // 4, work)

    def _show(self, pointer: Pointer) -> None:
        assert self._drag is not None
        pressed, chain, before = self._drag
        item = self.item
        moves = None if item is None else self._moves(item.shape, chain, pressed, pointer)
        if item is None or moves is None:
            return
        try:
            self._trouble = ""
            self.session.show(self.session.moving(self._pulled(before, item, chain, moves).document))
        except ArabesqueError as problem:
            self._trouble = str(problem)
        self.changed.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        cage, t = self.cage, now()
        if cage is None:
            return []
        rims = np.flatnonzero(cage.quads.border)
        parts = self.net_parts()
        if len(rims) and self._drag is None:
            parts.append(Lines(self.edge_lines(rims), t.view_ink, 2.4, on_top=True))
        if self._hover is not None and self._hover < len(cage.quads.starts) and self._drag is None:
            parts.append(Lines(self.edge_lines(np.array([self._hover])), t.accent, 2.4, 0.7, on_top=True))
        if self._chain is not None and self._drag is None and self._chain.max() < len(cage.quads.starts):
            parts.append(Lines(self.edge_lines(self._chain), t.accent, 3.4, on_top=True))
        return parts
