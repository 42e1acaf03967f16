"""More faces: laid on points, pulled out of the border, between two borders, over an opening."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats, Ints, unit
from arabesque.cages.cage import Cage
from arabesque.cages.edits.parts import cage_from
from arabesque.cages.quads import CageProblem, Quads
from arabesque.geometry import Plane

FAIREST_CORNERS = 48
"""Openings with more edges than this are filled from corners tried at every second place only."""


def lay_face(cage: Cage | None, corners: Sequence[int | Floats], towards: Floats) -> Cage:
    """One more face on three or four corners, each the number of a point or a new place (3,).

    Three get a fourth, which makes a parallelogram. towards: (3,) the side that a first face looks to; others look
    to the side of the faces that they meet.
    """
    if len(corners) not in (3, 4):
        raise CageProblem(f"A face has three or four given corners, not {len(corners)}", "Click four places")
    points = np.empty((0, 3)) if cage is None else cage.points
    numbers = []
    for corner in corners:
        if isinstance(corner, (int, np.integer)):
            numbers.append(int(corner))
        else:
            numbers.append(len(points))
            points = np.vstack([points, np.asarray(corner, dtype=float)])
    if len(numbers) == 3:
        numbers.append(len(points))
        points = np.vstack([points, points[numbers[0]] + points[numbers[2]] - points[numbers[1]]])
    face = np.array(numbers)
    if cage is None:
        a, b, c, d = points[face]
        if np.cross(c - a, d - b) @ np.asarray(towards, dtype=float) < 0:
            face = face[::-1]
        return cage_from(points, face[None], (), (), ())
    quads = cage.quads
    ways = {(int(a), int(b)) for a, b in zip(quads.starts, quads.ends, strict=True)}
    sides = list(zip(face.tolist(), np.roll(face, -1).tolist(), strict=True))
    same, other = (sum(pair in ways for pair in pairs) for pairs in (sides, [(b, a) for a, b in sides]))
    a, b, c, d = points[face]
    backwards = np.cross(c - a, d - b) @ np.asarray(towards, dtype=float) < 0
    if same and other:
        raise CageProblem(
            "The face would have to look to both sides", "Take its corners in the order of going round, or other ones"
        )
    if same or (not other and backwards):
        face = face[::-1]
    return cage_from(points, np.vstack([quads.faces, face]), quads.sharp, quads.corners, quads.bent)


def outward_moves(cage: Cage, halves: Ints) -> Floats:
    """(n, 3) for each point of the cage how a face beyond the border would go on there: 0 for points that none of the
    border half-edges has."""
    quads, points = cage.quads, cage.points
    moves, count = np.zeros((quads.count, 3)), np.zeros(quads.count)
    for h in np.asarray(halves, dtype=np.int64):
        a, b, c, d = (int(p) for p in np.roll(quads.faces[h // 4], -(h % 4)))
        for point, inner in ((a, d), (b, c)):
            moves[point] += points[point] - points[inner]
            count[point] += 1
    return moves / np.maximum(count, 1)[:, None]


def extrude(cage: Cage, halves: Ints, moves: Floats) -> Cage:
    """A face pulled out of each of some border half-edges; neighbours stay together. moves: (n, 3) of the points."""
    quads = cage.quads
    halves = np.unique(np.asarray(halves, dtype=np.int64))
    if not len(halves) or not quads.border[halves].all():
        raise CageProblem("Only edges of the border are pulled out", "Take an edge with a face on one side only")
    used = np.unique(np.concatenate([quads.starts[halves], quads.ends[halves]]))
    fresh = np.full(quads.count, -1)
    fresh[used] = quads.count + np.arange(len(used))
    a, b = quads.starts[halves], quads.ends[halves]
    faces = np.column_stack([b, a, fresh[a], fresh[b]])
    points = np.vstack([cage.points, cage.points[used] + np.asarray(moves, dtype=float)[used]])
    return cage_from(points, np.vstack([quads.faces, faces]), quads.sharp, quads.corners, quads.bent)


def _chain(cage: Cage, halves: Ints, what: str) -> tuple[Ints, bool]:
    """The points along border half-edges in order, and whether they close."""
    quads = cage.quads
    halves = np.asarray(halves, dtype=np.int64)
    if not len(halves) or not quads.border[halves].all():
        raise CageProblem(f"The {what} is not on the border", "Take edges with a face on one side only")
    after = {int(quads.starts[h]): int(quads.ends[h]) for h in halves}
    firsts = set(after) - set(after.values())
    if len(firsts) > 1 or len(after) < len(halves):
        raise CageProblem(f"The {what} is in pieces", "Take edges that follow each other")
    point = firsts.pop() if firsts else int(quads.starts[halves[0]])
    start, found = point, [point]
    while point in after:
        point = after[point]
        if point == start:
            break
        found.append(point)
    closed = point == start and len(found) > 1
    if len(found) + closed != len(halves) + 1:
        raise CageProblem(f"The {what} is in pieces", "Take edges that follow each other")
    return np.array(found), closed


def span(cage: Cage, first: Ints, second: Ints, count: int = 1) -> Cage:
    """Faces between two parts of the border with as many edges each, ``count`` of them across.

    The new points leave both borders in the way that the faces there go on. Raises CageProblem where the counts
    differ or the two share a point.
    """
    if count < 1:
        raise CageProblem("A span has at least one face across", "Give a number from 1 on")
    (one, closed), (other, closed_too) = _chain(cage, first, "first border"), _chain(cage, second, "second border")
    if closed != closed_too or len(one) != len(other):
        raise CageProblem(
            f"The borders have {len(one) - (not closed)} and {len(other) - (not closed_too)} edges",
            "Split edges or take more, so that both have the same number",
        )
    if np.intersect1d(one, other).size:
        raise CageProblem("The two borders share a point", "Take borders apart from each other")
    points, other = cage.points, other[::-1]
    if closed:
        turns = [np.linalg.norm(points[one] - points[np.roll(other, -k)], axis=1).sum() for k in range(len(other))]
        other = np.roll(other, -int(np.argmin(turns)))
    moves = outward_moves(cage, np.concatenate([np.asarray(first), np.asarray(second)]).astype(np.int64))
    gap = np.linalg.norm(points[other] - points[one], axis=1)[:, None]
    leaving, arriving = unit(moves[one]) * gap, -unit(moves[other]) * gap
    rows, made = [one], [cage.points]
    number = len(points)
    for k in range(1, count):
        t = k / count
        made.append(
            (2 * t**3 - 3 * t**2 + 1) * points[one] + (t**3 - 2 * t**2 + t) * leaving
            + (3 * t**2 - 2 * t**3) * points[other] + (t**3 - t**2) * arriving
        )  # fmt: skip
        rows.append(number + np.arange(len(one)))
        number += len(one)
    rows.append(other)
    faces = []
    for low, high in pairwise(rows):
        a, b = (low, np.roll(low, -1)) if closed else (low[:-1], low[1:])
        c, d = (np.roll(high, -1), high) if closed else (high[1:], high[:-1])
        faces.append(np.column_stack([b, a, d, c]))
    quads = cage.quads
    return cage_from(np.concatenate(made), np.vstack([quads.faces, *faces]), quads.sharp, quads.corners, quads.bent)


def opening_sides(cage: Cage, ring: Ints) -> tuple[int, int]:
    """How an opening is best filled by a grid: edges along its first side, and after how many edges that begins.

    ring: its half-edges in order. The four corners stand where the border turns most sharply, with sides as even as
    it leaves them. Raises CageProblem for an odd number of edges.
    """
    quads = cage.quads
    n = len(ring)
    if n % 2 or n < 4:
        raise CageProblem(
            f"An opening with {n} edges is not filled with quads alone", "Split one edge of its border, or weld two"
        )
    places = cage.points[quads.starts[ring]]
    onward = unit(np.roll(places, -1, axis=0) - places)
    turn = np.arccos(np.clip(np.einsum("nc,nc->n", onward, np.roll(onward, 1, axis=0)), -1, 1))
    half = n // 2
    step = 1 if n <= FAIREST_CORNERS else 2
    best = max(
        ((turn[[k, (k + p) % n, (k + half) % n, (k + half + p) % n]].sum() - 0.02 * abs(2 * p - half), p, k)
         for k in range(0, n, step) for p in range(1, half)),
        key=lambda one: one[0],
    )  # fmt: skip
    return best[1], best[2]


def _ring_of(quads: Quads, half: int) -> Ints:
    ring = next((ring for ring in quads.borders() if half in ring), None)
    if ring is None:
        raise CageProblem("No opening has this edge", "Take an edge of the border")
    return ring


def close_alike(cage: Cage, half: int, plane: Plane, along: int | None = None) -> Cage:
    """The opening whose border holds a half-edge, which runs across a plane to both sides alike, filled with a grid
    that has a row of edges in the plane. along: faces along the sides that the plane cuts, an even number.

    Raises CageProblem where the border has no two points on the plane, opposite each other.
    """
    quads = cage.quads
    ring = _ring_of(quads, half)
    n = len(ring)
    height = np.abs(plane.height(cage.points[quads.starts[ring]]))
    on = np.flatnonzero(height <= 1e-6 * float(np.linalg.norm(np.ptp(cage.points, axis=0))))
    if n % 2 or len(on) != 2 or on[1] - on[0] != n // 2:
        raise CageProblem("The opening is not alike on both sides of the twin plane", "Seat its border, or let go")
    p = along or max(2, 2 * round(n / 8))
    if p % 2 or not 0 < p < n // 2:
        raise CageProblem(f"A grid alike on both sides has an even number up to {n // 2 - 1}", "Give an even number")
    return close_opening(cage, half, p, begin=int(on[0]) - p // 2)


def close_opening(cage: Cage, half: int, along: int | None = None, turned: int = 0, begin: int | None = None) -> Cage:
    """The opening whose border holds a half-edge, filled with a grid of faces.

    along: edges along its first side, of half as many as it has in all; by itself where the border turns. turned: so
    many edges further round. begin: after how many edges of the ring the first side begins, instead.
    """
    quads = cage.quads
    ring = _ring_of(quads, half)
    best, start = opening_sides(cage, ring)
    n = len(ring)
    p = best if along is None else along
    q = n // 2 - p
    if not 0 < p < n // 2:
        raise CageProblem(f"An opening with {n} edges has sides of 1 to {n // 2 - 1}", "Give a number among these")
    loop = np.roll(quads.starts[ring], -(start + turned if begin is None else begin))
    grid = np.full((p + 1, q + 1), -1)
    # seen from the opening its border runs clockwise: along one side, up the next, back, and down
    grid[:, 0] = loop[: p + 1]
    grid[p, :] = loop[p : p + q + 1]
    grid[:, q] = loop[p + q : 2 * p + q + 1][::-1]
    grid[0, :] = np.append(loop[2 * p + q :], loop[0])[::-1]
    points = [cage.points]
    if p > 1 and q > 1:
        grid[1:-1, 1:-1] = quads.count + np.arange((p - 1) * (q - 1)).reshape(p - 1, q - 1)
        points.append(_coons(cage.points[np.where(grid < quads.count, grid, 0)])[1:-1, 1:-1].reshape(-1, 3))
    a, b, c, d = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
    faces = np.stack([d, c, b, a], axis=-1).reshape(-1, 4)
    return cage_from(np.concatenate(points), np.vstack([quads.faces, faces]), quads.sharp, quads.corners, quads.bent)


def _coons(grid: Floats) -> Floats:
    """(n, m, 3) with the inner places set between the borders: Coons, "Surfaces for computer-aided design of space
    forms", MIT, 1967."""
    u = np.linspace(0, 1, grid.shape[0])[:, None, None]
    v = np.linspace(0, 1, grid.shape[1])[None, :, None]
    along = (1 - v) * grid[:, :1] + v * grid[:, -1:]
    across = (1 - u) * grid[:1] + u * grid[-1:]
    corners = (1 - u) * ((1 - v) * grid[:1, :1] + v * grid[:1, -1:]) + u * (
        (1 - v) * grid[-1:, :1] + v * grid[-1:, -1:]
    )
    return along + across - corners
