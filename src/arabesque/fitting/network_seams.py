"""How patches of a network meet: rows over the unknowns that are 0 where tangent planes or curvatures agree."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, Ints, unit
from arabesque.fitting.network_space import NetworkSpace
from arabesque.geometry import Surface, basis_matrix, foot_points, section_bends

SAMPLES_A_SPAN = 4
"""Places along a border where neighbours are compared, for each degree above the number of spans (numerics)."""
BENDS = 0.1
"""How much less than angles bends over the length of a border count."""

Rows = tuple[Floats, Floats, Ints, float]
"""(k, 3 m) rows, their (k,) values now, the (m,) unknowns, and what the rows are scaled by."""


@dataclass(frozen=True, eq=False)
class Flank:
    """A patch along a border: its derivatives at places of it as sums of unknowns ``columns``.

    along, across: first derivatives, (k, m); second: those along twice, along and across, across twice, (3, k, m).
    """

    columns: Ints
    place: Floats
    along: Floats
    across: Floats
    second: Floats

    def read(self, x: Floats) -> tuple[Floats, Floats, Floats]:
        """(k, 3) derivatives along and across, and (3, k, 3) second ones."""
        own = x[self.columns]
        return self.along @ own, self.across @ own, np.array([rows @ own for rows in self.second])


class Seam:
    """Two flanks of one border, or one and what it is to meet there."""

    def rows(self, x: Floats) -> Iterator[Rows]:
        """The rows around a state of the unknowns."""
        raise NotImplementedError

    def angle(self, x: Floats) -> float:
        """The largest angle between the tangent planes, degrees."""
        raise NotImplementedError


class InnerSeam(Seam):
    """Two patches that share a border."""

    def __init__(self, one: Flank, two: Flank, order: int) -> None:
        self.columns = np.unique(np.concatenate([one.columns, two.columns]))
        self._flanks = [_widened(flank, self.columns) for flank in (one, two)]
        self._order = order

    def rows(self, x: Floats) -> Iterator[Rows]:
        """f = det(E, D1, D2) |E| / (|E x D1| |E x D2|), the sine of the angle; then the difference of the bends."""
        one, two = self._flanks
        e, d1, c1 = one.read(x)
        e2, d2, c2 = two.read(x)
        n1, n2 = np.cross(e, d1), np.cross(e, d2)
        size = np.linalg.norm(e, axis=1) / (np.linalg.norm(n1, axis=1) * np.linalg.norm(n2, axis=1))
        f = np.einsum("nc,nc->n", n1, d2) * size
        rows = (
            one.along[:, :, None] * np.cross(d1, d2)[:, None]
            + one.across[:, :, None] * np.cross(d2, e)[:, None]
            + two.across[:, :, None] * n1[:, None]
        ) * size[:, None, None]
        yield _flat(rows), f, self.columns, 1.0 / len(f)
        if self._order > 1:
            normals = unit(unit(n1) - unit(n2))
            bends = [_bend(flank, normals, *read) for flank, read in zip(
                (one, two), ((e, d1, c1), (e2, d2, c2)), strict=True)]  # fmt: skip
            (k1, r1), (k2, r2) = bends
            length = float(np.linalg.norm(np.diff(one.place @ x[self.columns], axis=0), axis=1).sum())
            # curvature over the border's length is an angle
            yield _flat(r1 - r2), k1 - k2, self.columns, BENDS * length**2 / len(f)

    def angle(self, x: Floats) -> float:
        e, d1, _ = self._flanks[0].read(x)
        _, d2, _ = self._flanks[1].read(x)
        n1, n2 = unit(np.cross(e, d1)), unit(np.cross(d2, e))
        return float(np.degrees(np.arcsin(np.clip(np.linalg.norm(np.cross(n1, n2), axis=1), 0, 1))).max())


class OuterSeam(Seam):
    """A patch along a border that lies on a patch which stays as it is."""

    def __init__(self, flank: Flank, beside: Sequence[Surface], order: int, reach: float) -> None:
        self._flank, self._beside, self._order, self._reach = flank, beside, order, reach
        self.columns = flank.columns

    def rows(self, x: Floats) -> Iterator[Rows]:
        flank = self._flank
        own = x[flank.columns]
        normals, bends, near = self._met(flank.place @ own, flank.along @ own)
        if not near.any():
            return
        yield from rows_to_meet(flank, x, normals, bends, self._order, near)

    def _met(self, places: Floats, ways: Floats) -> tuple[Floats, Floats, Floats]:
        """Normals and bends of what lies there, and 1 where something does."""
        normals, bends = np.zeros_like(places), np.zeros(len(places))
        best = np.full(len(places), self._reach)
        for surface in self._beside:
            feet = foot_points(surface, places)
            away = np.linalg.norm(feet.points - places, axis=1)
            nearer = away < best
            if nearer.any():
                d = surface.derivatives(feet.uv, 3)
                found = unit(np.cross(d[1, 0], d[0, 1]))
                values, _ = section_bends(d, np.cross(found, ways))
                best[nearer], normals[nearer], bends[nearer] = away[nearer], found[nearer], values[nearer]
        return normals, bends, (best < self._reach).astype(float)

    def angle(self, x: Floats) -> float:
        e, d, _ = self._flank.read(x)
        normals, _, near = self._met(self._flank.place @ x[self._flank.columns], e)
        own = unit(np.cross(e, d))
        turned = np.degrees(np.arcsin(np.clip(np.linalg.norm(np.cross(own, normals), axis=1), 0, 1)))
        return float((turned * near).max())


def rows_to_meet(
    flank: Flank, x: Floats, normals: Floats, bends: Floats, order: int, near: Floats | None = None
) -> Iterator[Rows]:
    """Rows for a flank that is to have (k, 3) unit normals along its border, and with order 2 (k,) bends square to it.

    near: (k,) how much each place counts; all of them do where it is not given.
    """
    e, d, second = flank.read(x)
    weight = np.ones(len(e)) if near is None else near
    across = d - np.einsum("nc,nc->n", d, unit(e))[:, None] * unit(e)
    size = weight / np.linalg.norm(across, axis=1)
    f = np.einsum("nc,nc->n", d, normals) * size
    yield _flat(flank.across[:, :, None] * (normals * size[:, None])[:, None]), f, flank.columns, 1.0 / len(f)
    if order > 1:
        own, rows = _bend(flank, normals, e, d, second)
        length = float(np.linalg.norm(np.diff(flank.place @ x[flank.columns], axis=0), axis=1).sum())
        weighted = rows * weight[:, None, None]
        yield _flat(weighted), (own - bends) * weight, flank.columns, BENDS * length**2 / len(f)


def inner_seams(space: NetworkSpace, order: int) -> list[Seam]:
    """A seam for every interval of a line that has patches on both sides and is not sharp."""
    return [
        InnerSeam(_flank(space, *pair[0]), _flank(space, *pair[1]), order)
        for line, pair in _by_interval(space)
        if len(pair) == 2 and not space.layout.lines[line].sharp
    ]


def outer_seams(space: NetworkSpace, beside: Sequence[Surface], order: int, reach: float) -> list[Seam]:
    """A seam for every interval of a line with a patch on one side only, where something lies beside it."""
    return [
        OuterSeam(_flank(space, *pair[0]), beside, order, reach) for _, pair in _by_interval(space) if len(pair) == 1
    ]


Where = tuple[int, int, int]
"""Number of a quad, of its side, and of the line's interval."""


