"""Stripes and reflections on patches, by the exact normal of every pixel."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.desk.checks.base import Check
from arabesque.desk.kinds.base import Pen
from arabesque.desk.looks import Along
from arabesque.desk.patches import size_of
from arabesque.desk.view.scene import Gloss, GlossKind, Material


@dataclass(frozen=True)
class GlossLook:
    """Which stripes, how many, along which direction, and how far the studio's bars are turned, degrees.

    dark: the share of each stripe that is dark. material: what stands in the studio.
    """

    stripes: GlossKind = GlossKind.STRIPES
    count: int = 24
    along: Along = Along.Z
    turn: float = 35.0
    dark: float = 0.5
    material: Material = Material.MIRROR


class Stripes(Check):
    """They run smoothly over a smooth form."""

    id = "stripes"
    key = "4"
    word = "stripes"
    Look = GlossLook

    @property
    def chooses(self) -> str:
        return "stripes"

    def gloss(self, look: GlossLook) -> tuple[GlossKind, Material]:
        """What is mirrored, in what."""
        return look.stripes, Material.MIRROR

    def prepare(self, pen: Pen) -> None:
        look: GlossLook = pen.looks.of(self)
        turn, size = float(np.radians(look.turn)), size_of(pen.session.patches)
        kind, material = self.gloss(look)
        pen.set(gloss=Gloss(kind, look.along.value[1], float(look.count), turn, size, look.dark, material))

    def scaled(self, look: GlossLook, up: int, fine: bool) -> GlossLook:
        if fine:
            return replace(look, dark=min(max(look.dark + 0.05 * up, 0.05), 0.95))
        return replace(look, count=min(max(round(look.count * 1.15**up) + (up > 0), 2), 200))


class Reflection(Stripes):
    """The studio: bars of light over a form that mirrors them, or is of a material. It shares the stripes' choices."""

    id = "reflection"
    key = "5"
    word = "reflection"

    def gloss(self, look: GlossLook) -> tuple[GlossKind, Material]:
        return GlossKind.STUDIO, look.material
