"""How patches meet along their edges: gap, angle, curvature and its change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry import Surface, foot_points, normal_curvature, unit

SAMPLES = 33
DENSE = 129
NEWTON = 4
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
    edges = [[_edge(surface, k, t) for k in range(4)] for surface in surfaces]
    if reach is None:
        everything = np.concatenate([edge.points for four in edges for edge in four])
        reach = 0.002 * float(np.linalg.norm(np.ptp(everything, axis=0)))
    boxes = [[(e.points.min(axis=0) - reach, e.points.max(axis=0) + reach) for e in four] for four in edges]
    found = []
    for a in range(len(surfaces)):
        for b in range(a + 1, len(surfaces)):
            for i in range(4):
                for k in range(4):
                    (low, high), (other_low, other_high) = boxes[a][i], boxes[b][k]
                    if (low > other_high).any() or (high < other_low).any():
                        continue
                    join = _join(surfaces, edges, (a, i), (b, k), reach, samples)
                    if join is not None:
                        found.append(join)
    return found + _on_insides(surfaces, edges, found, reach, samples)


def _on_insides(
    surfaces: Sequence[Surface], edges: list[list[_Edge]], found: list[Join], reach: float, samples: int
) -> list[Join]:
    """Edges that lie on the inside of another surface, among those that meet no edge."""
    taken = {pair for join in found for pair in (join.first, join.second)}
    boxes = []
    for surface in surfaces:
        points = surface.points.reshape(-1, 3)
        boxes.append((points.min(axis=0) - reach, points.max(axis=0) + reach))
    made = []
    for a, four in enumerate(edges):
        for i, edge in enumerate(four):
            for b, (low, high) in enumerate(boxes):
                inside = (edge.points >= low).all() and (edge.points <= high).all()
                if a == b or (a, i) in taken or not inside:
                    continue
                rough = edge.points[:: (DENSE - 1) // 8]
                away = np.linalg.norm(foot_points(surfaces[b], rough).points - rough, axis=1)
                if away.max() <= reach:
                    made.append(_on_inside(surfaces[a], edge, surfaces[b], ((a, i), (b, -1)), samples))
    return made


def _on_inside(
    a: Surface, edge: _Edge, b: Surface, pair: tuple[tuple[int, int], tuple[int, int]], samples: int
) -> Join:
    """The measures of an edge that lies on a surface: as between edges, the surface taken across the edge."""
    uv = edge.uv(np.linspace(0, 1, samples))
    points = a.at(uv)
    feet = foot_points(b, points).uv
    gap = np.linalg.norm(points - b.at(feet), axis=1)
    d = a.derivatives(uv, 1)
    way = edge.end - edge.start
    across = unit(np.cross(a.normals(uv), d[1, 0] * way[0] + d[0, 1] * way[1]))
    size = float(np.linalg.norm(np.diff(edge.points, axis=0), axis=1).sum())
    inward = _inward(a, edge)
    toward = d[1, 0] * inward[0] + d[0, 1] * inward[1]
    # on the other surface the same step goes on outwards, beyond the edge
    e = b.derivatives(feet, 1)
    bases = np.stack([e[1, 0], e[0, 1]], axis=-1)
    steps = np.einsum("nij,nj->ni", np.linalg.pinv(bases), -toward)
    bend_a, slope_a = _bend_and_slope(a, uv, np.broadcast_to(inward, uv.shape), across, size)
    bend_b, slope_b = _bend_and_slope(b, feet, steps, across, size)
    normal_a, normal_b = a.normals(uv), b.normals(feet)
    return Join(*pair, points, gap, *_mismatch(normal_a, normal_b, bend_a, slope_a, bend_b, slope_b, size))


def _edge(surface: Surface, number: int, t: Floats) -> _Edge:
    start, end = surface.boundary()[number]
    return _Edge(start, end, surface.at(start + t[:, None] * (end - start)))


def _join(
    surfaces: Sequence[Surface],
    edges: list[list[_Edge]],
    one: tuple[int, int],
    two: tuple[int, int],
    reach: float,
    samples: int,
) -> Join | None:
    first, second = edges[one[0]][one[1]], edges[two[0]][two[1]]
    lengths = [float(np.linalg.norm(np.diff(e.points, axis=0), axis=1).sum()) for e in (first, second)]
    if min(lengths) <= reach:
        return None
    if lengths[0] > 1.001 * lengths[1]:
        one, two, first, second = two, one, second, first
    rough = first.points[:: (DENSE - 1) // 8]
    near = np.linalg.norm(rough[:, None] - second.points[None], axis=2).min(axis=1)
    spacing = max(lengths) / (DENSE - 1)
    if near.max() > reach + spacing:
        return None
    a, b = surfaces[one[0]], surfaces[two[0]]
    t = np.linspace(0, 1, samples)
    uv = first.uv(t)
    points = a.at(uv)
    feet = _feet(b, second, points)
    gap = np.linalg.norm(points - b.at(feet), axis=1)
    if gap.max() > reach:
        return None
    angle, curvature, change = _across(a, uv, first, b, feet, second, max(lengths))
    return Join(one, two, points, gap, angle, curvature, change)


def _feet(surface: Surface, edge: _Edge, points: Floats) -> Floats:
    """(n, 2) parameters on an edge closest to points: the nearest of many, then Newton's steps along it."""
    away = np.linalg.norm(points[:, None] - edge.points[None], axis=2)
    t = away.argmin(axis=1) / (DENSE - 1)
    way = edge.end - edge.start
    for _ in range(NEWTON):
        d = surface.derivatives(edge.uv(t), 2)
        first = d[1, 0] * way[0] + d[0, 1] * way[1]
        second = d[2, 0] * way[0] ** 2 + 2 * d[1, 1] * way[0] * way[1] + d[0, 2] * way[1] ** 2
        rest = d[0, 0] - points
        slope = np.einsum("nc,nc->n", rest, first)
        bend = np.einsum("nc,nc->n", first, first) + np.einsum("nc,nc->n", rest, second)
        t = np.clip(t - slope / np.where(bend > 0, bend, np.inf), 0.0, 1.0)
    return edge.uv(t)


