"""A network of patches fitted to a scan all at once: shared borders, tangent or curvature continuous over them.

Gauss-Newton over all control points together. Closeness, fairness and evenness are those of single patches; over inner
borders rows ask for one tangent plane, or for one curvature too, with weights that rise from round to round.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.sparse import block_array, coo_array, csc_array, diags_array, eye_array, kron

from arabesque.arrays import Floats, Ints, unit
from arabesque.errors import FitProblem
from arabesque.fitting.evenness import evenness_matrix
from arabesque.fitting.fairness import fairness_matrix
from arabesque.fitting.network_seams import Seam, inner_seams, outer_seams
from arabesque.fitting.network_space import NetworkSpace
from arabesque.fitting.patch import FitSettings, normal_equations, pulls_on
from arabesque.geometry import Surface, basis_matrix, coons_net, even_parameters, foot_points, greville
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

FREE_ROUNDS, ROUNDS = 3, 13
LIGHTEST_DEMAND, HEAVIEST_DEMAND, RAMP = 1e1, 1e5, 10.0
"""Weights of the rows that are to be 0, mm²: by how much they rise a round."""
HELD, DRAWN, SLIDE = 3.0, 0.02, 0.002
"""Weights by which borders and sharp lines, and inner lines, stay where they were drawn; and along themselves."""
SMOOTHNESS, EVEN, BARE = 1e-8, 2e-5, 1e-4
SETTLED = 5e-3
"""Of the tolerance: when no control point moves further, the fit has settled."""
FIRST_BENDS, LAST_BENDS = 0.01, 0.1
"""Where bends are asked for too, the first and the last rounds ask for so much less."""
WORSE, SMALL_ANGLE = 20.0, 0.01
"""An angle so many times the smallest so far, and degrees that are as good as none."""
ASTRAY = 0.5
"""Of the size of it all: a control point that moves so far has lost its way."""
SAMPLES_A_POINT = 3
FEWEST_SAMPLES = 14
LINE_SAMPLES = 8
TIE = 1e-9


@dataclass(frozen=True)
class Demand:
    """What is asked of borders. order: 1 for one tangent plane, 2 for one curvature too, over inner borders.

    beside: patches that the outer borders lie on, and are to meet likewise. firm: how much more it counts in the end
    than usual.
    """

    order: int = 1
    beside: tuple[Surface, ...] = ()
    firm: float = 1.0


@dataclass(frozen=True, eq=False)
class Solved:
    """Unknowns (count, 3) of a space, and the patches that they make.

    angle: the largest over inner borders, degrees.
    """

    space: NetworkSpace
    unknowns: Floats
    surfaces: tuple[Surface, ...]
    angle: float


def solve_network(
    space: NetworkSpace,
    scan: Scan | None,
    tolerance: float,
    demand: Demand = Demand(),
    progress: Progress = silent,
    start: Floats | None = None,
    rounds: int = ROUNDS,
    guides: Sequence[tuple[int, Floats]] = (),
    held: Ints | None = None,
) -> Solved:
    """The patches of a space, fitted to the scan, or as fair as may be between their lines where there is none.

    start: unknowns to begin with. guides: (number of a patch, (n, 3) places that it is to pass). held: numbers of
    unknowns that stay. Raises FitProblem where there is no scan below a patch.
    """
    job = _Solver(space, scan, tolerance, demand, guides, held)
    x = job.begun() if start is None else start
    free = FREE_ROUNDS if start is None else 1
    bent = demand.order > 1
    weight = LIGHTEST_DEMAND * (FIRST_BENDS if bent else 1.0)
    heaviest = HEAVIEST_DEMAND * (LAST_BENDS if bent else 1.0) * demand.firm
    best, least = x, np.inf
    for number in range(rounds):
        progress(number / rounds, f"Fitting {len(space.knots)} patches together")
        asked = weight if number >= free and demand.order else 0.0
        move = job.step(x, asked, checked=number > 0, wide=number < 2 and start is None)
        if not np.abs(move).max() < ASTRAY * job.size:
            break
        x = x + move
        angle = job.angle(x) if asked else np.inf
        if angle > WORSE * max(least, SMALL_ANGLE):
            break  # more is asked for than the spans can give: what there was stays
        if not asked or angle <= max(least, SMALL_ANGLE):
            best, least = x, angle
        if asked:
            if weight >= heaviest and np.linalg.norm(move, axis=1).max() < SETTLED * tolerance:
                break
            weight = min(weight * RAMP, heaviest)
    return Solved(space, best, tuple(space.surfaces(best)), job.angle(best))


class _Solver:
    """One space's equations, built again around every state of the unknowns."""

    def __init__(
        self,
        space: NetworkSpace,
        scan: Scan | None,
        tolerance: float,
        demand: Demand,
        guides: Sequence[tuple[int, Floats]],
        held: Ints | None,
    ) -> None:
        self.held = held
        self.space, self.scan, self.tolerance, self.order = space, scan, tolerance, demand.order
        self.seams: list[Seam] = inner_seams(space, demand.order)
        self.outer = outer_seams(space, demand.beside, demand.order, 10 * tolerance) if demand.beside else []
        self.guides = guides
        self.size = float(np.linalg.norm(np.ptp(space.layout.nodes, axis=0)))
        self._bases = []
        for (ku, kv), shape in zip(space.knots, space.shapes, strict=True):
            at = [
                even_parameters(k, max(FEWEST_SAMPLES, SAMPLES_A_POINT * n))
                for k, n in zip((ku, kv), shape, strict=True)
            ]
            self._bases.append((at, *([basis_matrix(k, space.degree, t, d) for d in (0, 1)]
                                      for k, t in zip((ku, kv), at, strict=True))))  # fmt: skip
        self._lines = [self._line_pull(k) for k in range(len(space.layout.lines))]
        self._ties = kron(space.ties, eye_array(3), format="csr")

    def begun(self) -> Floats:
        """Lines by least squares through their places, patches between them after Coons."""
        space = self.space
        x = np.zeros((space.count, 3))
        for number, (basis, places, *_) in enumerate(self._lines):
            start = space.line_start[number]
            rows, want = [basis], [places]
            ends = np.zeros((2, basis.shape[1]))
            ends[0, 0] = ends[1, -1] = 1e3
            line = space.layout.lines[number]
            rows.append(ends)
            want.append(1e3 * space.layout.nodes[[line.nodes[0], line.nodes[-1]]])
            found = np.linalg.lstsq(np.vstack(rows), np.vstack(want), rcond=1e-10)[0]
            x[start : start + len(found)] = found
        for number, ((nu, nv), knots) in enumerate(zip(space.shapes, space.knots, strict=True)):
            points = (space.rows[number] @ x[space.columns[number]]).reshape(nu, nv, 3)
            s, t = (greville(k, space.degree) for k in knots)
            net = coons_net(points[:, 0], points[:, -1], points[0], points[-1], s, t)
            own = slice(*space.inner_start[number : number + 2])
            x[own] = net[1:-1, 1:-1].reshape(-1, 3)
        return x

    def step(self, x: Floats, demand: float, checked: bool, wide: bool) -> Floats:
        """The move of the unknowns, (count, 3)."""
        system = _System(self.space.count)
        surfaces = self.space.surfaces(x)
        sizes = np.array([_area(surface) for surface in surfaces])
        shares = sizes / sizes.sum()
        for number, surface in enumerate(surfaces):
            self._pull_patch(system, number, surface, float(shares[number]), checked, wide)
        for number in range(len(self._lines)):
            self._pull_line(system, number, x)
        for number, places in self.guides:
            self._pull_guide(system, number, surfaces[number], places)
        if demand:
            # shares of what all seams together ask for
            each = demand / max(1, len(self.seams) + len(self.outer))
            for seam in self.seams + self.outer:
                for rows, values, columns, scale in seam.rows(x):
                    system.add_rows(columns, rows, values, each * scale)
        return system.solved(self._ties, x, self.held)

    def angle(self, x: Floats) -> float:
        """The largest angle between neighbours over inner borders, degrees."""
        return max((seam.angle(x) for seam in self.seams), default=0.0)

    def _pull_patch(
        self, system: _System, number: int, surface: Surface, share: float, checked: bool, wide: bool
    ) -> None:
        space = self.space
        at, bu, bv = self._bases[number]
        # with nothing to be close to, fairness alone says how the form runs
        energy = (SMOOTHNESS if self.scan is not None else BARE) * fairness_matrix(surface)
        if self.scan is not None:
            settings = FitSettings(self.tolerance, slide=SLIDE)
            values = surface.on_basis(bu, bv)
            pulls = pulls_on(values, (at[0], at[1]), self.scan, settings, checked, wide)
            matrix, right = normal_equations(surface.points, pulls, (bu[0], bv[0]), energy)
        else:
            n = surface.count
            matrix = np.asarray(np.kron(energy, np.eye(3)), dtype=np.float64)
            right = np.asarray(-(energy @ surface.points.reshape(n, 3)).ravel(), dtype=np.float64)
        even = EVEN * evenness_matrix(surface)
        matrix = matrix + even
        right = right - even @ surface.points.ravel()
        rows, n = space.rows[number], surface.count
        half = np.tensordot(rows.T, matrix.reshape(n, 3, n, 3), axes=1)
        whole = np.tensordot(half, rows, axes=(2, 0)).transpose(0, 1, 3, 2)
        m = rows.shape[1]
        system.add(space.columns[number], share * whole.reshape(3 * m, 3 * m), share * (rows.T @ right.reshape(n, 3)))

    def _line_pull(self, number: int) -> tuple[Floats, Floats, float, float]:
        """Basis at places of a line, the places, and how much they hold it across the scan, and along its normal."""
        space, line = self.space, self.space.layout.lines[number]
        spans = int(np.sum(space.spans[number]))
        shares = np.linspace(0.0, 1.0, LINE_SAMPLES * (spans + space.degree) + 1)
        firm = line.border or line.sharp
        across, up = (HELD, HELD) if firm or self.scan is None else (DRAWN, 0.0)
        return space.line_basis(number, shares), line.at(shares), across, up

    def _pull_line(self, system: _System, number: int, x: Floats) -> None:
        basis, places, across, up = self._lines[number]
        space = self.space
        start = space.line_start[number]
        columns = np.arange(start, start + basis.shape[1])
        now = basis @ x[columns]
        ways = unit(np.gradient(places, axis=0))
        gap = places - now
        square = np.asarray(np.eye(3) - (1 - SLIDE) * ways[:, :, None] * ways[:, None, :], dtype=np.float64)
        if self.scan is not None and up == 0.0:
            normals = self.scan.closest(now).normals
            square -= normals[:, :, None] * normals[:, None, :]
        weight = across * square / len(places) / len(self._lines)
        m = basis.shape[1]
        whole = np.einsum("ni,nab,nk->iakb", basis, weight, basis, optimize=True).reshape(3 * m, 3 * m)
        system.add(columns, whole, basis.T @ np.einsum("nab,nb->na", weight, gap))

    def _pull_guide(self, system: _System, number: int, surface: Surface, places: Floats) -> None:
        uv = foot_points(surface, places).uv
        ku, kv = self.space.knots[number]
        d = surface.derivatives(uv, 1)
        normals = unit(np.cross(d[1, 0], d[0, 1]))
        bu, bv = (basis_matrix(k, self.space.degree, np.ascontiguousarray(uv[:, a]), 0) for a, k in enumerate((ku, kv)))
        basis = (bu[:, :, None] * bv[:, None, :]).reshape(len(uv), -1) @ self.space.rows[number]
        gap = np.einsum("nc,nc->n", places - d[0, 0], normals)
        rows = (basis[:, :, None] * normals[:, None, :]).reshape(len(uv), -1)
        system.add_rows(self.space.columns[number], rows, -gap, HELD / len(uv))


