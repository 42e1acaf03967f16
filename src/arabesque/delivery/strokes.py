"""What is drawn on a sheet, in mm from its lower left corner: lines by pen, words, arrows."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

import numpy as np

from arabesque.arrays import Floats

ARROW, ARROW_WIDE = 2.5, 0.85
"""mm, long and wide: of a dimension's arrow (ISO 129-1: closed, about 15°)."""


class Pen(Enum):
    """A kind of line: word, of which a drawing makes a layer; width in mm and dashes, mm, after ISO 128-2."""

    OUTLINE = ("Outline", 0.5, ())
    SMOOTH = ("Smooth", 0.18, ())
    HIDDEN = ("Hidden", 0.25, (2.0, 1.0))
    CHOSEN = ("Chosen", 0.35, ())
    SECTION = ("Section", 0.5, ())
    HATCH = ("Hatch", 0.13, ())
    CUT = ("Cut", 0.25, (6.0, 1.2, 0.8, 1.2))
    DIMENSION = ("Dimension", 0.18, ())
    FRAME = ("Frame", 0.5, ())

    @property
    def title(self) -> str:
        """Its word."""
        return self.value[0]

    @property
    def width(self) -> float:
        """mm."""
        return self.value[1]

    @property
    def dashes(self) -> tuple[float, ...]:
        """mm of line and gap in turn; none for a line that goes on."""
        return self.value[2]


@dataclass(frozen=True, eq=False)
class Stroke:
    """A line through (n, 2) places; filled: an area."""

    points: Floats
    pen: Pen
    filled: bool = False


@dataclass(frozen=True)
class Words:
    """Text of a height in mm at a place. across: 0 begins there, 0.5 has its middle there, 1 ends. turned: degrees."""

    at: tuple[float, float]
    text: str
    height: float = 2.5
    across: float = 0.0
    turned: float = 0.0
    strong: bool = False


@dataclass(eq=False)
class Drawn:
    """A sheet of (width, height) mm that is being drawn, with its scale."""

    size: tuple[float, float]
    scale: float = 1.0
    strokes: list[Stroke] = field(default_factory=list)
    words: list[Words] = field(default_factory=list)

    def line(self, *points: tuple[float, float], pen: Pen) -> None:
        """A line through places."""
        self.strokes.append(Stroke(np.array(points, dtype=float), pen))

    def box(self, x: float, y: float, width: float, height: float, pen: Pen) -> None:
        """A rectangle."""
        self.line((x, y), (x + width, y), (x + width, y + height), (x, y + height), (x, y), pen=pen)

    def circle(self, x: float, y: float, radius: float, pen: Pen) -> None:
        """A ring."""
        turn = np.linspace(0, 2 * np.pi, 49)
        self.strokes.append(Stroke(np.column_stack([x + radius * np.cos(turn), y + radius * np.sin(turn)]), pen))

    def text(self, x: float, y: float, words: str, height: float = 2.5, across: float = 0.0, **more: object) -> None:
        """Words at a place."""
        self.words.append(Words((x, y), words, height, across, **more))  # type: ignore[arg-type]

    def arrow(self, tip: Floats, way: Floats) -> None:
        """The head of an arrow that points along ``way`` (2,) of length 1."""
        side = np.array([-way[1], way[0]]) * ARROW_WIDE / 2
        back = tip - ARROW * way
        self.strokes.append(Stroke(np.array([tip, back + side, back - side, tip]), Pen.DIMENSION, filled=True))

    def dimension(self, one: Floats, other: Floats, off: float, words: str) -> None:
        """A distance between (2,) places, ``off`` mm beside their line: helping lines, arrows, the figure over it."""
        way = (other - one) / float(np.linalg.norm(other - one))
        side = np.array([-way[1], way[0]])
        ends = [one + off * side, other + off * side]
        over = np.sign(off) * 1.5 * side
        for foot, end in zip((one, other), ends, strict=True):
            self.line(tuple(foot + np.sign(off) * side), tuple(end + over), pen=Pen.DIMENSION)
        self.line(tuple(ends[0]), tuple(ends[1]), pen=Pen.DIMENSION)
        self.arrow(ends[0], -way)
        self.arrow(ends[1], way)
        turned = float(np.degrees(np.arctan2(way[1], way[0])))
        turned += 180.0 if turned > 90.01 or turned <= -89.99 else 0.0
        up = np.array([-np.sin(np.radians(turned)), np.cos(np.radians(turned))])
        middle = (ends[0] + ends[1]) / 2 + 0.8 * up
        self.words.append(Words((float(middle[0]), float(middle[1])), words, 2.5, 0.5, turned))
