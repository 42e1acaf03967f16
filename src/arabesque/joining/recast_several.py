"""Several surfaces that lie side by side made anew as one patch."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats, Ints, runs_of, tree_of, unit
from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface, foot_points
from arabesque.joining.recast import GRID, READ, SPANS, Recast, coons_grid, four_sides, through_grid
from arabesque.progress import Progress, silent

REACH = 0.002
"""Of the size of all: borders that run together are nearer to each other."""
DENSE = 1025
TURNS = np.radians(25.0)
"""A ring that turns less from one border to the next has no corner there."""
ROUNDS, SPREADS = 4, 8
"""How often a grid is brought onto the surfaces, and places spread evenly before."""
ASIDE = 3
"""Places beside a corner between which a ring is seen to turn."""


def recast_several(
    surfaces: Sequence[Surface],
    degree: tuple[int, int] = (3, 3),
    spans: tuple[int, int] | None = None,
    near: float = 0.01,
    places: Sequence[Floats] = (),
    progress: Progress = silent,
) -> Recast:
    """One patch with natural edges in the place of surfaces that lie side by side.

    Its border is what of theirs runs beside no other one's. A grid between its four sides (Coons 1967) is spread
    evenly and brought onto the surfaces, and the nearest spline laid through; corners, spans and ``near`` as in
    ``recast``. Raises ArabesqueError where they do not lie side by side, or leave an opening.
    """
    points, corners = _ring(surfaces)
    sides = four_sides(points, corners, places, points)
    grid = coons_grid(sides)
    for number in range(ROUNDS):
        progress(number / (2 * ROUNDS), "Reading the faces")
        for _ in range(SPREADS):
            grid[1:-1, 1:-1] = (grid[2:, 1:-1] + grid[:-2, 1:-1] + grid[1:-1, 2:] + grid[1:-1, :-2]) / 4
        inner = grid[1:-1, 1:-1].reshape(-1, 3)
        grid[1:-1, 1:-1] = _feet(surfaces, inner)[0].reshape(GRID - 2, GRID - 2, 3)

    tried = 0

    def off(places: Floats) -> Floats:
        nonlocal tried
        tried += 1
        progress(0.5 + tried / (4 * len(SPANS) + 2), "Trying spans")
        return np.asarray(np.linalg.norm(_feet(surfaces, places)[0] - places, axis=1))

    return through_grid(grid, sides, degree, spans, near, off, _feet(surfaces, grid[GRID // 2, GRID // 2][None])[1][0])


def _feet(surfaces: Sequence[Surface], places: Floats) -> tuple[Floats, Floats]:
    """(n, 3) nearest places of surfaces, of what shows of them, and (n, 3) normals there."""
    best = np.full(len(places), np.inf)
    points, normals = np.empty_like(places), np.empty_like(places)
    for surface in surfaces:
        feet = foot_points(surface.whole, places)
        away = np.linalg.norm(feet.points - places, axis=1)
        # the hidden part only where nothing else is there
        away = np.where(surface.shows(feet.uv) | ~feet.inside, away, away + 1e6)
        nearer = away < best
        best[nearer], points[nearer] = away[nearer], feet.points[nearer]
        normals[nearer] = surface.whole.normals(feet.uv[nearer])
    return points, normals


def _ring(surfaces: Sequence[Surface]) -> tuple[Floats, Ints]:
    """(n, 3) places round all surfaces, and where the ring turns."""
    t = np.linspace(0, 1, READ)
    dense = np.linspace(0, 1, DENSE)
    rims = [(number, rim) for number, surface in enumerate(surfaces) for rim in surface.rims()]
    lines = [rim.surface.at(rim.places(t)) for _, rim in rims]
    finer = [rim.surface.at(rim.places(dense)) for _, rim in rims]
    size = float(np.linalg.norm(np.ptp(np.concatenate(lines), axis=0)))
    reach = REACH * size
    runs: list[Floats] = []
    for (number, _), line in zip(rims, lines, strict=True):
        others = [other for (owner, _), other in zip(rims, finer, strict=True) if owner != number]
        free = tree_of(np.concatenate(others)).query(line)[0] > reach if others else np.ones(len(line), dtype=bool)
        # up to where another one begins
        runs += [line[max(start - 1, 0) : end + 1] for start, end in runs_of(free)]
    ring = _chained(runs, 4 * reach + size / READ)
    points = np.concatenate([run[:-1] for run in ring])
    starts = np.cumsum([0, *(len(run) - 1 for run in ring[:-1])])
    ahead = unit(np.roll(points, -ASIDE, axis=0) - points)
    back = unit(points - np.roll(points, ASIDE, axis=0))
    turn = np.arccos(np.clip(np.einsum("nc,nc->n", ahead, back), -1, 1))
    return points, starts[turn[starts] > TURNS]


def _chained(runs: list[Floats], reach: float) -> list[Floats]:
    """Lines put end to end, all of them, as one ring."""
    if not runs:
        raise ArabesqueError("The surfaces have no border left", "Choose fewer of them")
    ring, left = [runs[0]], list(runs[1:])
    while left:
        end = ring[-1][-1]
        gaps = [min(np.linalg.norm(run[0] - end), np.linalg.norm(run[-1] - end)) for run in left]
        nearest = int(np.argmin(gaps))
        if gaps[nearest] > reach:
            break
        run = left.pop(nearest)
        ring.append(run if np.linalg.norm(run[0] - end) <= np.linalg.norm(run[-1] - end) else run[::-1])
    if left or np.linalg.norm(ring[-1][-1] - ring[0][0]) > reach:
        raise ArabesqueError(
            "The surfaces do not lie side by side, or leave an opening", "Choose neighbours that share their edges"
        )
    return ring
