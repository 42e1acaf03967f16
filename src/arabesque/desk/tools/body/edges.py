"""Edges of a body rounded or cut off: picked by clicks, with what goes on smoothly from them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.on_patches import NEAR, behind_scan
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.patch.picked_border import border_line
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Rim
from arabesque.joining import BodyEdge, alike, edges_of, nearest_edge, same_rim
from arabesque.model import Item
from arabesque.recipes import RoundedBody
from arabesque.solid import Body


class BodyEdges(MakingBody):
    """Each click on an edge of one body takes it, or gives it back."""

    needs = (Body,)
    makes = RoundedBody
    id = "body-edges"
    label = "Round or cut off edges"
    hint = "Click the edges of a body that are to be rounded"
    shortcut = "N"
    icon = "ph.circle-half-tilt"
    short = "Edges"
    at_work = "Rounding"
    picks = "edge of a body"

    @dataclass
    class Options:
        """size: mm, the radius, or how far from the edge it is cut off. end: the radius at their other ends, 0 for the
        same. chamfer: it is cut off flat."""

        size: float = labelled(1.0, "Size")
        end: float = labelled(0.0, "At the other end")
        chamfer: bool = labelled(False, "Cut off flat")

    def clear(self) -> None:
        super().clear()
        self.places: list[Floats] = []
        self._known: tuple[Body, list[BodyEdge]] | None = None
        self._reading: Body | None = None

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        assert isinstance(recipe, RoundedBody)
        self.places, self.options.size, self.options.chamfer = list(recipe.near), recipe.size, recipe.chamfer
        self.options.end = recipe.end

    @property
    def facts(self) -> list[Fact]:
        return [Fact("Edges picked", str(len(self.places))), *(super().facts if self.made is not None else [])]

    def _under(self, pointer: Pointer) -> tuple[str, Floats] | None:
        """The body whose edge is drawn nearest to the pointer, and within reach, and the place on it."""
        best, found = float(NEAR), None
        for item in self.session.seen.of(Body):
            if self.picked and item.id != self.picked[0]:
                continue
            for rim in self.session.kept(_rims, item.shape):
                line = border_line(rim)
                away = pointer.to_line(line)
                place = pointer.place_on(line)
                if away < best and not behind_scan(self.session, pointer, pointer.depth(place)):
                    best, found = away, (item.id, place)
        return found

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.places:
            self._without(-1)
            return True
        return False

    def _without(self, number: int) -> None:
        """Give an edge back; with the last one, the body."""
        del self.places[number]
        self.picked = self.picked if self.places else []
        self.try_it()

    def press(self, pointer: Pointer) -> None:
        found = self._under(pointer)
        if found is None:
            self.session.tell_problem(ArabesqueError("There is no edge of a body here", "Click on one"))
            return
        self.picked, place = [found[0]], found[1]
        line = self._line(place)
        same = [k for k, one in enumerate(self.places) if np.array_equal(self._line(one), line)]
        if same:
            self._without(same[0])
        else:
            self.places.append(place)
            self.try_it()

    def _line(self, place: Floats) -> Floats:
        """(n, 3) along the edge of the picked body that passes nearest to a place."""
        rims = self.session.kept(_rims, self.session.document[self.picked[0]].shape)
        lines = [border_line(rim) for rim in rims]
        return min(lines, key=lambda line: float(np.linalg.norm(line - place, axis=1).min()))

    def draft(self) -> RoundedBody | None:
        if not self.picked or not self.places:
            return None
        o = self.options
        return RoundedBody(self.picked[0], np.array(self.places), o.size, o.chamfer, 0.0 if o.chamfer else o.end)

    @property
    def choices(self) -> list[Choice]:
        """What is like the edge that was picked last, one click each."""
        body = self.session.history.document.items.get(self.picked[0] if self.picked else "")
        if body is None or not self.places:
            return []
        known = self._known
        if known is None or known[0] is not body.shape:
            self._read(body.shape)
            return []
        edges = known[1]
        if not edges:
            return []
        last = nearest_edge(edges, self.places[-1])
        sets = (("Its whole rim", same_rim(edges, last)), ("All that are alike", alike(edges, last)))
        return [Choice(f"{words}: {len(some)} edges", partial(self._take_edges, some))
                for words, some in sets if len(some) > 1]  # fmt: skip

    def _read(self, shape: Body) -> None:
        """Find its edges beside the window; until then nothing is offered."""
        if self._reading is shape:
            return
        self._reading = shape
        job = self.session.jobs.quick("Edges", lambda progress: edges_of(shape))
        job.done.connect(lambda edges: self._take_read(shape, edges))

    def _take_read(self, shape: Body, edges: list[BodyEdge]) -> None:
        self._known = shape, edges
        self.changed.emit()

    def _take_edges(self, edges: list[BodyEdge]) -> None:
        known = [self._line(place) for place in self.places]
        for edge in edges:
            line = self._line(edge.middle)
            if not any(np.array_equal(line, one) for one in known):
                self.places.append(edge.middle)
                known.append(line)
        self.try_it()

    def words(self, made: Any) -> str:
        return "edges cut off" if self.options.chamfer else "edges rounded"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = super().parts(camera)
        if self.picked and self.picked[0] in self.session.document:
            accent = theme.now().accent
            parts += [Lines(polyline(self._line(place)), accent, 4.0, on_top=True) for place in self.places]
        return parts


def _rims(body: Body) -> tuple[Rim, ...]:
    return body.rims()
