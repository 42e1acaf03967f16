"""The fine quads that the whole coordinates of a map cut a mesh into."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit

from arabesque.arrays import Bools, Floats, Ints, leaders
from arabesque.cages.quads import after
from arabesque.layout.integer_map import IntegerMap, MapProblem
from arabesque.layout.seams import TURNED
from arabesque.scan import BoxTree, Scan

TINY = 1e-9
"""Pieces of edges that are shorter, in rows, join nothing."""
WIDEST = 400.0
"""Rows: a map in which a triangle is wider went wrong."""
ON_LINE, SAG = 1e-5, 0.15
"""Of an edge: points so near a line lie on it, and edges between such run along it when their middles are so near."""
_CURE = "Ask for a calmer layout, or heal the scan first"


@dataclass(frozen=True, eq=False)
class FineQuads:
    """places: (n, 3). faces: (q, 4), counter-clockwise as the mesh. twins: (4 q,) the half-edge beyond each, -1 on the
    rim."""

    places: Floats
    faces: Ints
    twins: Ints

    @cached_property
    def valence(self) -> Ints:
        """(n,) how many quads meet at each point."""
        return np.bincount(self.faces.ravel(), minlength=len(self.places))

    def along(self, lines: Floats) -> Bools:
        """(4 q,) half-edges inside that lie on segments (k, 2, 3)."""
        found = np.zeros(len(self.twins), dtype=bool)
        if not len(lines):
            return found
        tree = BoxTree(np.concatenate([lines[:, 0], lines[:, 1], lines[:, 1]], axis=1))
        limit = ON_LINE * float(np.median(np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)))
        on = tree.closest(self.places).distance <= limit
        starts, half = self.faces.ravel(), np.arange(len(self.twins))
        some = np.flatnonzero(on[starts] & on[starts[after(half)]] & (self.twins >= 0))
        middle = (self.places[starts[some]] + self.places[starts[after(some)]]) / 2
        # a row may begin and end on a line without running along it
        found[some] = tree.closest(middle).distance <= SAG * np.linalg.norm(
            self.places[starts[some]] - self.places[starts[after(some)]], axis=1
        )
        return found

    @cached_property
    def rim(self) -> Bools:
        """(n,) points on a rim."""
        border = np.flatnonzero(self.twins < 0)
        found = np.zeros(len(self.places), dtype=bool)
        found[self.faces.ravel()[border]] = True
        found[self.faces.ravel()[after(border)]] = True
        return found


def fine_quads(scan: Scan, flat: IntegerMap) -> FineQuads:
    """The quads between whole coordinates.

    Every triangle is cut by them into pieces of unit squares; pieces of one square are joined over the triangles'
    sides, and the squares are neighbours where a whole coordinate runs through a triangle. After Ebke, Bommes, Campen
    and Kobbelt, "QEx: robust quad mesh extraction", ACM TOG 32, 2013, without tracing. Raises MapProblem where squares
    do not come out whole.
    """
    uv = flat.uv.reshape(-1, 3, 2)
    if not np.isfinite(uv).all() or np.ptp(uv, axis=1).max() > WIDEST:
        raise MapProblem("A triangle would be as wide as many rows", _CURE)
    low = np.floor(uv.min(axis=1) - 1e-6).astype(np.int64)
    width = int(np.ceil((uv.max(axis=1) - low).max() + 1e-6)) + 1
    sides, turns, shifts = _all_edges(scan, flat)
    linked, over = _over_edges(uv, low, width, sides, turns, shifts, np.array(TURNED))
    beside = np.concatenate([over, _crossed(uv, low, width)])
    keys = np.unique(np.concatenate([linked[:, :2].ravel(), beside[:, 0], beside[:, 2]]))
    link = np.column_stack([np.searchsorted(keys, linked[:, :2]), linked[:, 2]])
    pairs = np.column_stack(
        [np.searchsorted(keys, beside[:, 0]), beside[:, 1], np.searchsorted(keys, beside[:, 2]), beside[:, 3]]
    )
    root, turned, sound = _joined(len(keys), link)
    if not sound:
        raise MapProblem("An irregular point lies inside a row", _CURE)
    twins, squares = _neighbours(root, turned, pairs)
    faces = _corner_points(twins)
    places = _places(scan, uv, low, width, keys, root, turned, squares, faces)
    return FineQuads(places, faces, twins)


def _all_edges(scan: Scan, flat: IntegerMap) -> tuple[Ints, Ints, Ints]:
    """(e, 2) pairs of sides, seams last; (e,) turns and (e, 2) shifts, nothing but at seams."""
    pairs = scan.shared_sides
    cut = np.zeros(scan.triangles.size, dtype=bool)
    cut[flat.cuts.ravel()] = True
    whole = pairs[~cut[pairs[:, 0]]]
    n = len(whole)
    return (
        np.concatenate([whole, flat.cuts]),
        np.concatenate([np.zeros(n, dtype=np.int64), flat.turns]),
        np.concatenate([np.zeros((n, 2), dtype=np.int64), flat.shifts]),
    )


@njit(cache=True, nogil=True)
def _cell(middle: float, one: float, other: float, inside: float) -> int:
    """The unit cell of a place on an edge from ``one`` to ``other``, on the side of ``inside``."""
    near = np.rint(middle)
    if abs(middle - near) < TINY and abs(one - other) < TINY:
        return int(near) if inside > middle else int(near) - 1
    return int(np.floor(middle))


@njit(cache=True, nogil=True)
def _crossings(p: Floats, q: Floats, cuts: Floats) -> int:
    """Shares of the way from p to q at which whole coordinates lie, 0 and 1 among them, rising."""
    count = 2
    cuts[0], cuts[1] = 0.0, 1.0
    for axis in range(2):
        a, b = p[axis], q[axis]
        if abs(a - b) < TINY:
            continue
        for whole in range(int(np.ceil(min(a, b))), int(np.floor(max(a, b))) + 1):
            t = (whole - a) / (b - a)
            if 0.0 < t < 1.0:
                cuts[count] = t
                count += 1
    cuts[:count].sort()
    return count


@njit(cache=True, nogil=True)
def _over_edges(
    uv: Floats, low: Ints, width: int, sides: Ints, turns: Ints, shifts: Ints, turned: Ints
) -> tuple[Ints, Ints]:
    """(k, 3) pieces that are parts of one square, and the turn between their triangles; (l, 4) pieces that are beside
    each other, each with its side: 0 towards larger u, 1 larger v, 2 smaller u, 3 smaller v."""
    size = width * width
    linked = np.empty((8 * len(sides) + 1000, 3), dtype=np.int64)
    beside = np.empty((8 * len(sides) + 1000, 4), dtype=np.int64)
    k, m = 0, 0
    cuts = np.empty(4 * width + 4)
    for e in range(len(sides)):
        s, g = sides[e, 0], sides[e, 1]
        f, h = s // 3, g // 3
        p, q, o = uv[f, s % 3], uv[f, (s % 3 + 1) % 3], uv[f, (s % 3 + 2) % 3]
        far = uv[h, (g % 3 + 2) % 3]
        a, b, c, d = turned[turns[e], 0], turned[turns[e], 1], turned[turns[e], 2], turned[turns[e], 3]
        x, y = far[0] - shifts[e, 0], far[1] - shifts[e, 1]
        far_u, far_v = a * x + c * y, b * x + d * y  # the inverse of a turn is its transpose
        count = _crossings(p, q, cuts)
        if k + count >= len(linked):
            linked = np.concatenate((linked, np.empty_like(linked)))
        if m + count >= len(beside):
            beside = np.concatenate((beside, np.empty_like(beside)))
        length = max(abs(p[0] - q[0]), abs(p[1] - q[1]))
        for i in range(count - 1):
            if (cuts[i + 1] - cuts[i]) * length < TINY:
                continue
            t = (cuts[i] + cuts[i + 1]) / 2
            u, v = p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1])
            own_u, own_v = _cell(u, p[0], q[0], o[0]), _cell(v, p[1], q[1], o[1])
            its_u, its_v = _cell(u, p[0], q[0], far_u), _cell(v, p[1], q[1], far_v)
            there_u = int(np.floor(a * (its_u + 0.5) + b * (its_v + 0.5) + shifts[e, 0]))
            there_v = int(np.floor(c * (its_u + 0.5) + d * (its_v + 0.5) + shifts[e, 1]))
            one = f * size + (own_u - low[f, 0]) * width + own_v - low[f, 1]
            two = h * size + (there_u - low[h, 0]) * width + there_v - low[h, 1]
            if own_u == its_u and own_v == its_v:
                linked[k, 0], linked[k, 1], linked[k, 2] = one, two, turns[e]
                k += 1
            else:
                way = 0 if its_u > own_u else (2 if its_u < own_u else (1 if its_v > own_v else 3))
                beside[m, 0], beside[m, 1], beside[m, 2] = one, way, two
                beside[m, 3] = (way + 2 - turns[e]) % 4
                m += 1
    return linked[:k], beside[:m]


@njit(cache=True, nogil=True)
def _crossed(uv: Floats, low: Ints, width: int) -> Ints:
    """(l, 4) pieces within triangles that a whole coordinate parts, as ``_over_edges`` has them."""
    size = width * width
    beside = np.empty((8 * len(uv) + 1000, 4), dtype=np.int64)
    m = 0
    for f in range(len(uv)):
        for axis in range(2):
            other = 1 - axis
            first, last = uv[f, :, axis].min(), uv[f, :, axis].max()
            for whole in range(int(np.ceil(first + TINY)), int(np.floor(last - TINY)) + 1):
                start, end = np.inf, -np.inf
                for i in range(3):
                    a0, b0 = uv[f, i, axis], uv[f, (i + 1) % 3, axis]
                    if (a0 <= whole <= b0 or b0 <= whole <= a0) and abs(a0 - b0) > TINY:
                        t = (whole - a0) / (b0 - a0)
                        there = uv[f, i, other] + t * (uv[f, (i + 1) % 3, other] - uv[f, i, other])
                        start, end = min(start, there), max(end, there)
                if m + width + 2 >= len(beside):
                    beside = np.concatenate((beside, np.empty_like(beside)))
                for cell in range(int(np.floor(start)), int(np.floor(end)) + 1):
                    if min(end, cell + 1.0) - max(start, float(cell)) < TINY:
                        continue
                    i1, j1 = (whole - 1, cell) if axis == 0 else (cell, whole - 1)
                    i2, j2 = (whole, cell) if axis == 0 else (cell, whole)
                    beside[m, 0] = f * size + (i1 - low[f, 0]) * width + j1 - low[f, 1]
                    beside[m, 1] = axis
                    beside[m, 2] = f * size + (i2 - low[f, 0]) * width + j2 - low[f, 1]
                    beside[m, 3] = axis + 2
                    m += 1
    return beside[:m]


@njit(cache=True, nogil=True)
def _joined(count: int, link: Ints) -> tuple[Ints, Ints, bool]:
    """(count,) a leader of each piece's square, and by how many quarter turns the piece's ways are ahead of the
    leader's; False where a square meets itself turned."""
    parent = np.arange(count)
    ahead = np.zeros(count, dtype=np.int64)
    sound = True
    for k in range(len(link)):
        # of a piece with way d the linked one has way d - turn
        roots = np.empty(2, dtype=np.int64)
        total = np.empty(2, dtype=np.int64)
        for i in range(2):
            at, turn = link[k, i], 0
            while parent[at] != at:
                turn += ahead[at]
                at = parent[at]
            roots[i], total[i] = at, turn
            # the way up is kept short
            node, rest = link[k, i], turn
            while parent[node] != node:
                after, step = parent[node], ahead[node]
                parent[node], ahead[node] = at, rest % 4
                rest -= step
                node = after
        one, two = roots
        if one == two:
            if (total[0] + link[k, 2] - total[1]) % 4 != 0:
                sound = False
            continue
        parent[two] = one
        ahead[two] = (total[0] + link[k, 2] - total[1]) % 4
    root = np.empty(count, dtype=np.int64)
    turned = np.empty(count, dtype=np.int64)
    for start in range(count):
        at, turn = start, 0
        while parent[at] != at:
            turn += ahead[at]
            at = parent[at]
        root[start], turned[start] = at, turn % 4
    return root, turned, sound


