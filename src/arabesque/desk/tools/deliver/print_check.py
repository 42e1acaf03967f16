"""A thing checked for printing in layers: walls, gaps, overhangs, mass, and how it is best laid down."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from functools import partial
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.delivery import Laid, PrintCheck, PrintLimits, check_print, whole_of
from arabesque.desk.facts import Choice, Fact, area, volume
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.for_making import ForMaking, Upwards, arrow
from arabesque.desk.tools.looking import mapped
from arabesque.desk.tools.options import angle, labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Paint, Triangles
from arabesque.progress import Progress
from arabesque.shapes import Shape

OFFERED = 4
"""Of the best ways to lay it down."""
_EDGES = "xyz"


class Mapped(Enum):
    """What the colours tell of."""

    OVERHANG = "what hangs over"
    WALL = "thin walls"
    NOZZLE = "what the nozzle cannot draw"


class CheckPrint(ForMaking):
    """What lacks is coloured; the best ways to lay it down are one click each."""

    id = "check-print"
    step = Step.DELIVER
    label = "Check for printing"
    short = "Print"
    hint = "Set the limits of the printer; click a way to lay it down, or another shape"
    shortcut = "Y"
    icon = "ph.printer"

    @dataclass
    class Options(Upwards):
        """x, y, z: up. wall, nozzle: mm. overhang: degrees off upright. density: g/cm³."""

        mapped: Mapped = labelled(Mapped.OVERHANG, "Colours tell")
        wall: float = labelled(1.2, "Walls at least")
        overhang: float = angle("Overhang at most", 45.0)
        nozzle: float = labelled(0.4, "Nozzle")
        density: float = labelled(1.24, "Density, g/cm³")
        x: float = labelled(0.0, "Up, x")
        y: float = labelled(0.0, "y")
        z: float = labelled(1.0, "z")

    def asks(self, shape: Any) -> tuple[object, ...]:
        o = self.options
        return o.way, o.wall, o.overhang, o.nozzle, o.density

    def see(self, shape: Any) -> Callable[[Progress], PrintCheck]:
        o = self.options
        return partial(_checked, shape, o.way, (o.wall, o.overhang, o.nozzle, o.density))

    def told_of(self, found: PrintCheck) -> list[Fact]:
        closed = Fact("Closed", "yes" if found.closed else "no: close it first", "good" if found.closed else "bad")
        hanging = found.hanging_area
        over = Fact("Hangs over", area(hanging) if hanging else "nowhere", "bad" if hanging else "good")
        if not found.closed:
            return [closed, over]
        thin, lost = found.area(found.thin), found.area(found.lost)
        return [
            closed,
            Fact("Thinnest wall", f"{float(found.walls.min()):.3g} mm", "bad" if thin else "good"),
            Fact("Too thin", area(thin) if thin else "nowhere", "bad" if thin else "good"),
            Fact("Under the nozzle", area(lost) if lost else "nowhere", "bad" if lost else "good"),
            over,
            Fact("Volume", volume(found.volume)),
            Fact("Mass, full", f"{found.mass:.1f} g"),
        ]

    @property
    def choices(self) -> list[Choice]:
        if self.found is None:
            return []
        now = self.options.way
        return [
            Choice(_words(laid), partial(self.turn, laid.way), bool(np.allclose(laid.way, now, atol=1e-4)))
            for laid in self.found.ways[:OFFERED]
        ]

    @property
    def short_of(self) -> tuple[float, str] | None:
        if self.found is None:
            return None
        o = self.options
        limits = {Mapped.OVERHANG: (90 - o.overhang, "°"), Mapped.WALL: (o.wall, "mm"), Mapped.NOZZLE: (o.nozzle, "mm")}
        return limits[o.mapped]

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        found = self.found
        if found is None:
            return []
        return [
            *mapped(found.samples, self._lacking(found), Paint.SHORT),
            *arrow(found.samples, self.options.way, "up"),
        ]

    def _lacking(self, found: PrintCheck) -> Floats:
        """(n,) what each place lacks of the limit."""
        o = self.options
        if o.mapped is Mapped.OVERHANG:
            return np.maximum(found.leans - o.overhang, 0.0)
        limit, values = (
            (o.wall, found.walls) if o.mapped is Mapped.WALL else (o.nozzle, np.minimum(found.walls, found.gaps))
        )
        return np.maximum(limit - np.minimum(values, limit), 0.0)


def _checked(
    shape: Shape, way: tuple[float, ...], limits: tuple[float, float, float, float], progress: Progress
) -> PrintCheck:
    return check_print(whole_of(shape), way, PrintLimits(*limits), progress)


def _words(laid: Laid) -> str:
    """How a shape would lie, in words."""
    ends = [f"{'+' if c > 0 else '−'}{_EDGES[k]}" for k, c in enumerate(laid.way) if abs(c) > 1e-9]
    hanging = "nothing hangs over" if laid.hanging < 0.05 else f"{area(laid.hanging)} hang over"
    return f"{' '.join(ends)} up: {hanging}, {laid.height:.0f} mm high"
