"""Blends: a patch from one border to another that goes on in both as smoothly as asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum
from math import comb, perm

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import LARGEST_DEGREE, Rim, Surface, greville
from arabesque.geometry.kernels import basis_matrix

MOST_ORDER = 3
EXACT = 1e-9
"""Of its size: rows of control points that are off by no more are the borders themselves."""
CLOSE = 1e-6
"""Of their size, so near rows come to borders whose basis cannot hold them; angles are then off by less than 1e-4°."""
FREE_DEGREE, FREE_SPANS, MOST_SPANS = 5, 4, 256
SAME_KNOT = 1e-9
BETWEEN = 3
"""Places between two of those that a row is found from, at which it is looked at."""
MOST_LEAN = 2.0
"""How far aside, against ahead, a blend may leave a border."""
SHORTEST = 1e-3
"""Of a border's way: a shorter part is no border."""


class Ways(Enum):
    """How a blend leaves a border, the value in words."""

    ROWS = "along the rows"
    SQUARE = "square to the border"
    ACROSS = "towards the other"


@dataclass(frozen=True, eq=False)
class BlendSide:
    """A border that a blend begins at.

    order: 0 for its place, 1 for its tangent planes too, 2 for curvature, 3 for the change of curvature. part: from
    which share of its way to which; in falling order it is run backwards. pull: how far the border's own form is
    followed at the start, in the middle and at the end, 1 is usual.
    """

    rim: Rim
    order: int = 2
    part: tuple[float, float] = (0.0, 1.0)
    pull: tuple[float, float, float] = (1.0, 1.0, 1.0)

    def __post_init__(self) -> None:
        if not 0 <= self.order <= MOST_ORDER:
            raise InvalidShape(f"G{self.order} is not possible in a blend", "Choose G0 to G3")
        if abs(self.part[1] - self.part[0]) < SHORTEST or min(self.part) < 0 or max(self.part) > 1:
            raise InvalidShape(
                "A blend needs a part of its border", "Let it begin and end further apart, within 0 to 1"
            )
        if not all(np.isfinite(self.pull)) or min(self.pull) <= 0:
            raise InvalidShape("A pull must be above 0", "Give 1 for the usual one")


@dataclass(frozen=True, eq=False)
class Blend:
    """surface: u runs across from the first border to the second, v along. exact: whether both borders are held by
    its own basis; off: mm, how far its border rows are from them at most."""

    surface: Surface
    exact: bool
    off: float


def blend(one: BlendSide, two: BlendSide, ways: Ways = Ways.ROWS, degree: int = 0) -> Blend:
    """The patch between two borders that meets each with its order of geometric continuity.

    Every order takes a row of control points of a Bezier patch across; a row is a combination of derivatives of the
    surface that is left, along a straight way in its parameters whose length is a pull times the gap, so that the
    blend goes on as that surface reparametrised does: DeRose and Barsky, "An intuitive approach to geometric
    continuity for parametric curves and surfaces", Graphics Interface 1985. Along polynomial edges whose rows are
    followed the blend holds them exactly; else knots are added along until rows are near enough. The second border
    is run the way that fits the first. degree: across, at least. Raises ArabesqueError where a border is a point, or
    the borders are one.
    """
    sides = (_Side(one, ways), _Side(two, ways))
    sides = sides if _runs_alike(*sides) else (sides[0], sides[1].turned())
    gap = sides[0].meet(sides[1])
    n = max(one.order + two.order + 1, 1)
    if n > LARGEST_DEGREE or degree > LARGEST_DEGREE:
        raise InvalidShape(f"A blend has degree {LARGEST_DEGREE} across at most", "Ask for less continuity")
    rows = _Rows(sides, gap, n)
    along, knots, held = _basis(sides)
    for _ in range(MOST_SPANS):
        points, off = rows.in_basis(along, knots)
        enough = off <= (EXACT if held else CLOSE)
        if enough or len(np.unique(knots)) > MOST_SPANS:
            break
        held = False
        knots = _refined(knots, along)
    surface = Surface((n, along), (np.repeat([0.0, 1.0], n + 1), knots), points)
    surface = surface.elevated(max(0, degree - n), 0)
    middle = np.array([[0.0, 0.5]])
    facing = np.einsum("nc,nc->n", surface.normals(middle), sides[0].normals(np.array([0.5])))
    size = float(np.linalg.norm(np.ptp(points.reshape(-1, 3), axis=0)))
    return Blend(surface.reversed(1) if facing[0] < 0 else surface, off <= EXACT, off * size)


