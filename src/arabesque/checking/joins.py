"""How patches meet along their edges: gap, angle, curvature and its change."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from scipy.spatial.distance import cdist

from arabesque.arrays import Floats
from arabesque.geometry import Surface, foot_points, section_curvature
from arabesque.geometry.kernels import unit_cross

SAMPLES = 33
DENSE = 129
NEWTON, SETTLED = 4, 1e-13
LEAST_BEND = 1e-4
"""1/mm: curvatures below this count as this when mismatches are taken in per cent."""


@dataclass(frozen=True)
class Limits:
    """Up to where patches count as joined: gap in mm, angle in degrees, curvature and its change as shares."""

    gap: float = 0.001
    angle: float = 0.1
    curvature: float = 0.05
    change: float = 0.05


@dataclass(frozen=True, eq=False)
class Join:
    """A pair of edges that run together.

    first, second: (number of the surface, number of its edge: 0 v low, 1 u
    high, 2 v high, 3 u low; -1 for its inside). points: (n, 3) along the first. gap: (n,) mm.
    angle: (n,) degrees between the tangent planes. curvature: (n,) mismatch
    across the edge, as a share. change: (n,) mismatch of its change on the
    way across, as a share of the bend over the patches' size.
    """

    first: tuple[int, int]
    second: tuple[int, int]
    points: Floats
    gap: Floats
    angle: Floats
    curvature: Floats
    change: Floats

    def grade(self, limits: Limits = Limits()) -> int:
        """-1 for open, else the highest of 0 to 3 for which G-continuity holds all along."""
        measures = (
            (self.gap, limits.gap),
            (self.angle, limits.angle),
            (self.curvature, limits.curvature),
            (self.change, limits.change),
        )
        grade = -1
        for values, limit in measures:
            if values.max() > limit:
                break
            grade += 1
        return grade

    def worst(self, limits: Limits = Limits()) -> int:
        """Number of the point where what fails next is worst."""
        measures = (self.gap, self.angle, self.curvature, self.change)
        return int(measures[min(self.grade(limits) + 1, 3)].argmax())

    def rank(self, limits: Limits = Limits()) -> tuple[int, float]:
        """The lower, the worse: the grade, then how far off it is from the next."""
        values = (self.gap, self.angle, self.curvature, self.change)
        grade = self.grade(limits)
        return grade, -float(values[min(grade + 1, 3)].max())

    def word(self, limits: Limits = Limits()) -> str:
        """The grade with the worst figure of what fails next."""
        grade = self.grade(limits)
        worst = (
            f"open, {self.gap.max():.3f} mm",
            f"G0, {self.angle.max():.2f}°",
            f"G1, {100 * self.curvature.max():.0f} %",
            f"G2, change {100 * self.change.max():.0f} %",
            "G3",
        )
        return worst[grade + 1]


@dataclass(frozen=True, eq=False)
class _Edge:
    """An edge, sampled: parameters (k, 2) and points (k, 3); uv of a share t is start + t (end - start)."""

    start: Floats
    end: Floats
    points: Floats

    @cached_property
    def length(self) -> float:
        """mm"""
        return float(np.linalg.norm(np.diff(self.points, axis=0), axis=1).sum())

    def uv(self, t: Floats) -> Floats:
        return self.start + t[:, None] * (self.end - self.start)


def find_joins(surfaces: Sequence[Surface], reach: float | None = None, samples: int = SAMPLES) -> list[Join]:
    """All pairs of edges of different surfaces that run together within ``reach`` mm all along the shorter one.

    Edges that meet no other edge, but lie on the inside of a surface all
    along, count too. reach: by itself 0.2 % of the size of everything.
    """
    if len(surfaces) < 2:
        return []
    t = np.linspace(0, 1, DENSE)
    edges = [_edges(surface, t) for surface in surfaces]
    if reach is None:
        everything = np.concatenate([edge.points for four in edges for edge in four])
        reach = 0.002 * float(np.linalg.norm(np.ptp(everything, axis=0)))
    found = []
    for one, two in _near_pairs(edges, reach):
        join = _join(surfaces, edges, one, two, reach, samples)
        if join is not None:
            found.append(join)
    return found + _on_insides(surfaces, edges, found, reach, samples)


def _on_insides(
    surfaces: Sequence[Surface], edges: list[list[_Edge]], found: list[Join], reach: float, samples: int
) -> list[Join]:
    """Edges that lie on the inside of another surface, among those that meet no edge."""
    taken = {pair for join in found for pair in (join.first, join.second)}
    corners = [
        (s.points.reshape(-1, 3).min(axis=0) - reach, s.points.reshape(-1, 3).max(axis=0) + reach) for s in surfaces
    ]
    low, high = (np.array([corner[k] for corner in corners]) for k in (0, 1))
    made = []
    for a, four in enumerate(edges):
        for i, edge in enumerate(four):
            if (a, i) in taken:
                continue
            lowest, highest = edge.points.min(axis=0), edge.points.max(axis=0)
            for b in np.flatnonzero((lowest >= low).all(axis=1) & (highest <= high).all(axis=1)).tolist():
                if a == b:
                    continue
                rough = edge.points[:: (DENSE - 1) // 8]
                away = np.linalg.norm(foot_points(surfaces[b], rough).points - rough, axis=1)
                if away.max() <= reach:
                    made.append(_on_inside(surfaces[a], edge, surfaces[b], ((a, i), (b, -1)), samples))
    return made


def _near_pairs(edges: list[list[_Edge]], reach: float) -> Iterator[tuple[tuple[int, int], tuple[int, int]]]:
    """Pairs of edges of different surfaces of which the shorter one's middle lies in the box round the longer one."""
    flat = [edge for four in edges for edge in four]
    low = np.array([edge.points.min(axis=0) for edge in flat]) - reach
    high = np.array([edge.points.max(axis=0) for edge in flat]) + reach
    middles = np.array([edge.points[DENSE // 2] for edge in flat])
    lengths = np.array([edge.length for edge in flat])
    inside = ((middles[:, None] >= low[None]) & (middles[:, None] <= high[None])).all(axis=2)
    shorter = lengths[:, None] <= lengths[None]
    near = np.where(shorter, inside, inside.T) | (inside & inside.T)
    for i, k in np.argwhere(np.triu(near, 1)).tolist():
        if i // 4 != k // 4:
            yield (i // 4, i % 4), (k // 4, k % 4)


def _on_inside(
    a: Surface, edge: _Edge, b: Surface, pair: tuple[tuple[int, int], tuple[int, int]], samples: int
) -> Join:
    """The measures of an edge that lies on a surface: as between edges, the surface taken across the edge."""
    inward = _inward(a, edge)
    one = _Side.read(a, edge.uv(np.linspace(0, 1, samples)), inward)
    points = one.here[0, 0]
    feet = foot_points(b, points).uv
    size = edge.length
    toward = one.here[1, 0] * inward[0] + one.here[0, 1] * inward[1]
    # on the other surface the same step goes on outwards, beyond the edge
    e = b.derivatives(feet, 1)
    steps = np.einsum("nij,nj->ni", np.linalg.pinv(np.stack([e[1, 0], e[0, 1]], axis=-1)), -toward)
    two = _Side.read(b, feet, steps)
    gap = np.linalg.norm(points - two.here[0, 0], axis=1)
    return Join(*pair, points, gap, *_mismatch(one, two, one.across(edge), size))


def _edges(surface: Surface, t: Floats) -> list[_Edge]:
    """The four edges, sampled in one go."""
    ends = surface.boundary()
    points = surface.at(np.concatenate([start + t[:, None] * (end - start) for start, end in ends]))
    parts = points.reshape(4, len(t), 3)
    return [_Edge(start, end, part) for (start, end), part in zip(ends, parts, strict=True)]


def _join(
    surfaces: Sequence[Surface],
    edges: list[list[_Edge]],
    one: tuple[int, int],
    two: tuple[int, int],
    reach: float,
    samples: int,
) -> Join | None:
    first, second = edges[one[0]][one[1]], edges[two[0]][two[1]]
    lengths = [first.length, second.length]
    if min(lengths) <= reach:
        return None
    if lengths[0] > 1.001 * lengths[1]:
        one, two, first, second = two, one, second, first
    rough = first.points[:: (DENSE - 1) // 8]
    near = cdist(rough, second.points).min(axis=1)
    spacing = max(lengths) / (DENSE - 1)
    if near.max() > reach + spacing:
        return None
    a, b = surfaces[one[0]], surfaces[two[0]]
    t = np.linspace(0, 1, samples)
    here = _Side.read(a, first.uv(t), _inward(a, first))
    points = here.here[0, 0]
    there = _Side.read(b, _feet(b, second, points), _inward(b, second))
    gap = np.linalg.norm(points - there.here[0, 0], axis=1)
    if gap.max() > reach:
        return None
    return Join(one, two, points, gap, *_mismatch(here, there, here.across(first), max(lengths)))


def _feet(surface: Surface, edge: _Edge, points: Floats) -> Floats:
    """(n, 2) parameters on an edge closest to points: the nearest of many, then Newton's steps along it."""
    t = cdist(points, edge.points).argmin(axis=1) / (DENSE - 1)
    way = edge.end - edge.start
    for _ in range(NEWTON):
        d = surface.derivatives(edge.uv(t), 2)
        first = d[1, 0] * way[0] + d[0, 1] * way[1]
        second = d[2, 0] * way[0] ** 2 + 2 * d[1, 1] * way[0] * way[1] + d[0, 2] * way[1] ** 2
        rest = d[0, 0] - points
        slope = np.einsum("nc,nc->n", rest, first)
        bend = np.einsum("nc,nc->n", first, first) + np.einsum("nc,nc->n", rest, second)
        before, t = t, np.clip(t - slope / np.where(bend > 0, bend, np.inf), 0.0, 1.0)
        if np.abs(t - before).max() < SETTLED:
            break
    return edge.uv(t)


class _Side(NamedTuple):
    """A surface along an edge: derivatives there and a little further on, (3, 3, 2 n, 3), and how far that is, mm."""

    both: Floats
    length: Floats

    @property
    def here(self) -> Floats:
        """(3, 3, n, 3) derivatives along the edge."""
        return self.both[:, :, : len(self.length)]

    @classmethod
    def read(cls, surface: Surface, uv: Floats, away: Floats) -> _Side:
        """uv: (n, 2) places. away: (2,) or (n, 2), the way in parameters of which a thousandth is gone."""
        step = np.broadcast_to(1e-3 * away, uv.shape)
        both = surface.derivatives(np.concatenate([uv, uv + step]), 2)
        along_u, along_v = both[1, 0, : len(uv)], both[0, 1, : len(uv)]
        return cls(both, np.linalg.norm(along_u * step[:, :1] + along_v * step[:, 1:], axis=1))

    @property
    def normals(self) -> Floats:
        """(n, 3) unit normals along the edge."""
        return unit_cross(self.here[1, 0], self.here[0, 1])

    def across(self, edge: _Edge) -> Floats:
        """(n, 3) unit vectors across the edge, in the tangent planes."""
        way = edge.end - edge.start
        return unit_cross(self.normals, self.here[1, 0] * way[0] + self.here[0, 1] * way[1])

    def bend_and_slope(self, across: Floats, size: float) -> tuple[Floats, Floats]:
        """Curvature across the edge, and how it changes on the way, 1/mm and 1/mm²."""
        bend, further = section_curvature(self.both, np.concatenate([across, across])).reshape(2, -1)
        return bend, (further - bend) / np.maximum(self.length, 1e-9 * size)


def _mismatch(one: _Side, two: _Side, across: Floats, size: float) -> tuple[Floats, Floats, Floats]:
    """Angle, degrees, and the shares by which curvature and its change differ; slopes are taken away from the edge."""
    normal_a, normal_b = one.normals, two.normals
    (bend_a, slope_a), (bend_b, slope_b) = one.bend_and_slope(across, size), two.bend_and_slope(across, size)
    side = np.sign(np.einsum("nc,nc->n", normal_a, normal_b))
    side = np.where(side == 0, 1.0, side)
    sine = np.linalg.norm(np.cross(normal_a, normal_b), axis=1)
    angle = np.degrees(np.arctan2(sine, np.abs(np.einsum("nc,nc->n", normal_a, normal_b))))
    bend_b, slope_b = side * bend_b, side * slope_b
    scale = np.maximum((np.abs(bend_a) + np.abs(bend_b)) / 2, LEAST_BEND)
    curvature = np.abs(bend_a - bend_b) / scale
    # both slopes are taken inwards: on the way across they go opposite ways
    change = np.abs(slope_a + slope_b) * 0.1 * size / np.maximum(scale, 0.1 * np.abs(slope_a) * size)
    return angle, curvature, change


def _inward(surface: Surface, edge: _Edge) -> Floats:
    """(2,) parameters from the middle of an edge to the middle of the surface."""
    (u0, u1), (v0, v1) = surface.domain
    return np.array([(u0 + u1) / 2, (v0 + v1) / 2]) - (edge.start + edge.end) / 2
