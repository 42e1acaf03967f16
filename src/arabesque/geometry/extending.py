"""Edges of a patch moved along its form: longer, shorter, one corner alone, as part of it or as a new neighbour."""

from __future__ import annotations

import itertools
from enum import Enum

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import blossom, breakpoints
from arabesque.geometry.matching import nearest_surface
from arabesque.geometry.removal import remove_knots
from arabesque.geometry.reshaping import join_surfaces, split_surface
from arabesque.geometry.rims import Edge
from arabesque.geometry.surface import Surface

EXACT = 1e-9
"""mm: knots whose loss moves the patch by less are not needed."""
SAMPLES = 65


class Manner(Enum):
    """How a patch goes on beyond its edge; the value is its words."""

    NATURAL = "as its own form"
    STRAIGHT = "straight"
    CURVED = "with its curvature"


def continuation(surface: Surface, axis: int, at_end: bool, length: float, manner: Manner) -> Surface:
    """A new neighbour patch that begins exactly at an edge and goes on across it.

    axis: the direction that runs across the edge. length: mm, on average over
    the edge. As its own form: the same polynomials, so that every derivative
    agrees. Straight: tangents agree (G1). With its curvature: second
    derivatives agree (G2). It runs the same way as the patch. Raises
    InvalidShape for a length that is not positive, or a patch without
    polynomials.
    """
    if not length > 0:
        raise InvalidShape("A continuation needs a length", "Give more than 0 mm")
    forward = surface if at_end else surface.reversed(axis)
    step = _step_for(forward, axis, length, manner)
    made = _beyond(forward, axis, step, manner)
    return made if at_end else made.reversed(axis)


def extended(
    surface: Surface, axis: int, at_end: bool, length: float, manner: Manner = Manner.NATURAL, light: bool = True
) -> Surface:
    """The patch with an edge moved across by ``length`` mm on average: outwards, or inwards where it is negative.

    As its own form the patch keeps its control rows; otherwise the new part
    brings rows of its own. light: of those at its old end it keeps as few as it needs. Raises InvalidShape when nothing
    would be left.
    """
    if length == 0:
        return surface
    return moved_by(surface, axis, at_end, step_of(surface, axis, at_end, length, manner), manner, light)


def step_of(surface: Surface, axis: int, at_end: bool, length: float, manner: Manner = Manner.NATURAL) -> float:
    """How far an edge moves across in the patch's parameters for ``length`` mm on average, inwards below 0; raises
    InvalidShape when nothing would be left."""
    forward = surface if at_end else surface.reversed(axis)
    if length < 0:
        return _place_before_end(forward, axis, -length) - forward.domain[axis][1]
    return _step_for(forward, axis, length, manner) if length > 0 else 0.0


def moved_by(
    surface: Surface, axis: int, at_end: bool, step: float, manner: Manner = Manner.NATURAL, light: bool = True
) -> Surface:
    """The patch with an edge moved across by a ``step`` of its parameters, as in ``extended``."""
    forward = surface if at_end else surface.reversed(axis)
    if step < 0:
        if -step >= np.ptp(forward.domain[axis]):
            raise InvalidShape("Nothing of the patch would be left", "Shorten it by less")
        made = split_surface(forward, axis, forward.domain[axis][1] + step)[0]
    elif manner is Manner.NATURAL:
        made = _stretched(forward, axis, step)
    else:
        strip = _beyond(forward, axis, step, manner)
        strip = strip.elevated(*(_more(forward, strip, k) for k in (0, 1)))
        forward = forward.elevated(*(_more(strip, forward, k) for k in (0, 1)))
        made = join_surfaces(forward, strip, axis)
        made = _lightened(made, axis, float(forward.domain[axis][1])) if light else made
    return made if at_end else made.reversed(axis)


def carried_on(surface: Surface, edge: Edge, length: float, manner: Manner = Manner.CURVED) -> Surface:
    """The surface reaching ``length`` mm further beyond an edge, with the parameters that it has where it was.

    Rational patches, so true shapes too, go on as their own form.
    """
    axis, at_end = edge.side
    manner = manner if surface.weights is None else Manner.NATURAL
    made = extended(surface, axis, at_end, length, manner, light=False)
    if at_end:
        return made
    knots = list(made.knots)
    knots[axis] = made.knots[axis] - (made.domain[axis][1] - surface.domain[axis][1])
    return Surface(made.degree, (knots[0], knots[1]), made.points, made.weights)


