"""Borders across which a cage's surface bends: a row of faces beyond them, that follows from the rows behind."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.sparse import csr_array, eye_array, vstack

from arabesque.arrays import Ints
from arabesque.cages.quads import Quads, after, before
from arabesque.cages.rows import straight_back, straight_on


class Beyond(NamedTuple):
    """quads: a net's own faces and points first, then those beyond. matrix: (its points, own points)."""

    quads: Quads
    matrix: csr_array


def add_beyond(quads: Quads) -> Beyond:
    """The net with a face beyond each bent edge of its border.

    A point beyond is 3 a - 3 b + c of the three points of its row from the border on, so that the second difference
    across stays as it is (on a plain border it is 0); 2 a - b where there is no third.
    """
    rows: list[csr_array] = []
    made: dict[tuple[int, int], int] = {}
    faces: list[list[int]] = []
    sharp: list[tuple[int, int]] = []
    own = eye_array(quads.count, format="csr")

    def add(row: csr_array) -> int:
        rows.append(row)
        return quads.count + len(rows) - 1

    def beyond(point: int, half: int) -> int:
        """The point beyond one of the border; at a corner for each of its two edges another."""
        key = point, half if quads.valence[point] == 1 else -1
        if key not in made:
            made[key] = add(_row(quads, point, half, own))
            if quads.valence[point] == 2 and quads.is_sharp[_near(quads, point, half)]:
                sharp.append((point, made[key]))
        return made[key]

    bends = np.flatnonzero(quads.bends)
    leaving = {int(quads.starts[h]): int(h) for h in bends}
    for h in bends.tolist():
        start, end = int(quads.starts[h]), int(quads.ends[h])
        faces.append([end, start, beyond(start, h), beyond(end, h)])
    for h in bends.tolist():
        corner = int(quads.ends[h])
        onward = leaving.get(corner, -1)
        if quads.valence[corner] != 1 or onward < 0:
            continue
        following = straight_on(quads, onward)
        a, b = (rows[beyond(p, onward) - quads.count] for p in (corner, int(quads.ends[onward])))
        third = following >= 0 and bool(quads.bends[following])
        tip = 3 * a - 3 * b + rows[beyond(int(quads.ends[following]), following) - quads.count] if third else 2 * a - b
        faces.append([corner, beyond(corner, h), add(tip), beyond(corner, onward)])
    matrix = vstack([own, *rows], format="csr")
    every = np.vstack([quads.faces, np.array(faces, dtype=np.int64)])
    edges = np.concatenate([quads.sharp, np.array(sharp, dtype=np.int64).reshape(-1, 2)])
    return Beyond(Quads(every, edges, quads.corners, matrix.shape[0]), matrix)


def whole_sides(quads: Quads, edges: Ints) -> Ints:
    """(b, 2) those of (k, 2) edges that make up whole sides of the border, regular all along.

    A side runs from a corner to the next one, or round a border without corners. Its points and those of the row
    behind it are regular, with no sharp edge but such as run straight across: then a step of subdivision leaves the
    surface as it is.
    """
    named = quads.border & quads.named(edges)[quads.edge_of]
    kept = [side for side in sides(quads, np.flatnonzero(named)) if named[side].all() and is_plain(quads, side)]
    halves = np.concatenate(kept) if kept else np.empty(0, dtype=np.int64)
    return quads.edges[np.sort(quads.edge_of[halves])]


def sides(quads: Quads, halves: Ints) -> list[Ints]:
    """The whole sides of the border that some of its half-edges lie on, each as its half-edges in order."""
    border = np.flatnonzero(quads.border)
    leaving = dict(zip(quads.starts[border].tolist(), border.tolist(), strict=True))
    reaching = dict(zip(quads.ends[border].tolist(), border.tolist(), strict=True))
    found, seen = [], set()
    for half in halves.tolist():
        if half in seen:
            continue
        first = half
        while quads.valence[quads.starts[first]] != 1:
            first = reaching[int(quads.starts[first])]
            if first == half:
                break
        side = [first]
        while quads.valence[quads.ends[side[-1]]] != 1 and leaving[int(quads.ends[side[-1]])] != first:
            side.append(leaving[int(quads.ends[side[-1]])])
        seen.update(side)
        found.append(np.array(side))
    return found


def is_plain(quads: Quads, side: Ints) -> bool:
    """True for a side of the border across which a surface can bend: see ``whole_sides``."""
    corners = set(quads.corners.tolist())
    for h in side.tolist():
        for point in (int(quads.starts[h]), int(quads.ends[h])):
            size = quads.valence[point]
            if size > 2 or (size == 2 and point in corners):
                return False
            near = _near(quads, point, h)
            second = int(quads.ends[near]) if quads.starts[near] == point else int(quads.starts[near])
            if second in corners or quads.irregular[second]:
                return False
            if size == 1:
                plain = quads.cuts[second] == 2
            elif quads.on_border[second]:
                plain = quads.cuts[second] == 2 + int(quads.is_sharp[near])
            else:
                onward = straight_on(quads, near)
                straight = bool(quads.is_sharp[near]) and bool(quads.is_sharp[onward])
                plain = quads.cuts[second] == (2 if straight else 0)
            if not plain:
                return False
    return True


def _near(quads: Quads, point: int, half: int) -> int:
    """The half-edge from a point of the border to the row behind; at a corner that of the other border, which may
    run towards the point."""
    if quads.valence[point] == 1:
        return before(half) if int(quads.starts[half]) == point else after(half)
    return next(h for h in quads.around(point).tolist() if not quads.border[h])


def _row(quads: Quads, point: int, half: int, own: csr_array) -> csr_array:
    """(1, n) weights of the point beyond one of the border."""
    near = _near(quads, point, half)
    if int(quads.starts[near]) == point:
        second, third = int(quads.ends[near]), straight_on(quads, near)
        last = int(quads.ends[third]) if third >= 0 else -1
    else:
        second, third = int(quads.starts[near]), straight_back(quads, near)
        last = int(quads.starts[third]) if third >= 0 else -1
    if last < 0 or last == point:
        return csr_array(2 * own[[point]] - own[[second]])
    return csr_array(3 * own[[point]] - 3 * own[[second]] + own[[last]])
