"""Solving sketches: relations and dimensions by least squares, and a clear word on what is free or contradictory."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.geometry import ElementKind, Relation, RelationKind, Sketch

HOLDS = 1e-7
"""Of the sketch's size: relations missed by no more hold."""
STAY, FOLLOW = 1e-5, 1e-2
"""Weights by which points stay where they are, and follow the hand: nothing beside a relation."""
RANK = 1e-7
MOST_CALLS = 200
ENDS, LEAST_TRUST = 0.12, 0.05
"""Of an element's places: so many at each end count less, down to that."""


@dataclass(frozen=True, eq=False)
class Solved:
    """sketch: with its points where the relations want them. free: how many moves are left. against: numbers of the
    relations that contradict each other; none where all hold."""

    sketch: Sketch
    free: int
    against: tuple[int, ...] = ()

    @property
    def words(self) -> str:
        """The state: free, fixed, or contradictory."""
        if self.against:
            names = [self.sketch.relations[k].kind.word for k in self.against]
            return "contradictory: " + ", ".join(names)
        return "fixed" if self.free == 0 else f"free: {self.free} {'move' if self.free == 1 else 'moves'} left"


def solved(sketch: Sketch, hand: tuple[int, Floats] | None = None) -> Solved:
    """The sketch with its relations holding, its points moved as little as can be.

    hand: number of a point, and the (2,) place that it is drawn to as far as the relations let it. Where relations
    contradict each other, points stay where they were, and those that would have to go are named.
    """
    found, missed = _settled(sketch, sketch.relations, hand)
    size = _size(sketch)
    if missed <= HOLDS * size:
        done = sketch.with_flat(found)
        return Solved(done, _freedom(done))
    against = []
    for k in range(len(sketch.relations) - 1, -1, -1):
        rest = sketch.relations[:k] + sketch.relations[k + 1 :]
        if _settled(sketch, rest, hand)[1] <= HOLDS * size:
            against.append(k)
    return Solved(sketch, 0, tuple(against) or tuple(range(len(sketch.relations))))


def with_relation(sketch: Sketch, relation: Relation) -> Solved:
    """The sketch with one relation more; raises FitProblem, naming those that it contradicts, and changes nothing."""
    found = solved(replace(sketch, relations=(*sketch.relations, relation)))
    if found.against:
        others = [sketch.relations[k].kind.word for k in found.against if k < len(sketch.relations)]
        raise FitProblem(
            f"'{relation.kind.word}' contradicts {' and '.join(others) or 'the form of the elements'}",
            "Take one of them away first",
        )
    return found


def fitted(sketch: Sketch, data: Sequence[Floats]) -> tuple[Sketch, Floats]:
    """The sketch with its points where its elements lie nearest to data, its relations holding.

    data: for each element the (m, 2) places that it stands for, in order. Those beside its ends count less: there it
    may go over into something else. Returns also (k,) how far all places are off, mm.
    """
    sizes = [len(places) for places in data]
    total = sum(sizes)
    size = _size(sketch)
    trust = trusted(data)

    def distances(flat: Floats) -> Floats:
        return np.concatenate([_off(sketch, flat, k, places) for k, places in enumerate(data) if len(places)])

    def residuals(x: Floats) -> Floats:
        flat = x.reshape(-1, 2)
        strict = _residuals(sketch, flat, sketch.relations, sketch.flat)
        pulls = trust * distances(flat) / np.sqrt(total)
        return np.concatenate([1e3 * strict, pulls, STAY * (x - sketch.flat.ravel())])

    def slopes(x: Floats) -> Floats:
        strict = _slopes(sketch, x, sketch.relations, sketch.flat)
        flat, step = x.reshape(-1, 2), 1e-6 * size
        pulls: list[Floats] = []
        for k, places in enumerate(data):
            if len(places):
                off = partial(_off, sketch, number=k, places=places)
                pulls += _differences(flat, sketch.elements[k].points, off, step)
        weighted = trust[:, None] * np.array(pulls).reshape(-1, len(x)) / np.sqrt(total)
        return np.concatenate([1e3 * strict, weighted, STAY * np.eye(len(x))])

    from scipy.optimize import least_squares  # not needed at the start of the window

    best = least_squares(
        residuals, sketch.flat.ravel(), slopes, x_scale=size, max_nfev=MOST_CALLS, xtol=1e-9, ftol=1e-4
    )
    made = solved(sketch.with_flat(best.x.reshape(-1, 2)))
    return made.sketch, np.abs(distances(made.sketch.flat))


def trusted(data: Sequence[Floats]) -> Floats:
    """(k,) how much each place counts where elements are fitted: 1, and less beside their ends."""
    return np.concatenate([np.zeros(0), *(_trust(len(places)) for places in data)])


def _trust(count: int) -> Floats:
    """(count,) how much places along an element count, from one end to the other."""
    place = np.arange(count)
    return np.asarray(np.clip(np.minimum(place, count - 1 - place) / max(ENDS * count, 1.0), LEAST_TRUST, 1.0))


