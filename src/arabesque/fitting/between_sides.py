"""The inside of a patch whose four sides are given: it goes on in what lies beyond them, and is fair, or on the scan.

Gauss-Newton over the inner control points. Along the sides rows ask for the neighbours' normals and curvatures, as in a
network (``network_seams``); only these count, so that the rows may run across a side as is fairest.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.fitting.evenness import evenness_matrix
from arabesque.fitting.fairness import fairness_matrix
from arabesque.fitting.network_seams import Flank, Rows, rows_to_meet
from arabesque.fitting.patch import FitSettings, normal_equations, pulls_on
from arabesque.geometry import Edge, Surface, basis_matrix, border_of, even_parameters
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

ROUNDS, SETTLED = 14, 1e-6
"""At most so many, and until no control point moves further, of the patch's size."""
FIRST_DEMAND, DEMAND, RAMP = 1e1, 1e7, 10.0
"""Weight of what neighbours ask for, mm² (an angle squared), against the mean squared distance to the scan: it rises
from round to round, because bends are told only of rows that run as they will."""
FAIR, BARE, EVEN = 1e-8, 1e-6, 2e-5
"""Weights of fairness with a scan and without one, and of evenness."""
WORSE, FIRMLY = 10.0, 5
"""So many times the least squares so far, after so many rounds: the fit has lost its way."""
SAMPLES_A_POINT, FEWEST = 3, 16
PLACES_A_SPAN = 4


@dataclass(frozen=True, eq=False)
class Beyond:
    """What lies beyond a side. order: 1 for its tangent planes, 2 for its curvature too; 0 asks for nothing.

    read: (n,) shares of the side, in the direction of its parameter, to (n, 3) unit normals and (n,) curvatures of the
    sections square to the side by these normals, 1/mm.
    """

    order: int
    read: Callable[[Floats], tuple[Floats, Floats]]


def fair_between(
    start: Surface,
    beyond: Sequence[Beyond],
    scan: Scan | None = None,
    tolerance: float = 0.2,
    progress: Progress = silent,
) -> Surface:
    """The patch with its inner control points moved; its border rows stay.

    beyond: of each ``Edge`` in turn. scan: what it lies on inside, within the tolerance, mm. Raises FitProblem where
    there is none below.
    """
    held = border_of(start.points.shape[:2])
    free = np.repeat(~held.ravel(), 3)
    if not free.any():
        return start
    seams = [_Seam(start, edge, one) for edge, one in zip(Edge, beyond, strict=True) if one.order > 0]
    settings = FitSettings(tolerance, slide=0.0)
    at = [even_parameters(k, max(FEWEST, SAMPLES_A_POINT * n)) for k, n in zip(
        start.knots, start.points.shape, strict=False)]  # fmt: skip
    basis = [[basis_matrix(k, p, t, d) for d in (0, 1)] for k, p, t in zip(start.knots, start.degree, at, strict=True)]
    surface, size = start, float(np.linalg.norm(np.ptp(start.points.reshape(-1, 3), axis=0)))
    best, least = start, np.inf
    for number in range(ROUNDS):
        progress(number / ROUNDS, "Fitting between borders")
        n = surface.count
        energy = (FAIR if scan is not None else BARE) * fairness_matrix(surface)
        if scan is not None:
            pulls = pulls_on(surface.on_basis(*basis), (at[0], at[1]), scan, settings, number > 1, number < 2)
            matrix, right = normal_equations(surface.points, pulls, (basis[0][0], basis[1][0]), energy)
        else:
            matrix = np.asarray(np.kron(energy, np.eye(3)))
            right = -(energy @ surface.points.reshape(n, 3)).ravel()
        even = EVEN * evenness_matrix(surface)
        matrix = matrix + even
        right = right - even @ surface.points.ravel()
        demand = min(FIRST_DEMAND * RAMP**number, DEMAND)
        asked = [row for seam in seams for row in seam.rows(surface)]
        missed = sum(weight * float(values @ values) for _, values, _, weight in asked)
        if missed <= least:
            best, least = surface, missed
        elif number >= FIRMLY and missed > WORSE * least:
            break  # more is asked for than so few rows can give: what there was stays
        for rows, values, columns, weight in asked:
            index = (3 * columns[:, None] + np.arange(3)).ravel()
            matrix[np.ix_(index, index)] += demand * weight * rows.T @ rows
            right[index] -= demand * weight * rows.T @ values
        whole = matrix[np.ix_(free, free)]
        whole[np.diag_indices_from(whole)] += 1e-14 * whole.trace()
        move = np.zeros(3 * n)
        try:
            move[free] = np.linalg.solve(whole, right[free])
        except np.linalg.LinAlgError as problem:  # exactly singular
            raise FitProblem("The patch has folded onto itself", "Choose borders that lie further apart") from problem
        surface = surface.with_points(surface.points + move.reshape(surface.points.shape))
        if demand == DEMAND and np.abs(move).max() < SETTLED * size:
            best = surface
            break
    return best


class _Seam:
    """One side of the patch with what lies beyond it."""

    def __init__(self, surface: Surface, edge: Edge, beyond: Beyond) -> None:
        axis, at_end = edge.side
        along = 1 - axis
        (low, high), knots = surface.domain[along], surface.knots[along]
        spans = len(np.unique(knots)) - 1
        t = (1 - np.cos(np.pi * np.linspace(0, 1, PLACES_A_SPAN * (spans + surface.degree[along]) + 1))) / 2
        self._order = beyond.order
        self._normals, self._bends = beyond.read(t)
        end = np.array([surface.domain[axis][1 if at_end else 0]])
        across = [basis_matrix(surface.knots[axis], surface.degree[axis], end, d)[0] for d in range(3)]
        lengthwise = [basis_matrix(knots, surface.degree[along], low + (high - low) * t, d) for d in range(3)]
        index = np.arange(surface.count).reshape(surface.points.shape[:2])
        used = np.flatnonzero(np.abs(across).max(axis=0) > 0)
        points = (index[used] if axis == 0 else index[:, used].T).ravel()

        def made(by_along: int, by_across: int) -> Floats:
            values = across[by_across][used][:, None] * lengthwise[by_along][:, None, :]
            return np.asarray(values.reshape(len(t), -1))

        second = np.array([made(2, 0), made(1, 1), made(0, 2)])
        self._flank = Flank(points, made(0, 0), made(1, 0), made(0, 1), second)

    def rows(self, surface: Surface) -> list[Rows]:
        """Around a state of the patch."""
        points = surface.points.reshape(-1, 3)
        return list(rows_to_meet(self._flank, points, self._normals, self._bends, self._order))
