"""Stripes and reflections on patches, by the exact normal of every pixel."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.desk.checks.base import Check
from arabesque.desk.kinds.base import Pen
from arabesque.desk.looks import Along
from arabesque.desk.patches import size_of
from arabesque.desk.view.scene import Gloss, GlossKind


@dataclass(frozen=True)
class GlossLook:
    """Which stripes, how many, along which direction, and how far the studio's bars are turned, degrees.

    dark: the share of each stripe that is dark.
    """

    stripes: GlossKind = GlossKind.STRIPES
    count: int = 24
    along: Along = Along.Z
    turn: float = 35.0
    dark: float = 0.5


class Stripes(Check):
    """They run smoothly over a smooth form."""

    id = "stripes"
    key = "4"
    word = "stripes"
    Look = GlossLook

    @property
    def chooses(self) -> str:
        return "stripes"

    def kind(self, look: GlossLook) -> GlossKind:
        """What is mirrored."""
        return look.stripes

    def prepare(self, pen: Pen) -> None:
        look: GlossLook = pen.looks.of(self)
        turn, size = float(np.radians(look.turn)), size_of(pen.session.patches)
        pen.set(gloss=Gloss(self.kind(look), look.along.value[1], float(look.count), turn, size, look.dark))

    def scaled(self, look: GlossLook, up: int, fine: bool) -> GlossLook:
        if fine:
            return replace(look, dark=min(max(look.dark + 0.05 * up, 0.05), 0.95))
        return replace(look, count=min(max(round(look.count * 1.15**up) + (up > 0), 2), 200))


class Reflection(Stripes):
    """The studio: bars of light over the form. It shares the stripes' choices."""

    id = "reflection"
    key = "5"
    word = "reflection"

    def kind(self, look: GlossLook) -> GlossKind:
        return GlossKind.STUDIO
