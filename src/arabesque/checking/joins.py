"""How shapes meet along their rims: gap, angle, curvature and its change."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from itertools import groupby
from typing import Any, NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats, tree_of, unit
from arabesque.geometry import Rim, Surface, foot_points, parameter_sine, section_bends
from arabesque.geometry.kernels import step_along, unit_cross
from arabesque.shapes import Rimmed

Key = tuple[int, int]
"""Number of a shape, and of a rim of it."""
SAMPLES = 33
PLACES_A_SPAN = 5
CLOSER = 2
"""Rounds in which the worst places are looked at more closely."""
EXACT = 1e-9
"""Mismatches below that are rounding."""
DENSE = 129
ROUGH = 8
"""One in so many of them is looked at first."""
LONGER, SHORTEST = 4.0, 0.02
"""Rims that run together do so for more than that many reaches, and more than that share of the shorter one."""
FITTING, SHORTEST_FITTING = 1 / 16, 0.004
"""Of the reach: rims that lie so near to each other all along run together over shorter parts, too, down to so many
times that, and that share of the shorter one."""
APART = 0.1
"""Millimetres a millimetre by which rims that meet somewhere run apart: those that do so faster only cross."""
NEWTON, SETTLED = 4, 1e-13
REGULAR = 1e-6
"""The sine between the ways along u and v, and of the largest along a rim each of their lengths, at least."""
SQUARE = 1e-7
"""mm: so far from square to a rim the way to a point may stand."""
SECTIONS, GOLDEN = 36, (5**0.5 - 1) / 2
"""A step between two samples is searched down to 3e-8 of it."""
LEAST_BEND, INFLECTED = 1e-4, 0.1
"""Curvatures count as at least so many 1/mm, and as that share of the largest along the rims, when mismatches are taken
in per cent: where a form turns from hollow to round its curvature is 0, and anything would be infinitely off."""


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
    ``geometry.Edge`` says; -1 for its inside). points: (n, 3) along the part
    of the first that they have in common, closer together where they meet
    worst. gap: (n,) mm. angle: (n,) degrees between the tangent planes.
    curvature: (n,) mismatch in the section square to the edge, as a share of
    the curvature there, or of a tenth of the largest along the rims where that is more.
    change: (n,) mismatch of its change on the way across, as a share of the
    bend over the edges' length.
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

    @cached_property
    def box(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box round its points."""
        return self.points.min(axis=0), self.points.max(axis=0)

    @cached_property
    def tree(self) -> Any:
        """Of its points."""
        return tree_of(self.points)

    @cached_property
    def shares(self) -> Floats:
        """Shares of its way at which it is looked at first: some in each span of its patch."""
        return np.linspace(0.0, 1.0, max(SAMPLES, PLACES_A_SPAN * max(self.rim.surface.spans) + 1))


class JoinMemory:
    """What was measured the last time: among shapes of which few change, only those that did are measured anew."""

    def __init__(self) -> None:
        self._lines: dict[int, tuple[Rimmed, list[_Line]]] = {}
        # with what a pair is of, so that nothing else can come to have its identity
        self._pairs: dict[tuple[int, int, float], tuple[object, object, list[tuple[bool, Join]]]] = {}
        self._used: set[tuple[int, int, float]] = set()

    def lines(self, shapes: Sequence[Rimmed]) -> list[list[_Line]]:
        """The sampled rims of each shape; what is of no other shape is forgotten."""
        t, now = np.linspace(0, 1, DENSE), {}
        for shape in shapes:
            known = self._lines.get(id(shape))
            same = known is not None and known[0] is shape
            now[id(shape)] = known if same and known is not None else (shape, _lines(shape.rims(), t))
        self._lines = now
        return [now[id(shape)][1] for shape in shapes]

    def joins(
        self, one: _Line, two: object, keys: tuple[Key, Key], reach: float, measure: Callable[[], list[Join]]
    ) -> list[Join]:
        """The joins of a rim with another one, or with the inside of a patch."""
        name = id(one), id(two), reach
        self._used.add(name)
        if name not in self._pairs:
            self._pairs[name] = one, two, [(join.first != keys[0], join) for join in measure()]
        return [replace(join, first=keys[swapped], second=keys[not swapped]) for swapped, join in self._pairs[name][2]]

    def done(self) -> None:
        """Forget the pairs that were not asked for."""
        self._pairs = {name: found for name, found in self._pairs.items() if name in self._used}
        self._used = set()


