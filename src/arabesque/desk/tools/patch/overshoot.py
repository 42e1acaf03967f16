"""Patches pushed past true shapes and other forms near them, so that a trim cuts clean."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.recipes import PushedPast

ALONG = 40
"""Samples by which is shown what moves."""


class OvershootPatch(MakingBody):
    """The first click takes the patch, the next ones the forms; without such, the twin plane."""

    step = Step.PATCH
    needs = (Surface,)
    makes = PushedPast
    name = "Patch"
    id = "overshoot-patch"
    label = "Overshoot a patch"
    hint = "Click the patch, then the forms that it is to reach past; or the twin plane"
    shortcut = ""
    icon = "ph.arrow-line-up-right"
    short = "Overshoot"
    at_work = "Pushing it past"
    picks = "patch"

    @dataclass
    class Options:
        """within: mm from the form up to which it moves. past: mm beyond it."""

        within: float = 2.0
        past: float = labelled(1.0, "Past by")

    def take(self, item: Item) -> None:
        super().take(item)
        assert isinstance(item.recipe, PushedPast)
        self.options.within, self.options.past = item.recipe.within, item.recipe.past

    def may_pick(self, item: Item) -> bool:
        return isinstance(item.shape, Surface)

    @property
    def facts(self) -> list[Fact]:
        names = [self.session.document[key].name for key in self.picked if key in self.session.document]
        told = [Fact("Patch", names[0] if names else "none")]
        told.append(Fact("Past", ", ".join(names[1:]) or "the twin plane"))
        made: Any = self.made
        if made is None:
            return told
        return [*told, Fact("Points", str(made.count)), Fact("Furthest", f"{self._moved()[1].max():.3f} mm")]

    def _moved(self) -> tuple[Floats, Floats]:
        """(n, 3) places of what was made, and (n,) mm that they moved."""
        before: Surface = self.session.document[self.picked[0]].shape.whole
        (u0, u1), (v0, v1) = before.domain
        u, v = np.linspace(u0, u1, ALONG), np.linspace(v0, v1, ALONG)
        places = self.made.whole.on_grid(u, v)[0, 0].reshape(-1, 3)
        return places, np.linalg.norm(places - before.on_grid(u, v)[0, 0].reshape(-1, 3), axis=1)

    def draft(self) -> PushedPast | None:
        o = self.options
        return PushedPast(self.picked[0], tuple(self.picked[1:]), o.within, o.past) if self.picked else None

    def words(self, made: Any) -> str:
        return "pushed past a form"

    @property
    def covers(self) -> frozenset[str]:
        return super().covers - frozenset(self.picked[1:])

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts = super().parts(camera)
        if self.made is not None:
            places, moved = self._moved()
            places = places[moved > 1e-3]
            parts += [Discs(places, np.ones(len(places)), 2.5, theme.now().accent)] if len(places) else []
        return parts
