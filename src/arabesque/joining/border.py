"""Borders that a new surface sets out from: where they run, and how their surface goes on beyond them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum
from math import comb

import numpy as np

from arabesque.arrays import Floats, Ints, unit
from arabesque.errors import InvalidShape
from arabesque.geometry import LARGEST_DEGREE, Rim, Surface

MOST_ORDER = 3
FREE_DEGREE, FREE_SPANS = 5, 4
SAME_KNOT = 1e-9
MOST_LEAN = 2.0
"""How far aside, against ahead, a way may leave a border."""
SHORTEST = 1e-3
"""Of a border's way: a shorter part is no border."""
DENSE, CLOSER = 257, 4
"""Places along a border among which the nearest to others are sought, and how often more closely."""
Space = tuple[int, Floats, Ints]
"""Of splines along a border: the degree, the inner breaks as shares of the way, and how smooth they are at each."""


class Ways(Enum):
    """How a blend leaves a border, the value in words."""

    ROWS = "along rows"
    SQUARE = "squarely"
    ACROSS = "to the other"


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


class Leaving:
    """A border as what sets out from it reads it: places and derivatives that leave it, at shares of its part."""

    def __init__(self, side: BlendSide, ways: Ways, turned: bool = False) -> None:
        self.side, self._ways, self._turned = side, ways, turned
        # a polynomial of degree 2 through three pulls
        even = len(set(side.pull)) == 1
        self._pull = np.array(side.pull[:1]) if even else np.polyfit([0.0, 0.5, 1.0], side.pull, 2)
        if np.polyval(self._pull, np.linspace(0, 1, 33)).min() <= 0:
            raise InvalidShape(
                "The pulls differ so much that the blend would turn back", "Bring them nearer each other"
            )

    def beside(self, ends: Floats) -> Leaving:
        """The same, run the way that fits something with (2, 3) ends; the pulls stay where they are on the border."""
        own = self.places(np.array([0.0, 1.0]))
        straight, turned = (float(np.linalg.norm(ends - run, axis=1).sum()) for run in (own, own[::-1]))
        return self if straight <= turned else self.backwards()

    def backwards(self) -> Leaving:
        """The same, run from its end to its start."""
        return Leaving(self.side, self._ways, not self._turned)

    @property
    def space(self) -> Space | None:
        """In which its rows lie, where the border is an edge of a polynomial patch that is left along its rows."""
        rim = self.side.rim
        along = np.abs(np.diff(rim.uv, axis=0)).ravel() if rim.straight else np.ones(2)
        if min(along) > SAME_KNOT or rim.surface.weights is not None or self._ways is not Ways.ROWS:
            return None
        axis = int(along[1] > along[0])
        start, end = rim.places(self.shares(np.array([0.0, 1.0])))[:, axis]
        raised = (len(self._pull) - 1) * self.side.order
        return space_of(rim.surface.knots[axis], rim.surface.degree[axis], float(start), float(end), raised)

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

    def squarely(self, t: Floats) -> Floats:
        """(n, 3) unit ways in which it is left square to the border."""
        rim = self.side.rim
        return outward_ways(rim.surface, rim, self.shares(t))

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


def outward_ways(surface: Surface, rim: Rim, t: Floats) -> Floats:
    """(n, 3) unit ways square to a border, away from what shows."""
    d = surface.derivatives(rim.places(t), 1)
    ways, inward = (np.broadcast_to(found, (len(t), 2)) for found in (rim.ways(t), rim.inward(t)))
    edge = unit(d[1, 0] * ways[:, :1] + d[0, 1] * ways[:, 1:])
    out = -(d[1, 0] * inward[:, :1] + d[0, 1] * inward[:, 1:])
    return unit(out - np.einsum("nc,nc->n", out, edge)[:, None] * edge)


def nearest_shares(rim: Rim, places: Floats) -> Floats:
    """(n,) shares of a border's way nearest to (n, 3) places: the nearest of many, then between its neighbours."""
    near, reach = np.zeros(len(places)), 1.0
    for _ in range(CLOSER):
        # at first all along
        shares = np.clip(near[:, None] + np.linspace(-reach, reach, DENSE), 0.0, 1.0)
        lines = rim.surface.at(rim.places(shares.ravel())).reshape(*shares.shape, 3)
        best = np.linalg.norm(lines - places[:, None], axis=2).argmin(axis=1)
        near = shares[np.arange(len(places)), best]
        reach *= 4.0 / DENSE
    return near


def common_basis(spaces: Sequence[Space | None]) -> tuple[int, Floats, bool]:
    """Degree and knots along in which all rows lie, and whether there are such; None for rows that no spline holds."""
    known = [space for space in spaces if space is not None]
    degree = max((space[0] for space in known), default=FREE_DEGREE)
    held = len(known) == len(spaces) and degree <= LARGEST_DEGREE
    if not held:
        degree = min(max(degree, FREE_DEGREE), LARGEST_DEGREE)
    least: list[tuple[float, int]] = []
    for _, breaks, smooth in known:
        for at, continuity in zip(breaks.tolist(), smooth.tolist(), strict=True):
            near = next((k for k, (known, _) in enumerate(least) if abs(known - at) < SAME_KNOT), None)
            if near is None:
                least.append((at, continuity))
            else:
                least[near] = (least[near][0], min(continuity, least[near][1]))
    inner = [at for at, continuity in sorted(least) for _ in range(degree - continuity)]
    knots = np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)])
    return degree, knots if held else refined(knots, FREE_SPANS), held


def space_of(knots: Floats, degree: int, start: float, end: float, raised: int = 0) -> Space:
    """Of splines with some knots, from one parameter to another: what they are as functions of the share of the way,
    times a polynomial of degree ``raised``."""
    breaks, count = np.unique(knots, return_counts=True)
    shares = (breaks - start) / (end - start)
    inside = (shares > SAME_KNOT) & (shares < 1 - SAME_KNOT)
    order = np.argsort(shares[inside])
    return degree + raised, shares[inside][order], (degree - count[inside])[order]


def refined(knots: Floats, parts: int = 2) -> Floats:
    """Knots with every span divided evenly."""
    ends = np.unique(knots)
    steps = np.arange(1, parts) / parts
    more = (ends[:-1, None] + np.diff(ends)[:, None] * steps).ravel()
    return np.sort(np.concatenate([knots, more]))
