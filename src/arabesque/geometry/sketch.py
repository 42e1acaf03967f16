"""Sketches: lines, arcs, circles and splines in a plane, with relations and dimensions between them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import InvalidShape
from arabesque.geometry.curve import Curve
from arabesque.geometry.elementary import LONGEST, arc_knots, unit_arc
from arabesque.geometry.motion import Plane
from arabesque.shapes import Guide, Strands


class ElementKind(Enum):
    """What is drawn: the value is its word, and how many points it has at least."""

    LINE = ("line", 2)
    ARC = ("arc", 3)
    CIRCLE = ("circle", 2)
    SPLINE = ("spline", 2)


class RelationKind(Enum):
    """What holds between elements or points.

    The value: its words; what it is of ("e" an element, "p" a point); whether it is a dimension; and its unit.
    """

    HORIZONTAL = ("horizontal", "e", False, "")
    VERTICAL = ("vertical", "e", False, "")
    PARALLEL = ("parallel", "ee", False, "")
    PERPENDICULAR = ("perpendicular", "ee", False, "")
    TANGENT = ("tangent", "ee", False, "")
    EQUAL = ("equal", "ee", False, "")
    CONCENTRIC = ("concentric", "ee", False, "")
    SYMMETRIC = ("symmetric", "ppe", False, "")
    ON = ("on", "pe", False, "")
    FIXED = ("fixed", "p", False, "")
    LENGTH = ("length", "e", True, "mm")
    RADIUS = ("radius", "e", True, "mm")
    ANGLE = ("angle", "ee", True, "°")
    DISTANCE = ("distance", "pp", True, "mm")
    WIDTH = ("distance across", "pp", True, "mm")
    HEIGHT = ("distance up", "pp", True, "mm")

    @property
    def word(self) -> str:
        """What it is called."""
        return self.value[0]

    @property
    def of(self) -> str:
        """A letter for each thing that it relates."""
        return self.value[1]

    @property
    def is_dimension(self) -> bool:
        """True where it has a value."""
        return self.value[2]


@dataclass(frozen=True)
class Element:
    """points: numbers of those of the sketch: both ends of a line; centre, start and end of an arc, which runs
    counter-clockwise; centre and a place of a circle; places of a spline. aid: it helps to
    draw and is no part of the form."""

    kind: ElementKind
    points: tuple[int, ...]
    aid: bool = False


@dataclass(frozen=True)
class Relation:
    """of: numbers of elements and points, as its kind says. value: mm or degrees, of a dimension."""

    kind: RelationKind
    of: tuple[int, ...]
    value: float = 0.0


@dataclass(frozen=True, eq=False)
class Sketch:
    """A drawing in a plane.

    frame: (4, 4) from the drawing to space: x and y of the drawing, z the normal. flat: (n, 2) points, mm; elements
    that share a point meet there. Raises InvalidShape for numbers of what is not there.
    """

    frame: Floats
    flat: Floats
    elements: tuple[Element, ...] = ()
    relations: tuple[Relation, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "frame", frozen_array(self.frame, (4, 4), np.float64, what="Sketch plane"))
        flat = np.asarray(self.flat, dtype=float).reshape(-1, 2)
        object.__setattr__(self, "flat", frozen_array(flat, (None, 2), np.float64, what="Sketch"))
        cure = "Draw it anew"
        if flat.size and np.abs(flat).max() > LONGEST:
            raise InvalidShape("A sketch goes on for ever", cure)
        for element in self.elements:
            fewest = element.kind.value[1]
            if len(element.points) < fewest or not all(0 <= k < len(flat) for k in element.points):
                raise InvalidShape(f"The {element.kind.value[0]} of a sketch lacks a point", cure)
        for relation in self.relations:
            counts = [len(self.elements) if letter == "e" else len(flat) for letter in relation.kind.of]
            if len(relation.of) != len(counts) or not all(0 <= k < n for k, n in zip(relation.of, counts, strict=True)):
                raise InvalidShape(f"The relation '{relation.kind.word}' is of nothing", cure)

    @property
    def count(self) -> int:
        """Number of elements that are part of the form."""
        return sum(not element.aid for element in self.elements)

    @property
    def points(self) -> Floats:
        """(n, 3) its points in space."""
        return self.in_space(self.flat)

    @property
    def plane(self) -> Plane:
        """Where it lies."""
        return Plane.through(self.frame[:3, 3], self.frame[:3, 2])

    def in_space(self, flat: ArrayLike) -> Floats:
        """(n, 3) places of (n, 2) ones of the drawing."""
        array = np.asarray(flat, dtype=float).reshape(-1, 2)
        return np.asarray(array @ self.frame[:3, :2].T + self.frame[:3, 3])

    def in_plane(self, points: ArrayLike) -> Floats:
        """(n, 2) where (n, 3) places lie in the drawing, seen square to it."""
        return np.asarray((np.asarray(points, dtype=float).reshape(-1, 3) - self.frame[:3, 3]) @ self.frame[:3, :2])

    def with_flat(self, flat: ArrayLike) -> Sketch:
        """The sketch with its points elsewhere in the plane."""
        return replace(self, flat=np.asarray(flat, dtype=float))

    def radius(self, number: int) -> float:
        """Of an arc or a circle, mm."""
        centre, on = self.elements[number].points[:2]
        return float(np.linalg.norm(self.flat[on] - self.flat[centre]))

    def curve(self, number: int) -> Curve:
        """An element as a curve in space: arcs and circles exactly, as rational ones."""
        element = self.elements[number]
        at = self.flat[list(element.points)]
        if element.kind is ElementKind.LINE:
            return Curve.bezier(self.in_space(at))
        if element.kind is ElementKind.SPLINE:
            return _smooth(self.in_space(at))
        first = at[1] - at[0]
        radius = float(np.linalg.norm(first))
        low = float(np.arctan2(first[1], first[0]))
        turn = 2 * np.pi
        if element.kind is ElementKind.ARC:
            last = at[2] - at[0]
            turn = float(np.arctan2(last[1], last[0]) - low) % (2 * np.pi) or 2 * np.pi
        circle, weights = unit_arc(low, low + turn)
        return Curve(2, arc_knots((len(circle) - 1) // 2), self.in_space(at[0] + radius * circle), weights)

    @cached_property
    def curves(self) -> tuple[Curve, ...]:
        """The elements that are part of the form, as curves in space."""
        return tuple(self.curve(k) for k, element in enumerate(self.elements) if not element.aid)

    # what it answers for itself: see ``shapes``

    @property
    def box(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box round it, mm."""
        points = np.concatenate([self.points, *(curve.points for curve in self.curves), self.frame[:3, 3][None]])
        return points.min(axis=0), points.max(axis=0)

    def moved(self, matrix: Floats) -> Sketch:
        """The sketch after a (4, 4) rigid motion."""
        return replace(self, frame=matrix @ self.frame)

    def mirrored(self, plane: Plane) -> Sketch:
        """The mirror image; its plane looks the other way, so that the drawing stays as it is."""
        origin, x, y = plane.mirrored(
            np.array([self.frame[:3, 3], self.frame[:3, 3] + self.frame[:3, 0], self.frame[:3, 3] + self.frame[:3, 1]])
        )
        frame = np.eye(4)
        frame[:3, :3] = np.column_stack([x - origin, y - origin, np.cross(x - origin, y - origin)])
        frame[:3, 3] = origin
        return replace(self, frame=frame)

    def lines(self, count: int) -> tuple[Strands, ...]:
        """Its curves; bends are judged in its plane."""
        return tuple(strands for curve in self.curves for strands in curve.lines(count))

    def guides(self) -> tuple[Guide, ...]:
        """Its curves."""
        return tuple(guide for curve in self.curves for guide in curve.guides())


def _smooth(places: Floats) -> Curve:
    """The cubic spline through places, by centripetal parameters (Lee 1989); straight through two."""
    if len(places) == 2:
        return Curve.bezier(places)
    from scipy.interpolate import make_interp_spline  # not needed at the start of the window

    steps = np.sqrt(np.linalg.norm(np.diff(places, axis=0), axis=1))
    at = np.concatenate([[0.0], np.cumsum(np.maximum(steps, 1e-9))])
    degree = min(3, len(places) - 1)
    found = make_interp_spline(at / at[-1], places, k=degree)
    points = np.array(found.c)
    points[[0, -1]] = places[[0, -1]]
    return Curve(degree, np.asarray(found.t), points)