def find_joins(shapes: Sequence[Rimmed], reach: float | None = None, memory: JoinMemory | None = None) -> list[Join]:
    """All parts of rims of different shapes that run together within ``reach`` mm.

    Rims that meet no other rim, but run over the inside of a shape, count
    too. reach: by itself 0.2 % of the size of everything. memory: of the last
    time, among much the same shapes.
    """
    if len(shapes) < 2:
        return []
    known = JoinMemory() if memory is None else memory
    rims = {(number, k): line for number, lines in enumerate(known.lines(shapes)) for k, line in enumerate(lines)}
    if not rims:
        return []
    if reach is None:
        everything = np.array([line.box for line in rims.values()])
        size = float(np.linalg.norm(everything[:, 1].max(axis=0) - everything[:, 0].min(axis=0)))
        # by two digits: it stays the same while something is pulled a little
        reach = float(f"{0.002 * size:.1e}")
    found = []
    for one, two in _near_pairs(rims, reach):
        measure = partial(_joins, rims, one, two, reach)
        found += known.joins(rims[one], rims[two], (one, two), reach, measure)
    found += _on_insides(rims, found, reach, known)
    known.done()
    return found


def _lines(rims: Sequence[Rim], t: Floats) -> list[_Line]:
    """Rims, sampled; those of one patch in one go."""
    lines = []
    for surface, of_it in groupby(rims, key=lambda rim: rim.surface):
        some = list(of_it)
        points = surface.at(np.concatenate([rim.places(t) for rim in some])).reshape(len(some), len(t), 3)
        lines += [_Line(rim, part) for rim, part in zip(some, points, strict=True)]
    return lines


def _on_insides(rims: dict[Key, _Line], found: list[Join], reach: float, known: JoinMemory) -> list[Join]:
    """Rims that run over the inside of another shape's patch, among those that meet no rim."""
    taken = {pair for join in found for pair in (join.first, join.second)}
    bearers = {id(line.rim.surface): (number, line.rim.surface) for (number, _), line in rims.items()}
    numbers, surfaces = np.array([n for n, _ in bearers.values()]), [surface for _, surface in bearers.values()]
    boxes = [surface.box for surface in surfaces]
    low, high = np.array([b[0] for b in boxes]), np.array([b[1] for b in boxes])
    made = []
    for (a, i), line in rims.items():
        if (a, i) in taken:
            continue
        least = max(LONGER * reach, SHORTEST * line.length)
        about = (_overlap(*line.box, low, high, reach) >= least) & (numbers != a)
        for b in np.flatnonzero(about).tolist():
            keys = (a, i), (int(numbers[b]), -1)
            made += known.joins(line, surfaces[b], keys, reach, partial(_inside, line, surfaces[b], keys, reach))
    return made


def _inside(line: _Line, surface: Surface, keys: tuple[Key, Key], reach: float) -> list[Join]:
    """The parts of a rim that run over the inside of a patch."""
    # a rough look first: most rims that come near to a box do not touch what is in it
    rough = foot_points(surface, line.points[::ROUGH])
    near = np.linalg.norm(rough.points - line.points[::ROUGH], axis=1) <= reach
    if np.count_nonzero(near) < 2:
        return []
    feet = foot_points(surface, line.points)
    meets = np.linalg.norm(feet.points - line.points, axis=1) <= reach
    meets &= surface.shows(feet.uv) & feet.inside
    ends = _runs(meets, line, reach, line.length)
    found = [_measured(line, _Inside(surface), one, reach, keys, line.length) for one in ends]
    return [join for join in found if join is not None]