class _System:
    """Normal equations of (count, 3) unknowns, gathered block by block."""

    def __init__(self, count: int) -> None:
        self._count = count
        self._blocks: list[tuple[Ints, Floats]] = []
        self._right = np.zeros((count, 3))

    def add(self, columns: Ints, matrix: Floats, right: Floats) -> None:
        """A (3 m, 3 m) matrix and a (m, 3) right side over these unknowns."""
        self._blocks.append((columns, matrix))
        self._right[columns] += right

    def add_rows(self, columns: Ints, rows: Floats, values: Floats, weight: float) -> None:
        """(k, 3 m) linear functions that are (k,) now, and are to be 0."""
        self.add(columns, weight * rows.T @ rows, -weight * (rows.T @ values).reshape(-1, 3))

    def solved(self, ties: csc_array, x: Floats, held: Ints | None = None) -> Floats:
        """The move; the ties hold after it, to rounding. held: numbers of unknowns that stay.

        The matrix with the ties is made quasi-definite by a little on its lower diagonal, so that it factorises
        without pivoting (Vanderbei, "Symmetric quasidefinite matrices", 1995); refinement takes that out again.
        """
        from scipy.sparse.linalg import splu  # not needed at the start of the window

        size = 3 * self._count
        rows, columns, values = [], [], []
        for unknowns, matrix in self._blocks:
            index = (3 * unknowns[:, None] + np.arange(3)).ravel().astype(np.int32)
            rows.append(np.repeat(index, len(index)))
            columns.append(np.tile(index, len(index)))
            values.append(matrix.ravel())
        whole = coo_array(
            (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(size, size)
        ).tocsc()
        diagonal = whole.diagonal()
        scale = float(diagonal.mean())
        whole = whole + 1e-11 * scale * eye_array(size)
        count = ties.shape[0]
        tied = scale * ties
        off = -tied @ x.ravel()
        if held is not None and len(held):
            free = np.ones(size)
            free[(3 * held[:, None] + np.arange(3)).ravel()] = 0.0
            moves = diags_array(free)
            whole = moves @ whole @ moves + scale * diags_array(1.0 - free)
            tied = tied @ moves
            self._right = self._right * free.reshape(-1, 3)
        exact = _stacked(whole, tied, 0.0)
        soft = _stacked(whole, tied, TIE * scale)
        right = np.concatenate([self._right.ravel(), off])
        try:
            factors = splu(soft, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
        except RuntimeError as problem:  # exactly singular
            raise FitProblem("The patches have folded onto each other", "Move the curves apart") from problem
        found = factors.solve(right)
        for _ in range(2 if count else 0):
            found = found + factors.solve(right - exact @ found)
        return np.asarray(found[:size]).reshape(-1, 3)


def _stacked(whole: csc_array, tied: csc_array, little: float) -> csc_array:
    lower = -little * eye_array(tied.shape[0]) if tied.shape[0] else None
    if lower is None:
        return csc_array(whole)
    return csc_array(block_array([[whole, tied.T], [tied, lower]]))


def _area(surface: Surface) -> float:
    """About mm²: of the quadrangles of its net."""
    p = surface.points
    across = np.cross(p[1:, 1:] - p[:-1, :-1], p[:-1, 1:] - p[1:, :-1])
    return float(np.linalg.norm(across, axis=2).sum() / 2)
