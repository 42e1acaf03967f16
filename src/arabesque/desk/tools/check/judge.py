"""The forms of the checks: what each glance shows, and its figures. Every choice takes effect at once."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import Any, ClassVar

import numpy as np

from arabesque.checking import Join, Limits
from arabesque.desk.checks import Check
from arabesque.desk.checks.gloss import Stripes
from arabesque.desk.checks.joins import JOINS, joins, limits_of, owners, rimmed
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.looks import Along
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.check.repairs import Meeting, repairs
from arabesque.desk.tools.options import labelled, share, whole
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import GlossKind, Material
from arabesque.model import Item

Pair = tuple[tuple[str, int], tuple[str, int]]
"""Ids of two items, with the numbers of their edges that meet."""
TURN = 0.4
"""Degrees that the studio's bars turn a pixel."""


class Judge(Tool):
    """Turns its glance on, and shows its choices."""

    step = Step.CHECK
    shortcut = ""
    applies = False
    check: ClassVar[Check]

    def start(self) -> None:
        looks = self.session.looks
        self.session.look(replace(looks, on=looks.on | {self.check.id}))
        self.read()

    @property
    def look(self) -> Any:
        """What is chosen of the check."""
        return self.session.looks.of(self.check)

    def choose(self, **choices: Any) -> None:
        """Choose otherwise."""
        self.session.choose(self.check, replace(self.look, **choices))

    def looks_changed(self) -> None:
        self.read()

    def read(self) -> None:
        """Show the choices as they are."""

    def write(self) -> None:
        """Take the choices over."""

    def options_changed(self) -> None:
        self.write()
        self.changed.emit()


class GlossCheck(Judge):
    """Stripes and reflections on the patches."""

    id = "check-gloss"
    label = "Stripes"
    hint = "Stripes on patches: they run smoothly over a smooth form. 5 shows the studio instead"
    icon = "ph.waves"
    check = Stripes()
    _grabbed: tuple[float, float] | None = None

    @dataclass
    class Options:
        """along: the direction of the light, or up. dark: share of a stripe. turn: of the light bars, degrees.
        material: of the form in the studio."""

        stripes: GlossKind = GlossKind.STRIPES
        count: int = whole(24, 2, 200)
        along: Along = Along.Z
        dark: float = share(0.5)
        turn: int = whole(35, 0, 360, "Turn bars")
        material: Material = labelled(Material.MIRROR, "In the studio (5)")

    takes_places = True

    @property
    def says(self) -> str:
        return "Drag to turn the studio's bars; Alt and the wheel change the number of stripes, with Shift their width"

    def press(self, pointer: Pointer) -> None:
        self._grabbed = (pointer.x, self.look.turn)

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if dragging and self._grabbed is not None:
            x, turn = self._grabbed
            self.choose(turn=(turn + TURN * (pointer.x - x)) % 360)

    def release(self, pointer: Pointer) -> None:
        self._grabbed = None
        self.read()
        self.form_changed.emit()

    def read(self) -> None:
        look, o = self.look, self.options
        o.stripes, o.count, o.along, o.turn, o.dark = look.stripes, look.count, look.along, round(look.turn), look.dark
        o.material = look.material

    def write(self) -> None:
        o = self.options
        self.choose(
            stripes=o.stripes, count=o.count, along=o.along, turn=float(o.turn), dark=o.dark, material=o.material
        )


class JoinsCheck(Judge):
    """How patches meet along their edges: a list to work through, with what would repair each."""

    id = "check-joins"
    label = "Joins"
    hint = "Edges that meet, with the continuity they reach; the worst place of what fails is marked"
    icon = "ph.intersect"
    check = JOINS

    @dataclass
    class Options:
        """asked: the continuity that all are to have. gap: mm. angle: hundredths of a degree. curvature: of the bend.
        reach: mm up to which edges meet."""

        asked: int = whole(1, 0, 3, "Asked: G")
        gap: float = labelled(0.001, "Gap")
        angle: int = whole(10, 1, 1000, "Angle, 1/100°")
        curvature: float = share(0.05)
        reach: float = labelled(0.0, "Reach, 0 by itself")

    @property
    def says(self) -> str:
        if self._at is not None:
            return "Click a repair, or the next join"
        return "Click a join: its worst place is flown to, and repairs are shown"

    def start(self) -> None:
        self._at: Pair | None = None
        super().start()

    def read(self) -> None:
        limits, o = limits_of(self.session), self.options
        o.gap, o.angle, o.curvature = limits.gap, round(100 * limits.angle), limits.curvature
        o.reach, o.asked = self.session.looks.of(JOINS).reach, self.session.looks.of(JOINS).asked

    def write(self) -> None:
        o = self.options
        limits = Limits(max(o.gap, 0.0), o.angle / 100, o.curvature, o.curvature)
        self.choose(limits=limits, reach=max(o.reach, 0.0), asked=o.asked)

    @property
    def facts(self) -> list[Fact]:
        found = joins(self.session, rimmed(self.session))
        if not found:
            return [Fact("Joins", "no edges meet")]
        limits, asked = limits_of(self.session), self.options.asked
        below = sum(join.grade(limits) < asked for join in found)
        return [
            Fact("Joins", str(len(found))),
            Fact(f"Below G{asked}", str(below), "bad" if below else "good"),
            Fact("Widest gap", f"{max(j.gap.max() for j in found):.4f} mm"),
            Fact("Worst angle", f"{max(j.angle.max() for j in found):.3f}°"),
            Fact("Mean angle", f"{np.mean([j.angle.mean() for j in found]):.3f}°"),
        ]

    @property
    def choices(self) -> list[Choice]:
        items, limits = rimmed(self.session), limits_of(self.session)
        found = sorted(joins(self.session, items), key=lambda join: join.rank(limits))
        items = owners(items)
        lines = []
        for join in found:
            one, two = items[join.first[0]], items[join.second[0]]
            key = (one.id, join.first[1]), (two.id, join.second[1])
            sign = "▲ " if join.grade(limits) < self.options.asked else ""
            words = f"{sign}{one.name} – {two.name}: {join.word(limits)}"
            lines.append(Choice(words, partial(self._fly, one, join, key), key == self._at))
            if key == self._at:
                both = Meeting(one, join.first[1]), Meeting(two, join.second[1])
                lines += repairs(self.session, *both, join, self.options.asked, limits)
        return lines

    def _fly(self, item: Item, join: Join, key: Pair) -> None:
        """Look at the worst place of an edge, and tell what repairs it."""
        self._at = key
        self.changed.emit()
        place = join.points[join.worst(limits_of(self.session))]
        measured = self.session.distances(item)
        if measured is None:
            return
        nearest = np.linalg.norm(measured.samples.points - place, axis=1).argmin()
        size = float(np.linalg.norm(np.ptp(join.points, axis=0)))
        self.session.asks.fly.emit(place, measured.samples.normals[nearest], 0.25 * size)