def _by_interval(space: NetworkSpace) -> list[tuple[int, list[Where]]]:
    found: dict[tuple[int, int], list[Where]] = {}
    for number, quad in enumerate(space.layout.quads):
        for k, side in enumerate(quad):
            for interval in side.intervals:
                found.setdefault((side.line, interval), []).append((number, k, interval))
    return [(line, pair) for (line, _), pair in found.items()]


def _flank(space: NetworkSpace, number: int, k: int, interval: int) -> Flank:
    """A patch along one interval of the line of its side ``k``; always run the way the line runs."""
    quad = space.layout.quads[number]
    side = quad[k]
    line = space.layout.lines[side.line]
    p, spans = space.degree, int(space.spans[side.line][interval])
    shares = (1 - np.cos(np.pi * np.linspace(0, 1, SAMPLES_A_SPAN * (p + spans) + 5))) / 2
    a, b = line.stations[interval], line.stations[interval + 1]
    at = a + (b - a) * shares
    start, end = line.stations[side.start], line.stations[side.end]
    run = np.clip((at - start) / (end - start), 0.0, 1.0)
    sign = 1.0 if end > start else -1.0
    axis, fixed = ((0, 0.0), (1, 1.0), (0, 1.0), (1, 0.0))[k]
    backwards = k in (2, 3)
    t = 1.0 - run if backwards else run
    along_sign = sign * (-1.0 if backwards else 1.0)
    inward = 1.0 if fixed == 0.0 else -1.0
    knots, (nu, nv) = space.knots[number], space.shapes[number]
    lengthwise = [basis_matrix(knots[axis], p, np.ascontiguousarray(t), d) for d in range(3)]
    crosswise = [basis_matrix(knots[1 - axis], p, np.array([fixed]), d)[0] for d in range(3)]
    # only three rows of points have a say there
    rows = np.flatnonzero(np.abs(crosswise).max(axis=0) > 0)
    index = np.arange(nu * nv).reshape(nu, nv)
    points = (index[:, rows] if axis == 0 else index[rows].T).reshape(-1)
    own = space.rows[number][points]
    used = np.flatnonzero(np.abs(own).max(axis=0) > 0)
    own = own[:, used]

    def made(d_along: int, d_across: int) -> Floats:
        values = lengthwise[d_along][:, :, None] * crosswise[d_across][None, None, rows]
        scale = along_sign**d_along * inward**d_across
        return np.asarray(scale * values.reshape(len(t), -1) @ own)

    second = np.array([made(2, 0), made(1, 1), made(0, 2)])
    return Flank(space.columns[number][used], made(0, 0), made(1, 0), made(0, 1), second)


