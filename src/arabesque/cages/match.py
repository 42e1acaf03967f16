"""A border of a cage brought onto a line, with the tangent plane and the curvature of what lies beyond it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import NamedTuple, Protocol

import numpy as np
from scipy.sparse import block_diag, csr_array, diags_array, hstack, vstack
from scipy.sparse.linalg import lsqr

from arabesque.arrays import Bools, Floats, Ints, tree_of, unit
from arabesque.cages.cage import Cage
from arabesque.cages.edits.lines import make_bent
from arabesque.cages.net import ENDS, on_sides
from arabesque.cages.quads import CageProblem
from arabesque.cages.stencils import DU, DUU, DUV, DV, DVV, PLACE, Stencils, in_tangents, make_stencils
from arabesque.geometry import Curve, Rim

PLACES_AN_EDGE = 5
ROUNDS = 6
STAYS, CALM = 1e-3, 1e-2
"""Against what is asked for: that points stay, and that neighbours in a row move alike."""
ROWS = (1, 2, 5)
"""How many rows move, by what is asked for: curvature asks three, two more even out what they do."""
LINE_PLACES = 400
LEAST_BEND = 1e-4
"""1/mm: curvatures below this count as this when what is left is taken as a share."""


class Order(IntEnum):
    """How a border meets what it is matched to.

    For curvature the border is bent, else it is plain: there a cage's surface has none across, whatever its points.
    """

    POSITION = 0
    TANGENT = 1
    CURVATURE = 2


class There(NamedTuple):
    """What lies at places of a line: (n, 3) places, and where they are known (n, 3) normals and (6, n, 3) place and
    derivatives of the surface there, as cages have them."""

    places: Floats
    normals: Floats | None
    surface: Floats | None = None


class Target(Protocol):
    """A line that a border can be matched to."""

    def nearest(self, places: Floats) -> There: ...

    @property
    def most(self) -> Order: ...


class OnCurve:
    """A curve: only places are known of it."""

    most = Order.POSITION

    def __init__(self, curve: Curve) -> None:
        self._curve = curve
        self._at = np.linspace(*curve.domain, LINE_PLACES)
        self._tree = tree_of(curve.at(self._at))

    def nearest(self, places: Floats) -> There:
        """The nearest places of the curve."""
        t = self._at[self._tree.query(places)[1]]
        for _ in range(4):
            d = self._curve.derivatives(t, 1)
            step = np.einsum("nc,nc->n", places - d[0], d[1]) / np.maximum(np.einsum("nc,nc->n", d[1], d[1]), 1e-300)
            t = np.clip(t + step, *self._curve.domain)
        return There(self._curve.at(t), None)


class OnRim:
    """A border of a patch."""

    most = Order.CURVATURE

    def __init__(self, rim: Rim) -> None:
        self._rim = rim
        self._at = np.linspace(0, 1, LINE_PLACES)
        self._tree = tree_of(rim.surface.at(rim.places(self._at)))

    def nearest(self, places: Floats) -> There:
        """The nearest places of the border, and the normals of its patch there."""
        t = self._at[self._tree.query(places)[1]]
        for _ in range(4):
            uv, ways = self._rim.places(t), self._rim.ways(t)
            d = self._rim.surface.derivatives(uv, 1)
            along = d[1, 0] * ways[:, :1] + d[0, 1] * ways[:, 1:]
            gap = places - d[0, 0]
            t = np.clip(t + np.einsum("nc,nc->n", gap, along) / np.maximum(
                np.einsum("nc,nc->n", along, along), 1e-300), 0, 1)  # fmt: skip
        uv = self._rim.places(t)
        d = self._rim.surface.derivatives(uv, 2)
        found = np.stack([d[0, 0], d[1, 0], d[0, 1], d[2, 0], d[1, 1], d[0, 2]])
        return There(d[0, 0], self._rim.surface.normals(uv), found)


class OnCage:
    """A border of another cage, closed or a part."""

    most = Order.CURVATURE

    def __init__(self, cage: Cage, halves: Ints) -> None:
        self._cage, self._halves = cage, np.asarray(halves, dtype=np.int64)
        share = np.linspace(0, 1, 17)
        self._half, self._share = np.repeat(self._halves, len(share)), np.tile(share, len(halves))
        self._tree = tree_of(cage.at(self._half // 4, on_sides(self._half, self._share)))

    def nearest(self, places: Floats) -> There:
        """The nearest places of the border, and the normals of the cage there."""
        found = self._tree.query(places)[1]
        half, t = self._half[found], self._share[found]
        for _ in range(4):
            d = self._cage.derivatives(half // 4, on_sides(half, t), 1)
            way = ENDS[(half % 4 + 1) % 4] - ENDS[half % 4]
            along = d[DU] * way[:, :1] + d[DV] * way[:, 1:]
            size = np.maximum(np.einsum("nc,nc->n", along, along), 1e-300)
            t = np.clip(t + np.einsum("nc,nc->n", places - d[PLACE], along) / size, 0, 1)
        uv = on_sides(half, t)
        found = self._cage.derivatives(half // 4, uv, 2)
        return There(found[PLACE], self._cage.normals(half // 4, uv), found)


@dataclass(frozen=True, eq=False)
class Matched:
    """A matched cage and what is left, at its worst: gap in mm, and where they were asked for angle in degrees and
    curvature across as a share. moved: mm, how far its surface moved behind the rows that were let go."""

    cage: Cage
    gap: float
    angle: float | None
    curvature: float | None
    moved: float


def match_border(cage: Cage, halves: Ints, target: Target, order: Order, rows: int | None = None) -> Matched:
    """The cage with a part of its border on a line, meeting what lies there in an order of continuity.

    rows: how many rows of points from the border on may move; by default by the order (``ROWS``). What is not
    asked for stays as near as it can. Raises CageProblem for a line that does not know the order.
    """
    quads = cage.quads
    halves = np.asarray(halves, dtype=np.int64)
    if not len(halves) or not quads.border[halves].all():
        raise CageProblem("Only a border is matched", "Take edges with a face on one side only")
    if order > target.most:
        raise CageProblem("A curve has no tangent plane", "Match the position only, or to an edge of a patch")
    free = _rows_from(cage, halves, ROWS[order] if rows is None else rows)
    before = cage
    bends = order >= Order.CURVATURE
    if bends or quads.bends[halves].any():
        cage = make_bent(cage, halves, bends)
    stencils, side = _border_stencils(cage, halves)
    for _ in range(ROUNDS):
        cage = _step(cage, stencils, side, target, order, free)
    gap, angle, curvature = _left(cage, stencils, side, target, order)
    moved = float(np.linalg.norm(cage.limit - before.limit, axis=1)[~free].max(initial=0.0))
    return Matched(cage, gap, angle, curvature, moved)


def _rows_from(cage: Cage, halves: Ints, rows: int) -> Bools:
    """(n,) the points of the border and of the rows behind it."""
    quads = cage.quads
    free = np.zeros(quads.count, dtype=bool)
    free[quads.starts[halves]] = free[quads.ends[halves]] = True
    for _ in range(rows - 1):
        touched = free[quads.faces].any(axis=1)
        free[quads.faces[touched]] = True
    return free


def _border_stencils(cage: Cage, halves: Ints) -> tuple[Stencils, Ints]:
    """Places along border half-edges with derivatives, and which side of its face each lies on."""
    share = (np.arange(PLACES_AN_EDGE) + 0.5) / PLACES_AN_EDGE
    places = np.repeat(halves, PLACES_AN_EDGE)
    return make_stencils(cage.quads, places // 4, on_sides(places, np.tile(share, len(halves))), 2), places % 4


def _facing(found: Floats, normals: Floats) -> Floats:
    """(n,) 1 where the patch beyond looks to the cage's side, else -1."""
    up = np.cross(found[DU], found[DV])
    return np.where(np.einsum("nc,nc->n", up, normals) < 0, -1.0, 1.0)


