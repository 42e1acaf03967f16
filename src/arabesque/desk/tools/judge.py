"""The forms of the checks: what each glance shows, and its figures. Every choice takes effect at once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from arabesque.checking import Limits
from arabesque.desk.judging import comb_words, combs_of, joins
from arabesque.desk.looks import Along, Glance
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Choice, Fact, Tool
from arabesque.desk.tools.options import labelled, share, whole
from arabesque.desk.view.scene import GlossKind
from arabesque.geometry import Surface


class Judge(Tool):
    """Turns its glance on, and shows its choices."""

    step = Step.CHECK
    shortcut = ""
    applies = False
    glance: ClassVar[Glance]

    def start(self) -> None:
        self.session.looks.glances = self.session.looks.glances | {self.glance}
        self.read()
        self.session.changed.emit()

    def read(self) -> None:
        """Show the choices as they are."""

    def write(self) -> None:
        """Take the choices over."""

    def options_changed(self) -> None:
        self.write()
        self.session.changed.emit()
        self.changed.emit()

    @property
    def surfaces(self) -> list[Surface]:
        """The patches that are shown."""
        shapes = [item.shape for item in self.session.patches]
        return [shape for shape in shapes if isinstance(shape, Surface)]


class SectionsCheck(Judge):
    """Families of sections of scan and patches."""

    id = "check-sections"
    label = "Sections"
    hint = "Sections of the scan (thin) and of patches (strong); the gap can be drawn larger"
    icon = "ph.rows"
    glance = Glance.SECTIONS

    @dataclass
    class Options:
        """along: the direction that the planes are across. start: where one plane lies, mm. gap: times."""

        along: Along = Along.X
        spacing: float = 10.0
        start: float = labelled(0.0, "One at")
        gap: int = whole(1, 1, 100, "Gap x")

    def read(self) -> None:
        look, o = self.session.looks.sections, self.options
        o.along, o.spacing, o.start, o.gap = look.along, look.spacing, look.start, look.gap

    def write(self) -> None:
        look, o = self.session.looks.sections, self.options
        look.along, look.start, look.gap = o.along, o.start, o.gap
        if o.spacing > 0:
            look.spacing = o.spacing


class CombsCheck(Judge):
    """Curvature combs along lines of the patches."""

    id = "check-combs"
    label = "Combs"
    hint = "Curvature combs; discs mark where a line bends to the other side, dips or speeds up unevenly"
    icon = "ph.chart-line"
    glance = Glance.COMBS

    @dataclass
    class Options:
        """lines: each way, edges among them. teeth: the usual longest, of the size of what is shown."""

        lines: int = whole(5, 2, 40)
        teeth: float = share(0.06)

    def read(self) -> None:
        look, o = self.session.looks.combs, self.options
        o.lines, o.teeth = look.lines, look.teeth

    def write(self) -> None:
        look, o = self.session.looks.combs, self.options
        look.lines, look.teeth = o.lines, o.teeth

    @property
    def facts(self) -> list[Fact]:
        combs = [comb for surface in self.surfaces for comb in combs_of(surface, self.options.lines)]
        calm = sum(comb.calm for comb in combs)
        facts = [Fact("Lines", str(len(combs))), Fact("Calm", str(calm), "good" if calm == len(combs) else "")]
        return facts + [Fact(words.capitalize(), str(count)) for words, count in comb_words(combs).items() if count]


class GlossCheck(Judge):
    """Stripes and reflections on the patches."""

    id = "check-gloss"
    label = "Stripes"
    hint = "Stripes on patches: they run smoothly over a smooth form. 5 shows the studio instead"
    icon = "ph.waves"
    glance = Glance.STRIPES

    @dataclass
    class Options:
        """along: the direction of the light, or up. turn: of the studio's light bars, degrees."""

        stripes: GlossKind = GlossKind.STRIPES
        count: int = whole(24, 2, 200)
        along: Along = Along.Z
        turn: int = whole(35, 0, 360, "Turn bars")

    def read(self) -> None:
        look, o = self.session.looks.gloss, self.options
        o.stripes, o.count, o.along, o.turn = look.stripes, look.count, look.along, round(look.turn)

    def write(self) -> None:
        look, o = self.session.looks.gloss, self.options
        look.stripes, look.count, look.along, look.turn = o.stripes, o.count, o.along, float(o.turn)


class JoinsCheck(Judge):
    """How patches meet along their edges."""

    id = "check-joins"
    label = "Joins"
    hint = "Edges that meet, with the continuity they reach; the worst place of what fails is marked"
    icon = "ph.intersect"
    glance = Glance.JOINS

    @dataclass
    class Options:
        """gap: mm. angle: hundredths of a degree. curvature: of the bend."""

        gap: float = labelled(0.001, "Gap")
        angle: int = whole(10, 1, 1000, "Angle, 1/100°")
        curvature: float = share(0.05)

    def read(self) -> None:
        limits, o = self.session.looks.limits, self.options
        o.gap, o.angle, o.curvature = limits.gap, round(100 * limits.angle), limits.curvature

    def write(self) -> None:
        o = self.options
        self.session.looks.limits = Limits(max(o.gap, 0.0), o.angle / 100, o.curvature, o.curvature)

    @property
    def facts(self) -> list[Fact]:
        found = joins(self.session.patches)
        if not found:
            return [Fact("Joins", "no edges meet")]
        return [
            Fact("Joins", str(len(found))),
            Fact("Widest gap", f"{max(j.gap.max() for j in found):.4f} mm"),
            Fact("Worst angle", f"{max(j.angle.max() for j in found):.3f}°"),
            Fact("Mean angle", f"{np.mean([j.angle.mean() for j in found]):.3f}°"),
        ]

    @property
    def choices(self) -> list[Choice]:
        items = self.session.patches
        return [
            Choice(
                f"{items[join.first[0]].name} – {items[join.second[0]].name}: {join.word(self.session.looks.limits)}",
                lambda: None,
            )
            for join in joins(items)
        ]