class _Side:
    """A border as a blend reads it: places along it and derivatives that leave it, at shares of its part."""

    def __init__(self, side: BlendSide, ways: Ways, turned: bool = False) -> None:
        self.side, self._ways, self._turned = side, ways, turned
        # a polynomial of degree 2 through three pulls
        even = len(set(side.pull)) == 1
        self._pull = np.array(side.pull[:1]) if even else np.polyfit([0.0, 0.5, 1.0], side.pull, 2)
        if np.polyval(self._pull, np.linspace(0, 1, 33)).min() <= 0:
            raise InvalidShape(
                "The pulls differ so much that the blend would turn back", "Bring them nearer each other"
            )

    def turned(self) -> _Side:
        """The same, run backwards; the pulls stay where they are on the border."""
        return _Side(self.side, self._ways, not self._turned)

    @property
    def rising(self) -> int:
        """By how many degrees the pull raises a row along the border."""
        return len(self._pull) - 1

    @property
    def in_rows(self) -> bool:
        """True where the border is an edge of a polynomial patch, left along its rows."""
        rim = self.side.rim
        flat = rim.straight and bool((np.abs(np.diff(rim.uv, axis=0)) <= SAME_KNOT).any())
        return flat and rim.surface.weights is None and self._ways is Ways.ROWS

    def shares(self, t: Floats) -> Floats:
        """(n,) of the border's whole way."""
        low, high = self.side.part
        t = 1 - t if self._turned else t
        return low + t * (high - low)

    def places(self, t: Floats) -> Floats:
        """(n, 3) mm."""
        rim = self.side.rim
        return np.asarray(rim.surface.at(rim.places(self.shares(t))))

    def normals(self, t: Floats) -> Floats:
        """(n, 3) of the surface that is left."""
        rim = self.side.rim
        return np.asarray(rim.surface.normals(rim.places(self.shares(t))))

    def leaving(self, t: Floats, towards: Floats) -> list[Floats]:
        """The place and derivatives up to the order along the way that leaves the border, (n, 3) each, the first about
        one long. towards: (n, 3) the other border's places."""
        rim, s = self.side.rim, self.shares(t)
        d = rim.surface.derivatives(rim.places(s), max(self.side.order, 1))
        outward = np.broadcast_to(-rim.inward(s), (len(t), 2))
        if self._ways is not Ways.ROWS:
            along = np.broadcast_to(rim.ways(s), (len(t), 2))
            outward = self._aimed(d, outward, along, towards)
        a, b = outward[:, :1], outward[:, 1:]
        found = [d[0, 0]]
        for k in range(1, self.side.order + 1):
            found.append(sum(comb(k, j) * a ** (k - j) * b**j * d[k - j, j] for j in range(k + 1)))
        return found

    def _aimed(self, d: Floats, outward: Floats, along: Floats, towards: Floats) -> Floats:
        """(n, 2) ways in parameters, one mm long in space: square to the border, or as near as may be to the other."""
        su, sv = d[1, 0], d[0, 1]
        edge = su * along[:, :1] + sv * along[:, 1:]
        out = su * outward[:, :1] + sv * outward[:, 1:]
        slip = np.einsum("nc,nc->n", out, edge) / np.einsum("nc,nc->n", edge, edge)
        square = outward - slip[:, None] * along
        size = np.linalg.norm(su * square[:, :1] + sv * square[:, 1:], axis=1, keepdims=True)
        square = square / size
        if self._ways is Ways.SQUARE:
            return square
        gap = towards - d[0, 0]
        there = su * square[:, :1] + sv * square[:, 1:]
        ahead = np.einsum("nc,nc->n", gap, there)
        aside = np.einsum("nc,nc->n", gap, edge) / np.linalg.norm(edge, axis=1)
        # never along the border, whatever lies there
        lean = np.clip(aside / np.maximum(ahead, 1e-9 * np.abs(aside) + 1e-300), -MOST_LEAN, MOST_LEAN)
        aimed = square + lean[:, None] * along / np.linalg.norm(edge, axis=1, keepdims=True)
        return np.asarray(aimed / np.sqrt(1 + lean[:, None] ** 2))

    def pulls(self, t: Floats) -> Floats:
        """(n,) how far the border's form is followed."""
        return np.asarray(np.polyval(self._pull, 1 - t if self._turned else t))

    def meet(self, other: _Side) -> float:
        """mm: the mean gap between both; raises ArabesqueError where there is none."""
        t = np.linspace(0, 1, 33)
        one, two = self.places(t), other.places(t)
        for places in (one, two):
            if float(np.linalg.norm(np.diff(places, axis=0), axis=1).sum()) < 1e-6:
                raise ArabesqueError("A border of the blend is a single point", "Choose another edge")
        gap = float(np.linalg.norm(one - two, axis=1).mean())
        if gap < 1e-6:
            raise ArabesqueError("Both borders lie on each other: there is no gap to blend", "Pull one of them back")
        return gap


def _runs_alike(one: _Side, two: _Side) -> bool:
    """True where the second border runs the way that fits the first."""
    ends = np.array([0.0, 1.0])
    a, b = one.places(ends), two.places(ends)
    return float(np.linalg.norm(a - b, axis=1).sum()) <= float(np.linalg.norm(a - b[::-1], axis=1).sum())


