"""A patch between four borders, fitted to the scan; on neighbours it shares control points, and tangents."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.errors import FitProblem
from arabesque.fitting.borders import border_line, fitted_border
from arabesque.fitting.corners import looks_outward
from arabesque.fitting.patch import EVEN, SLIDE, FitSettings, fit_patch
from arabesque.geometry import (
    Curve,
    Surface,
    basis_matrix,
    between,
    border_of,
    compatible_curves,
    edge_curve,
    foot_points,
    reversed_curve,
    swapped_surface,
)
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

SAME_PLACE = 1e-6
"""mm: ends of borders nearer to each other are one corner."""
SEAM_SAMPLES = 17


@dataclass(frozen=True, eq=False)
class EdgeOf:
    """An ``Edge`` of a patch as a border. tangent: its tangent plane is taken on."""

    surface: Surface
    edge: int
    tangent: bool = False

    @property
    def curve(self) -> Curve:
        """The edge with the patch's own control points."""
        return edge_curve(self.surface, self.edge)


Piece = EdgeOf | Floats


@dataclass(frozen=True, eq=False)
class Border:
    """One side of the patch: a curve, and the edge that it lies on, or None where it is free."""

    curve: Curve
    edge: EdgeOf | None = None


def ring_of(pieces: Sequence[Piece], gap: float) -> list[Border]:
    """The sides that edges and places, given in order round the patch, make: each ends where the next begins.

    pieces: edges of patches, and (3,) corners. Between pieces that do not
    meet within ``gap`` mm, a straight side is put in. Raises FitProblem
    unless there are four sides.
    """
    runs = _oriented(pieces)
    sides: list[Border] = []
    for number, run in enumerate(runs):
        if run is not None:
            sides.append(run)
        here = _end(pieces[number], run)
        following = (number + 1) % len(pieces)
        there = _start(pieces[following], runs[following])
        apart = float(np.linalg.norm(there - here))
        if apart > gap:
            sides.append(Border(Curve.bezier(np.array([here, there]))))
    if len(sides) != 4:
        raise FitProblem(
            f"These make {len(sides)} sides", "Give four: edges that meet, and corners on the scan between them"
        )
    return sides


def lay_between(
    pieces: Sequence[Piece],
    scan: Scan,
    tolerance: float,
    degree: tuple[int, int] = (3, 3),
    progress: Progress = silent,
) -> Surface:
    """The patch between borders, its inside and its free sides fitted to the scan.

    degree: at least so much along u and v. Sides on edges keep the
    neighbour's control points exactly (G0); where asked for, the tangent
    plane of the neighbour is approached along the edge (G1) as far as the
    control points allow. Raises FitProblem when the pieces make no four sides.
    """
    sides = ring_of(pieces, max(tolerance, SAME_PLACE))
    corners = [_corner(sides[k - 1], sides[k]) for k in range(4)]
    curves = [_between_corners(side, corners[k], corners[(k + 1) % 4]) for k, side in enumerate(sides)]
    low, right, high, left = curves[0], curves[1], reversed_curve(curves[2]), reversed_curve(curves[3])
    low, high = (c.elevated(max(0, degree[0] - c.degree)) for c in (low, high))
    left, right = (c.elevated(max(0, degree[1] - c.degree)) for c in (left, right))
    free = [side.edge is None for side in sides]
    low, high = _on_the_scan(compatible_curves([low, high]), (free[0], free[2]), scan, tolerance)
    left, right = _on_the_scan(compatible_curves([left, right]), (free[3], free[1]), scan, tolerance)
    start = between(low, high, left, right)
    held = _held(start, sides)
    settings = FitSettings(tolerance, rounds=4, slide=SLIDE, even=EVEN / 10)
    rough = fit_patch(start, scan, settings, held, progress=progress)
    rows = [_tangent_rows(rough, k, side.edge) for k, side in enumerate(sides) if side.edge and side.edge.tangent]
    tangents = np.concatenate(rows) if rows else None
    settings = replace(settings, samples=60)
    made = fit_patch(rough, scan, settings, held, True, progress, rows=tangents)
    return made if looks_outward(made, scan) else swapped_surface(made)


