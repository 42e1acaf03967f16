"""Trimmed faces made anew as patches with natural edges."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from arabesque.arrays import Floats, Ints, unit, way_along
from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Face,
    Rim,
    Surface,
    coons_net,
    foot_points,
    loop_rims,
    nearest_surface,
    uniform_knots,
)

GRID = 65
"""Places along each side at which a face is read."""
READ = 257
SPANS = 1, 2, 3, 4, 6, 8, 12, 16, 24
"""Along both ways, tried in turn."""
AT_BEST = 1.05
"""Of what is missed with the most spans: what is missed with as few as do about as well."""
LOOKED_AT = 49
SMOOTHINGS, STEP = 400, 0.9
"""Rounds in which places that crossed are spread inside the border."""
SHORTEST = 0.02
"""Of the whole border: no side is to be shorter."""
NOTHING = 1e-9


@dataclass(frozen=True, eq=False)
class Recast:
    """surface: with natural edges. off: mm, how far it is from the face at most; border: how far its edges are from the
    face's border. corners: (4, 3)."""

    surface: Surface
    off: float
    border: float
    corners: Floats


def recast(
    face: Surface,
    degree: tuple[int, int] = (3, 3),
    spans: tuple[int, int] | None = None,
    near: float = 0.01,
    places: Sequence[Floats] = (),
) -> Recast:
    """An untrimmed patch in the place of what a trim shows of another.

    Its corners are the sharpest four of the border, or those nearest to four ``places`` (3,); where there are fewer,
    long sides are divided. The face is read over a grid between its sides (Coons 1967, in the patch's parameters),
    with even lengths along them, and the nearest spline laid through; spans: along both ways, or as few as come
    ``near``, mm. Raises ArabesqueError for a face with openings or of several parts.
    """
    ring = _ring(face)
    sides = _sides(ring, places)
    grid = _between(sides)
    bare = face.whole
    wanted = bare.at(grid.reshape(-1, 2)).reshape(GRID, GRID, 3)
    lines = [bare.at(side) for side in sides]

    def off(places: Floats) -> Floats:
        return np.asarray(np.linalg.norm(foot_points(bare, places).points - places, axis=1))

    middle = bare.normals(grid[GRID // 2, GRID // 2][None])[0]
    return through_grid(wanted, lines, degree, spans, near, off, middle)


def through_grid(
    wanted: Floats,
    sides: Sequence[Floats],
    degree: tuple[int, int],
    spans: tuple[int, int] | None,
    near: float,
    off: Callable[[Floats], Floats],
    facing: Floats,
) -> Recast:
    """The patch nearest to a (GRID, GRID, 3) grid, with as few spans as come ``near``, mm, or those given.

    sides: four (READ, 3) lines going round.
    off: how far (n, 3) places are from what is made anew, (n,) mm. facing: (3,) to which side the middle looks.
    """
    steps = np.linspace(0, 1, GRID)

    def fitted(count: tuple[int, int]) -> Surface:
        knots = uniform_knots(degree[0], count[0]), uniform_knots(degree[1], count[1])
        return nearest_surface(degree, knots, [steps, steps], wanted)

    def missed(surface: Surface) -> float:
        return float(np.linalg.norm(surface.on_grid(steps, steps)[0, 0] - wanted, axis=2).max())

    if spans is not None:
        made = _measured(fitted(spans), off, sides)
    else:
        # what is missed along u and along v adds up: each is looked at with the other as fine as may be
        most = SPANS[-1]
        rests = [[missed(fitted(one)) for one in ways] for ways in
                 ([(n, most) for n in SPANS], [(most, n) for n in SPANS])]  # fmt: skip
        goal = max(near, AT_BEST * rests[0][-1])
        at = [next(k for k, rest in enumerate(rest_of) if rest <= goal) for rest_of in rests]
        made = _measured(fitted((SPANS[at[0]], SPANS[at[1]])), off, sides)
        while max(made.off, made.border) > near and rests[0][-1] < near and min(at) < len(SPANS) - 1:
            axis = min((k for k in (0, 1) if at[k] < len(SPANS) - 1), key=lambda k: -rests[k][at[k]])
            at[axis] += 1
            made = _measured(fitted((SPANS[at[0]], SPANS[at[1]])), off, sides)
    looks = float(made.surface.normals(np.array([[0.5, 0.5]]))[0] @ facing)
    return made if looks > 0 else replace(made, surface=made.surface.reversed(0))


def _ring(face: Surface) -> tuple[Rim, ...]:
    if not isinstance(face, Face):
        return face.rims()
    loops = loop_rims(face)
    if len(loops) != 1:
        raise ArabesqueError("A face with openings, or of several parts, is not one patch", "Trim it into parts first")
    return loops[0]


def _sides(ring: tuple[Rim, ...], places: Sequence[Floats]) -> list[Floats]:
    """Four lines (READ, 2) in parameters, each beginning where the one before ends."""
    t = np.linspace(0, 1, READ)
    runs = [rim.places(t) for rim in ring]
    surface = ring[0].surface
    lines = [surface.at(run) for run in runs]
    uv = np.concatenate([run[:-1] for run in runs])
    points = np.concatenate([line[:-1] for line in lines])
    corners = np.arange(len(runs)) * (READ - 1) if len(runs) > 1 else np.empty(0, dtype=np.int64)
    return four_sides(points, corners, places, uv)


def four_sides(points: Floats, corners: Ints, places: Sequence[Floats], values: Floats) -> list[Floats]:
    """What a ring of (n, 3) points has as (n, d) values along four sides, (READ, d) each with even lengths.

    corners: numbers of points where it may turn; the sharpest four are taken, or those nearest to four ``places``.
    """
    if len(places):
        chosen = sorted({int(np.linalg.norm(points - place, axis=1).argmin()) for place in places})
        if len(chosen) != 4:
            raise ArabesqueError("A patch has four corners", "Give four places on the border, apart from each other")
    else:
        chosen = _four(points, way_along(np.vstack([points, points[:1]])), corners)
    found = []
    for start, end in zip(chosen, [*chosen[1:], chosen[0] + len(points)], strict=True):
        some = np.arange(start, end + 1) % len(points)
        length = way_along(points[some])
        even = np.linspace(0, length[-1], READ)
        found.append(np.column_stack([np.interp(even, length, column) for column in values[some].T]))
    return found


def _four(points: Floats, along: Floats, corners: Ints) -> list[int]:
    """Numbers of four places on the border: the sharpest corners that are not too near each other; where there are
    fewer, the longest side is divided."""
    chosen = [int(k) for k in corners]
    whole = along[-1]
    while len(chosen) < 4:
        if not chosen:
            chosen = [0]
        ends = [*chosen[1:], chosen[0] + len(points)]
        lengths = [_way(along, start, end, len(points)) for start, end in zip(chosen, ends, strict=True)]
        longest = int(np.argmax(lengths))
        middle = along[chosen[longest]] + lengths[longest] / 2
        chosen = sorted([*chosen, int(np.searchsorted(along[:-1], middle % whole)) % len(points)])
        if len(set(chosen)) < len(chosen):
            raise ArabesqueError("The face is too small to be made anew", "Leave it out")
    if len(chosen) == 4:
        return chosen
    back, ahead = unit(points - np.roll(points, 1, axis=0)), unit(np.roll(points, -1, axis=0) - points)
    turn = np.arccos(np.clip(np.einsum("nc,nc->n", back, ahead), -1, 1))
    sharpest = sorted(sorted(chosen, key=lambda k: -turn[k])[:10])
    best, most = list(sharpest[:4]), -np.inf
    for four in combinations(sharpest, 4):
        ends = [*four[1:], four[0] + len(points)]
        lengths = [_way(along, start, end, len(points)) for start, end in zip(four, ends, strict=True)]
        worth = float(turn[list(four)].sum())
        if min(lengths) >= SHORTEST * whole and worth > most:
            best, most = list(four), worth
    return best


def _way(along: Floats, start: int, end: int, count: int) -> float:
    """mm from one place of a ring to another that follows it."""
    return (
        float(along[end] - along[start]) if end < len(along) else float(along[-1] - along[start] + along[end - count])
    )


def _between(sides: list[Floats]) -> Floats:
    """(GRID, GRID, 2) places between four sides: after Coons, and spread where they crossed."""
    grid = coons_grid(sides)
    if _crossed(grid):
        grid = _spread(grid)
    if _crossed(grid):
        raise ArabesqueError("The face winds so much that no patch lies evenly in it", "Trim it into parts first")
    return grid


def coons_grid(sides: Sequence[Floats]) -> Floats:
    """(GRID, GRID, d) between four (READ, d) sides going round."""
    low, right, high, left = sides
    pick = np.linspace(0, READ - 1, GRID).round().astype(int)
    steps = np.linspace(0, 1, GRID)
    return coons_net(low[pick], high[::-1][pick], left[::-1][pick], right[pick], steps, steps)


def _crossed(grid: Floats) -> bool:
    """True where cells of a grid are turned over."""
    a, b = np.diff(grid, axis=0)[:, :-1], np.diff(grid, axis=1)[:-1]
    area = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
    return bool(area.min() <= 0 < area.max())


def _spread(grid: Floats) -> Floats:
    """Inner places of a grid moved until lines run evenly inside the border: Winslow, "Numerical solution of the
    quasilinear Poisson equation in a nonuniform triangle mesh", Journal of Computational Physics 1, 1967."""
    grid = grid.copy()
    for _ in range(SMOOTHINGS):
        du, dv = (grid[2:, 1:-1] - grid[:-2, 1:-1]) / 2, (grid[1:-1, 2:] - grid[1:-1, :-2]) / 2
        a = np.einsum("ijc,ijc->ij", dv, dv)[..., None]
        b = np.einsum("ijc,ijc->ij", du, dv)[..., None]
        c = np.einsum("ijc,ijc->ij", du, du)[..., None]
        mixed = (grid[2:, 2:] - grid[2:, :-2] - grid[:-2, 2:] + grid[:-2, :-2]) / 4
        total = a * (grid[2:, 1:-1] + grid[:-2, 1:-1]) + c * (grid[1:-1, 2:] + grid[1:-1, :-2]) - 2 * b * mixed
        grid[1:-1, 1:-1] += STEP * (total / np.maximum(2 * (a + c), NOTHING * float(a.max())) - grid[1:-1, 1:-1])
    return grid


def _measured(surface: Surface, off: Callable[[Floats], Floats], sides: Sequence[Floats]) -> Recast:
    t = np.linspace(0, 1, LOOKED_AT)
    places = surface.on_grid(t, t)[0, 0].reshape(-1, 3)
    border = 0.0
    even = np.linspace(0, 1, READ)
    ends = ((even, 0 * even), (0 * even + 1, even), (even[::-1], 0 * even + 1), (0 * even, even[::-1]))
    for side, (u, v) in zip(sides, ends, strict=True):
        gap = surface.at(np.column_stack([u, v])) - side
        border = max(border, float(np.linalg.norm(gap, axis=1).max()))
    return Recast(surface, float(off(places).max()), border, np.array([side[0] for side in sides]))
