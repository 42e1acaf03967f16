"""Curvature of curves and surfaces."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, unit
from arabesque.geometry.kernels import section_kernel, unit_cross

if TYPE_CHECKING:
    from arabesque.geometry.curve import Curve
    from arabesque.geometry.surface import Surface


class Curvatures(NamedTuple):
    """Curvatures at n places, 1/mm, positive where the surface bends towards its normal Su x Sv.

    largest, smallest: (n,) principal curvatures; mean, gaussian: (n,);
    direction: (n, 3) unit vector of the largest; normal: (n, 3).
    """

    largest: Floats
    smallest: Floats
    mean: Floats
    gaussian: Floats
    direction: Floats
    normal: Floats


def surface_curvature(surface: Surface, uv: ArrayLike) -> Curvatures:
    """Principal, mean and Gaussian curvature at (n, 2) parameters."""
    d = surface.derivatives(uv, 2)
    return form_curvature(d[1, 0], d[0, 1], d[2, 0], d[1, 1], d[0, 2])


def form_curvature(su: Floats, sv: Floats, suu: Floats, suv: Floats, svv: Floats) -> Curvatures:
    """Curvatures from (n, 3) first and second derivatives of a surface.

    From the first and second fundamental forms: do Carmo, "Differential
    Geometry of Curves and Surfaces", 1976, section 3-3.
    """
    normal = unit_cross(np.ascontiguousarray(su), np.ascontiguousarray(sv))
    e, f, g = _dot(su, su), _dot(su, sv), _dot(sv, sv)
    l, m, n = _dot(suu, normal), _dot(suv, normal), _dot(svv, normal)  # noqa: E741 - the book's names
    area = e * g - f * f
    safe = np.where(area > 0, area, np.nan)
    gaussian = (l * n - m * m) / safe
    mean = (e * n - 2 * f * m + g * l) / (2 * safe)
    # half the difference of both, in an orthonormal frame along su: mean² - gaussian would lose half of all digits
    f_e, root = f / np.where(e > 0, e, np.nan), np.sqrt(safe)
    across = (m - f_e * l) / root
    spread = np.hypot((l / np.where(e > 0, e, np.nan) - (e * n - 2 * f * m + f * f_e * l) / safe) / 2, across)
    largest, smallest = mean + spread, mean - spread
    # the eigenvector of the shape operator, from the better conditioned of its two rows
    a1, b1 = m - largest * f, -(l - largest * e)
    a2, b2 = n - largest * g, -(m - largest * f)
    first = np.hypot(a1, b1) >= np.hypot(a2, b2)
    a, b = np.where(first, a1, a2), np.where(first, b1, b2)
    vector = a[:, None] * su + b[:, None] * sv
    flat = np.linalg.norm(vector, axis=1) == 0
    direction = unit(np.where(flat[:, None], su, vector))
    return Curvatures(largest, smallest, mean, gaussian, direction, normal)


def parameter_sine(su: Floats, sv: Floats) -> Floats:
    """Return the (n,) sine of the angle between (n, 3) derivatives along u and v.

    0 where they run along one line, or one is 0: there a patch tells no normal.
    """
    length = np.linalg.norm(su, axis=1) * np.linalg.norm(sv, axis=1)
    return np.asarray(np.linalg.norm(np.cross(su, sv), axis=1) / np.maximum(length, 1e-300))


def section_bends(d: Floats, directions: Floats) -> tuple[Floats, Floats]:
    """Curvature of the normal section along (n, 3) or (1, 3) directions, 1/mm, and how fast it changes so, 1/mm².

    (n,) each, from (4, 4, n, 3) derivatives. Of a section c by arc length the second derivative is k n, and the
    third, seen along n, is how k changes; along it the parameters bend so that the second derivative has no part in
    the tangent plane. Only the part of a direction in the tangent plane counts; NaN where there is none.
    """
    return section_kernel(d, directions)


def along_direction(c: Curvatures, directions: Floats) -> Floats:
    """(n,) curvature of the normal section along (n, 3) unit tangents, from principal curvatures.

    Euler's theorem: do Carmo, "Differential Geometry of Curves and Surfaces", 1976, section 3-2.
    """
    cosine = _dot(c.direction, directions)
    return c.largest * cosine**2 + c.smallest * (1 - cosine**2)


def curve_curvature(curve: Curve, parameters: ArrayLike) -> Floats:
    """(n, 3) curvature vectors: towards the centre of the osculating circle, length 1/radius, 1/mm."""
    _, first, second = curve.derivatives(parameters, 2)
    speed = _dot(first, first)
    return (second - first * (_dot(first, second) / speed)[:, None]) / speed[:, None]


def _dot(a: Floats, b: Floats) -> Floats:
    return np.einsum("nc,nc->n", a, b)