def _settled(sketch: Sketch, relations: Sequence[Relation], hand: tuple[int, Floats] | None) -> tuple[Floats, float]:
    """Points and what the relations are missed by at most."""
    from scipy.optimize import least_squares  # not needed at the start of the window

    before = sketch.flat
    wanted = before.copy()
    weight = np.full(before.shape, STAY)
    if hand is not None:
        wanted[hand[0]] = hand[1]
        weight[hand[0]] = FOLLOW

    def residuals(x: Floats) -> Floats:
        flat = x.reshape(-1, 2)
        strict = _residuals(sketch, flat, relations, before)
        return np.concatenate([strict, (weight * (flat - wanted)).ravel()])

    def slopes(x: Floats) -> Floats:
        return np.concatenate([_slopes(sketch, x, relations, before), np.diag(weight.ravel())])

    if not len(before):
        return before, 0.0
    start = before if hand is None else wanted
    best = least_squares(residuals, start.ravel(), slopes, max_nfev=MOST_CALLS, xtol=1e-14, ftol=1e-14, gtol=1e-14)
    x = best.x
    # what the weak pulls left is taken out: Gauss-Newton on the relations alone
    for _ in range(5):
        strict = _residuals(sketch, x.reshape(-1, 2), relations, before)
        if not len(strict) or np.abs(strict).max() < 1e-13:
            break
        x = x - np.linalg.lstsq(_slopes(sketch, x, relations, before), strict, rcond=1e-9)[0]
    strict = _residuals(sketch, x.reshape(-1, 2), relations, before)
    return x.reshape(-1, 2), float(np.abs(strict).max()) if len(strict) else 0.0


def _freedom(sketch: Sketch) -> int:
    x = sketch.flat.ravel()
    slopes = _slopes(sketch, x, sketch.relations, sketch.flat)
    if not slopes.size:
        return len(x)
    found = np.linalg.svd(slopes, compute_uv=False)
    return int(len(x) - (found > RANK * max(float(found.max()), 1.0)).sum())


def _slopes(sketch: Sketch, x: Floats, relations: Sequence[Relation], before: Floats) -> Floats:
    """(rows, 2 n) derivatives of the relations by central differences, each by the points that it is of."""
    flat, step = x.reshape(-1, 2), 1e-6 * _size(sketch)
    rows: list[Floats] = []
    for points, missed in _rows(sketch, relations, before):
        rows += _differences(flat, points, missed, step)
    return np.array(rows).reshape(-1, len(x))


def _differences(flat: Floats, points: Sequence[int], missed: Callable[[Floats], Floats], step: float) -> list[Floats]:
    """Derivatives of (k,) values that some points have a say in: k rows over all coordinates."""
    count = len(missed(flat))
    rows = np.zeros((count, *flat.shape))
    trial = flat.copy()
    for point in points:
        for axis in (0, 1):
            ends = []
            for sign in (1.0, -1.0):
                trial[point, axis] = flat[point, axis] + sign * step
                ends.append(missed(trial))
            trial[point, axis] = flat[point, axis]
            rows[:, point, axis] = (ends[0] - ends[1]) / (2 * step)
    return list(rows.reshape(count, -1))


def _rows(
    sketch: Sketch, relations: Sequence[Relation], before: Floats
) -> Iterator[tuple[tuple[int, ...], Callable[[Floats], Floats]]]:
    """What has to be 0: the points that have a say in it, and its values, mm. Arcs are round, and relations hold."""
    for element in sketch.elements:
        if element.kind is ElementKind.ARC:
            yield element.points, partial(_unround, element.points)
    for relation in relations:
        yield _points_of(sketch, relation), partial(_missed_by, sketch, relation, before)


def _unround(points: tuple[int, ...], flat: Floats) -> Floats:
    centre, start, end = flat[list(points)]
    return np.array([_length(start - centre) - _length(end - centre)])


def _missed_by(sketch: Sketch, relation: Relation, before: Floats, flat: Floats) -> Floats:
    return np.array(_missed(sketch, flat, relation, before))


def _points_of(sketch: Sketch, relation: Relation) -> tuple[int, ...]:
    """Numbers of the points that have a say in a relation."""
    found: list[int] = []
    for number, letter in zip(relation.of, relation.kind.of, strict=True):
        found += sketch.elements[number].points if letter == "e" else (number,)
    return tuple(dict.fromkeys(found))


def _size(sketch: Sketch) -> float:
    return max(float(np.linalg.norm(np.ptp(sketch.flat, axis=0))) if len(sketch.flat) else 1.0, 1e-3)


def _residuals(sketch: Sketch, flat: Floats, relations: Sequence[Relation], before: Floats) -> Floats:
    """What is 0 where everything holds, in mm."""
    found = [missed(flat) for _, missed in _rows(sketch, relations, before)]
    return np.concatenate(found) if found else np.zeros(0)


def _length(vector: Floats) -> float:
    return float(np.hypot(vector[0], vector[1]))


def _cross(a: Floats, b: Floats) -> float:
    return float(a[0] * b[1] - a[1] * b[0])


