"""A morph: a patch, cage, curve or body drawn along from one curve to another, within limits that are dragged."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.on_guides import guide_under
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface, unit
from arabesque.model import Item
from arabesque.recipes import MorphedShape
from arabesque.shapes import Sampled
from arabesque.solid import Body

ALONG = 80
"""Places along a curve that is drawn."""


class MorphForm(MakingBody):
    """The first click takes the form, then the curve that it follows from, and the one that it follows to; discs beside
    the first curve drag both limits."""

    needs = (Curve, (Surface, Cage, Body))
    makes = MorphedShape
    name = "Morph"
    id = "morph"
    label = "Morph between curves"
    hint = "Click the form, then the curve it moves from, then the curve it moves to"
    shortcut = "Z"
    icon = "ph.wind"
    short = "Morph"
    at_work = "Drawing the form along"
    picks = "form"

    @dataclass
    class Options:
        """wholly, until: mm from the first curve up to which it moves wholly, and from which on it stays. near: mm."""

        wholly: float = labelled(5.0, "Wholly within")
        until: float = labelled(30.0, "Stays beyond")
        near: float = labelled(0.01, "Exact within")

    def clear(self) -> None:
        super().clear()
        self.curves: list[str] = []
        self._held = ""

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, MorphedShape)
        self.picked, self.curves = [recipe.of], [recipe.start, recipe.end]
        o.wholly, o.until, o.near = recipe.wholly, recipe.until, recipe.near

    @property
    def says(self) -> str:
        if self.made is not None or self.working:
            return super().says
        if not self.picked:
            return "Click the form"
        return "Click the curve that it moves to" if self.curves else "Click the curve that it moves from"

    @property
    def facts(self) -> list[Fact]:
        document = self.session.document
        names = [document[key].name for key in (*self.picked, *self.curves) if key in document]
        told = [Fact(label, name) for label, name in zip(("Form", "From", "To"), names, strict=False)]
        return [*told, *(super().facts if self.made is not None else [])]

    def _handles(self) -> dict[str, Floats]:
        """Where each limit is held, beside the middle of the first curve."""
        curve = self._start_curve
        if curve is None:
            return {}
        middle = curve.at([float(np.mean(curve.domain))])[0]
        side = unit(self._side(curve)[None])[0]
        return {"wholly": middle + self.options.wholly * side, "until": middle + self.options.until * side}

    def _side(self, curve: Curve) -> Floats:
        """(3,) square to the middle of a curve, as level as can be."""
        way = curve.derivatives([float(np.mean(curve.domain))], 1)[1][0]
        side = np.cross([0.0, 0, 1], way)
        return side if np.linalg.norm(side) > 1e-9 else np.cross([1.0, 0, 0], way)

    @property
    def _start_curve(self) -> Curve | None:
        item = self.session.history.document.items.get(self.curves[0] if self.curves else "")
        return None if item is None or not isinstance(item.shape, Curve) else item.shape

    def press(self, pointer: Pointer) -> None:
        self._held = next((name for name, place in self._handles().items() if pointer.near(place, 12.0)), "")
        if self._held:
            return
        guide = guide_under(self.session, pointer, self.target)
        if guide is not None and isinstance(guide.item.shape, Curve) and self.picked:
            key = guide.item.id
            self.curves = [one for one in self.curves if one != key] if key in self.curves else [*self.curves, key][-2:]
        else:
            found = patch_under(self.session, pointer, Sampled)
            if found is None or found[0].id == self.target:
                self.session.tell_problem(ArabesqueError("There is no form and no curve here", "Click on one"))
                return
            self.picked = [found[0].id]
        self.try_it()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        curve = self._start_curve
        if not (self._held and dragging) or curve is None:
            return
        middle = curve.at([float(np.mean(curve.domain))])[0]
        side = unit(self._side(curve)[None])[0]
        reach = pointer.along(middle, side)
        o = self.options
        if self._held == "wholly":
            o.wholly = round(min(max(reach, 0.0), 0.95 * o.until), 2)
        else:
            o.until = round(max(reach, 1.05 * o.wholly, 0.1), 2)
        self.drop()
        self.form_changed.emit()
        self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        if self._held:
            self._held = ""
            self.try_it()

    def draft(self) -> MorphedShape | None:
        if not self.picked or len(self.curves) != 2:
            return None
        o = self.options
        return MorphedShape(self.picked[0], self.curves[0], self.curves[1], o.wholly, o.until, o.near)

    def words(self, made: Any) -> str:
        return "morphed"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = super().parts(camera)
        if isinstance(self.made, Curve):
            parts.append(Lines(polyline(_line(self.made)), theme.now().accent, 2.4, on_top=True))
        accent, document = theme.now().accent, self.session.document
        for key in self.curves:
            if key in document:
                line = _line(document[key].shape)
                parts.append(Lines(polyline(line), accent, 3.0, on_top=True))
        curve = self._start_curve
        if curve is not None:
            side = unit(self._side(curve)[None])[0]
            line = curve.at(np.linspace(*curve.domain, 80))
            for reach in (self.options.wholly, self.options.until):
                parts += [
                    Lines(polyline(line + sign * reach * side), accent, 1.2, 0.7, on_top=True) for sign in (1, -1)
                ]
            handles = self._handles()
            words = {"wholly": "moves wholly", "until": "stays from here"}
            parts.append(Discs(np.array(list(handles.values())), np.ones(2), 5.0, accent))
            parts += [Label(place, words[name]) for name, place in handles.items()]
        return parts


def _line(curve: Curve) -> Floats:
    """(n, 3) along a curve, to be drawn."""
    return curve.at(np.linspace(*curve.domain, ALONG))
