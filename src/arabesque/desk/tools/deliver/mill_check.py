"""A thing checked for milling with a ball cutter along one direction, and the path that cuts it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.delivery import (
    MillCheck,
    Milling,
    block_mesh,
    check_mill,
    compared,
    cut_block,
    parallel_path,
    read_gcode,
    whole_of,
    write_gcode,
)
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact, area
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.delivering import Delivering, Written
from arabesque.desk.tools.deliver.for_making import ForMaking, Upwards, arrow
from arabesque.desk.tools.looking import mapped
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import MISSING, Discs, Label, Lines, Paint, Triangles
from arabesque.progress import Progress, silent
from arabesque.scan import Scan
from arabesque.shapes import Samples, Shape

_WAYS: dict[str, tuple[float, float, float]] = {
    "+x": (1.0, 0.0, 0.0),
    "−x": (-1.0, 0.0, 0.0),
    "+y": (0.0, 1.0, 0.0),
    "−y": (0.0, -1.0, 0.0),
    "+z": (0.0, 0.0, 1.0),
    "−z": (0.0, 0.0, -1.0),
}


class Looked(Enum):
    """What is shown."""

    STOCK = "what the cutter leaves"
    BLOCK = "the block that its path cuts"


class Milled(NamedTuple):
    """A check, and where a block was cut: that block, and what stays over each sample, mm, where that counts."""

    check: MillCheck
    block: Scan | None = None
    over: Floats | None = None
    counts: Bools | None = None

    @property
    def samples(self) -> Samples:
        """The places that were looked at."""
        return self.check.samples


class CheckMill(ForMaking, Delivering):
    """Stock that stays is coloured like a distance; Enter writes the path of the cutter."""

    id = "check-mill"
    step = Step.DELIVER
    label = "Check for milling"
    short = "Mill"
    hint = "Set cutter and step; click a side to mill from, or another shape; Enter writes the path as G-code"
    shortcut = "M"
    icon = "ph.wrench"
    applies = True

    @dataclass
    class Options(Upwards):
        """x, y, z: towards the spindle. radius, limit, step: mm. feed: mm a minute. spindle: turns a minute."""

        looked: Looked = labelled(Looked.STOCK, "Show")
        radius: float = labelled(3.0, "Radius of the ball")
        limit: float = labelled(0.2, "May stay")
        step: float = labelled(0.6, "Between ways")
        feed: float = labelled(1200.0, "Feed a minute")
        spindle: float = labelled(12000.0, "Turns a minute")
        x: float = labelled(0.0, "Spindle, x")
        y: float = labelled(0.0, "y")
        z: float = labelled(1.0, "z")

    def asks(self, shape: Any) -> tuple[object, ...]:
        o = self.options
        return o.way, o.radius, o.limit, o.step, o.looked

    def see(self, shape: Any) -> Callable[[Progress], Milled]:
        o = self.options
        return partial(_milled, shape, (o.way, o.radius, o.limit, o.step), o.looked is Looked.BLOCK)

    def told_of(self, found: Milled) -> list[Fact]:
        check = found.check
        told = [
            Fact("Not reached", area(check.missed) if check.missed else "nothing", "bad" if check.missed else "good"),
            Fact(
                "Most that stays",
                f"{check.most:.3g} mm",
                "good" if check.within else "bad",
            ),
            Fact("Over the limit", area(check.left) if check.left else "nowhere", "bad" if check.left else "good"),
            Fact("Largest ball that does", check.largest_words),
            Fact("Ridges on a plane", f"{check.milling.scallop:.3g} mm"),
            Fact("True to", f"{check.milling.cell:.2g} mm"),
        ]
        if found.over is None:
            return told
        over = found.over[found.counts]
        return [*told, Fact("Block over the form", f"{float(over.max(initial=0.0)):.3g} mm at most")]

    @property
    def choices(self) -> list[Choice]:
        now = tuple(self.options.way)
        return [Choice(f"Mill from {name}", partial(self.turn, way), way == now) for name, way in _WAYS.items()]

    @property
    def hatched(self) -> str:
        return "not reached"

    @property
    def map_tolerance(self) -> float | None:
        return None if self.found is None else max(float(self.options.limit), 1e-3)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        found = self.found
        if found is None:
            return []
        check = found.check
        spindle = arrow(check.samples, self.options.way, "spindle")
        if found.block is None or found.over is None:
            values = np.where(check.reached, check.stock, MISSING)
            return [*mapped(check.samples, values, Paint.DISTANCE), *spindle]
        block, colours = found.block, theme.now()
        return [
            Triangles("block", block.points, block.point_normals, block.triangles, colours.porcelain),
            *spindle,
        ]

    # the path

    @property
    def can_apply(self) -> bool:
        return self.found is not None

    @property
    def writes(self) -> Written:
        return Written("Write the path of the cutter", "path.nc", "G-code (*.nc)", ".nc")

    def write(self, path: Path) -> None:
        check, o = self.found.check, self.options
        radius, feed, spindle = float(o.radius), float(o.feed), float(o.spindle)

        def work(progress: Progress) -> float:
            progress(0.1, "Laying the path")
            way = parallel_path(check)
            write_gcode(path, way, radius, feed, spindle)
            return read_gcode(path).length

        job = self.session.run(f"Writing {path.name}", work)
        job.done.connect(
            lambda length: self.session.tell(f"{path.name} written: {length / 1000:.1f} m in the work, read back whole")
        )


def _milled(shape: Shape, asked: tuple[Any, float, float, float], cut: bool, progress: Progress = silent) -> Milled:
    check = check_mill(whole_of(shape), Milling(*asked), progress)
    if not cut:
        return Milled(check)
    progress(0.95, "Cutting a block")
    block = cut_block(check.tips, parallel_path(check), check.milling.radius)
    return Milled(check, block_mesh(block), *compared(check, block))