class _Rows:
    """The rows of control points of a blend along both borders, as functions of the share of the way."""

    def __init__(self, sides: Sequence[_Side], gap: float, degree: int) -> None:
        self._sides, self._gap, self._degree = sides, gap, degree
        t = np.linspace(0, 1, 17)
        places = [side.places(t) for side in sides]
        self._speed = []
        for side, other in zip(sides, places[::-1], strict=True):
            first = side.leaving(t, other)[1] if side.side.order else np.ones((len(t), 3))
            self._speed.append(float(np.linalg.norm(first, axis=1).mean()))
            if self._speed[-1] < 1e-12:
                raise ArabesqueError("The surface does not go on beyond a border of the blend", "Choose another edge")

    def at(self, t: Floats) -> Floats:
        """(rows, n, 3)."""
        places = [side.places(t) for side in self._sides]
        both = []
        for number, side in enumerate(self._sides):
            found = side.leaving(t, places[1 - number])
            pull = side.pulls(t)[:, None] * self._gap / self._speed[number]
            both.append(self._rows([pull**k * d for k, d in enumerate(found)]))
        return np.array([*both[0], *both[1][::-1]])

    def _rows(self, d: list[Floats]) -> list[Floats]:
        """Control points of a Bezier curve from its end's derivatives (Farin, "Curves and Surfaces for CAGD", 5.3)."""
        # forward differences of the control points are derivatives over n (n - 1) ...
        steps = [one / perm(self._degree, k) for k, one in enumerate(d)]
        return [np.asarray(sum(comb(i, k) * steps[k] for k in range(i + 1))) for i in range(len(d))]

    def in_basis(self, degree: int, knots: Floats) -> tuple[Floats, float]:
        """(rows, m, 3) control points in a basis along, and how far the rows are from it at most, of their size."""
        t = greville(knots, degree)
        wanted = self.at(t)
        flat = np.swapaxes(wanted, 0, 1).reshape(len(t), -1)
        points = np.linalg.solve(basis_matrix(knots, degree, t, 0), flat)
        steps = np.arange(1, BETWEEN + 1) / (BETWEEN + 1)
        dense = (t[:-1, None] + np.diff(t)[:, None] * steps).ravel()
        made = (basis_matrix(knots, degree, dense, 0) @ points).reshape(len(dense), -1, 3)
        off = np.linalg.norm(np.swapaxes(made, 0, 1) - self.at(dense), axis=2).max()
        size = float(np.linalg.norm(np.ptp(wanted.reshape(-1, 3), axis=0)))
        return np.swapaxes(points.reshape(len(t), -1, 3), 0, 1), float(off) / size


def _basis(sides: Sequence[_Side]) -> tuple[int, Floats, bool]:
    """Degree and knots along in which both borders' rows lie, and whether there are such."""
    spaces, degree = [], 1
    for side in sides:
        if not side.in_rows:
            return FREE_DEGREE, _refined(np.repeat([0.0, 1.0], FREE_DEGREE + 1), FREE_DEGREE, FREE_SPANS), False
        own, breaks, smooth = _own_basis(side)
        raised = own + side.rising * side.side.order
        spaces.append((breaks, smooth))
        degree = max(degree, raised)
    if degree > LARGEST_DEGREE:
        return FREE_DEGREE, _refined(np.repeat([0.0, 1.0], FREE_DEGREE + 1), FREE_DEGREE, FREE_SPANS), False
    least: list[tuple[float, int]] = []
    for breaks, smooth in spaces:
        for at, continuity in zip(breaks.tolist(), smooth.tolist(), strict=True):
            near = next((k for k, (known, _) in enumerate(least) if abs(known - at) < SAME_KNOT), None)
            if near is None:
                least.append((at, continuity))
            else:
                least[near] = (least[near][0], min(continuity, least[near][1]))
    inner = [at for at, continuity in sorted(least) for _ in range(degree - continuity)]
    return degree, np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)]), True


def _own_basis(side: _Side) -> tuple[int, Floats, Floats]:
    """Of an edge that is a parameter line: its degree, its inner breaks as shares of the part, and how smooth it is at
    each."""
    rim = side.side.rim
    axis = int(abs(rim.uv[1, 1] - rim.uv[0, 1]) > abs(rim.uv[1, 0] - rim.uv[0, 0]))
    surface = rim.surface
    start, end = rim.places(side.shares(np.array([0.0, 1.0])))[:, axis]
    breaks, count = np.unique(surface.knots[axis], return_counts=True)
    shares = (breaks - start) / (end - start)
    inside = (shares > SAME_KNOT) & (shares < 1 - SAME_KNOT)
    order = np.argsort(shares[inside])
    degree = surface.degree[axis]
    return degree, shares[inside][order], (degree - count[inside])[order]


def _refined(knots: Floats, degree: int, parts: int = 2) -> Floats:
    """Knots with every span divided evenly."""
    ends = np.unique(knots)
    steps = np.arange(1, parts) / parts
    more = (ends[:-1, None] + np.diff(ends)[:, None] * steps).ravel()
    return np.sort(np.concatenate([knots, more]))