def _across(
    a: Surface, uv_a: Floats, edge_a: _Edge, b: Surface, uv_b: Floats, edge_b: _Edge, size: float
) -> tuple[Floats, Floats, Floats]:
    """Angle (degrees) and mismatches of curvature and of its change across the edge."""
    normal_a, normal_b = a.normals(uv_a), b.normals(uv_b)
    da = a.derivatives(uv_a, 1)
    way = edge_a.end - edge_a.start
    across = unit(np.cross(normal_a, da[1, 0] * way[0] + da[0, 1] * way[1]))
    steps = [np.broadcast_to(_inward(s, e), uv.shape) for s, e, uv in ((a, edge_a, uv_a), (b, edge_b, uv_b))]
    bend_a, slope_a = _bend_and_slope(a, uv_a, steps[0], across, size)
    bend_b, slope_b = _bend_and_slope(b, uv_b, steps[1], across, size)
    return _mismatch(normal_a, normal_b, bend_a, slope_a, bend_b, slope_b, size)


def _mismatch(
    normal_a: Floats, normal_b: Floats, bend_a: Floats, slope_a: Floats, bend_b: Floats, slope_b: Floats, size: float
) -> tuple[Floats, Floats, Floats]:
    """Angle, degrees, and the shares by which curvature and its change differ; slopes are taken away from the edge."""
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


def _bend_and_slope(surface: Surface, uv: Floats, away: Floats, across: Floats, size: float) -> tuple[Floats, Floats]:
    """Curvature across the edge, and how it changes on the way along (n, 2) ``away``, 1/mm and 1/mm²."""
    step = 1e-3 * away
    bend = normal_curvature(surface, uv, across)
    d = surface.derivatives(uv, 1)
    length = np.linalg.norm(d[1, 0] * step[:, :1] + d[0, 1] * step[:, 1:], axis=1)
    slope = (normal_curvature(surface, uv + step, across) - bend) / np.maximum(length, 1e-9 * size)
    return bend, slope