def _neighbours(root: Ints, turned: Ints, pairs: Ints) -> tuple[Ints, Ints]:
    """(4 q,) twins of the squares' half-edges, and (pieces,) the square of each, -1 for those without neighbours."""
    # way 0 is towards larger u, whose half-edge is the second of a square's, and so on round
    half = np.stack([(pairs[:, 1 + 2 * k] + turned[pairs[:, 2 * k]] + 1) % 4 for k in (0, 1)])
    whole = np.stack([root[pairs[:, 2 * k]] for k in (0, 1)])
    kept = np.unique(whole)
    number = np.full(len(root), -1)
    number[kept] = np.arange(len(kept))
    one, two = (4 * number[whole[k]] + half[k] for k in (0, 1))
    twins = np.full(4 * len(kept), -1)
    twins[one], twins[two] = two, one
    if (twins[one] != two).any() or (twins[two] != one).any():
        raise MapProblem("Rows of the layout meet crosswise", _CURE)
    return twins, number[root]


def _corner_points(twins: Ints) -> Ints:
    """(q, 4) points of the squares: corners that meet are one."""
    half = np.flatnonzero(twins >= 0)
    its = twins[half]
    pairs = np.concatenate([np.column_stack([half, after(its)]), np.column_stack([after(half), its])])
    lead = leaders(len(twins), pairs)
    return np.unique(lead, return_inverse=True)[1].reshape(-1, 4)


