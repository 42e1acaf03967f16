"""Compiled inner loops of spline evaluation.

Plain arrays in, plain arrays out; every kernel releases the GIL, so that the
window stays awake, and is checked in the tests against
``scipy.interpolate.NdBSpline``. Formulas and names follow Piegl and Tiller,
"The NURBS Book", 2nd edition, 1997.
"""

import numpy as np
from numba import njit

from arabesque.arrays import Floats


@njit(cache=True, nogil=True)
def find_span(knots: Floats, degree: int, u: float) -> int:
    """Index of the non-empty knot span that holds u (algorithm A2.1); the last one at the end."""
    low = degree
    high = len(knots) - degree - 1
    if u >= knots[high]:
        span = high - 1
        while span > degree and knots[span] == knots[span + 1]:
            span -= 1
        return span
    while high - low > 1:
        middle = (low + high) // 2
        if u < knots[middle]:
            high = middle
        else:
            low = middle
    return low


@njit(cache=True, nogil=True)
def basis_derivatives(
    knots: Floats, degree: int, span: int, u: float, order: int, scratch: Floats, out: Floats
) -> None:
    """The degree+1 basis functions that live on ``span``, with derivatives (algorithm A2.3).

    scratch: (degree+5, degree+1), for the inner tables. out: (order+1, degree+1), overwritten.
    """
    p = degree
    ndu = scratch[: p + 1]
    left = scratch[p + 1]
    right = scratch[p + 2]
    a = scratch[p + 3 :]
    ndu[0, 0] = 1.0
    for j in range(1, p + 1):
        left[j] = u - knots[span + 1 - j]
        right[j] = knots[span + j] - u
        saved = 0.0
        for r in range(j):
            ndu[j, r] = right[r + 1] + left[j - r]
            share = ndu[r, j - 1] / ndu[j, r]
            ndu[r, j] = saved + right[r + 1] * share
            saved = left[j - r] * share
        ndu[j, j] = saved
    out[:, :] = 0.0
    for j in range(p + 1):
        out[0, j] = ndu[j, p]
    for r in range(p + 1):
        s1 = 0
        s2 = 1
        a[:, :] = 0.0
        a[0, 0] = 1.0
        for k in range(1, min(order, p) + 1):
            d = 0.0
            rk = r - k
            pk = p - k
            if r >= k:
                a[s2, 0] = a[s1, 0] / ndu[pk + 1, rk]
                d = a[s2, 0] * ndu[rk, pk]
            first = 1 if rk >= -1 else -rk
            last = k - 1 if r - 1 <= pk else p - r
            for j in range(first, last + 1):
                a[s2, j] = (a[s1, j] - a[s1, j - 1]) / ndu[pk + 1, rk + j]
                d += a[s2, j] * ndu[rk + j, pk]
            if r <= pk:
                a[s2, k] = -a[s1, k - 1] / ndu[pk + 1, r]
                d += a[s2, k] * ndu[r, pk]
            out[k, r] = d
            s1, s2 = s2, s1
    factor = float(p)
    for k in range(1, min(order, p) + 1):
        for j in range(p + 1):
            out[k, j] *= factor
        factor *= p - k


@njit(cache=True, nogil=True)
def basis_matrix(knots: Floats, degree: int, parameters: Floats, derivative: int) -> Floats:
    """(len(parameters), control points) values of one derivative of all basis functions."""
    matrix = np.zeros((len(parameters), len(knots) - degree - 1))
    local = np.zeros((derivative + 1, degree + 1))
    scratch = np.zeros((degree + 5, degree + 1))
    for row in range(len(parameters)):
        span = find_span(knots, degree, parameters[row])
        basis_derivatives(knots, degree, span, parameters[row], derivative, scratch, local)
        for j in range(degree + 1):
            matrix[row, span - degree + j] = local[derivative, j]
    return matrix


@njit(cache=True, nogil=True)
def evaluate_tensor(
    knots_u: Floats, degree_u: int, knots_v: Floats, degree_v: int, points: Floats, uv: Floats, order: int
) -> Floats:
    """Derivatives of a tensor product spline at scattered parameters.

    points: (nu, nv, c) coefficients. uv: (n, 2).
    Returns (order+1, order+1, n, c); entry [k, l] is d^(k+l)/du^k dv^l and is
    filled where k + l <= order.
    """
    count = len(uv)
    size = points.shape[2]
    result = np.zeros((order + 1, order + 1, count, size))
    bu = np.zeros((order + 1, degree_u + 1))
    bv = np.zeros((order + 1, degree_v + 1))
    rows = np.zeros((order + 1, size))
    scratch_u = np.zeros((degree_u + 5, degree_u + 1))
    scratch_v = np.zeros((degree_v + 5, degree_v + 1))
    for index in range(count):
        span_u = find_span(knots_u, degree_u, uv[index, 0])
        span_v = find_span(knots_v, degree_v, uv[index, 1])
        basis_derivatives(knots_u, degree_u, span_u, uv[index, 0], order, scratch_u, bu)
        basis_derivatives(knots_v, degree_v, span_v, uv[index, 1], order, scratch_v, bv)
        for i in range(degree_u + 1):
            rows[:, :] = 0.0
            for j in range(degree_v + 1):
                for c in range(size):
                    value = points[span_u - degree_u + i, span_v - degree_v + j, c]
                    for b in range(order + 1):
                        rows[b, c] += bv[b, j] * value
            for a in range(order + 1):
                for b in range(order + 1 - a):
                    for c in range(size):
                        result[a, b, index, c] += bu[a, i] * rows[b, c]
    return result