def _widened(flank: Flank, columns: Ints) -> Flank:
    """The same over more unknowns."""
    where = np.searchsorted(columns, flank.columns)

    def wide(values: Floats) -> Floats:
        made = np.zeros((*values.shape[:-1], len(columns)))
        made[..., where] = values
        return made

    return Flank(columns, wide(flank.place), wide(flank.along), wide(flank.across), wide(flank.second))


def _bend(flank: Flank, normals: Floats, e: Floats, d: Floats, second: Floats) -> tuple[Floats, Floats]:
    """(k,) curvatures of the sections square to the border, by these normals, and their rows (k, m, 3)."""
    length = np.linalg.norm(e, axis=1)
    along = np.einsum("nc,nc->n", d, e) / length**2
    across = d - along[:, None] * e
    h = np.linalg.norm(across, axis=1)
    alpha, beta = 1.0 / h, -along / h
    bent = (alpha**2)[:, None] * second[2] + (2 * alpha * beta)[:, None] * second[1] + (beta**2)[:, None] * second[0]
    value = np.einsum("nc,nc->n", normals, bent)
    # what lies in the tangent plane turns the normal rather than the section
    flat = bent - value[:, None] * normals
    gram = np.array([[length**2, np.einsum("nc,nc->n", d, e)], [np.einsum("nc,nc->n", d, e), (d**2).sum(axis=1)]])
    right = np.array([np.einsum("nc,nc->n", flat, e), np.einsum("nc,nc->n", flat, d)])
    by_e, by_d = np.linalg.solve(gram.transpose(2, 0, 1), right.T[:, :, None])[:, :, 0].T
    sums = (
        (alpha**2)[:, None] * flank.second[2]
        + (2 * alpha * beta)[:, None] * flank.second[1]
        + (beta**2)[:, None] * flank.second[0]
        - by_e[:, None] * flank.along
        - by_d[:, None] * flank.across
    )
    return value, sums[:, :, None] * normals[:, None, :]


def _flat(rows: Floats) -> Floats:
    return rows.reshape(len(rows), -1)