def _places(
    scan: Scan, uv: Floats, low: Ints, width: int, keys: Ints, root: Ints, turned: Ints, squares: Ints, faces: Ints
) -> Floats:
    """(n, 3) where the points lie: at whole coordinates in the triangles; those that none holds in the middle of their
    neighbours."""
    triangle, whole, shares = _whole_points(uv)
    places = np.einsum("nk,nkc->nc", shares, scan.points[scan.triangles[triangle]])
    count = int(faces.max()) + 1
    total, number = np.zeros((count, 3)), np.zeros(count)
    for corner, (i, j) in enumerate(((0, 0), (-1, 0), (-1, -1), (0, -1))):
        cell = whole + np.array((i, j)) - low[triangle]
        inside = ((cell >= 0) & (cell < width)).all(axis=1)
        key = triangle * width * width + cell[:, 0] * width + cell[:, 1]
        at = np.minimum(np.searchsorted(keys, key), len(keys) - 1)
        found = np.flatnonzero(inside & (keys[at] == key))
        piece = at[found]
        found, piece = found[squares[piece] >= 0], piece[squares[piece] >= 0]
        point = faces[squares[piece], (corner + turned[piece]) % 4]
        np.add.at(total, point, places[found])
        np.add.at(number, point, 1)
    made = total / np.maximum(number, 1)[:, None]
    lost = np.flatnonzero(number == 0)
    if len(lost):
        ends = np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2)
        for point in lost.tolist():
            near = np.concatenate([ends[ends[:, 0] == point, 1], ends[ends[:, 1] == point, 0]])
            near = near[number[near] > 0]
            if not len(near):
                raise MapProblem("A row of the layout lies outside the scan", _CURE)
            made[point] = made[near].mean(axis=0)
    return np.asarray(made)


