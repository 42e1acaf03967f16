"""Lines in which two surfaces cross: found on triangles, then exact in the parameters of both."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, runs_of, unit, way_along
from arabesque.errors import InvalidShape
from arabesque.geometry import Surface, even_parameters
from arabesque.joining.crossing_cells import crossing_legs, meeting_cells

CELLS, CELLS_A_SPAN, MOST_CELLS = 96, 8, 320
"""Along each way of a surface: loops narrower than a cell are not seen."""
ASIDE = (0.127, 0.211), (0.317, 0.071)
"""Of a cell: how far the inner lines of each grid lie aside along u and v, so that none of them, nor of their
diagonals, meet where surfaces were made alike."""
IN_EACH_OTHER = 2
"""Cells of the other surface that each one meets, on average: with more, surfaces do not cross but lie in each
other."""
STEPS, ARRIVED, EXACT = 12, 1e-13, 1e-9
"""Of Newton's method; how short, against the whole way, its last step is; mm, how near both surfaces are then."""
MOST_LINES = 24
"""Surfaces that cross in more lines touch all over."""
NEAR, BOW, LOST = 1e-6, 2e-3, 0.02
"""mm: how near the line stays to a spline through its places, and to the legs between them; and how far off a leg is
that has lost it."""
TOUCHING = 1e-8
"""Of what four equations span: below it they do not tell one place."""
ROUNDS, MOST_PLACES = 14, 3_000
SIDES_A_CELL, FEW = 3, 8
"""Sides of triangles that a line passes in a cell: one of them is enough, but of lines through few cells."""
CROWDED = 0.3
"""Of the usual step: places nearer to each other than this bend a spline."""
END = 1e-9
"""Of a domain: so near an edge is on it."""


@dataclass(frozen=True, eq=False)
class Crossing:
    """A line in which two surfaces cross.

    points: (n, 3) mm. one, two: (n, 2) the same places in the parameters of each. closed: then the last is the first
    again. Between the places it runs as a spline through them.
    """

    points: Floats
    one: Floats
    two: Floats
    closed: bool

    def of(self, which: int) -> Floats:
        """The places in the parameters of the first or the second surface."""
        return self.two if which else self.one

    @property
    def length(self) -> float:
        """mm."""
        return float(np.linalg.norm(np.diff(self.points, axis=0), axis=1).sum())


def crossings(one: Surface, two: Surface) -> tuple[Crossing, ...]:
    """Every line in which two surfaces cross, the longest first; trims are left out of account.

    Triangles over both are crossed and their crossings strung together (Patrikalakis and Maekawa, "Shape interrogation
    for computer aided design and manufacturing", 2002, section 5.5), places are made exact by Newton's method in a
    plane square to the line, and others put between them until a spline through them is near. Whichever surface comes
    first, the places are the same, so that both are cut along one line. Raises InvalidShape where the surfaces lie in
    each other.
    """
    if one.points.tobytes() > two.points.tobytes():
        turned = _crossings(two, one)
        return tuple(Crossing(line.points, line.two, line.one, line.closed) for line in turned)
    return _crossings(one, two)


def _crossings(one: Surface, two: Surface) -> tuple[Crossing, ...]:
    u, grids = [], []
    for surface, aside in zip((one, two), ASIDE, strict=True):
        at = [_parameters(surface, axis, aside[axis]) for axis in (0, 1)]
        u.append(at)
        grids.append(np.ascontiguousarray(surface.on_grid(at[0], at[1])[0, 0]))
    most = IN_EACH_OTHER * min((grid.shape[0] - 1) * (grid.shape[1] - 1) for grid in grids)
    cells = meeting_cells(grids[0], grids[1], most)
    if len(cells) > most:
        raise _in_each_other()
    legs, shares = crossing_legs(grids[0], grids[1], cells)
    strung = _strung(legs)
    if len(strung) > MOST_LINES:
        raise _in_each_other()
    found: list[Crossing] = []
    for run, closed in strung:
        found += _exact(one, two, *_places(u, grids, legs[run], shares[run]), closed)
    if len(found) > MOST_LINES:
        raise _in_each_other()
    return tuple(sorted(_ends_joined(one, two, found), key=lambda line: -line.length))


def _in_each_other() -> InvalidShape:
    return InvalidShape("The surfaces lie in each other, so that no line parts them", "Move one of them, or blend")


def _parameters(surface: Surface, axis: int, aside: float) -> Floats:
    """Lines of the grid along u or v: so many in each span, the inner ones a little aside."""
    count = min(max(CELLS, CELLS_A_SPAN * surface.spans[axis]), MOST_CELLS)
    at = even_parameters(surface.knots[axis], count)
    at[1:-1] += aside * (at[2:] - at[1:-1])
    return at