def _missed(sketch: Sketch, flat: Floats, relation: Relation, before: Floats) -> list[float]:
    kind, of, value = relation.kind, relation.of, relation.value
    if kind in (RelationKind.DISTANCE, RelationKind.WIDTH, RelationKind.HEIGHT):
        gap = flat[of[1]] - flat[of[0]]
        if kind is RelationKind.DISTANCE:
            return [_length(gap) - value]
        return [float(abs(gap[0 if kind is RelationKind.WIDTH else 1])) - value]
    if kind is RelationKind.FIXED:
        return [float(c) for c in flat[of[0]] - before[of[0]]]
    if kind is RelationKind.ON:
        return [_beside(sketch, flat, of[1], flat[of[0]])]
    if kind is RelationKind.SYMMETRIC:
        a, b = (flat[k] for k in sketch.elements[of[2]].points[:2])
        way = (b - a) / max(_length(b - a), 1e-12)
        one, two = flat[of[0]], flat[of[1]]
        return [_cross(way, (one + two) / 2 - a), float(way @ (two - one))]
    ways = [_way(sketch, flat, k) for k in of]
    if kind is RelationKind.HORIZONTAL:
        return [float(ways[0][1])]
    if kind is RelationKind.VERTICAL:
        return [float(ways[0][0])]
    if kind is RelationKind.LENGTH:
        return [_length(ways[0]) - value]
    if kind is RelationKind.RADIUS:
        return [_round(sketch, flat, of[0]) - value]
    scale = 0.5 * (_length(ways[0]) + _length(ways[1]))
    units = [way / max(_length(way), 1e-12) for way in ways]
    if kind is RelationKind.PARALLEL:
        return [scale * _cross(*units)]
    if kind is RelationKind.PERPENDICULAR:
        return [scale * float(units[0] @ units[1])]
    if kind is RelationKind.ANGLE:
        turn = np.arctan2(_cross(*units), float(units[0] @ units[1])) - np.radians(value)
        return [scale * float(np.sin(turn)), scale * float(1 - np.cos(turn))]
    if kind is RelationKind.CONCENTRIC:
        one, two = (flat[sketch.elements[k].points[0]] for k in of)
        return [float(c) for c in one - two]
    straight = [sketch.elements[k].kind is ElementKind.LINE for k in of]
    if kind is RelationKind.EQUAL:
        sizes = [_length(ways[k]) if straight[k] else _round(sketch, flat, of[k]) for k in (0, 1)]
        return [sizes[0] - sizes[1]]
    return [_touch(sketch, flat, of, straight)]


def _touch(sketch: Sketch, flat: Floats, of: tuple[int, ...], straight: list[bool]) -> float:
    """How far two elements are from touching, mm."""
    if all(straight):
        raise FitProblem("Two lines cannot be tangent", "Make them parallel, or choose an arc")
    if any(straight):
        line, arc = (of[0], of[1]) if straight[0] else (of[1], of[0])
        centre = flat[sketch.elements[arc].points[0]]
        return abs(_beside(sketch, flat, line, centre)) - _round(sketch, flat, arc)
    gap = _length(flat[sketch.elements[of[0]].points[0]] - flat[sketch.elements[of[1]].points[0]])
    one, two = (_round(sketch, flat, k) for k in of)
    # from outside or from inside, whichever is nearer
    return min(gap - (one + two), gap - abs(one - two), key=abs)


def _way(sketch: Sketch, flat: Floats, number: int) -> Floats:
    """From the start to the end of an element; of a round one from its centre to its start."""
    a, b = sketch.elements[number].points[:2]
    return np.asarray(flat[b] - flat[a])


def _round(sketch: Sketch, flat: Floats, number: int) -> float:
    element = sketch.elements[number]
    if element.kind not in (ElementKind.ARC, ElementKind.CIRCLE):
        raise FitProblem(f"A {element.kind.value[0]} has no radius", "Choose an arc or a circle")
    return _length(flat[element.points[1]] - flat[element.points[0]])


def _beside(sketch: Sketch, flat: Floats, number: int, place: Floats) -> float:
    """How far a place is off a line or a circle, signed, mm."""
    element = sketch.elements[number]
    if element.kind is ElementKind.LINE:
        a, b = flat[list(element.points)]
        return _cross(b - a, place - a) / max(_length(b - a), 1e-12)
    return _length(place - flat[element.points[0]]) - _round(sketch, flat, number)


def _off(sketch: Sketch, flat: Floats, number: int, places: Floats) -> Floats:
    """(m,) how far places are off an element taken on without end, signed, mm."""
    element = sketch.elements[number]
    if element.kind is ElementKind.LINE:
        a, b = flat[list(element.points)]
        way = (b - a) / max(_length(b - a), 1e-12)
        away = places - a
        return np.asarray(way[0] * away[:, 1] - way[1] * away[:, 0])
    away = np.linalg.norm(places - flat[element.points[0]], axis=1)
    return np.asarray(away - _round(sketch, flat, number))
