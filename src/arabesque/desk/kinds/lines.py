"""Curves and feature lines: ink, or their layer's colour."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.base import NEAR, Pen, Shown
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Lines, polyline
from arabesque.geometry import Curve, Sketch, arc_length
from arabesque.model import Item
from arabesque.reading import LineSet

SAMPLES_A_SPAN = 40
BEFORE = 0.004
"""A line on a form is meant rather than the form: it counts as nearer by this share of the view's depth."""


def nearest_of(pointer: Pointer, points: Floats) -> float | None:
    """How deep a drawn line lies where it passes the pointer; None where it does not."""
    if len(points) < 2 or pointer.to_line(points) > NEAR:
        return None
    depth = pointer.depth(points[pointer.nearest(points)])
    return depth - BEFORE * abs(depth)


class ShownCurve(Shown):
    """A curve in space."""

    made = Curve
    icon = "ph.path"
    actions = ("duplicate", "turn-round", "curve-degree-up", "curve-degree-down", "make-symmetric")

    def draw(self, pen: Pen, item: Item) -> None:
        colour, width = pen.ink(item)
        pen.add(Lines(polyline(curve_points(item.shape)), colour, width, lift=0.6))

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        return nearest_of(pointer, curve_points(item.shape))

    def facts(self, session: Session, item: Item) -> list[Fact]:
        curve = item.shape
        length = session.kept(arc_length, curve)
        return [Fact("Degree", str(curve.degree)), *super().facts(session, item), Fact("Length", f"{length:.3f} mm")]


class ShownLines(Shown):
    """Polylines on a scan."""

    made = LineSet
    icon = "ph.line-segments"
    actions = ("duplicate",)

    def draw(self, pen: Pen, item: Item) -> None:
        colour, width = pen.ink(item)
        for line, closed in zip(item.shape.lines, item.shape.closed, strict=True):
            pen.add(Lines(polyline(line, closed), colour, width + 0.6, lift=0.8))

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        depths = []
        for line, closed in zip(item.shape.lines, item.shape.closed, strict=True):
            ring = np.vstack([line, line[:1]]) if closed else line
            depth = nearest_of(pointer, ring)
            depths += [] if depth is None else [depth]
        return min(depths, default=None)

    def facts(self, session: Session, item: Item) -> list[Fact]:
        return [Fact("Lines", str(item.shape.count)), Fact("Length", f"{item.shape.length:.1f} mm")]


class ShownSketch(Shown):
    """Elements in a plane."""

    made = Sketch
    icon = "ph.ruler"
    actions = ("duplicate",)

    def draw(self, pen: Pen, item: Item) -> None:
        colour, width = pen.ink(item)
        for curve in item.shape.curves:
            pen.add(Lines(polyline(curve_points(curve)), colour, width, lift=0.6))

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        depths = [nearest_of(pointer, curve_points(curve)) for curve in item.shape.curves]
        return min((depth for depth in depths if depth is not None), default=None)

    def facts(self, session: Session, item: Item) -> list[Fact]:
        sketch = item.shape
        return [*super().facts(session, item), Fact("Relations", str(len(sketch.relations)))]


def curve_points(curve: Curve) -> Floats:
    """(n, 3) points along a curve, close enough to draw it."""
    return curve.at(np.linspace(*curve.domain, SAMPLES_A_SPAN * curve.spans + 1))
