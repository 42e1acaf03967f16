"""Patches bent round irregular points until they have one tangent plane along each common edge."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, unit
from arabesque.cages.blocks import Block, corner_half
from arabesque.cages.cage import Cage
from arabesque.geometry import basis_matrix

ROUNDS = 3
CELLS = 6
PLACES_A_CELL = 5
REACH = 4
"""A corner's coefficients a + b <= 4 rows away move, along the normal of the point."""
ON_PLANE = 30.0
STAYS = 0.1
INNER = ((1, 1), (1, 2), (2, 1), (1, 3), (2, 2), (3, 1))


class _Sector(NamedTuple):
    """A patch at a point, seen from there: its net and knots with the point at the start of both, the first way
    along the spoke that the sector begins with."""

    net: Floats
    knots: tuple[Floats, Floats]


def solve_corners(
    cage: Cage, blocks: list[Block], knots: list[tuple[Floats, Floats]], nets: list[Floats], odd: Bools
) -> Ints:
    """Bend the nets of patches round every irregular point in place; the points round which that was done."""
    quads = cage.quads
    where: dict[int, tuple[int, int]] = {}
    for number, block in enumerate(blocks):
        for corner in range(4):
            half = corner_half(block, corner)
            if odd[half]:
                where[half] = number, corner
    done, seen = [], np.zeros(len(odd), dtype=bool)
    for half in sorted(where):
        if seen[half]:
            continue
        halves, closed = quads.fan(half)
        seen[halves] = True
        if len(halves) < 2 or any(int(h) not in where for h in halves):
            continue
        sectors = [_turned(nets[where[int(h)][0]], knots[where[int(h)][0]], where[int(h)][1]) for h in halves]
        _solve(sectors, closed)
        done.append(int(quads.starts[half]))
    return np.array(done, dtype=np.int64)


def _turned(net: Floats, knots: tuple[Floats, Floats], corner: int) -> _Sector:
    """Views of a patch as seen from one of its corners; what is written there is written in the patch."""
    (u, v), (nu, nv) = knots, net.shape[:2]
    back_u, back_v = (k[-1] - k[::-1] for k in (u, v))
    assert nu >= REACH and nv >= REACH
    if corner == 0:
        return _Sector(net, (u, v))
    if corner == 1:
        return _Sector(net[::-1].swapaxes(0, 1), (v, back_u))
    if corner == 2:
        return _Sector(net[::-1, ::-1], (back_u, back_v))
    return _Sector(net[:, ::-1].swapaxes(0, 1), (back_v, u))


def _solve(sectors: list[_Sector], closed: bool) -> None:
    n = len(sectors)
    point = sectors[0].net[0, 0].copy()
    ways = [sector.net[1, 0] - point for sector in sectors] + ([] if closed else [sectors[-1].net[0, 1] - point])
    around = pairwise([*ways, ways[0]] if closed else ways)
    normal = unit(sum((np.cross(a, b) for a, b in around), np.zeros(3)))
    scale = float(np.mean([np.linalg.norm(way) for way in ways]))
    if not scale > 0 or not normal.any():
        return
    # spokes between two sectors may bend; those on a cut belong to both sides of it
    spokes = [(k - 1, k) for k in range(0 if closed else 1, n)]
    number = {k: 3 * place for place, (_, k) in enumerate(spokes)}
    inner = 3 * len(spokes)
    count = inner + len(INNER) * n
    for _ in range(ROUNDS):
        rows, lacking = [], []
        for before, here in spokes:
            jacobian, value = _edge_rows(sectors[before], sectors[here], normal, scale, count, number[here],
                                         inner + len(INNER) * (before % n), inner + len(INNER) * here)  # fmt: skip
            rows.append(jacobian)
            lacking.append(-value)
            plane = np.zeros((1, count))
            plane[0, number[here]] = ON_PLANE
            rows.append(plane)
            lacking.append(np.array([-ON_PLANE * float((sectors[here].net[1, 0] - point) @ normal) / scale]))
        rows.append(STAYS * np.eye(count))
        lacking.append(np.zeros(count))
        heights = np.linalg.lstsq(np.concatenate(rows), np.concatenate(lacking), rcond=None)[0] * scale
        for before, here in spokes:
            for a in range(3):
                lift = heights[number[here] + a] * normal
                sectors[here].net[a + 1, 0] += lift
                # the same line, seen from the sector before
                sectors[before].net[0, a + 1] = sectors[here].net[a + 1, 0]
        for k, sector in enumerate(sectors):
            for place, (a, b) in enumerate(INNER):
                sector.net[a, b] += heights[inner + len(INNER) * k + place] * normal


def _edge_rows(
    before: _Sector, here: _Sector, normal: Floats, scale: float, count: int, on_spoke: int, in_before: int,
    in_here: int,
) -> tuple[Floats, Floats]:  # fmt: skip
    """How far the two patches at an edge are from one tangent plane, as the sine between them at places along it, and
    how that changes with the heights of coefficients over the normal, in units of ``scale``."""
    knots = here.knots[0]
    breaks = np.unique(knots)[: CELLS + 1]
    share = (np.arange(PLACES_A_CELL) + 0.5) / PLACES_A_CELL
    t = (breaks[:-1, None] + share * np.diff(breaks)[:, None]).ravel()
    value, slope = (basis_matrix(knots, 3, t, k) for k in (0, 1))
    # the first two rows across decide of place and slope at the edge
    step_here, step_before = here.knots[1][4], before.knots[0][4]
    along = slope @ here.net[:, 0]
    across = 3 / step_here * (value @ (here.net[:, 1] - here.net[:, 0]))
    m = before.net.shape[1]
    value_b = value[:, :m] if m <= value.shape[1] else np.pad(value, ((0, 0), (0, m - value.shape[1])))
    beyond = 3 / step_before * (value_b @ (before.net[1] - before.net[0]))
    length = np.linalg.norm(along, axis=1) * np.linalg.norm(across, axis=1) * np.linalg.norm(beyond, axis=1)
    length = np.where(length > 0, length, 1.0)
    by_along, by_across, by_beyond = np.cross(across, beyond), np.cross(beyond, along), np.cross(along, across)
    sine = np.einsum("nc,nc->n", along, by_along) / length
    a, c, d = (scale * (by @ normal) / length for by in (by_along, by_across, by_beyond))
    jacobian = np.zeros((len(t), count))
    for k in range(3):
        row = k + 1
        jacobian[:, on_spoke + k] += (
            a * slope[:, row] - 3 / step_here * c * value[:, row] - 3 / step_before * d * value[:, row]
        )
    for place, (i, j) in enumerate(INNER):
        if j == 1:
            jacobian[:, in_here + place] += 3 / step_here * c * value[:, i]
        if i == 1:
            jacobian[:, in_before + place] += 3 / step_before * d * value[:, j]
    return jacobian, sine
