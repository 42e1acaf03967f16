"""How shapes meet along their rims: gap, angle, curvature and its change."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import groupby
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, tree_of
from arabesque.geometry import Rim, Surface, foot_points, section_curvature
from arabesque.geometry.kernels import unit_cross
from arabesque.shapes import Rimmed

Key = tuple[int, int]
"""Number of a shape, and of a rim of it."""
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
    """A pair of rims that run together.

    first, second: (number of the shape, number of its rim, of a patch as
    ``geometry.Edge`` says; -1 for its inside). points: (n, 3) along the first. gap: (n,) mm.
    angle: (n,) degrees between the tangent planes. curvature: (n,) mismatch
    across the edge, as a share. change: (n,) mismatch of its change on the
    way across, as a share of the bend over the patches' size.
    """

    first: Key
    second: Key
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
class _Line:
    """A rim, sampled: (DENSE, 3) points at even shares of its way."""

    rim: Rim
    points: Floats

    @cached_property
    def length(self) -> float:
        """mm"""
        return float(np.linalg.norm(np.diff(self.points, axis=0), axis=1).sum())


def find_joins(shapes: Sequence[Rimmed], reach: float | None = None, samples: int = SAMPLES) -> list[Join]:
    """All pairs of rims of different shapes that run together within ``reach`` mm all along the shorter one.

    Rims that meet no other rim, but lie on the inside of a shape all along,
    count too. reach: by itself 0.2 % of the size of everything.
    """
    if len(shapes) < 2:
        return []
    t = np.linspace(0, 1, DENSE)
    rims = {(number, k): line for number, shape in enumerate(shapes) for k, line in enumerate(_lines(shape.rims(), t))}
    if not rims:
        return []
    if reach is None:
        everything = np.concatenate([line.points for line in rims.values()])
        reach = 0.002 * float(np.linalg.norm(np.ptp(everything, axis=0)))
    found = []
    for one, two in _near_pairs(rims, reach):
        join = _join(rims, one, two, reach, samples)
        if join is not None:
            found.append(join)
    return found + _on_insides(rims, found, reach, samples)


def _lines(rims: Sequence[Rim], t: Floats) -> list[_Line]:
    """Rims, sampled; those of one patch in one go."""
    lines = []
    for surface, of_it in groupby(rims, key=lambda rim: rim.surface):
        some = list(of_it)
        points = surface.at(np.concatenate([rim.places(t) for rim in some])).reshape(len(some), len(t), 3)
        lines += [_Line(rim, part) for rim, part in zip(some, points, strict=True)]
    return lines


def _on_insides(rims: dict[Key, _Line], found: list[Join], reach: float, samples: int) -> list[Join]:
    """Rims that lie on the inside of another shape's patch, among those that meet no rim."""
    taken = {pair for join in found for pair in (join.first, join.second)}
    bearers = {id(line.rim.surface): (number, line.rim.surface) for (number, _), line in rims.items()}
    numbers, surfaces = np.array([n for n, _ in bearers.values()]), [surface for _, surface in bearers.values()]
    boxes = [surface.box for surface in surfaces]
    low, high = np.array([b[0] for b in boxes]) - reach, np.array([b[1] for b in boxes]) + reach
    made = []
    for (a, i), line in rims.items():
        if (a, i) in taken:
            continue
        lowest, highest = line.points.min(axis=0), line.points.max(axis=0)
        about = (lowest >= low).all(axis=1) & (highest <= high).all(axis=1) & (numbers != a)
        for b in np.flatnonzero(about).tolist():
            rough = line.points[:: (DENSE - 1) // 8]
            feet = foot_points(surfaces[b], rough)
            away = np.linalg.norm(feet.points - rough, axis=1)
            if away.max() <= reach and surfaces[b].shows(feet.uv[1:-1]).all():
                made.append(_on_inside(line, surfaces[b], ((a, i), (int(numbers[b]), -1)), samples))
    return made


def _near_pairs(rims: dict[Key, _Line], reach: float) -> Iterator[tuple[Key, Key]]:
    """Pairs of rims of different shapes of which the shorter one's middle lies in the box round the longer one."""
    keys, flat = list(rims), list(rims.values())
    low = np.array([line.points.min(axis=0) for line in flat]) - reach
    high = np.array([line.points.max(axis=0) for line in flat]) + reach
    middles = np.array([line.points[DENSE // 2] for line in flat])
    lengths = np.array([line.length for line in flat])
    inside = ((middles[:, None] >= low[None]) & (middles[:, None] <= high[None])).all(axis=2)
    shorter = lengths[:, None] <= lengths[None]
    near = np.where(shorter, inside, inside.T) | (inside & inside.T)
    for i, k in np.argwhere(np.triu(near, 1)).tolist():
        if keys[i][0] != keys[k][0]:
            yield keys[i], keys[k]


def _on_inside(line: _Line, b: Surface, pair: tuple[Key, Key], samples: int) -> Join:
    """The measures of a rim that lies on a patch: as between rims, the patch taken across the rim."""
    t = np.linspace(0, 1, samples)
    inward = line.rim.inward(t)
    one = _Side.read(line.rim.surface, line.rim.places(t), inward)
    points = one.here[0, 0]
    feet = foot_points(b, points).uv
    toward = one.here[1, 0] * inward[:, :1] + one.here[0, 1] * inward[:, 1:]
    # on the other patch the same step goes on outwards, beyond the rim
    e = b.derivatives(feet, 1)
    steps = np.einsum("nij,nj->ni", np.linalg.pinv(np.stack([e[1, 0], e[0, 1]], axis=-1)), -toward)
    two = _Side.read(b, feet, steps)
    gap = np.linalg.norm(points - two.here[0, 0], axis=1)
    return Join(*pair, points, gap, *_mismatch(one, two, one.across(line.rim.ways(t)), line.length))


def _join(rims: dict[Key, _Line], one: Key, two: Key, reach: float, samples: int) -> Join | None:
    first, second = rims[one], rims[two]
    lengths = [first.length, second.length]
    if min(lengths) <= reach:
        return None
    if lengths[0] > 1.001 * lengths[1]:
        one, two, first, second = two, one, second, first
    rough = first.points[:: (DENSE - 1) // 8]
    near, _ = tree_of(second.points).query(rough)
    spacing = max(lengths) / (DENSE - 1)
    if near.max() > reach + spacing:
        return None
    t = np.linspace(0, 1, samples)
    here = _Side.read(first.rim.surface, first.rim.places(t), first.rim.inward(t))
    points = here.here[0, 0]
    s = _feet(second, points)
    there = _Side.read(second.rim.surface, second.rim.places(s), second.rim.inward(s))
    gap = np.linalg.norm(points - there.here[0, 0], axis=1)
    if gap.max() > reach:
        return None
    return Join(one, two, points, gap, *_mismatch(here, there, here.across(first.rim.ways(t)), max(lengths)))


def _feet(line: _Line, points: Floats) -> Floats:
    """(n,) shares of a rim's way closest to points: the nearest of many, then Newton's steps along it."""
    t = tree_of(line.points).query(points)[1] / (DENSE - 1)
    for _ in range(NEWTON):
        way = line.rim.ways(t)
        d = line.rim.surface.derivatives(line.rim.places(t), 2)
        a, b = way[:, :1], way[:, 1:]
        first = d[1, 0] * a + d[0, 1] * b
        second = d[2, 0] * a**2 + 2 * d[1, 1] * a * b + d[0, 2] * b**2
        rest = d[0, 0] - points
        slope = np.einsum("nc,nc->n", rest, first)
        bend = np.einsum("nc,nc->n", first, first) + np.einsum("nc,nc->n", rest, second)
        before, t = t, np.clip(t - slope / np.where(bend > 0, bend, np.inf), 0.0, 1.0)
        if np.abs(t - before).max() < SETTLED:
            break
    return t


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
        """uv: (n, 2) places. away: (n, 2) or (1, 2), the way in parameters of which a thousandth is gone."""
        step = 1e-3 * away
        both = surface.derivatives(np.concatenate([uv, uv + step]), 2)
        along_u, along_v = both[1, 0, : len(uv)], both[0, 1, : len(uv)]
        return cls(both, np.linalg.norm(along_u * step[:, :1] + along_v * step[:, 1:], axis=1))

    @property
    def normals(self) -> Floats:
        """(n, 3) unit normals along the edge."""
        return unit_cross(self.here[1, 0], self.here[0, 1])

    def across(self, ways: Floats) -> Floats:
        """(n, 3) unit vectors across an edge that runs along (n, 2) ways in parameters, in the tangent planes."""
        return unit_cross(self.normals, self.here[1, 0] * ways[:, :1] + self.here[0, 1] * ways[:, 1:])

    def bend_and_slope(self, across: Floats, size: float) -> tuple[Floats, Floats]:
        """Curvature across the edge, and how it changes on the way, 1/mm and 1/mm²."""
        bend, further = section_curvature(self.both, np.concatenate([across, across])).reshape(2, -1)
        return bend, (further - bend) / np.maximum(self.length, 1e-9 * size)


def _mismatch(one: _Side, two: _Side, across: Floats, size: float) -> tuple[Floats, Floats, Floats]:
    """Angle, degrees, and the shares by which curvature and its change differ; slopes are taken away from the edge."""
    normal_a, normal_b = one.normals, two.normals
    (bend_a, slope_a), (bend_b, slope_b) = one.bend_and_slope(across, size), two.bend_and_slope(across, size)
    cosine = np.einsum("nc,nc->n", normal_a, normal_b)
    # the length of a x b, by components: several times quicker for a few places than NumPy's cross product
    (ax, ay, az), (bx, by, bz) = normal_a.T, normal_b.T
    sine = np.sqrt((ay * bz - az * by) ** 2 + (az * bx - ax * bz) ** 2 + (ax * by - ay * bx) ** 2)
    angle = np.degrees(np.arctan2(sine, np.abs(cosine)))
    side = np.where(cosine < 0, -1.0, 1.0)
    bend_b, slope_b = side * bend_b, side * slope_b
    scale = np.maximum((np.abs(bend_a) + np.abs(bend_b)) / 2, LEAST_BEND)
    curvature = np.abs(bend_a - bend_b) / scale
    # both slopes are taken inwards: on the way across they go opposite ways
    change = np.abs(slope_a + slope_b) * 0.1 * size / np.maximum(scale, 0.1 * np.abs(slope_a) * size)
    # surfaces that stand square to each other have no section in common
    return angle, *(np.where(np.isnan(values), np.inf, values) for values in (curvature, change))
