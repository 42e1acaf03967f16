"""A patch whose edge is brought to another border, and goes on in its surface as smoothly as asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import LARGEST_DEGREE, Edge, Rim, Surface, greville, swapped_surface
from arabesque.geometry.kernels import basis_matrix
from arabesque.joining.border import BlendSide, Leaving, Ways, common_basis, refined, space_of

EXACT, CLOSE, MOST_SPANS = 1e-9, 1e-5, 128
BETWEEN = 3
DENSE, CLOSER = 257, 4
"""Places along a border among which those nearest to the ends of an edge are sought, and how often more closely."""
BESIDE_END = 0.02
"""Of a border's way: an edge that ends so near to its end is meant to end with it."""


@dataclass(frozen=True, eq=False)
class MatchedPatch:
    """surface. exact: whether its basis holds the border. moved: mm, how far the patch moved at most. rows: how many
    rows of control points did."""

    surface: Surface
    exact: bool
    moved: float
    rows: int


def match_edge(
    surface: Surface, edge: int, side: BlendSide, rows: int = 0, ways: Ways = Ways.ROWS, whole: bool = False
) -> MatchedPatch:
    """A patch with one edge on a border, going on in the surface beyond with G0 to G3.

    side: the border with the order; its part is taken by the ends of the edge unless ``whole``. The first rows of
    control points follow from derivatives of the other surface, along ways as in ``blend``, so long that the patch
    runs on as far as it did (DeRose and Barsky 1985, as there). Degrees are raised and knots added where the basis
    along or across cannot hold it; the other edges stay but for the rows that move. rows: so many rows at least are
    moved, the further ones less and less. Raises InvalidShape for a rational patch.
    """
    if surface.weights is not None:
        raise InvalidShape("A rational patch cannot be matched", "Fit a polynomial patch to it first")
    own, back = _with_edge_first(surface, Edge(edge))
    side = side if whole else replace(side, part=_part(side.rim, own))
    there = _along(Leaving(side, ways), own)
    (low, high), order = own.domain[1], side.order
    degree, knots, held = common_basis([there.space, space_of(own.knots[1], own.degree[1], low, high)])
    raised = max(0, order - own.degree[0])
    raised = max(raised, 2 * (order + 1) - own.points.shape[0])
    if own.degree[0] + raised > LARGEST_DEGREE:
        raise InvalidShape(f"The patch has too few rows for G{order}", "Ask for less, or add a span across first")
    base = own.elevated(raised, 0)
    speed = _speed(base, there)
    while True:
        t = greville(knots, degree)
        wanted = _derivatives(there, base, t, speed)
        off = _off(there, base, (degree, knots, wanted), speed)
        if off <= (EXACT if held else CLOSE) or len(np.unique(knots)) > MOST_SPANS:
            break
        held, knots = False, refined(knots)
    made, before = _with_rows(base, degree, knots, wanted, max(rows, order + 1))
    (start, end), _ = base.domain
    grid = np.linspace(start, end, 33), np.linspace(0, 1, 33)
    moved = np.linalg.norm(made.on_grid(*grid)[0, 0] - before.on_grid(*grid)[0, 0], axis=-1).max()
    made = Surface(made.degree, (made.knots[0], low + (high - low) * made.knots[1]), made.points)
    return MatchedPatch(back(made), off <= EXACT, float(moved), max(rows, order + 1))


def _with_edge_first(surface: Surface, edge: Edge) -> tuple[Surface, Callable[[Surface], Surface]]:
    """The patch turned so that the edge lies at low u, and how it is turned back."""
    axis, at_end = edge.side
    swap = axis == 1
    turned = swapped_surface(surface) if swap else surface
    turned = turned.reversed(0) if at_end else turned

    def back(made: Surface) -> Surface:
        made = made.reversed(0) if at_end else made
        return swapped_surface(made) if swap else made

    return turned, back


def _part(rim: Rim, own: Surface) -> tuple[float, float]:
    """The part of a border that the ends of an edge at low u stand for."""
    near = np.zeros(2)
    reach = 1.0
    for _ in range(CLOSER):
        # at first all along, then between the neighbours of the nearest
        shares = np.clip(near[:, None] + np.linspace(-reach, reach, DENSE), 0.0, 1.0)
        away = [np.linalg.norm(rim.surface.at(rim.places(s)) - end, axis=1)
                for s, end in zip(shares, own.points[0, [0, -1]], strict=True)]  # fmt: skip
        near = np.array([s[one.argmin()] for s, one in zip(shares, away, strict=True)])
        reach *= 4.0 / DENSE
    found = [0.0 if s < BESIDE_END else 1.0 if s > 1 - BESIDE_END else float(s) for s in near]
    if abs(found[0] - found[1]) < BESIDE_END:
        raise ArabesqueError("Both ends of the edge lie nearest to one place of the border", "Choose another border")
    return found[0], found[1]


