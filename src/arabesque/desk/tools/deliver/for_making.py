"""What the tools share that ask whether a thing can be made: which way is up, and how the map lies over it."""

from __future__ import annotations

from abc import abstractmethod
from typing import Any

import numpy as np

from arabesque.cages import Cage
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.tools.looking import Looking
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.scan import Scan
from arabesque.shapes import Samples
from arabesque.solid import Body

ARROW = 0.25
"""Of the size of the shape: the arrow that shows which way is up."""


class Upwards:
    """Options with a direction of any length, number by number."""

    x: float
    y: float
    z: float

    @property
    def way(self) -> tuple[float, float, float]:
        """The three together."""
        return self.x, self.y, self.z


class ForMaking(Looking):
    """Looks at a body, else a cage, else a scan."""

    kinds = (Body, Cage, Scan)
    needs = (kinds,)

    @property
    def samples(self) -> Samples | None:
        return None if self.found is None else self.found.samples

    @property
    def facts(self) -> list[Fact]:
        item = self.item
        if item is None:
            return [Fact("Shape", "none")]
        told = [Fact("Shape", item.name)]
        if self.found is None:
            return told if self.trouble is None else [*told, Fact("Not checked", self.trouble.cause, "bad")]
        return told + self.told_of(self.found)

    @abstractmethod
    def told_of(self, found: Any) -> list[Fact]:
        """What was found, in words."""

    @property
    def covers(self) -> frozenset[str]:
        item = self.item
        if item is None or self.found is None:
            return frozenset()
        scans = [one.id for one in self.session.seen.of(Scan)]
        return frozenset({item.id, *scans})

    def turn(self, way: tuple[float, float, float]) -> None:
        """Another way is up."""
        self.options.x, self.options.y, self.options.z = (round(c, 6) + 0.0 for c in way)
        self.form_changed.emit()
        self.options_changed()


def arrow(samples: Samples, way: tuple[float, float, float], words: str) -> list[Triangles | Lines | Discs | Label]:
    """An arrow over the middle of a shape, with a word at its end."""
    direction = np.asarray(way, dtype=float)
    length = float(np.linalg.norm(direction))
    if not length > 0:
        return []
    direction = direction / length
    heights = samples.points @ direction
    middle = (samples.points.min(axis=0) + samples.points.max(axis=0)) / 2
    foot = middle + (heights.max() - middle @ direction) * direction
    tip = foot + ARROW * samples.size * direction
    aside = np.cross(direction, np.eye(3)[int(np.abs(direction).argmin())])
    barbs = [tip - 0.05 * samples.size * (direction + sign * 0.5 * aside) for sign in (-1, 1)]
    ink = theme.now().view_ink
    lines = [np.array([foot, tip]), np.array([barbs[0], tip, barbs[1]])]
    return [*(Lines(polyline(line), ink, 1.8, on_top=True) for line in lines), Label(tip, words)]
