"""A section turned into lines and arcs by itself, as few as the tolerance allows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, tree_of
from arabesque.errors import FitProblem
from arabesque.geometry import Element, ElementKind, Relation, RelationKind, Sketch
from arabesque.progress import Progress, part, silent
from arabesque.tracing.sketch_solver import fitted, solved, trusted

PLACES = 160
"""By which a section is read."""
ARC_PRICE = 1.3
"""Of a line: an arc is taken where it saves more than that."""
FLATTEST = 40.0
"""Times their length: arcs of a larger radius are lines."""
TANGENT, SQUARE, SAME_RADIUS = 12.0, 3.0, 0.08
"""Degrees at a joint that count as tangent, degrees off a right angle, and a share of a radius, to be offered."""
SHARES = (1.0, 0.85, 0.7, 0.5)
"""Of the tolerance that each piece keeps for itself: joined, they may be further off."""
FEWEST, REBEGUN = 3, 3
"""Places that make a section, and how often a ring is begun anew for a joint that is one."""


@dataclass(frozen=True, eq=False)
class Traced:
    """sketch: of lines and arcs. rms, worst: of the section's places, mm; kept: those beside joints count less.

    offered: relations that it nearly keeps and can keep within the tolerance; not in the sketch yet, but for arcs that
    run on tangent.
    """

    sketch: Sketch
    data: tuple[Floats, ...]
    rms: float
    worst: float
    kept: float
    offered: tuple[Relation, ...]


def lines_and_arcs(
    frame: Floats, points: Floats, closed: bool, tolerance: float, progress: Progress = silent
) -> Traced:
    """Turn a section, (n, 3) places in order, into lines and arcs in the plane of a (4, 4) frame.

    The fewest pieces of which each stays within the tolerance, by dynamic programming over where they end (after
    Perez and Vidal, "Optimum polygonal approximation of digitized curves", 1994); then all of them at once by least
    squares, with arcs tangent where they nearly are. Raises FitProblem for too few places.
    """
    if not tolerance > 0:
        raise FitProblem(f"A tolerance of {tolerance} mm is not possible", "Give a length above 0")
    blank = Sketch(frame, np.empty((0, 2)))
    flat = blank.in_plane(points)
    if closed:
        start = _sharpest(flat)
        flat = np.roll(flat, -start, axis=0)
        flat = np.vstack([flat, flat[:1]])
    places = _even(flat)
    if len(places) < FEWEST:
        raise FitProblem("Too few places for a section", "Choose a longer one")
    best: tuple[Sketch, list[Floats], Floats] | None = None
    for number, share in enumerate(SHARES):
        progress(0.1 * number, "Dividing the section")
        drawn = _divided(blank, flat, places, closed, share * tolerance)
        sketch, off = fitted(*drawn)
        if best is None or _kept(drawn[1], off) < _kept(*best[1:]):
            best = sketch, drawn[1], off
        if _kept(*best[1:]) <= tolerance:
            break
    assert best is not None
    sketch, data, off = _tangent_where_it_is(*best, tolerance, part(progress, 0.4, 0.7))
    return _traced(sketch, data, off, _offers(sketch, data, tolerance, part(progress, 0.7, 1.0)))


def _kept(data: Sequence[Floats], off: Floats) -> float:
    """mm that all places keep; those beside a joint count less: a scan rounds what is a sharp corner."""
    return float((trusted(data) * off).max())


def _divided(
    blank: Sketch, flat: Floats, places: Floats, closed: bool, tolerance: float
) -> tuple[Sketch, list[Floats]]:
    """The fewest lines and arcs, each for itself within the tolerance, and the places that each stands for."""
    whole = _round_whole(blank, places, tolerance) if closed else None
    if whole:
        return whole
    pieces = _fewest_pieces(places, tolerance, closed)
    for _ in range(REBEGUN if closed else 0):
        if len(pieces) < 2:
            break
        # begun at a joint, so that no piece is cut where the ring began
        first = pieces[1][0]
        places = np.vstack([np.roll(places[:-1], -first, axis=0), places[[first]]])
        pieces = _fewest_pieces(places, tolerance, closed)
        last, again = pieces[-1], pieces[0]
        over = np.vstack([places[last[0] : -1], places[: again[1] + 1]])
        if last[2] != again[2] or _misses(over, last[2]) > tolerance:
            break
    sketch, data = _drawn(blank, places, pieces, closed)
    return sketch, _all_of(flat, places, pieces, data)


def taken(traced: Traced, relations: Sequence[Relation]) -> Traced:
    """With some of what is offered, fitted again."""
    sketch = replace(traced.sketch, relations=(*traced.sketch.relations, *relations))
    sketch, off = fitted(sketch, traced.data)
    left = tuple(one for one in traced.offered if one not in relations)
    return _traced(sketch, traced.data, off, left)


def _traced(sketch: Sketch, data: Sequence[Floats], off: Floats, offered: tuple[Relation, ...]) -> Traced:
    rms, worst = float(np.sqrt((off**2).mean())), float(off.max())
    return Traced(sketch, tuple(data), rms, worst, _kept(data, off), offered)


Piece = tuple[int, int, bool]
"""First and last place, and True for an arc."""


def _even(flat: Floats) -> Floats:
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(flat, axis=0), axis=1))])
    wanted = np.linspace(0.0, along[-1], min(PLACES, max(FEWEST, len(flat))))
    return np.column_stack([np.interp(wanted, along, flat[:, c]) for c in (0, 1)])


def _sharpest(flat: Floats) -> int:
    """The place at which a ring turns most within a small reach: pieces may begin there."""
    reach = max(1, len(flat) // 40)
    ahead, back = np.roll(flat, -reach, axis=0) - flat, flat - np.roll(flat, reach, axis=0)
    turn = np.arctan2(ahead[:, 0] * back[:, 1] - ahead[:, 1] * back[:, 0], np.einsum("nc,nc->n", ahead, back))
    return int(np.abs(turn).argmax())


def _fewest_pieces(places: Floats, tolerance: float, closed: bool) -> list[Piece]:
    """The pieces; one may begin a place after the one before has ended: a corner lies between two places."""
    n = len(places)
    reach = [[_furthest(places, i, tolerance, arc) for i in range(n - 1)] for arc in (False, True)]
    cost = np.full(n, np.inf)
    back: list[Piece] = [(0, 0, False)] * n
    cost[0] = 0.0
    for i in range(n - 1):
        for arc in (False, True):
            price = ARC_PRICE if arc else 1.0
            for j in range(i + 1 + arc, reach[arc][i] + 1):
                # of equally many pieces those that are longest at once
                value = cost[i] + price - 1e-6 * (j - i) ** 2 / n**2
                for following in (j, j + 1) if j + 1 < n - 1 + closed else (j,):
                    if value < cost[following]:
                        cost[following], back[following] = value, (i, j, arc)
    pieces: list[Piece] = []
    at = n - 1
    while at:
        pieces.insert(0, back[at])
        at = back[at][0]
    return pieces


def _furthest(places: Floats, start: int, tolerance: float, arc: bool) -> int:
    """The furthest place up to which one line or arc from ``start`` stays within the tolerance: the longest of steps
    that double, and from there by halves. A few noisy places say nothing of an arc, so that short ones may fail."""
    last = len(places) - 1
    trials = np.unique(np.minimum(start + 2 ** np.arange(int(arc) * 2, 12), last))
    holds = [int(j) for j in trials if _misses(places[start : j + 1], arc) <= tolerance]
    if not holds:
        return start if arc else start + 1
    good = holds[-1]
    step = good - start
    while step:
        trial = min(good + step, last)
        if trial > good and _misses(places[start : trial + 1], arc) <= tolerance:
            good = trial
        else:
            step //= 2
    return good


def _misses(part: Floats, arc: bool) -> float:
    """How far one line or arc of least squares is off places at most, mm."""
    if arc:
        centre, radius = _circle(part)
        length = float(np.linalg.norm(np.diff(part, axis=0), axis=1).sum())
        if not np.isfinite(radius) or radius > FLATTEST * length or len(part) < 4:
            return np.inf
        angles = np.unwrap(np.arctan2(part[:, 1] - centre[1], part[:, 0] - centre[0]))
        if abs(angles[-1] - angles[0]) > 1.95 * np.pi:
            return np.inf
        return float(np.abs(np.linalg.norm(part - centre, axis=1) - radius).max())
    middle = part.mean(axis=0)
    _, _, axes = np.linalg.svd(part - middle, full_matrices=False)
    return float(np.abs((part - middle) @ axes[-1]).max())


def _circle(part: Floats) -> tuple[Floats, float]:
    """Of algebraic least squares (Kåsa 1976)."""
    middle = part.mean(axis=0)
    centred = part - middle
    rows = np.column_stack([2 * centred, np.ones(len(part))])
    found, _, rank, _ = np.linalg.lstsq(rows, (centred**2).sum(axis=1), rcond=1e-12)
    if rank < 3:
        return middle, np.inf
    return middle + found[:2], float(np.sqrt(max(found[2] + found[:2] @ found[:2], 0.0)))


def _drawn(blank: Sketch, places: Floats, pieces: list[Piece], closed: bool) -> tuple[Sketch, list[Floats]]:
    """The pieces as elements that share their joints, and the places that each stands for."""
    points: list[Floats] = [places[0]]
    elements: list[Element] = []
    data: list[Floats] = []
    joint = 0
    for number, (a, b, arc) in enumerate(pieces):
        part = places[a : b + 1]
        start = joint
        if closed and number == len(pieces) - 1 and number:
            joint = 0
        else:
            following = pieces[number + 1][0] if number + 1 < len(pieces) else b
            points.append((places[b] + places[following]) / 2)
            joint = len(points) - 1
        if arc:
            centre, _ = _circle(part)
            points.append(centre)
            one, two = part[0] - centre, part[len(part) // 2] - centre
            left = one[0] * two[1] - one[1] * two[0] > 0
            elements.append(Element(ElementKind.ARC, (len(points) - 1, *((start, joint) if left else (joint, start)))))
        else:
            elements.append(Element(ElementKind.LINE, (start, joint)))
        data.append(part[1:-1] if len(part) > 4 else part)
    return replace(blank, flat=np.array(points), elements=tuple(elements)), data


def _all_of(flat: Floats, places: Floats, pieces: list[Piece], data: list[Floats]) -> list[Floats]:
    """All places of the section that each piece stands for, in order, not only those by which it was divided."""
    _, near = tree_of(places).query(flat)
    found = []
    for (a, b, _), few in zip(pieces, data, strict=True):
        own = np.flatnonzero((near > a) & (near < b))
        found.append(flat[own[np.argsort(near[own], kind="stable")]] if len(own) > len(few) else few)
    return found


def _round_whole(blank: Sketch, places: Floats, tolerance: float) -> tuple[Sketch, list[Floats]] | None:
    """One circle, where a ring is one."""
    centre, radius = _circle(places)
    if np.isfinite(radius) and np.abs(np.linalg.norm(places - centre, axis=1) - radius).max() <= tolerance:
        points = np.array([centre, centre + np.array([radius, 0.0])])
        return replace(blank, flat=points, elements=(Element(ElementKind.CIRCLE, (0, 1)),)), [places]
    return None


def _joints(sketch: Sketch) -> list[tuple[int, int, int]]:
    """Pairs of elements that share a point at their ends, and that point."""
    ends = [set(e.points[1:] if e.kind is ElementKind.ARC else e.points) for e in sketch.elements]
    return [
        (i, k, point)
        for i in range(len(ends))
        for k in range(i + 1, len(ends))
        for point in sorted(ends[i] & ends[k])
        if ElementKind.CIRCLE not in (sketch.elements[i].kind, sketch.elements[k].kind)
    ]


def _turn_at(sketch: Sketch, pair: tuple[int, int], point: int) -> float:
    """Degrees between two elements at a point that they share."""
    ways = []
    for number in pair:
        element = sketch.elements[number]
        if element.kind is ElementKind.LINE:
            a, b = sketch.flat[list(element.points)]
            ways.append(b - a)
        else:
            out = sketch.flat[point] - sketch.flat[element.points[0]]
            ways.append(np.array([-out[1], out[0]]))
    one, two = (way / max(float(np.linalg.norm(way)), 1e-12) for way in ways)
    return float(np.degrees(np.arcsin(np.clip(abs(one[0] * two[1] - one[1] * two[0]), 0.0, 1.0))))


def _tangent_where_it_is(
    sketch: Sketch, data: list[Floats], off: Floats, tolerance: float, progress: Progress
) -> tuple[Sketch, list[Floats], Floats]:
    """Arcs that nearly run on from their neighbours do, one after the other, as long as the tolerance is kept."""
    joints = _joints(sketch)
    for number, (i, k, point) in enumerate(joints):
        progress(number / len(joints), "Tangent where it is")
        kinds = {sketch.elements[n].kind for n in (i, k)}
        if ElementKind.ARC in kinds and _turn_at(sketch, (i, k), point) < TANGENT:
            trial = replace(sketch, relations=(*sketch.relations, Relation(RelationKind.TANGENT, (i, k))))
            made, now = fitted(trial, data)
            if _kept(data, now) <= max(tolerance, _kept(data, off)) and not solved(made).against:
                sketch, off = made, now
    return sketch, data, off


def _offers(sketch: Sketch, data: list[Floats], tolerance: float, progress: Progress) -> tuple[Relation, ...]:
    """Right angles, level and upright lines, and equal radii that the tolerance allows."""
    wanted: list[Relation] = []
    lines = [k for k, e in enumerate(sketch.elements) if e.kind is ElementKind.LINE]
    arcs = [k for k, e in enumerate(sketch.elements) if e.kind is not ElementKind.LINE]
    for k in lines:
        a, b = sketch.flat[list(sketch.elements[k].points)]
        angle = float(np.degrees(np.arctan2(*(b - a)[::-1]))) % 180.0
        if min(angle, 180.0 - angle) < SQUARE:
            wanted.append(Relation(RelationKind.HORIZONTAL, (k,)))
        elif abs(angle - 90.0) < SQUARE:
            wanted.append(Relation(RelationKind.VERTICAL, (k,)))
    level = {one.of[0] for one in wanted}
    for i, k, point in _joints(sketch):
        if i in lines and k in lines and not {i, k} <= level and _turn_at(sketch, (i, k), point) > 90.0 - SQUARE:
            wanted.append(Relation(RelationKind.PERPENDICULAR, (i, k)))
    for n, i in enumerate(arcs):
        for k in arcs[n + 1 :]:
            one, two = sketch.radius(i), sketch.radius(k)
            if abs(one - two) < SAME_RADIUS * max(one, two):
                wanted.append(Relation(RelationKind.EQUAL, (i, k)))
    kept = []
    for number, relation in enumerate(wanted):
        progress(number / len(wanted), "What the section nearly keeps")
        made, off = fitted(replace(sketch, relations=(*sketch.relations, relation)), data)
        if _kept(data, off) <= tolerance and not solved(made).against:
            kept.append(relation)
    return tuple(kept)