def _along(there: Leaving, own: Surface) -> Leaving:
    """The border run as the edge runs."""
    ends = there.places(np.array([0.0, 1.0]))
    mine = own.points[0, [0, -1]]
    straight = np.linalg.norm(ends - mine, axis=1).sum() <= np.linalg.norm(ends[::-1] - mine, axis=1).sum()
    return there if straight else there.turned()


def _speed(own: Surface, there: Leaving) -> float:
    """How much longer the way from the border has to be that the patch runs on as far as it did."""
    t = np.linspace(0, 1, 33)
    (u, _), (low, high) = own.domain[0], own.domain[1]
    mine = own.on_grid(np.array([u]), low + (high - low) * t, 1)[1, 0][0]
    if there.side.order == 0:
        return 1.0
    theirs = there.leaving(t, own.on_grid(np.array([own.domain[0][1]]), low + (high - low) * t)[0, 0][0])[1]
    sizes = [float(np.linalg.norm(one, axis=1).mean()) for one in (mine, theirs)]
    if min(sizes) < 1e-12:
        raise ArabesqueError("A border has no way across", "Choose another edge")
    return sizes[0] / sizes[1]


def _derivatives(there: Leaving, own: Surface, t: Floats, speed: float) -> Floats:
    """(order + 1, n, 3) place and derivatives along u that the edge is to have at shares of its way."""
    low, high = own.domain[1]
    towards = own.on_grid(np.array([own.domain[0][1]]), low + (high - low) * t)[0, 0][0]
    found = there.leaving(t, towards)
    pull = there.pulls(t)[:, None] * speed
    return np.array([pull**k * one for k, one in enumerate(found)])


def _off(there: Leaving, own: Surface, basis: tuple[int, Floats, Floats], speed: float) -> float:
    """How far splines through what is wanted at their Greville places are from it between these, of its size."""
    degree, knots, wanted = basis
    t = greville(knots, degree)
    steps = np.arange(1, BETWEEN + 1) / (BETWEEN + 1)
    dense = (t[:-1, None] + np.diff(t)[:, None] * steps).ravel()
    through = np.linalg.solve(basis_matrix(knots, degree, t, 0), np.swapaxes(wanted, 0, 1).reshape(len(t), -1))
    made = (basis_matrix(knots, degree, dense, 0) @ through).reshape(len(dense), -1, 3)
    apart = np.linalg.norm(np.swapaxes(made, 0, 1) - _derivatives(there, own, dense, speed), axis=2).max(axis=1)
    sizes = np.maximum(np.linalg.norm(wanted, axis=2).max(axis=1), 1e-12)
    sizes[0] = float(np.linalg.norm(np.ptp(wanted[0], axis=0)))
    return float((apart / np.maximum(sizes, 1e-6 * sizes[0])).max())


def _with_rows(own: Surface, degree: int, knots: Floats, wanted: Floats, rows: int) -> tuple[Surface, Surface]:
    """The patch in a basis along, on [0, 1], with derivatives wanted at the Greville places of low u; and before."""
    low, high = own.domain[1]
    scaled = (own.knots[1] - low) / (high - low)
    raised = Surface(own.degree, (own.knots[0], scaled), own.points).elevated(0, degree - own.degree[1])
    known = list(raised.knots[1])
    more = []
    for value in np.unique(knots):
        there = int(np.sum(np.abs(np.asarray(known) - value) < 1e-9))
        more += [float(value)] * max(0, int(np.sum(np.abs(knots - value) < 1e-12)) - there)
    before = raised.with_knots((), more)
    t = greville(before.knots[1], degree)
    if before.points.shape[1] != wanted.shape[1]:
        raise InvalidShape("The patch and the border have no common basis", "Ask for fewer rows, or refit the patch")
    along = np.linalg.solve(basis_matrix(before.knots[1], degree, t, 0), np.swapaxes(wanted, 0, 1).reshape(len(t), -1))
    along = np.swapaxes(along.reshape(len(t), -1, 3), 0, 1)
    u = np.array([own.domain[0][0]])
    order = len(wanted) - 1
    across = np.vstack([basis_matrix(own.knots[0], own.degree[0], u, k)[0, : order + 1] for k in range(order + 1)])
    first = np.linalg.solve(across, along.reshape(order + 1, -1)).reshape(along.shape)
    points = before.points.copy()
    drift = first[-1] - points[order]
    points[: order + 1] = first
    for k in range(order + 1, min(rows, len(points) - 1)):
        points[k] += drift * (rows - k) / (rows - order)
    return before.with_points(points), before