def _step(cage: Cage, stencils: Stencils, side: Ints, target: Target, order: Order, free: Bools) -> Cage:
    n = cage.quads.count
    found = stencils.apply(cage.points)
    beyond = target.nearest(found[PLACE])
    place = stencils.matrix(PLACE, n)
    nothing = csr_array(place.shape)
    rows = [hstack([place if k == axis else nothing for k in range(3)]) for axis in range(3)]
    right = [beyond.places[:, axis] - found[PLACE][:, axis] for axis in range(3)]
    if order >= Order.TANGENT:
        assert beyond.normals is not None
        up = beyond.normals * _facing(found, beyond.normals)[:, None]
        slope = _inwards(stencils, side, n)
        rows.append(hstack([diags_array(up[:, k]) @ slope for k in range(3)]))
        inwards = slope @ cage.points
        right.append(-np.einsum("nc,nc->n", up, inwards))
        if order >= Order.CURVATURE:
            assert beyond.surface is not None
            across = _across(found, side, up)
            # by the square of a row's width all rows are in mm
            width = np.einsum("nc,nc->n", inwards, inwards)
            ways = in_tangents(found[DU], found[DV], across)
            shares = (ways[0] ** 2, 2 * ways[0] * ways[1], ways[1] ** 2)
            parts = zip(shares, (DUU, DUV, DVV), strict=True)
            second = sum(
                (diags_array(width * share) @ stencils.matrix(k, n) for share, k in parts), csr_array(place.shape)
            )
            rows.append(hstack([diags_array(up[:, k]) @ second for k in range(3)]))
            bend = width * _bend(beyond.surface, across, up)
            right.append(bend - np.einsum("nc,nc->n", up, second @ cage.points))
    columns = np.flatnonzero(np.tile(free, 3))
    system = vstack(rows, format="csc")[:, columns]
    stays = STAYS * diags_array(np.ones(len(columns)))
    calm = CALM * _bends_of_moves(cage)
    calm = block_diag([calm] * 3, format="csc")[:, columns]
    lacking = np.concatenate([*right, np.zeros(len(columns) + calm.shape[0])])
    solved = lsqr(vstack([system, stays, calm], format="csr"), lacking, atol=1e-13, btol=1e-13, iter_lim=4000)[0]
    move = np.zeros(3 * n)
    move[columns] = solved
    return cage.with_points(cage.points + move.reshape(3, n).T)


