"""Match: a border of the cage brought onto a curve, an edge of a patch, or the border of another cage."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import ClassVar

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages import Cage, border_chain
from arabesque.cages.match import Matched, OnCage, OnCurve, OnRim, Order, Target, match_border
from arabesque.desk.facts import Fact
from arabesque.desk.kinds import shown_of
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.base import Reworks
from arabesque.desk.tools.cage.chains import chain_from
from arabesque.desk.tools.on_patches import edge_points, edge_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.geometry import Curve, Surface
from arabesque.geometry.rims import edge_rims
from arabesque.model import Item


class How(Enum):
    """In what the border meets the line; the value is its words."""

    POSITION = "position"
    TANGENT = "tangent"
    CURVATURE = "curvature"

    @property
    def order(self) -> Order:
        """As the core has it."""
        return Order[self.name]


class MatchCage(Reworks):
    """The first click takes a part of the border, the second what it is brought to."""

    id = "match-cage"
    label = "Match a border"
    hint = "Click a part of the border, then the curve, patch edge or cage border that it is to meet"
    shortcut = "J"
    icon = "ph.magnet"
    short = "Match"
    words: ClassVar[str] = "border matched"

    @dataclass
    class Options:
        """how: in what they meet. rows: of points behind the border that may move, 0 for as many as needed."""

        how: How = labelled(How.TANGENT, "Meet in")
        rows: int = whole(0, 0, 8, "Rows, 0 by itself")

    def clear(self) -> None:
        self._chain: Ints | None = None
        self._target: Target | None = None
        self._line: np.ndarray | None = None
        self._hover: Ints | None = None
        self._matched: Matched | None = None

    @property
    def begun(self) -> bool:
        return self._chain is not None

    @property
    def says(self) -> str:
        if self.made is not None:
            return "Enter keeps it"
        if self.trouble:
            return self.trouble
        return self.hint if self._chain is None else "Click the curve, patch edge or cage border that it is to meet"

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if not dragging and self._chain is None:
            found, cage = self.edge_under(pointer, border=True), self.cage
            self._hover = None if found is None or cage is None else chain_from(cage, found[0])
            self.changed.emit()

    def press(self, pointer: Pointer) -> None:
        cage = self.cage
        if cage is None:
            return
        if self._chain is None or self._target is not None:
            self.clear()
            found = self.edge_under(pointer, border=True)
            if found is not None:
                self._chain = chain_from(cage, found[0])
        elif not self._take_target(pointer):
            self.session.tell("Nothing to meet here: click a curve, an edge of a patch, or another cage's border", True)
        self.refresh()

    def _take_target(self, pointer: Pointer) -> bool:
        seen, own = self.session.seen, self.item
        patches = [item for item in seen.items if isinstance(item.shape, Surface)]
        edge = edge_under(patches, pointer)
        if edge is not None:
            self._target = OnRim(edge_rims(edge[0].shape)[edge[1]])
            self._line = edge_points(edge[0].shape, edge[1])
            return True
        for item in seen.items:
            if isinstance(item.shape, Curve) and shown_of(item).hit(self.session, item, pointer) is not None:
                self._target = OnCurve(item.shape)
                self._line = item.shape.guides()[0].points
                return True
            if isinstance(item.shape, Cage) and own is not None and item.id != own.id:
                quads = item.shape.quads
                rims = np.flatnonzero(quads.border)
                lines = [item.shape.points[[quads.starts[h], quads.ends[h]]] for h in rims]
                away = [pointer.to_line(line) for line in lines]
                if away and min(away) < 9.0:
                    ring = border_chain(quads, int(rims[int(np.argmin(away))]))
                    self._target = OnCage(item.shape, ring)
                    self._line = item.shape.points[np.append(quads.starts[ring], quads.starts[ring[0]])]
                    return True
        return False

    def rework(self, item: Item) -> Cage | None:
        if self._chain is None or self._target is None:
            return None
        o = self.options
        order = Order(min(o.how.order, self._target.most))
        self._matched = match_border(item.shape, self._chain, self._target, order, o.rows or None)
        return self._matched.cage

    def more_facts(self, before: Cage, made: Cage) -> list[Fact]:
        found = self._matched
        if found is None:
            return []
        tolerance = self.session.document.tolerance
        facts = [Fact("Gap left", f"{found.gap:.4f} mm", "good" if found.gap <= tolerance else "bad")]
        if found.angle is not None:
            facts.append(Fact("Angle left", f"{found.angle:.3f}°", "good" if found.angle <= 0.5 else "bad"))
        elif self.options.how.order >= Order.TANGENT:
            facts.append(Fact("Tangent plane", "a curve has none"))
        if found.curvature is not None:
            share = 100 * found.curvature
            facts.append(Fact("Curvature left", f"{share:.1f} %", "good" if share <= 5 else "bad"))
        return [*facts, Fact("Moved behind", f"{found.moved:.3f} mm")]

    def picked_parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = [] if self._chain is None else self.chosen_lines(self._chain)
        if self._chain is None and self._hover is not None:
            parts.append(Lines(self.edge_lines(self._hover), now().accent, 2.2, 0.6, on_top=True))
        if self._line is not None:
            parts.append(Lines(polyline(self._line), now().view_ink, 3.0, on_top=True))
        return parts
