"""Knot vectors, and the exact change of a spline to a larger spline space."""

from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import InvalidShape
from arabesque.geometry.kernels import refined_rows

LARGEST_DEGREE = 7


def bezier_knots(degree: int) -> Floats:
    """Knots of a single span on [0, 1]."""
    return np.repeat([0.0, 1.0], degree + 1)


def uniform_knots(degree: int, spans: int) -> Floats:
    """Clamped knots on [0, 1] with equal spans."""
    return np.concatenate([np.zeros(degree), np.linspace(0.0, 1.0, spans + 1), np.ones(degree)])


def checked_knots(knots: ArrayLike, degree: int, count: int, what: str) -> Floats:
    """A frozen, clamped, non-decreasing knot vector for ``count`` control points.

    Raises InvalidShape when degree, length, order or multiplicities are wrong.
    """
    if not 1 <= degree <= LARGEST_DEGREE:
        raise InvalidShape(f"{what}: degree {degree} is not possible here", f"Use a degree from 1 to {LARGEST_DEGREE}")
    vector = frozen_array(knots, (count + degree + 1,), np.float64, what=f"{what}: knots")
    if np.any(np.diff(vector) < 0) or vector[degree] >= vector[-degree - 1]:
        raise InvalidShape(f"{what}: the knots do not rise", "Export it again from its source")
    if vector[0] != vector[degree] or vector[-1] != vector[-degree - 1]:
        raise InvalidShape(f"{what}: the knots are not clamped at both ends", "Export it with clamped ends")
    if np.any(vector[degree + 1 : -1] == vector[1 : -degree - 1]):
        raise InvalidShape(f"{what}: an inner knot is repeated more than {degree} times", "Split it there first")
    return vector


def breakpoints(knots: Floats) -> Floats:
    """The distinct knots, rising."""
    return np.unique(knots)


def greville(knots: Floats, degree: int) -> Floats:
    """Greville abscissae, read-only: the parameter at which each control point has most say."""
    return _greville(np.asarray(knots, dtype=np.float64).tobytes(), degree)


@lru_cache(maxsize=512)
def _greville(knots_as_bytes: bytes, degree: int) -> Floats:
    knots = np.frombuffer(knots_as_bytes)
    found: Floats = np.array([knots[i + 1 : i + degree + 1].mean() for i in range(len(knots) - degree - 1)])
    found.setflags(write=False)
    return found


def blossom(knots: Floats, degree: int, points: Floats, span: int, arguments: Floats) -> Floats:
    """Blossom (polar form) of the polynomial piece on ``span``, at ``degree`` arguments.

    points: (n, ...) control points along the first axis. De Boor's algorithm
    with one argument a level: Ramshaw, "Blossoms are polar forms", CAGD 6, 1989.
    """
    work = points[span - degree : span + 1].copy()
    for level, argument in enumerate(arguments, start=1):
        for j in range(degree, level - 1, -1):
            i = span - degree + j
            share = (argument - knots[i]) / (knots[i + degree + 1 - level] - knots[i])
            work[j] = (1.0 - share) * work[j - 1] + share * work[j]
    return work[degree]


def _span_for(old: Floats, degree: int, new: Floats, low: int, high: int) -> int:
    """An old span inside the support new[low]..new[high] of a new coefficient: the middle one."""
    inside = [
        i
        for i in range(degree, len(old) - degree - 1)
        if old[i] < old[i + 1] and old[i] < new[high] and old[i + 1] > new[low]
    ]
    return inside[len(inside) // 2]


def insert_knots(knots: Floats, degree: int, points: Floats, extra: ArrayLike) -> tuple[Floats, Floats]:
    """Knots and control points of the same spline with ``extra`` knots added.

    points: (n, ...) along the first axis. Exact: each new control point is
    the blossom at its knots (Ramshaw 1989).
    Raises InvalidShape when an extra knot lies outside, or would be repeated
    more often than the degree.
    """
    extra = np.asarray(extra, dtype=float)
    if extra.size and (extra.min() <= knots[0] or extra.max() >= knots[-1]):
        raise InvalidShape("A new knot lies outside the parameter range", "Choose it strictly inside")
    new = np.sort(np.concatenate([knots, extra]))
    if np.any(new[degree + 1 : -1] == new[1 : -degree - 1]):
        raise InvalidShape(f"A knot would be repeated more than {degree} times", "Insert it fewer times")
    rows = np.ascontiguousarray(points, dtype=np.float64).reshape(len(points), -1)
    made = refined_rows(np.ascontiguousarray(knots, dtype=np.float64), degree, rows, new)
    return new, _with_ends(made.reshape(len(made), *np.shape(points)[1:]), points)


def elevate_degree(knots: Floats, degree: int, points: Floats) -> tuple[Floats, Floats]:
    """Knots and control points of the same spline, one degree higher.

    Exact: the raised blossom is the mean of the old one over all ways of
    leaving one argument out (Ramshaw 1989).
    """
    new = np.sort(np.concatenate([knots, breakpoints(knots)]))
    raised = degree + 1
    result = []
    for i in range(len(new) - raised - 1):
        span = _span_for(knots, degree, new, i, i + raised + 1)
        arguments = new[i + 1 : i + raised + 1]
        left_out = [blossom(knots, degree, points, span, np.delete(arguments, j)) for j in range(raised)]
        result.append(np.mean(left_out, axis=0))
    return new, _with_ends(np.array(result), points)


def _with_ends(result: Floats, points: Floats) -> Floats:
    """The ends of a clamped spline stay to the last bit, whatever rounding did to the rest."""
    result[[0, -1]] = points[[0, -1]]
    return result