def _bends_of_moves(cage: Cage) -> csr_array:
    """(k, n) second differences along the rows of the net: of moves, they say how far these pull the net askew."""
    rows = cage.quads.rows[0]
    triples = np.concatenate([np.column_stack([row[:-2], row[1:-1], row[2:]]) for row in rows])
    number = np.repeat(np.arange(len(triples)), 3)
    weights = np.tile([1.0, -2.0, 1.0], len(triples))
    return csr_array((weights, (number, triples.ravel())), shape=(len(triples), cage.quads.count))


def _inwards(stencils: Stencils, side: Ints, n: int) -> csr_array:
    """(k, n) the derivatives inwards across the border: along v or along u, by the side."""
    sign = np.where((side == 0) | (side == 3), 1.0, -1.0)
    along_v = side % 2 == 0
    one, other = stencils.matrix(DV, n), stencils.matrix(DU, n)
    return csr_array(diags_array(sign * along_v) @ one + diags_array(sign * ~along_v) @ other)


def _across(found: Floats, side: Ints, up: Floats) -> Floats:
    """(n, 3) unit vectors square to the border in the plane of normals ``up``."""
    along = np.where((side % 2 == 0)[:, None], found[DU], found[DV])
    return unit(np.cross(up, along))


def _bend(found: Floats, across: Floats, up: Floats) -> Floats:
    """(n,) curvature of normal sections along unit ways in the tangent plane, seen from the side of ``up``, 1/mm:
    the second fundamental form (do Carmo, "Differential Geometry of Curves and Surfaces", 1976, section 3-2)."""
    a, b = in_tangents(found[DU], found[DV], across)[:, :, None]
    return np.asarray(np.einsum("nc,nc->n", up, a**2 * found[DUU] + 2 * a * b * found[DUV] + b**2 * found[DVV]))


def _left(
    cage: Cage, stencils: Stencils, side: Ints, target: Target, order: Order
) -> tuple[float, float | None, float | None]:
    """The widest gap, mm, the largest angle, degrees, and the largest mismatch of curvature, as a share of the
    largest beyond."""
    found = stencils.apply(cage.points)
    beyond = target.nearest(found[PLACE])
    gap = float(np.linalg.norm(beyond.places - found[PLACE], axis=1).max())
    if order < Order.TANGENT or beyond.normals is None:
        return gap, None, None
    up = unit(np.cross(found[DU], found[DV]))
    there = beyond.normals * _facing(found, beyond.normals)[:, None]
    angle = float(np.degrees(np.linalg.norm(up - there, axis=1)).max())
    if order < Order.CURVATURE or beyond.surface is None:
        return gap, angle, None
    across = _across(found, side, there)
    own, other = _bend(found, across, there), _bend(beyond.surface, across, there)
    return gap, angle, float(np.abs(own - other).max() / max(np.abs(other).max(), LEAST_BEND))
