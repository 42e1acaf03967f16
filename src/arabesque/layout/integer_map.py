"""The field laid out flat: two coordinates at every corner whose whole numbers are the rows of a fine quad mesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array, csr_array, diags_array
from scipy.sparse.linalg import splu

from arabesque.arrays import Bools, Floats, Ints, unit
from arabesque.errors import FitProblem
from arabesque.layout.field import CrossField
from arabesque.layout.seams import TURNED, Seams
from arabesque.layout.sharp_lines import NO_LINES, line_nodes
from arabesque.layout.triangles import hat_gradients, next_side, rim_sides, side_vectors
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, sides_of

STIFFENINGS = 8
LEAST_AREA = 0.02
"""Of its wanted area: triangles that are laid out smaller, or turned over, are made stiffer."""


class MapProblem(FitProblem):
    """A field that cannot be laid out without folds at this fineness."""


@dataclass(frozen=True, eq=False)
class IntegerMap:
    """uv: (3 m, 2) coordinates of the corners of all triangles. cuts: (c, 2) pairs of sides that are seams; turns,
    shifts: (c,), (c, 2) how the coordinates go on over them: those of the second triangle are those of the first,
    turned and shifted by whole numbers. folded: how many triangles are turned over."""

    uv: Floats
    cuts: Ints
    turns: Ints
    shifts: Ints
    folded: int


def integer_map(
    scan: Scan, field: CrossField, seams: Seams, size: Floats, lines: Ints = NO_LINES, progress: Progress = silent
) -> IntegerMap:
    """Coordinates whose gradients follow the field with rows (m,) ``size`` mm apart; over seams, at irregular points,
    along rims and lines (e, 2) they fit whole numbers, rounded one by one, the most certain first.

    Bommes, Zimmer and Kobbelt, "Mixed-integer quadrangulation", SIGGRAPH 2009; stiffening: section 6 there. Some
    triangles may stay turned over: few of these do no harm. Raises MapProblem where seams and rims contradict.
    """
    equations = _Equations(scan, field, seams, lines)
    basis, whole = equations.reduced()
    energy = _Energy(scan, seams, size, equations.count)
    weight = np.ones(len(size))
    values: Floats | None = None
    best: tuple[int, Floats] | None = None
    for number in range(STIFFENINGS + 1):
        progress(number / (STIFFENINGS + 1), "Laying out the rows")
        quadratic, linear = energy.weighed(weight)
        solved, values = _solved(csr_array(basis.T @ quadratic @ basis), basis.T @ linear, whole, values)
        x = basis @ solved
        det = _determinants(scan, x[: 2 * seams.count].reshape(-1, 2)[seams.corner]) * size**2
        folded = int((det <= 0).sum())
        if best is None or folded < best[0]:
            best = folded, x
        if folded == 0:
            break
        weight = _spread(scan, weight * np.where(det < LEAST_AREA, 3.0, 1.0))
    assert best is not None
    folded, x = best
    uv = x[: 2 * seams.count].reshape(-1, 2)[seams.corner].reshape(-1, 2)
    shifts = np.rint(x[equations.shift_of]).astype(np.int64)
    return IntegerMap(uv, equations.edges, equations.turns, shifts, folded)


class _Equations:
    """What the coordinates have to fulfil: seams, rims, lines and irregular points."""

    def __init__(self, scan: Scan, field: CrossField, seams: Seams, lines: Ints) -> None:
        self._seams = seams
        self.edges, self.turns = seams.edges.copy(), seams.turns.copy()
        n = 2 * seams.count
        self._whole: set[int] = set()
        corner = seams.corner.ravel()
        points = scan.triangles.ravel()
        held = (field.index != 0) | line_nodes(scan.points, lines, len(scan.points))
        special = np.flatnonzero(held[points])
        for group in np.unique(corner[special]).tolist():
            self._whole |= {2 * group, 2 * group + 1}
        self._same: list[tuple[int, int]] = []
        self._along(scan, np.union1d(rim_sides(scan), np.flatnonzero(sides_of(scan, lines))))
        # a chain of cut edges shares a shift
        self.shift_of = n + self._chains(scan, field)
        self.count = int(self.shift_of.max(initial=n - 1)) + 1
        self._whole |= set(range(n, self.count))

    def _along(self, scan: Scan, rim: Ints) -> None:
        """Along sides one coordinate stays, at a whole number."""
        corner = self._seams.corner.ravel()
        ends = next_side(rim)
        along = side_vectors(scan)[rim]
        first = np.abs(np.einsum("nc,nc->n", along, self._seams.ways[rim // 3]))
        # along the first way v stays, along the second u
        axis = np.where(first > np.cos(np.pi / 4) * np.linalg.norm(along, axis=1), 1, 0)
        for a, b, k in zip(corner[rim].tolist(), corner[ends].tolist(), axis.tolist(), strict=True):
            self._same.append((2 * a + k, 2 * b + k))
            self._whole |= {2 * a + k, 2 * b + k}

    def _chains(self, scan: Scan, field: CrossField) -> Ints:
        """(c, 2) numbers of the shifts of each cut edge, both coordinates; the edges are turned so that a chain is
        crossed one way."""
        edges, turns = self.edges, self.turns
        t = scan.triangles
        starts, ends = t.ravel(), np.roll(t, -1, axis=1).ravel()
        rim = np.zeros(len(scan.points), dtype=bool)
        rim[scan.border_edges.ravel()] = True
        at: dict[int, list[int]] = {}
        for k, side in enumerate(edges[:, 0].tolist()):
            at.setdefault(int(starts[side]), []).append(k)
            at.setdefault(int(ends[side]), []).append(k)
        inner = {p for p, found in at.items() if len(found) == 2 and field.index[p] == 0 and not rim[p]}
        number = np.full(len(edges), -1)
        made = 0
        for first in range(len(edges)):
            if number[first] >= 0:
                continue
            number[first] = made
            for way in (0, 1):
                k = first
                point = int((ends if way == 0 else starts)[edges[k, 0]])
                while point in inner:
                    k = next(j for j in at[point] if j != k)
                    if number[k] >= 0:
                        break
                    number[k] = made
                    leaves = int(starts[edges[k, 0]]) == point
                    if leaves != (way == 0):
                        edges[k] = edges[k, ::-1]
                        turns[k] = -turns[k] % 4
                    point = int((ends if way == 0 else starts)[edges[k, 0]])
            made += 1
        return 2 * number[:, None] + np.arange(2)

    def reduced(self) -> tuple[csr_array, Bools]:
        """(count, k) whole numbers by which all unknowns follow from those that are left, and (k,) which of these are
        whole."""
        rows: list[dict[int, int]] = [{a: 1, b: -1} for a, b in self._same if a != b]
        corner = self._seams.corner.ravel()
        for (one, other), turn, shift in zip(
            self.edges.tolist(), self.turns.tolist(), self.shift_of.tolist(), strict=True
        ):
            a, b, c, d = TURNED[turn]
            for start, end in ((one, next_side(other)), (next_side(one), other)):
                p, q = int(corner[start]), int(corner[end])
                for k, (x, y) in enumerate(((a, b), (c, d))):
                    row: dict[int, int] = {}
                    for name, value in ((2 * q + k, 1), (2 * p, -x), (2 * p + 1, -y), (shift[k], -1)):
                        row[name] = row.get(name, 0) + value
                    rows.append(row)
        return _eliminated(rows, self.count, self._whole)


def _eliminated(rows: list[dict[int, int]], count: int, whole: set[int]) -> tuple[csr_array, Bools]:
    """Solve equations of whole numbers for one unknown each with factor ±1, one that need not be whole where there is
    one."""
    told: dict[int, dict[int, int]] = {}

    def plain(row: dict[int, int]) -> dict[int, int]:
        while True:
            known = [name for name in row if name in told]
            if not known:
                return {name: value for name, value in row.items() if value}
            for name in known:
                value = row.pop(name)
                for other, factor in told[name].items():
                    row[other] = row.get(other, 0) + value * factor

    for equation in rows:
        row = plain(dict(equation))
        ones = [name for name, value in row.items() if abs(value) == 1]
        if not row:
            continue
        if not ones:
            # twice something is nothing, or a pair of halves that must be whole: the same without the factor
            common = int(np.gcd.reduce([abs(value) for value in row.values()]))
            row = {name: value // common for name, value in row.items()}
            ones = [name for name, value in row.items() if abs(value) == 1]
            if not ones:
                raise MapProblem("The rows of this field do not close", "Ask for a calmer layout")
        free = [name for name in ones if name not in whole]
        pivot = (free or ones)[0]
        if not free and any(name not in whole for name in row):
            raise MapProblem("The rows of this field do not close", "Ask for a calmer layout")
        sign = row.pop(pivot)
        told[pivot] = {name: -value * sign for name, value in row.items()}
    left = [name for name in range(count) if name not in told]
    column = {name: k for k, name in enumerate(left)}
    entries: list[tuple[int, int, int]] = [(name, column[name], 1) for name in left]
    for name, row in told.items():
        entries += [(name, column[other], value) for other, value in plain(dict(row)).items()]
    i, j, v = np.array(entries).T
    basis = csr_array(coo_array((v.astype(float), (i, j)), shape=(count, len(left))))
    return basis, np.array([name in whole for name in left])


class _Energy:
    """Σ A w h² |∇(u, v) - d/h|² over all unknowns; only the weights w change from round to round."""

    def __init__(self, scan: Scan, seams: Seams, size: Floats, count: int) -> None:
        grads = hat_gradients(scan)
        areas = scan.areas
        self._stiff, self._count = areas * size**2, count
        self._local = np.einsum("tic,tjc->tij", grads, grads)
        across = np.cross(unit(scan.area_vectors), seams.ways)
        self._pull = np.stack([np.einsum("tic,tc->ti", grads, way) / size[:, None] for way in (seams.ways, across)])
        corner = seams.corner
        i, j = np.repeat(corner, 3, axis=1).ravel(), np.tile(corner, (1, 3)).ravel()
        self._at = np.concatenate([2 * i, 2 * i + 1]), np.concatenate([2 * j, 2 * j + 1])
        self._corner = corner

    def weighed(self, weight: Floats) -> tuple[csr_array, Floats]:
        """The quadratic and the linear part for (m,) weights."""
        stiff = self._stiff * weight
        stiff = stiff / stiff.mean()
        local = self._local * stiff[:, None, None]
        quadratic = coo_array((np.tile(local.ravel(), 2), self._at), shape=(self._count,) * 2)
        linear = np.zeros(self._count)
        for k in (0, 1):
            np.add.at(linear, 2 * self._corner.ravel() + k, (self._pull[k] * stiff[:, None]).ravel())
        return csr_array(quadratic), linear


def _determinants(scan: Scan, uv: Floats) -> Floats:
    """(m,) by how much the map of each triangle scales areas; negative where it is turned over."""
    areas = scan.areas
    one, two = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    return np.asarray((one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]) / (2 * np.maximum(areas, 1e-300)))


def _spread(scan: Scan, weight: Floats) -> Floats:
    """Weights carried half-way to the triangles beside."""
    graph = scan.triangle_graph
    count = np.maximum(np.asarray(graph.sum(axis=1)).ravel(), 1)
    return np.asarray(np.maximum(weight, (weight + (graph @ weight) / count) / 2))


def _solved(quadratic: csr_array, linear: Floats, whole: Bools, values: Floats | None) -> tuple[Floats, Floats]:
    """All unknowns with the whole ones at their values (k,), and these; without values they are rounded first."""
    free, fixed = np.flatnonzero(~whole), np.flatnonzero(whole)
    ridge = 1e-10 * float(quadratic.diagonal().mean())
    inner = splu((quadratic[free][:, free] + ridge * diags_array(np.ones(len(free)))).tocsc())
    across = quadratic[free][:, fixed]
    if values is None:
        carried = inner.solve(across.toarray())
        schur = quadratic[fixed][:, fixed].toarray() - across.T @ carried
        values = _rounded((schur + schur.T) / 2, linear[fixed] - carried.T @ linear[free])
    made = np.zeros(len(whole))
    made[fixed] = values
    made[free] = inner.solve(linear[free] - across @ values)
    return made, values


def _rounded(schur: Floats, right: Floats) -> Floats:
    """(k,) whole values near the least of a quadratic form (k, k), rounded one after another, the most certain first;
    the rest follows each time."""
    inverse = np.linalg.pinv(schur, hermitian=True, rcond=1e-10)
    values = inverse @ right
    open_ = np.ones(len(values), dtype=bool)
    for _ in range(len(values)):
        apart = np.where(open_, np.abs(values - np.rint(values)), np.inf)
        k = int(apart.argmin())
        column = inverse[:, k]
        if column[k] > 1e-12:
            values = values + column / column[k] * (np.rint(values[k]) - values[k])
            inverse = inverse - np.outer(column, column) / column[k]
        values[k] = np.rint(values[k])
        open_[k] = False
    # those that were fixed early drift by rounding errors
    return np.asarray(np.rint(values))