def reach_along(made: Surface, axis: int, before: Surface | None = None) -> tuple[float, float]:
    """The least and the most that an edge moved out along the patch's lines across it, mm.

    made: the continued part; or with ``before``, the patch as it was, the patch that became longer. What goes on
    wavy reaches further in some places than in others.
    """
    lengths = _line_lengths(made, axis)[-1]
    if before is not None:
        lengths = lengths - _line_lengths(before, axis)[-1]
    return float(lengths.min()), float(lengths.max())


def over_quadrangle(surface: Surface, corners: ArrayLike) -> tuple[Surface, float]:
    """The patch over another part of its own parameter range, with its degrees and knots.

    corners: (4, 2) parameters that take the place of (low, low), (high, low),
    (high, high) and (low, high); they may lie outside, where the patch goes
    on as its own form. Returns the patch of least squares and how far it
    stands off at most, mm; 0 where the sides stay parallel to the old ones.
    Raises InvalidShape for a rational patch.
    """
    if surface.weights is not None:
        raise InvalidShape("The corners of a rational patch cannot be moved", "Fit a polynomial patch to it first")
    a, b, c, d = np.asarray(corners, dtype=float)
    (u0, u1), (v0, v1) = surface.domain
    u, v = (_dense(k, p) for k, p in zip(surface.knots, surface.degree, strict=True))
    s, t = ((u - u0) / (u1 - u0))[:, None, None], ((v - v0) / (v1 - v0))[None, :, None]
    uv = (1 - s) * (1 - t) * a + s * (1 - t) * b + s * t * c + (1 - s) * t * d
    wanted = surface.at(uv.reshape(-1, 2)).reshape(len(u), len(v), 3)
    made = nearest_surface(surface.degree, surface.knots, [u, v], wanted)
    return made, float(np.linalg.norm(made.on_grid(u, v)[0, 0] - wanted, axis=2).max())


def parameter_step(surface: Surface, axis: int, at_end: bool, other: float, length: float) -> float:
    """How far the end of ``axis`` moves outwards, in parameters, for ``length`` mm along the line at ``other``."""
    uv = np.empty((1, 2))
    uv[0, axis], uv[0, 1 - axis] = surface.domain[axis][1 if at_end else 0], other
    d = surface.derivatives(uv, 1)
    return length / max(float(np.linalg.norm(d[1, 0] if axis == 0 else d[0, 1])), 1e-12)


def _dense(knots: Floats, degree: int) -> Floats:
    breaks = breakpoints(knots)
    steps = np.linspace(0, 1, 4 * degree + 1)
    return np.unique(np.concatenate([a + (b - a) * steps for a, b in itertools.pairwise(breaks)]))


def _more(wanted: Surface, surface: Surface, axis: int) -> int:
    return max(0, wanted.degree[axis] - surface.degree[axis])


def _end_rows(surface: Surface, axis: int, derivative: int) -> Floats:
    """Control row of a derivative across the high edge, in the edge's own basis."""
    end = surface.knots[axis][-1:]
    basis = basis_matrix(surface.knots[axis], surface.degree[axis], end, derivative)[0]
    row: Floats = np.tensordot(basis, np.swapaxes(surface.points, 0, axis), axes=1)
    return row


def _beyond(surface: Surface, axis: int, step: float, manner: Manner) -> Surface:
    """The strip beyond the high edge, over ``step`` of the parameter."""
    high = surface.domain[axis][1]
    p = surface.degree[axis]
    if manner is Manner.NATURAL:
        knots, q = surface.knots[axis], p
        coefficients = np.swapaxes(_coefficients(surface), 0, axis)
        span = len(knots) - p - 2
        ends = np.array([high, high + step])
        rows = np.array([blossom(knots, p, coefficients, span, np.repeat(ends, (p - i, i))) for i in range(p + 1)])
    else:
        if surface.weights is not None:
            raise InvalidShape("A rational patch goes on only as its own form", "Choose that, or fit a patch to it")
        order = 1 if manner is Manner.STRAIGHT or p < 2 else 2
        taylor = [_end_rows(surface, axis, k) * step**k for k in range(order + 1)]
        # from powers to the Bernstein basis: c_i = sum_k binomial(i, k) / binomial(order, k) a_k, a_k = f^(k) / k!
        rows = (
            np.array([taylor[0], taylor[0] + taylor[1]])
            if order == 1
            else np.array([taylor[0], taylor[0] + taylor[1] / 2, taylor[0] + taylor[1] + taylor[2] / 2])
        )
        q = order
    rows[0] = np.swapaxes(_coefficients(surface), 0, axis)[-1]
    along = np.repeat([high, high + step], q + 1)
    return _rebuilt(surface, axis, q, along, rows)


