"""A patch whose edge is brought to another border, and goes on in its surface as smoothly as asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import LARGEST_DEGREE, Edge, Rim, Surface, greville, missing_knots, swapped_surface
from arabesque.geometry.kernels import basis_matrix
from arabesque.joining.border import BlendSide, Leaving, Ways, common_basis, nearest_shares, refined, space_of
from arabesque.joining.collocation import apart, between, through

EXACT, CLOSE, MOST_SPANS = 1e-9, 1e-5, 128
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
    surface: Surface, edge: int, side: BlendSide, rows: int = 0, ways: Ways = Ways.ROWS, share: float = 1.0
) -> MatchedPatch:
    """A patch with one edge on a border, going on in the surface beyond with G0 to G3.

    side: the border with the order; its part is where the ends of the edge come nearest. The first rows of
    control points follow from derivatives of the other surface, along ways as in ``blend``, so long that the patch
    runs on as far as it did (DeRose and Barsky 1985, as there). Degrees are raised and knots added where the basis
    along or across cannot hold it; the other edges stay but for the rows that move. rows: so many rows at least are
    moved, the further ones less and less. share: of the way that they move. Raises InvalidShape for a rational patch.
    """
    if surface.weights is not None:
        raise InvalidShape("A rational patch cannot be matched", "Fit a polynomial patch to it first")
    own, back = _with_edge_first(surface, Edge(edge))
    ends = own.points[0, [0, -1]]
    there = Leaving(replace(side, part=_part(side.rim, ends)), ways).beside(ends)
    (low, high), order = own.domain[1], side.order
    degree, knots, held = common_basis([there.space, space_of(own.knots[1], own.degree[1], low, high)])
    raised = max(0, order - own.degree[0])
    raised = max(raised, 2 * (order + 1) - own.points.shape[0])
    if own.degree[0] + raised > LARGEST_DEGREE:
        raise InvalidShape(f"The patch has too few rows for G{order}", "Ask for less, or add a span across first")
    base = own.elevated(raised, 0)
    speed = _speed(base, there)
    while True:
        wanted = _derivatives(there, base, greville(knots, degree), speed)
        along = through(wanted, degree, knots)
        dense = between(degree, knots)
        gaps = apart(along, degree, knots, dense, _derivatives(there, base, dense, speed)).max(axis=0)
        # places as to how long the border is, derivatives as to how large they are
        sizes = np.linalg.norm(wanted, axis=2).max(axis=0)
        sizes[0] = np.linalg.norm(np.ptp(wanted[:, 0], axis=0))
        off = float((gaps / np.maximum(sizes, 1e-6 * sizes[0])).max())
        if off <= (EXACT if held else CLOSE) or len(np.unique(knots)) > MOST_SPANS:
            break
        held, knots = False, refined(knots)
    made, before = _with_rows(base, degree, knots, along, max(rows, order + 1))
    made = made if share == 1.0 else made.with_points(before.points + share * (made.points - before.points))
    (start, end), _ = base.domain
    grid = np.linspace(start, end, 33), np.linspace(0, 1, 33)
    moved = np.linalg.norm(made.on_grid(*grid)[0, 0] - before.on_grid(*grid)[0, 0], axis=-1).max()
    made = Surface(made.degree, (made.knots[0], low + (high - low) * made.knots[1]), made.points)
    return MatchedPatch(back(made), off <= EXACT, float(moved), max(rows, order + 1))


def half_way(surface: Surface, edge: int, other: Surface, border: int, order: int, ways: Ways = Ways.ROWS) -> Surface:
    """The ``other`` patch with its ``border`` half way to the edge of a surface, in place, tangent planes and so on.

    What is then matched to it there with the same order has moved as far. Raises ArabesqueError where
    they meet over a part of the border alone, InvalidShape for a rational patch.
    """
    mine, its = (shape.rims()[k] for shape, k in ((surface, edge), (other, border)))
    ends = mine.surface.at(mine.places(np.array([0.0, 1.0])))
    near = nearest_shares(its, ends)
    if max(np.minimum(near, 1 - near)) > BESIDE_END:
        raise ArabesqueError("They meet over a part of the other edge alone", "Split the longer patch there first")
    return match_edge(other, border, BlendSide(mine, order), 0, ways, 0.5).surface


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


def _part(rim: Rim, ends: Floats) -> tuple[float, float]:
    """The part of a border that the (2, 3) ends of an edge stand for."""
    near = nearest_shares(rim, ends)
    found = [0.0 if s < BESIDE_END else 1.0 if s > 1 - BESIDE_END else float(s) for s in near]
    if abs(found[0] - found[1]) < BESIDE_END:
        raise ArabesqueError("Both ends of the edge lie nearest to one place of the border", "Choose another border")
    return found[0], found[1]


def _speed(own: Surface, there: Leaving) -> float:
    """How much longer the way from the border has to be that the patch runs on as far as it did."""
    if there.side.order == 0:
        return 1.0
    t = np.linspace(0, 1, 33)
    low, high = own.domain[1]
    mine = own.on_grid(np.array([own.domain[0][0]]), low + (high - low) * t, 1)[1, 0][0]
    sizes = [float(np.linalg.norm(way, axis=1).mean()) for way in (mine, there.leaving(t, _far_side(own, t))[1])]
    if min(sizes) < 1e-12:
        raise ArabesqueError("A border has no way across", "Choose another edge")
    return sizes[0] / sizes[1]


def _far_side(own: Surface, t: Floats) -> Floats:
    """(n, 3) places of the edge at high u at shares of its way."""
    low, high = own.domain[1]
    return np.asarray(own.on_grid(np.array([own.domain[0][1]]), low + (high - low) * t)[0, 0][0])


def _derivatives(there: Leaving, own: Surface, t: Floats, speed: float) -> Floats:
    """(n, order + 1, 3) place and derivatives along u that the edge is to have at shares of its way."""
    pull = there.pulls(t)[:, None] * speed
    return np.stack([pull**k * one for k, one in enumerate(there.leaving(t, _far_side(own, t)))], axis=1)


def _with_rows(own: Surface, degree: int, knots: Floats, wanted: Floats, rows: int) -> tuple[Surface, Surface]:
    """The patch in a basis along, on [0, 1], with the derivatives at low u as splines (k, order + 1, 3); and before."""
    low, high = own.domain[1]
    scaled = (own.knots[1] - low) / (high - low)
    raised = Surface(own.degree, (own.knots[0], scaled), own.points).elevated(0, degree - own.degree[1])
    before = raised.with_knots((), missing_knots(raised.knots[1], knots, degree))
    u, order = np.array([own.domain[0][0]]), wanted.shape[1] - 1
    across = np.vstack([basis_matrix(own.knots[0], own.degree[0], u, k)[0, : order + 1] for k in range(order + 1)])
    along = np.swapaxes(wanted, 0, 1)
    first = np.linalg.solve(across, along.reshape(order + 1, -1)).reshape(along.shape)
    points = before.points.copy()
    drift = first[-1] - points[order]
    points[: order + 1] = first
    for k in range(order + 1, min(rows, len(points) - 1)):
        points[k] += drift * (rows - k) / (rows - order)
    return before.with_points(points), before