def _oriented(pieces: Sequence[Piece]) -> list[Border | None]:
    """The edges run so that all of them together leave the shortest gaps, on the way round; None for a corner.

    Taken one by one, two edges that face each other could run the same way, and the patch would cross itself.
    """
    choices: list[list[Border | None]] = []
    for piece in pieces:
        if isinstance(piece, EdgeOf):
            choices.append([Border(piece.curve, piece), Border(reversed_curve(piece.curve), piece)])
        else:
            choices.append([None])

    def gaps(runs: Sequence[Border | None]) -> float:
        ends = [_end(piece, run) for piece, run in zip(pieces, runs, strict=True)]
        starts = [_start(piece, run) for piece, run in zip(pieces, runs, strict=True)]
        return sum(float(np.linalg.norm(starts[(k + 1) % len(ends)] - ends[k])) for k in range(len(ends)))

    return min((list(runs) for runs in product(*choices)), key=gaps)


def _place(piece: Piece) -> Floats:
    assert not isinstance(piece, EdgeOf)
    return np.asarray(piece, dtype=float)


def _start(piece: Piece, run: Border | None) -> Floats:
    return run.curve.points[0] if run is not None else _place(piece)


def _end(piece: Piece, run: Border | None) -> Floats:
    return run.curve.points[-1] if run is not None else _place(piece)


def _corner(before: Border, after: Border) -> Floats:
    """Where two sides meet: on the side that lies on an edge, where one does; the edge stays as it is."""
    return after.curve.points[0] if after.edge is not None else before.curve.points[-1]


def _between_corners(side: Border, start: Floats, end: Floats) -> Curve:
    points = side.curve.points.copy()
    if side.edge is None or np.linalg.norm(points[0] - start) > 0 or np.linalg.norm(points[-1] - end) > 0:
        points[0], points[-1] = start, end
    return side.curve.with_points(points)


def _held(surface: Surface, sides: Sequence[Border]) -> Bools:
    """The borders; of free ones not the points beside corners with a tangent edge, whose plane they have to reach."""
    held = border_of(surface.points.shape)
    rows = (held[:, 0], held[-1], held[:, -1], held[0])
    for number, (side, row) in enumerate(zip(sides, rows, strict=True)):
        beside = (sides[number - 1].edge, sides[(number + 1) % 4].edge)
        if side.edge is None and any(edge is not None and edge.tangent for edge in beside):
            row[[1, -2]] = False
    held[np.ix_([0, -1], [0, -1])] = True
    return held


def _on_the_scan(curves: Sequence[Curve], free: Sequence[bool], scan: Scan, tolerance: float) -> tuple[Curve, Curve]:
    """Two facing sides, those that lie on no edge laid on calm lines of the scan, in the same basis."""
    one, two = (
        fitted_border(border_line(c.points[0], c.points[-1], scan).points, c.degree, c.knots, tolerance).curve
        if is_free
        else c
        for c, is_free in zip(curves, free, strict=True)
    )
    return one, two


def _tangent_rows(surface: Surface, side: int, edge: EdgeOf) -> Floats:
    """(k, 3 n) rows that are 0 where the derivative across a side lies in the neighbour's tangent plane."""
    axis = 1 if side in (0, 2) else 0
    at_end = side in (1, 2)
    knots, degree = surface.knots, surface.degree
    along = np.linspace(*surface.domain[1 - axis], SEAM_SAMPLES)
    across = np.array([surface.domain[axis][1 if at_end else 0]])
    grid = surface.on_grid(*((across, along) if axis == 0 else (along, across)))[0, 0].reshape(-1, 3)
    normals = edge.surface.normals(foot_points(edge.surface, grid).uv)
    slope = basis_matrix(knots[axis], degree[axis], across, 1)[0]
    shares = basis_matrix(knots[1 - axis], degree[1 - axis], along, 0)
    outer = np.einsum("i,kj->kij", slope, shares) if axis == 0 else np.einsum("j,ki->kij", slope, shares)
    rows: Floats = (outer[..., None] * normals[:, None, None]).reshape(len(along), -1) / np.sqrt(len(along))
    return rows
