"""The coarse quads of rectangles whose rows are counted, and where on the fine quads each of their places lies."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, leaders
from arabesque.cages import Cage, CageProblem
from arabesque.cages.quads import Quads
from arabesque.layout.fine import FineQuads
from arabesque.layout.walls import Patch, Walls

MOST_AT_ONCE = 40


@dataclass(frozen=True, eq=False)
class Drawn:
    """Quads of rectangles before points that fall together are one. faces: (f, 4) points, of ``count``. patch: (f,),
    spots: (f, 4, 2) the rectangle of each face and where in it its corners lie, in fine rows. same: pairs of points
    that fall together, and why: the arcs without rows that bring them there. at: of each point the rectangle and the
    spot where it lies. along: the points along each arc."""

    faces: Ints
    patch: Ints
    spots: Floats
    count: int
    same: list[tuple[int, int, list[int]]]
    at: dict[int, tuple[int, Floats]]
    along: list[list[int]]

    @cached_property
    def leads(self) -> Ints:
        """(count,) the first of all points that fall together."""
        pairs = np.array([(a, b) for a, b, _ in self.same], dtype=np.int64).reshape(-1, 2)
        return leaders(self.count, pairs)


@dataclass(frozen=True, eq=False)
class Coarse:
    """quads, and the places (n, 3) on the scan's stand-in of their points. patch: (f,) the rectangle of each face.
    spots: (f, 4, 2) where in it its corners lie, in fine rows. along: the points along each arc."""

    quads: Quads
    places: Floats
    patch: Ints
    spots: Floats
    along: list[Ints]

    @property
    def cage(self) -> Cage:
        """As a cage whose points lie on the scan."""
        return Cage(self.places, self.quads)


def coarse_quads(fine: FineQuads, walls: Walls, rows: Ints) -> Coarse:
    """The quads of all rectangles, joined along their arcs; raises CageProblem where they make no sound net."""
    drawn = drawn_quads(walls, rows)
    if not len(drawn.faces):
        raise CageProblem("No quad would be left", "Ask for more quads")
    lead = drawn.leads
    used, new = np.unique(lead[drawn.faces], return_inverse=True)
    along = [np.searchsorted(used, lead[points]) for points in drawn.along]
    ways = [np.column_stack([ids[:-1], ids[1:]]) for ids, line in zip(along, walls.sharp, strict=True) if line]
    sharp = np.concatenate(ways) if ways else np.empty((0, 2), dtype=np.int64)
    # an arc without rows is a point
    sharp = sharp[sharp[:, 0] != sharp[:, 1]]
    turns = [ids[k] for ids, arc in zip(along, walls.arcs, strict=True) for k in (0, -1) if walls.turns[arc[k]]]
    quads = Quads(new.reshape(-1, 4), sharp, np.unique(turns).astype(np.int64), len(used))
    # where several points became one, it lies in the middle of them
    total, number = np.zeros((drawn.count, 3)), np.zeros(drawn.count)
    for name, (k, spot) in drawn.at.items():
        total[lead[name]] += on_patch(fine, walls.patches[k], spot[None])[0]
        number[lead[name]] += 1
    places = total[used] / np.maximum(number[used], 1)[:, None]
    return Coarse(quads, places, drawn.patch, drawn.spots, along)


def drawn_quads(walls: Walls, rows: Ints) -> Drawn:
    """The quads of all rectangles by the rows of their arcs."""
    node_of: dict[int, int] = {}
    points_on, count = [], 0
    for arc, number in zip(walls.arcs, rows.tolist(), strict=True):
        ids = []
        for end in (int(arc[0]), int(arc[-1])):
            if end not in node_of:
                node_of[end] = count
                count += 1
            ids.append(node_of[end])
        inner = list(range(count, count + max(number - 1, 0)))
        count += len(inner)
        points_on.append([ids[0], *inner, ids[1]] if number else ids)
    same = [
        (points[0], points[-1], [k])
        for k, (points, number) in enumerate(zip(points_on, rows.tolist(), strict=True))
        if number == 0
    ]
    faces, patch_of = [np.empty((0, 4), dtype=np.int64)], [np.empty(0, dtype=np.int64)]
    spots = [np.empty((0, 4, 2))]
    at: dict[int, tuple[int, Floats]] = {}
    for k, patch in enumerate(walls.patches):
        sides = [_along(patch.sides[s], points_on, rows, walls) for s in range(4)]
        m, n = len(sides[0][0]) - 1, len(sides[3][0]) - 1
        if m == 0 or n == 0:
            across = patch.sides[0 if m == 0 else 3]
            for one, other in ((0, 2), (1, 3)):
                for a, b in zip(sides[one][0], sides[other][0], strict=True):
                    same.append((a, b, [arc for arc, _ in across]))
            continue
        grid = np.empty((m + 1, n + 1), dtype=np.int64)
        grid[1:-1, 1:-1] = np.arange(count, count + (m - 1) * (n - 1)).reshape(m - 1, n - 1)
        count += (m - 1) * (n - 1)
        grid[:, 0], grid[-1], grid[:, -1], grid[0] = sides[0][0], sides[1][0], sides[2][0], sides[3][0]
        place = _spots(patch, sides, m, n)
        for name, spot in zip(grid.ravel().tolist(), place.reshape(-1, 2), strict=True):
            at.setdefault(name, (k, spot))
        cells = np.stack([grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]], axis=-1).reshape(-1, 4)
        corners = np.stack([place[:-1, :-1], place[1:, :-1], place[1:, 1:], place[:-1, 1:]], axis=2)
        faces.append(cells)
        spots.append(corners.reshape(-1, 4, 2))
        patch_of.append(np.full(len(cells), k))
    return Drawn(np.concatenate(faces), np.concatenate(patch_of), np.concatenate(spots), count, same, at, points_on)


def falling_together(walls: Walls, rows: Ints) -> list[tuple[list[int], int]]:
    """Of each place where the net of so many rows would not be sound, arcs, and how many they need together at
    least."""
    drawn = drawn_quads(walls, rows)
    lead = drawn.leads
    faces, named = drawn.faces, lead[drawn.faces]
    wrong: list[tuple[int, int]] = []
    rings: list[tuple[int, int]] = []
    for i in range(4):
        for j in range(i):
            met = np.flatnonzero(named[:, i] == named[:, j])
            apart = faces[met, i] != faces[met, j]
            wrong += list(zip(faces[met[apart], i].tolist(), faces[met[apart], j].tolist(), strict=True))
            rings += [(int(f), side) for f in met[~apart] for side in ((0, 3) if (i - j) % 2 == 0 else (j % 3,))]
    if not wrong and not rings:
        wrong, rings = _crowded(faces, named, drawn.count)
    if not wrong and not rings:
        wrong = _touching(faces, named, drawn.count)
    near: dict[int, list[tuple[int, list[int]]]] = {}
    for a, b, arcs in drawn.same:
        near.setdefault(a, []).append((b, arcs))
        near.setdefault(b, []).append((a, arcs))
    found = []
    for a, b in wrong[:MOST_AT_ONCE]:
        way = _way(near, a, b)
        if way:
            found.append((sorted(set(way)), 1))
    # a ring so short that it meets itself: one row more along it
    for face, side in rings[:MOST_AT_ONCE]:
        patch, along = walls.patches[int(drawn.patch[face])], 0 if side in (0, 2) else 3
        found.append(([arc for arc, _ in patch.sides[along]], patch.rows(rows, along) + 1))
    return found


def _crowded(faces: Ints, named: Ints, count: int) -> tuple[list[tuple[int, int]], list[tuple[int, int]]]:
    """Edges which two faces run along the same way: pairs of points that fall together there, and faces with the side
    where none does."""
    starts, ends = named.ravel(), np.roll(named, -1, axis=1).ravel()
    key = starts * count + ends
    order = np.argsort(key, kind="stable")
    twice = np.flatnonzero(key[order][1:] == key[order][:-1])
    one, two = order[twice], order[twice + 1]
    flat, after = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    wrong, rings = [], []
    for h, g in zip(one.tolist(), two.tolist(), strict=True):
        pairs = [(int(side[h]), int(side[g])) for side in (flat, after) if side[h] != side[g]]
        wrong += pairs
        if not pairs:
            rings.append((h // 4, h % 4))
    return wrong, rings


def _touching(faces: Ints, named: Ints, count: int) -> list[tuple[int, int]]:
    """Pairs of points that fall together though the faces round each are not one fan."""
    starts, ends = named.ravel(), np.roll(named, -1, axis=1).ravel()
    # corners at a point are of one fan when their faces share an edge there
    half = {(int(a), int(b)): h for h, (a, b) in enumerate(zip(starts, ends, strict=True))}
    pairs = []
    for (a, b), h in half.items():
        twin = half.get((b, a))
        if twin is not None:
            pairs.append((h, twin - twin % 4 + (twin + 1) % 4))
    fan = leaders(len(starts), np.array(pairs, dtype=np.int64).reshape(-1, 2))
    first: dict[int, int] = {}
    found = []
    flat = faces.ravel()
    for h in range(len(starts)):
        other = first.setdefault(int(starts[h]), h)
        if fan[other] != fan[h] and flat[other] != flat[h]:
            found.append((int(flat[other]), int(flat[h])))
    return found


def _way(near: dict[int, list[tuple[int, list[int]]]], start: int, end: int) -> list[int]:
    """The arcs on the shortest way between two points that fall together."""
    came: dict[int, tuple[int, list[int]]] = {start: (-1, [])}
    waiting = deque([start])
    while waiting and end not in came:
        point = waiting.popleft()
        for there, arcs in near.get(point, []):
            if there not in came:
                came[there] = point, arcs
                waiting.append(there)
    way: list[int] = []
    while end in came and end != start:
        end, arcs = came[end]
        way += arcs
    return way


def _along(
    side: list[tuple[int, bool]], points_on: list[list[int]], rows: Ints, walls: Walls
) -> tuple[list[int], Floats]:
    """The points along a side, and how many fine rows from its start each lies."""
    names: list[int] = []
    spots: list[list[float]] = []
    done = 0.0
    for arc, forward in side:
        length, number = len(walls.arcs[arc]) - 1, int(rows[arc])
        points = points_on[arc] if forward else points_on[arc][::-1]
        along = np.linspace(done, done + length, number + 1) if number else np.array([done + length])
        names_here = points if number else points[-1:]
        if not names:
            names, spots = [points[0]], [[done]]
        if number == 0:
            spots[-1].append(done + length)
        else:
            names += names_here[1:]
            spots += [[float(x)] for x in along[1:]]
        done += length
    # a point at arcs without rows lies in the middle of them, but ends stay ends
    middle = np.array([np.mean(found) for found in spots])
    if len(middle) > 1:
        middle[0], middle[-1] = 0.0, done
    return names, middle


def _spots(patch: Patch, sides: list[tuple[list[int], Floats]], m: int, n: int) -> Floats:
    """(m + 1, n + 1, 2) where the points of a rectangle lie, in fine rows: between what its sides say."""
    high_u, high_v = patch.points.shape[0] - 1, patch.points.shape[1] - 1
    s, t = np.linspace(0, 1, m + 1)[:, None], np.linspace(0, 1, n + 1)[None, :]
    low, right, top, left = (spots for _, spots in sides)
    u = (1 - t) * low[:, None] + t * top[:, None]
    v = (1 - s) * left[None, :] + s * right[None, :]
    u[0], u[-1] = 0.0, high_u
    v[:, 0], v[:, -1] = 0.0, high_v
    return np.stack([u, v], axis=-1)


def on_patch(fine: FineQuads, patch: Patch, spots: Floats) -> Floats:
    """(k, 3) places of a rectangle at (k, 2) fine rows."""
    size = np.array(patch.points.shape) - 1
    cell = np.clip(np.floor(spots).astype(np.int64), 0, size - 1)
    u, v = (spots - cell).T[:, :, None]
    grid = patch.points
    a, b, c, d = (fine.places[grid[cell[:, 0] + i, cell[:, 1] + j]] for i, j in ((0, 0), (1, 0), (1, 1), (0, 1)))
    return np.asarray((1 - u) * (1 - v) * a + u * (1 - v) * b + u * v * c + (1 - u) * v * d)


def samples_on(fine: FineQuads, walls: Walls, coarse: Coarse, uv: Floats) -> Floats:
    """(f, k, 3) places at (k, 2) parameters of every face."""
    u, v = uv[:, :1], uv[:, 1:]
    weights = np.concatenate([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v], axis=1)
    spots = np.einsum("kc,fcx->fkx", weights, coarse.spots)
    made = np.empty((*spots.shape[:2], 3))
    chosen: Bools
    for k, patch in enumerate(walls.patches):
        chosen = coarse.patch == k
        if chosen.any():
            made[chosen] = on_patch(fine, patch, spots[chosen].reshape(-1, 2)).reshape(-1, len(uv), 3)
    return made