def _stretched(surface: Surface, axis: int, step: float) -> Surface:
    """The patch with its last span run on beyond the high edge: the same number of control rows."""
    knots, p = surface.knots[axis], surface.degree[axis]
    longer = knots.copy()
    longer[-p - 1 :] += step
    span = len(knots) - p - 2
    rows = np.swapaxes(_coefficients(surface), 0, axis).copy()
    for i in range(len(rows) - p, len(rows)):
        rows[i] = blossom(knots, p, np.swapaxes(_coefficients(surface), 0, axis), span, longer[i + 1 : i + p + 1])
    return _rebuilt(surface, axis, p, longer, rows)


def _coefficients(surface: Surface) -> Floats:
    if surface.weights is None:
        return surface.points
    return np.dstack([surface.points * surface.weights[..., None], surface.weights])


def _rebuilt(surface: Surface, axis: int, degree: int, along: Floats, rows: Floats) -> Surface:
    coefficients = np.swapaxes(rows, 0, axis)
    degrees = (degree, surface.degree[1]) if axis == 0 else (surface.degree[0], degree)
    knots = (along, surface.knots[1]) if axis == 0 else (surface.knots[0], along)
    if surface.weights is None:
        return Surface(degrees, knots, coefficients)
    weights = coefficients[..., 3]
    if weights.min() <= 0:
        raise InvalidShape("The patch cannot go on so far as its own form", "Extend it less")
    return Surface(degrees, knots, coefficients[..., :3] / weights[..., None], weights)


def _lightened(surface: Surface, axis: int, knot: float) -> Surface:
    """The surface with a knot along ``axis`` only as often as it needs it."""
    rows = np.swapaxes(surface.points, 0, axis)
    fewer = remove_knots(surface.knots[axis], surface.degree[axis], rows.reshape(len(rows), -1), EXACT, knot)
    return _rebuilt(
        surface, axis, surface.degree[axis], fewer.knots, fewer.points.reshape(len(fewer.points), *rows.shape[1:])
    )


def _line_lengths(surface: Surface, axis: int) -> Floats:
    """(SAMPLES, SAMPLES) lengths of its lines along ``axis``, mm, from the low edge up to even parameters."""
    other = np.linspace(*surface.domain[1 - axis], SAMPLES)
    along = np.linspace(*surface.domain[axis], SAMPLES)
    grid = surface.on_grid(*((along, other) if axis == 0 else (other, along)))[0, 0]
    steps = np.linalg.norm(np.diff(np.swapaxes(grid, 0, axis), axis=0), axis=2)
    return np.concatenate([np.zeros((1, SAMPLES)), np.cumsum(steps, axis=0)])


def _lengths(surface: Surface, axis: int) -> Floats:
    """(SAMPLES,) mean over the lines along ``axis``."""
    return np.asarray(_line_lengths(surface, axis).mean(axis=1))


def _step_for(surface: Surface, axis: int, length: float, manner: Manner) -> float:
    """The parameter step beyond the high edge that is ``length`` mm long on average: lengths only grow with it.

    Brent, "Algorithms for minimization without derivatives", 1973, chapter 4.
    """
    from scipy.optimize import brentq  # not needed at the start of the window

    speed = float(np.linalg.norm(_rows_at_end(surface, axis), axis=-1).mean())
    if not speed > 0:
        raise InvalidShape("The edge has shrunk to a point and cannot be extended", "Extend another edge")

    def missing(step: float) -> float:
        return length - float(_lengths(_beyond(surface, axis, step, manner), axis)[-1])

    enough = length / speed
    while missing(enough) > 0:
        enough *= 2
    return float(brentq(missing, 1e-6 * enough, enough, xtol=1e-6 * enough)) if missing(enough) else enough


def _rows_at_end(surface: Surface, axis: int) -> Floats:
    ends = [np.linspace(*surface.domain[k], 9) for k in (0, 1)]
    ends[axis] = np.array([surface.domain[axis][1]])
    d = surface.on_grid(ends[0], ends[1], 1)
    return d[1, 0] if axis == 0 else d[0, 1]


def _place_before_end(surface: Surface, axis: int, length: float) -> float:
    lengths = _lengths(surface, axis)
    if length >= 0.999 * lengths[-1]:
        raise InvalidShape("Nothing of the patch would be left", f"Shorten it by less than {lengths[-1]:.3g} mm")
    return float(np.interp(lengths[-1] - length, lengths, np.linspace(*surface.domain[axis], SAMPLES)))