def _near_pairs(rims: dict[Key, _Line], reach: float) -> Iterator[tuple[Key, Key]]:
    """Pairs of rims of different shapes whose boxes have as much in common as rims have that run together."""
    keys, flat = list(rims), list(rims.values())
    low, high = (np.array(ends) for ends in zip(*(line.box for line in flat), strict=True))
    lengths = np.array([line.length for line in flat])
    least = np.maximum(LONGER * FITTING * reach, SHORTEST_FITTING * np.minimum(lengths[:, None], lengths[None]))
    near = _overlap(low[:, None], high[:, None], low[None], high[None], reach) >= least
    for i, k in np.argwhere(np.triu(near, 1)).tolist():
        if keys[i][0] != keys[k][0]:
            yield keys[i], keys[k]


def _overlap(low: Floats, high: Floats, other_low: Floats, other_high: Floats, reach: float) -> Floats:
    """Diagonal of what boxes have in common, mm; below 0 where they are further apart than reach."""
    size = np.minimum(high, other_high) - np.maximum(low, other_low)
    found: Floats = np.where((size >= -reach).all(axis=-1), np.linalg.norm(np.maximum(size, 0.0), axis=-1), -1.0)
    return found


def _runs(meets: Bools, line: _Line, reach: float, shorter: float) -> list[tuple[float, float]]:
    """The parts of a line, as shares of its way, that meet something for longer than lines do that only cross."""
    least = max(LONGER * reach, SHORTEST * shorter) / line.length
    return [(a, b) for a, b in _stretches(meets) if b - a >= least]


def _stretches(meets: Bools) -> list[tuple[float, float]]:
    """The parts of a line, as shares of its way, whose samples meet something."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], meets.astype(np.int8), [0]]))).reshape(-1, 2)
    return [(a / (DENSE - 1), (b - 1) / (DENSE - 1)) for a, b in edges.tolist()]


def _common(line: _Line, other: _Line, ends: tuple[float, float]) -> tuple[float, float]:
    """A part of a line without what lies past the ends of the other one.

    Within reach of its end there are places of the line that the other has nothing beside: what gap they have says
    nothing.
    """
    if np.array_equal(other.points[0], other.points[-1]):
        return ends  # a ring has no ends
    low, high = ends
    step = 1.0 / (DENSE - 1)
    tips = _feet(line, other.points[[0, 1, -1, -2]])
    for tip, inside in ((tips[0], tips[1]), (tips[2], tips[3])):
        if low - step < tip < high + step and tip != inside:
            low, high = (tip, high) if inside > tip else (low, tip)
    return low, high


def _joins(rims: dict[Key, _Line], one: Key, two: Key, reach: float) -> list[Join]:
    first, second = rims[one], rims[two]
    lengths = [first.length, second.length]
    if min(lengths) <= reach:
        return []
    if lengths[0] > 1.001 * lengths[1]:
        one, two, first, second = two, one, second, first
    spacing = max(lengths) / (DENSE - 1)
    rough = second.tree.query(first.points[::ROUGH], distance_upper_bound=reach + ROUGH * spacing)[0]
    if not np.isfinite(rough).any():
        return []
    away = second.tree.query(first.points)[0]
    found = []
    for stretch in _stretches(away <= reach + spacing / 2):
        ends = _common(first, second, stretch)
        length = (ends[1] - ends[0]) * first.length
        if length < max(LONGER * FITTING * reach, SHORTEST_FITTING * min(lengths)):
            continue
        join = _measured(first, _Along(second), ends, reach, (one, two), max(lengths))
        long = length >= max(LONGER * reach, SHORTEST * min(lengths))
        if join is not None and (long or join.gap.max() <= FITTING * reach):
            found.append(join)
    return found


class _Along:
    """A rim that another one runs along."""

    def __init__(self, line: _Line) -> None:
        self._line = line

    def read(self, points: Floats) -> _Side:
        """The rim's surface at the places nearest to (n, 3) points."""
        rim = self._line.rim
        return _Side.read(rim.surface, rim.places(_feet(self._line, points)))

    def furthest(self, line: _Line, ends: tuple[float, float]) -> Floats:
        """Shares of a line's way nearest to the places of this one that lie furthest from it."""
        rim = self._line.rim
        places = rim.surface.at(rim.places(self._line.shares))
        share = _feet(line, places)
        mine = (share > ends[0]) & (share < ends[1])
        if not mine.any():
            return np.zeros(0)
        gap = np.linalg.norm(line.rim.surface.at(line.rim.places(share)) - places, axis=1)
        return share[[int(np.where(mine, gap, -1.0).argmax())]]