def _strung(legs: Ints) -> list[tuple[Ints, bool]]:
    """Rows of crossings in order along each line, and whether it is closed. Two rows with the same side and triangle
    are one place."""
    if not len(legs):
        return []
    keys, place = np.unique(legs, axis=0, return_inverse=True)
    ends = np.asarray(place).reshape(-1, 2)
    at: list[list[int]] = [[] for _ in keys]
    for number, (a, b) in enumerate(ends.tolist()):
        at[a].append(number)
        at[b].append(number)
    row = np.empty(len(keys), dtype=np.int64)
    row[place] = np.arange(len(place))
    gone = np.zeros(len(ends), dtype=bool)
    found = []
    for start in [*(k for k, some in enumerate(at) if len(some) == 1), *range(len(at))]:
        run = [start]
        while True:
            onward = next((n for n in at[run[-1]] if not gone[n]), None)
            if onward is None:
                break
            gone[onward] = True
            a, b = ends[onward].tolist()
            run.append(b if a == run[-1] else a)
        if len(run) > 1:
            found.append((row[np.array(run)], run[0] == run[-1] and len(run) > 3))
    return found


def _places(u: list[list[Floats]], grids: list[Floats], legs: Ints, shares: Floats) -> tuple[Floats, list[int | None]]:
    """(n, 4) parameters on both surfaces of crossings, and by which of the four the first and the last of them end:
    the one that stays as it is along the edge of a grid that is crossed there."""
    found = np.empty((len(legs), 4))
    borders: list[int | None] = [None] * len(legs)
    for number, ((whose, low, high, cell), (share, b, c)) in enumerate(zip(legs.tolist(), shares, strict=True)):
        mine, other = int(whose), 1 - int(whose)
        width = grids[mine].shape[1]
        ends = np.array([[u[mine][0][k // width], u[mine][1][k % width]] for k in (low, high)])
        found[number, 2 * mine : 2 * mine + 2] = ends[0] + share * (ends[1] - ends[0])
        row, half = divmod(int(cell), 2)
        i, j = divmod(row, grids[other].shape[1] - 1)
        steps = ((0, 0), (1, 0), (1, 1)) if half == 0 else ((0, 0), (1, 1), (0, 1))
        at = np.array([[u[other][0][i + a], u[other][1][j + d]] for a, d in steps])
        found[number, 2 * other : 2 * other + 2] = at[0] + b * (at[1] - at[0]) + c * (at[2] - at[0])
        if number in (0, len(legs) - 1):
            still = [k for k in (0, 1) if ends[0, k] == ends[1, k] and ends[0, k] in (u[mine][k][0], u[mine][k][-1])]
            borders[number] = 2 * mine + still[0] if still else None
    return found, [borders[0], borders[-1]]


def _exact(one: Surface, two: Surface, x: Floats, borders: list[int | None], closed: bool) -> list[Crossing]:
    """A line whose places lie on both surfaces; several where it cannot be followed between, none where nothing of it
    is left."""
    kept = np.unique([*range(0, len(x), SIDES_A_CELL if len(x) > FEW * SIDES_A_CELL else 1), len(x) - 1])
    x, held = x[kept], np.full(len(kept), -1)
    if not closed:
        held[[0, -1]] = [-1 if k is None else k for k in borders]
    x, good = _met(one, two, x, held)
    inside = good & _within(one, two, x)
    if closed and inside.all():
        x = np.vstack([_spread(one, x[:-1], True), x[:1]])
    else:
        start, end = max(runs_of(inside), key=lambda run: run[1] - run[0], default=(0, 0))
        if end - start < 2:
            return []
        closed, x = False, _spread(one, x[start:end], False)
    x, sound = _filled(one, two, x, closed)
    if sound.all():
        return [_line(one, x, closed)]
    return [_line(one, x[start : end + 1], False) for start, end in runs_of(sound) if end - start > 1]


def _line(one: Surface, x: Floats, closed: bool) -> Crossing:
    return Crossing(one.at(x[:, :2]), x[:, :2].copy(), x[:, 2:].copy(), closed)


def _met(one: Surface, two: Surface, x: Floats, held: Ints) -> tuple[Floats, Bools]:
    """Places brought onto both surfaces, each in a plane square to the line there, or with one of its parameters held
    (its number; -1 for none); and which of them arrived."""
    x = x.copy()
    size = np.array([high - low for low, high in (*one.domain, *two.domain)])
    begun: Floats | None = None
    across = np.empty((len(x), 3))
    for _ in range(STEPS):
        d, e = one.derivatives(x[:, :2], 1), two.derivatives(x[:, 2:], 1)
        gap = d[0, 0] - e[0, 0]
        if begun is None:
            begun = (d[0, 0] + e[0, 0]) / 2
            across = unit(np.cross(np.cross(d[1, 0], d[0, 1]), np.cross(e[1, 0], e[0, 1])))
        a = np.zeros((len(x), 4, 4))
        a[:, :3, 0], a[:, :3, 1], a[:, :3, 2], a[:, :3, 3] = d[1, 0], d[0, 1], -e[1, 0], -e[0, 1]
        b = np.zeros((len(x), 4))
        b[:, :3] = -gap
        a[:, 3, 0] = np.einsum("nc,nc->n", across, d[1, 0])
        a[:, 3, 1] = np.einsum("nc,nc->n", across, d[0, 1])
        b[:, 3] = -np.einsum("nc,nc->n", across, d[0, 0] - begun)
        fixed = np.flatnonzero(held >= 0)
        a[fixed, 3] = 0.0
        a[fixed, 3, held[fixed]] = 1.0
        b[fixed, 3] = 0.0
        move = _least_steps(a, b)
        share = np.abs(move / size).max(axis=1)
        move *= np.minimum(1.0, 0.1 / np.maximum(share, 1e-300))[:, None]
        x += move
        if share.max(initial=0.0) < ARRIVED:
            break
    off = np.linalg.norm(one.at(x[:, :2]) - two.at(x[:, 2:]), axis=1)
    return x, off < EXACT * (1 + np.abs(one.points).max())


def _least_steps(a: Floats, b: Floats) -> Floats:
    """(n, 4) solutions; where surfaces touch without crossing there is no one answer, and the least step is taken."""
    volume = np.abs(np.linalg.det(a / np.maximum(np.linalg.norm(a, axis=2, keepdims=True), 1e-300)))
    clear = volume > TOUCHING
    found = np.empty_like(b)
    found[clear] = np.linalg.solve(a[clear], b[clear, :, None])[..., 0]
    touching = ~clear
    if touching.any():
        found[touching] = np.einsum("nij,nj->ni", np.linalg.pinv(a[touching], rcond=1e-12), b[touching])
    return found


def _within(one: Surface, two: Surface, x: Floats) -> Bools:
    """Which places lie in both domains; those on an edge are brought to it exactly."""
    inside = np.ones(len(x), dtype=bool)
    for k, (low, high) in enumerate([*one.domain, *two.domain]):
        slack = END * (high - low)
        inside &= (x[:, k] >= low - slack) & (x[:, k] <= high + slack)
        x[np.abs(x[:, k] - low) <= slack, k] = low
        x[np.abs(x[:, k] - high) <= slack, k] = high
    return inside


def _spread(one: Surface, x: Floats, closed: bool) -> Floats:
    """Without places that crowd; the ends of an open line stay."""
    if len(x) < 4:
        return x
    points = one.at(x[:, :2])
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    least = CROWDED * float(np.median(steps))
    kept = [0]
    for k in range(1, len(x)):
        if np.linalg.norm(points[k] - points[kept[-1]]) >= least:
            kept.append(k)
    last = 0 if closed else len(x) - 1
    while len(kept) > 2 and kept[-1] != last and np.linalg.norm(points[kept[-1]] - points[last]) < least:
        kept.pop()
    if not closed and kept[-1] != last:
        kept.append(last)
    return x[kept]


def _filled(one: Surface, two: Surface, x: Floats, closed: bool) -> tuple[Floats, Bools]:
    """With places between until a spline through them is near the line, and legs between them are; and which legs lie
    on it."""
    from scipy.interpolate import CubicSpline  # see ``tree_of``

    sound = np.ones(len(x) - 1, dtype=bool)
    for _ in range(ROUNDS):
        points = one.at(x[:, :2])
        along = way_along(points)
        if not along[-1] > 0 or not (np.diff(along) > 0).all() or len(x) > MOST_PLACES:
            return x, sound
        middle = (along[:-1] + along[1:]) / 2
        between = CubicSpline(along, x, bc_type="periodic" if closed else "not-a-knot")(middle)
        true, good = _met(one, two, between, np.full(len(between), -1))
        for k, (low, high) in enumerate([*one.domain, *two.domain]):
            true[:, k] = np.clip(true[:, k], low, high)
        exact = one.at(true[:, :2])
        off = np.maximum(
            np.linalg.norm(exact - one.at(between[:, :2]), axis=1),
            np.linalg.norm(exact - two.at(between[:, 2:]), axis=1),
        )
        bow = np.linalg.norm(exact - (points[:-1] + points[1:]) / 2, axis=1)
        sound = (good & (off < LOST)) | (np.diff(along) < LOST)
        wanted = good & ((off > NEAR) | (bow > BOW))
        if not wanted.any():
            break
        x = np.insert(x, np.flatnonzero(wanted) + 1, true[wanted], axis=0)
        sound = np.insert(sound, np.flatnonzero(wanted) + 1, True)
    return x, sound


def _ends_joined(one: Surface, two: Surface, found: list[Crossing]) -> list[Crossing]:
    """Lines whose ends lie at one place have it exactly alike in the parameters of a surface that has no seam there."""
    for line in found:
        if line.closed:
            continue
        for other in found:
            for mine in (0, -1):
                for theirs in (0, -1):
                    if other.closed or (line is other and mine == theirs):
                        continue
                    if np.linalg.norm(line.points[mine] - other.points[theirs]) > 10 * NEAR:
                        continue
                    for which in (0, 1):
                        here, there = line.of(which), other.of(which)
                        if np.allclose(here[mine], there[theirs], rtol=0, atol=1e-6):
                            there[theirs] = here[mine]
    return found
