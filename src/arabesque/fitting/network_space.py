"""Four-sided patches between shared lines: one spline a line, and the patches' control points as sums of unknowns.

Every side of a patch is exactly a part of its line, so that neighbours share their borders to rounding, also where one
side runs past the corners of several neighbours. A line is curvature continuous where others meet it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import coo_array, csr_array

from arabesque.arrays import Floats, Ints
from arabesque.geometry import Surface, basis_matrix
from arabesque.geometry.kernels import refined_rows

SAME = 1e-9
SEAM_ORDERS = (1, 2)
"""Derivatives that agree where a closed line begins and ends."""


@dataclass(frozen=True, eq=False)
class Line:
    """A line that sides of patches lie on.

    places: (m, 3) along it, at even steps, mm. stations: (k,) rising shares of its length at which nodes lie, 0 and 1
    among them. nodes: their numbers. closed: it ends where it begins, smoothly. border: patches on one side only.
    sharp: patches may meet there at an angle.
    """

    places: Floats
    stations: Floats
    nodes: tuple[int, ...]
    closed: bool = False
    border: bool = False
    sharp: bool = False

    def at(self, shares: Floats) -> Floats:
        """(n, 3) places at shares of the length."""
        steps = np.linspace(0.0, 1.0, len(self.places))
        return np.column_stack([np.interp(shares, steps, self.places[:, c]) for c in range(3)])


@dataclass(frozen=True)
class SideOf:
    """A side of a patch: a line, and the numbers of its stations from corner to corner, in the direction it is run."""

    line: int
    start: int
    end: int

    @property
    def intervals(self) -> range:
        """Numbers of the line's intervals that it covers."""
        return range(min(self.start, self.end), max(self.start, self.end))


Quad = tuple[SideOf, SideOf, SideOf, SideOf]
"""Four sides, each beginning where the one before ends."""


@dataclass(frozen=True, eq=False)
class PatchLayout:
    """nodes: (n, 3) places where lines meet, mm. mesh_of: for each quad the number of the mesh it is part of."""

    nodes: Floats
    lines: tuple[Line, ...]
    quads: tuple[Quad, ...]
    mesh_of: tuple[int, ...]

    def strips(self) -> list[Ints]:
        """For each line the number of the strip that each of its intervals belongs to.

        Intervals that face each other across a quad are of one strip: they have as many spans.
        """
        count = [len(line.stations) - 1 for line in self.lines]
        offset = np.concatenate([[0], np.cumsum(count)])
        parent = np.arange(offset[-1])

        def root(k: int) -> int:
            while parent[k] != k:
                k = parent[k]
            return k

        for quad in self.quads:
            for one, two in ((quad[0], quad[2]), (quad[1], quad[3])):
                if len(one.intervals) == len(two.intervals) == 1:
                    a, b = (root(int(offset[s.line] + s.intervals[0])) for s in (one, two))
                    parent[max(a, b)] = min(a, b)
        roots = np.array([root(k) for k in range(len(parent))])
        _, numbers = np.unique(roots, return_inverse=True)
        return [np.asarray(numbers[offset[k] : offset[k + 1]], dtype=np.int64) for k in range(len(self.lines))]