class _Inside:
    """The inside of a patch, that a rim runs over."""

    def __init__(self, surface: Surface) -> None:
        self._surface = surface

    def read(self, points: Floats) -> _Side:
        """The patch at the feet of (n, 3) points."""
        return _Side.read(self._surface, foot_points(self._surface, points).uv)

    def furthest(self, line: _Line, ends: tuple[float, float]) -> Floats:
        """A patch has no places of its own that could lie furthest from a line."""
        return np.zeros(0)


def _measured(
    line: _Line, other: _Along | _Inside, ends: tuple[float, float], reach: float, pair: tuple[Key, Key], size: float
) -> Join | None:
    """A line against what it runs along, over a part of its way; looked at more closely where they meet worst."""
    t = line.shares
    low, high = ends
    t = np.unique(np.concatenate([t[(t >= low) & (t <= high)], [low, high], other.furthest(line, ends)]))
    t, seen = _looked_at(line, other, t)
    for _ in range(CLOSER):
        values = _values(seen, size)
        worst = {int(measure.argmax()) for measure in values[1:] if measure.max() > 0 and np.isfinite(measure).all()}
        between = [np.linspace(t[max(i - 1, 0)], t[min(i + 1, len(t) - 1)], 7)[1:-1] for i in worst]
        more = np.setdiff1d(np.concatenate(between), t) if between else np.zeros(0)
        if not len(more) or all(measure.max() < EXACT for measure in values[1:]):
            break
        more, added = _looked_at(line, other, more)
        order = np.argsort(np.concatenate([t, more]))
        t = np.concatenate([t, more])[order]
        seen = [np.concatenate([a, b])[order] for a, b in zip(seen, added, strict=True)]
    if len(t) < 2:
        return None
    values = _values(seen, size)
    within = values[1] <= reach
    if np.count_nonzero(within) < 2 or np.ptp(values[1][within]) > APART * np.ptp(t[within]) * line.length:
        return None  # rims that cross, or end on each other
    return Join(*pair, *(value[within] for value in values))


def _looked_at(line: _Line, other: _Along | _Inside, t: Floats) -> tuple[Floats, list[Floats]]:
    """Shares of a line's way, and there points, gap, angle, bends and slopes of both sides, (n, 2) each.

    Of the (n,) shares asked for those at which both sides have a normal: none can be read where the parameters of a
    patch come together, as at a pole, or run along one line.
    """
    one = _Side.read(line.rim.surface, line.rim.places(t))
    points = one.d[0, 0]
    across = one.across(line.rim.ways(t))
    two = other.read(points)
    gap = np.linalg.norm(points - two.d[0, 0], axis=1)
    seen = [points, gap, *_sections(one, two, across)]
    told = one.is_regular & two.is_regular
    return t[told], [values[told] for values in seen]


def _feet(line: _Line, points: Floats) -> Floats:
    """(n,) shares of a rim's way closest to points: the nearest of many, then Newton's steps along it.

    Rims whose pace changes fast, as of cages at irregular points, lead those
    steps astray: there the way to both neighbours of the nearest is searched.
    """
    t = seeds = line.tree.query(points)[1] / (DENSE - 1)
    for _ in range(NEWTON):
        d = line.rim.surface.derivatives(line.rim.places(t), 2)
        before, t = t, step_along(d, line.rim.ways(t), points, t)
        if np.abs(t - before).max() < SETTLED:
            break
    ways = line.rim.ways(before)
    along = unit(d[1, 0] * ways[:, :1] + d[0, 1] * ways[:, 1:])
    ahead = np.einsum("nc,nc->n", points - d[0, 0], along)
    beyond = ((t >= 1.0) & (ahead > 0)) | ((t <= 0.0) & (ahead < 0))
    astray = (np.abs(ahead) > SQUARE) & ~beyond
    if astray.any():
        some = points[astray]
        searched = _searched(line, some, seeds[astray])
        nearer = _away(line, searched, some) < _away(line, t[astray], some)
        t[astray] = np.where(nearer, searched, t[astray])
    return t