@njit(cache=True, nogil=True)
def _whole_points(uv: Floats) -> tuple[Ints, Ints, Floats]:
    """Triangles (n,), whole coordinates (n, 2) in them, and the shares (n, 3) of their corners there."""
    found = 0
    size = 4 * len(uv) + 1000
    triangle, whole, shares = np.empty(size, dtype=np.int64), np.empty((size, 2), dtype=np.int64), np.empty((size, 3))
    for f in range(len(uv)):
        a, b, c = uv[f, 0], uv[f, 1], uv[f, 2]
        det = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        if det <= 0:
            continue
        for i in range(int(np.ceil(uv[f, :, 0].min() - TINY)), int(np.floor(uv[f, :, 0].max() + TINY)) + 1):
            for j in range(int(np.ceil(uv[f, :, 1].min() - TINY)), int(np.floor(uv[f, :, 1].max() + TINY)) + 1):
                s = ((i - a[0]) * (c[1] - a[1]) - (j - a[1]) * (c[0] - a[0])) / det
                t = ((b[0] - a[0]) * (j - a[1]) - (b[1] - a[1]) * (i - a[0])) / det
                if s < -1e-7 or t < -1e-7 or s + t > 1 + 1e-7:
                    continue
                if found == len(triangle):
                    triangle = np.concatenate((triangle, np.empty_like(triangle)))
                    whole = np.concatenate((whole, np.empty_like(whole)))
                    shares = np.concatenate((shares, np.empty_like(shares)))
                triangle[found], whole[found, 0], whole[found, 1] = f, i, j
                shares[found, 0], shares[found, 1], shares[found, 2] = 1 - s - t, s, t
                found += 1
    return triangle[:found], whole[:found], shares[:found]