class NetworkSpace:
    """The spline spaces of a layout: a degree, and for each interval of each line its number of spans.

    Unknowns are the control points of the lines, one line after the other, and then those inside each patch.
    """

    def __init__(
        self, layout: PatchLayout, degree: int, spans: Sequence[Ints], knots: Sequence[Floats] | None = None
    ) -> None:
        """knots: of each line on [0, 1], where its spans are not even."""
        self.layout, self.degree, self.spans = layout, degree, spans
        self.line_knots = list(knots) if knots is not None else [
            _line_knots(line, degree, each) for line, each in zip(layout.lines, spans, strict=True)
        ]  # fmt: skip
        counts = [len(knots) - degree - 1 for knots in self.line_knots]
        self.line_start = np.concatenate([[0], np.cumsum(counts)])
        self.knots = [self._patch_knots(quad) for quad in layout.quads]
        self.shapes = [(len(u) - degree - 1, len(v) - degree - 1) for u, v in self.knots]
        inner = [(nu - 2) * (nv - 2) for nu, nv in self.shapes]
        self.inner_start = self.line_start[-1] + np.concatenate([[0], np.cumsum(inner)])
        self.count = int(self.inner_start[-1])
        parts = [self._rows(number) for number in range(len(layout.quads))]
        self.columns: list[Ints] = [columns for columns, _ in parts]
        """For each patch the numbers of the unknowns that it is made of."""
        self.rows: list[Floats] = [rows for _, rows in parts]
        """For each patch its control points (nu nv, columns) as sums of these."""

    def surfaces(self, unknowns: Floats) -> list[Surface]:
        """The patches of (count, 3) unknowns."""
        return [self.surface(number, unknowns) for number in range(len(self.knots))]

    def surface(self, number: int, unknowns: Floats) -> Surface:
        """One of them."""
        points = self.rows[number] @ unknowns[self.columns[number]]
        return Surface((self.degree, self.degree), self.knots[number], points.reshape(*self.shapes[number], 3))

    def line_basis(self, line: int, shares: Floats, derivative: int = 0) -> Floats:
        """(n, control points of the line) values of its basis."""
        return basis_matrix(self.line_knots[line], self.degree, np.ascontiguousarray(shares, dtype=float), derivative)

    @cached_property
    def ties(self) -> csr_array:
        """(k, count) sums of unknowns that are 0: lines meet at nodes, closed ones run smoothly over their start."""
        rows: list[tuple[Ints, Floats]] = []
        first: dict[int, tuple[int, float]] = {}
        for number, line in enumerate(self.layout.lines):
            for share, node in zip(line.stations, line.nodes, strict=True):
                here = number, float(share)
                if node in first:
                    rows.append(self._tie(first[node], here, 0))
                else:
                    first[node] = here
            if line.closed:
                rows += [self._tie((number, 0.0), (number, 1.0), order) for order in SEAM_ORDERS]
        if not rows:
            return csr_array((0, self.count))
        index = np.concatenate([np.full(len(columns), k) for k, (columns, _) in enumerate(rows)])
        columns, values = (np.concatenate([row[k] for row in rows]) for k in (0, 1))
        return csr_array(coo_array((values, (index, columns)), shape=(len(rows), self.count)))

    def _tie(self, one: tuple[int, float], two: tuple[int, float], order: int) -> tuple[Ints, Floats]:
        found = []
        for line, share in (one, two):
            values = self.line_basis(line, np.array([share]), order)[0]
            where = np.flatnonzero(values)
            found.append((where + self.line_start[line], values[where]))
        (a, x), (b, y) = found
        size = max(np.abs(x).max(), np.abs(y).max())
        return np.concatenate([a, b]), np.concatenate([x, -y]) / size

    def _patch_knots(self, quad: Quad) -> tuple[Floats, Floats]:
        """Knots along u and v on [0, 1]: those of both sides that face each other."""
        found = []
        for one, two in ((quad[0], quad[2]), (quad[3], quad[1])):
            inner = united(self._inner(one), self._inner(two, backwards=True))
            p = self.degree + 1
            found.append(np.concatenate([np.zeros(p), inner, np.ones(p)]))
        # the fourth side is run from high v to low v: its shares were taken backwards
        v = found[1]
        return found[0], 1.0 - v[::-1]

    def _inner(self, side: SideOf, backwards: bool = False) -> Floats:
        """Knots strictly inside a side, as shares of it in the direction it is run, or against that."""
        line = self.layout.lines[side.line]
        start, end = line.stations[side.start], line.stations[side.end]
        low, high = min(start, end), max(start, end)
        knots = self.line_knots[side.line]
        inside = (knots[(knots > low + SAME) & (knots < high - SAME)] - start) / (end - start)
        return np.sort(1.0 - inside if backwards else inside)

    def _side_rows(self, side: SideOf, knots: Floats) -> tuple[Ints, Floats]:
        """The control points of a side over patch knots, in its direction, as sums of its line's."""
        line = self.layout.lines[side.line]
        start, end = float(line.stations[side.start]), float(line.stations[side.end])
        wanted = start + (end - start) * knots
        if end < start:
            wanted = wanted[::-1]
        old = self.line_knots[side.line]
        # what is one knot is one number
        near = np.searchsorted(old, wanted).clip(1, len(old) - 1)
        near = np.where(np.abs(old[near - 1] - wanted) < np.abs(old[near] - wanted), near - 1, near)
        wanted = np.where(np.abs(old[near] - wanted) < SAME, old[near], wanted)
        made = refined_rows(old, self.degree, np.eye(len(old) - self.degree - 1), np.ascontiguousarray(wanted))
        used = np.flatnonzero(np.abs(made).max(axis=0) > 0)
        made = made[::-1] if end < start else made
        return used + self.line_start[side.line], made[:, used]

    def _rows(self, number: int) -> tuple[Ints, Floats]:
        quad, (nu, nv), (u, v) = self.layout.quads[number], self.shapes[number], self.knots[number]
        index = np.arange(nu * nv).reshape(nu, nv)
        inner = index[1:-1, 1:-1].ravel()
        parts: list[tuple[Ints, Ints, Floats]] = []
        # sides along v leave the corners to those along u
        for side, knots, places, cut in (
            (quad[0], u, index[:, 0], False),
            (quad[2], 1.0 - u[::-1], index[::-1, -1], False),
            (quad[1], v, index[-1, :], True),
            (quad[3], 1.0 - v[::-1], index[0, ::-1], True),
        ):
            columns, values = self._side_rows(side, knots)
            if cut:
                places, values = places[1:-1], values[1:-1]
            parts.append((places, columns, values))
        columns = np.unique(np.concatenate([one[1] for one in parts]))
        own = self.inner_start[number] + np.arange(len(inner))
        rows = np.zeros((nu * nv, len(columns) + len(own)))
        for places, used, values in parts:
            rows[np.ix_(places, np.searchsorted(columns, used))] = values
        rows[inner, len(columns) + np.arange(len(own))] = 1.0
        return np.concatenate([columns, own]), rows


def _line_knots(line: Line, degree: int, spans: Ints) -> Floats:
    """Clamped knots: twice differentiable at stations, as smooth as can be elsewhere."""
    multiplicity = max(1, degree - 2)
    inner = []
    for k, (a, b) in enumerate(zip(line.stations[:-1], line.stations[1:], strict=True)):
        if k:
            inner.append(np.full(multiplicity, a))
        inner.append(a + (b - a) * np.arange(1, spans[k]) / spans[k])
    return np.concatenate([np.zeros(degree + 1), *inner, np.ones(degree + 1)])


def united(one: Floats, two: Floats) -> Floats:
    """Rising knots with each as often as in the one that has it more often."""
    both: list[float] = []
    values = np.sort(np.concatenate([one, two]))
    apart = np.concatenate([[True], np.diff(values) > SAME]) if len(values) else np.zeros(0, dtype=bool)
    for value in values[apart]:
        times = max(int((np.abs(knots - value) <= SAME).sum()) for knots in (one, two))
        both += [float(value)] * times
    return np.array(both)