def _searched(line: _Line, points: Floats, seeds: Floats) -> Floats:
    """(n,) shares of a rim's way closest to points, at most one of its samples from seeds: by golden sections."""
    low, high = np.maximum(seeds - 1.0 / (DENSE - 1), 0.0), np.minimum(seeds + 1.0 / (DENSE - 1), 1.0)
    for _ in range(SECTIONS):
        left, right = high - GOLDEN * (high - low), low + GOLDEN * (high - low)
        lower = _away(line, left, points) < _away(line, right, points)
        low, high = np.where(lower, low, left), np.where(lower, right, high)
    return (low + high) / 2


def _away(line: _Line, t: Floats, points: Floats) -> Floats:
    """(n,) distances of points from shares of a rim's way, mm."""
    away: Floats = np.linalg.norm(line.rim.surface.at(line.rim.places(t)) - points, axis=1)
    return away


class _Side(NamedTuple):
    """A surface along an edge: (4, 4, n, 3) derivatives."""

    d: Floats

    @classmethod
    def read(cls, surface: Surface, uv: Floats) -> _Side:
        """At (n, 2) parameters."""
        return cls(surface.derivatives(uv, 3))

    @property
    def normals(self) -> Floats:
        """(n, 3) unit normals along the edge."""
        return unit_cross(self.d[1, 0], self.d[0, 1])

    @property
    def is_regular(self) -> Bools:
        """(n,) where the ways along u and v span a tangent plane."""
        su, sv = self.d[1, 0], self.d[0, 1]
        lengths = np.linalg.norm(su, axis=1), np.linalg.norm(sv, axis=1)
        # along an edge that is one place one of both is nothing but rounding
        long = [length > REGULAR * length.max(initial=0.0) for length in lengths]
        return np.asarray((parameter_sine(su, sv) > REGULAR) & long[0] & long[1])

    def across(self, ways: Floats) -> Floats:
        """(n, 3) unit vectors across an edge that runs along (n, 2) ways in parameters, in the tangent planes."""
        return unit_cross(self.normals, self.d[1, 0] * ways[:, :1] + self.d[0, 1] * ways[:, 1:])


def _sections(one: _Side, two: _Side, across: Floats) -> tuple[Floats, Floats, Floats]:
    """Angle, degrees; then curvature and its change in the section square to the edge, (n, 2), of both sides."""
    normal_a, normal_b = one.normals, two.normals
    (bend_a, slope_a), (bend_b, slope_b) = (section_bends(side.d, across) for side in (one, two))
    cosine = np.einsum("nc,nc->n", normal_a, normal_b)
    # the length of a x b, by components: several times quicker for a few places than NumPy's cross product
    (ax, ay, az), (bx, by, bz) = normal_a.T, normal_b.T
    sine = np.sqrt((ay * bz - az * by) ** 2 + (az * bx - ax * bz) ** 2 + (ax * by - ay * bx) ** 2)
    angle = np.degrees(np.arctan2(sine, np.abs(cosine)))
    side = np.where(cosine < 0, -1.0, 1.0)
    return angle, np.column_stack([bend_a, side * bend_b]), np.column_stack([slope_a, side * slope_b])


def _values(seen: Sequence[Floats], size: float) -> list[Floats]:
    """Points, gap, angle, and the shares by which curvature and its change differ."""
    points, gap, angle, bends, slopes = seen
    mean = np.abs(bends).mean(axis=1)
    # surfaces that stand square to each other have no section in common
    largest = np.nanmax(mean, initial=0.0)
    scale = np.maximum(mean, max(LEAST_BEND, INFLECTED * largest))
    curvature = np.abs(bends[:, 0] - bends[:, 1]) / scale
    steep = 0.05 * size * np.abs(slopes).sum(axis=1)
    change = 0.1 * size * np.abs(slopes[:, 0] - slopes[:, 1]) / np.maximum(scale, steep)
    return [points, gap, angle, *(np.where(np.isnan(values), np.inf, values) for values in (curvature, change))]
