"""Compiled inner loops of spline evaluation.

Plain arrays in, plain arrays out; every kernel releases the GIL, so that the
window stays awake, and is checked in the tests against
``scipy.interpolate.NdBSpline``. Formulas and names follow Piegl and Tiller,
"The NURBS Book", 2nd edition, 1997.
"""

import numpy as np
from numba import njit

from arabesque.arrays import Bools, Floats


@njit(cache=True, nogil=True, error_model="numpy")
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


@njit(cache=True, nogil=True, error_model="numpy")
def basis_derivatives(
    knots: Floats, degree: int, span: int, u: float, order: int, scratch: Floats, out: Floats
) -> None:
    """The degree+1 basis functions that live on ``span``, with derivatives.

    Values by the Cox-de Boor recursion (algorithm A2.2), one row a degree; a
    derivative of order k begins with the functions of degree p - k and goes up
    k times by equation (2.7): N' of degree d is d times the difference of
    neighbours of degree d - 1 over their knot distances.
    scratch: (degree+1, degree+1). out: (order+1, degree+1), overwritten.
    """
    scratch[0, 0] = 1.0
    for d in range(1, degree + 1):
        saved = 0.0
        for j in range(d):
            right = knots[span + j + 1] - u
            left = u - knots[span + 1 - d + j]
            share = scratch[d - 1, j] / (right + left)
            scratch[d, j] = saved + right * share
            saved = left * share
        scratch[d, d] = saved
    for j in range(degree + 1):
        out[0, j] = scratch[degree, j]
    for k in range(1, order + 1):
        if k > degree:
            for j in range(degree + 1):
                out[k, j] = 0.0
            continue
        for j in range(degree - k + 1):
            out[k, j] = scratch[degree - k, j]
        for d in range(degree - k + 1, degree + 1):
            before = 0.0
            for j in range(d):
                over = d * out[k, j] / (knots[span + j + 1] - knots[span + j + 1 - d])
                out[k, j] = before - over
                before = over
            out[k, d] = before


@njit(cache=True, nogil=True, error_model="numpy")
def basis_matrix(knots: Floats, degree: int, parameters: Floats, derivative: int) -> Floats:
    """(len(parameters), control points) values of one derivative of all basis functions."""
    matrix = np.zeros((len(parameters), len(knots) - degree - 1))
    local = np.zeros((derivative + 1, degree + 1))
    scratch = np.zeros((degree + 1, degree + 1))
    for row in range(len(parameters)):
        span = find_span(knots, degree, parameters[row])
        basis_derivatives(knots, degree, span, parameters[row], derivative, scratch, local)
        for j in range(degree + 1):
            matrix[row, span - degree + j] = local[derivative, j]
    return matrix


@njit(cache=True, nogil=True, error_model="numpy")
def refined_rows(knots: Floats, degree: int, rows: Floats, new: Floats) -> Floats:
    """(n, k) control points over the knots ``new``, which hold all of ``knots``; rows: (m, k).

    Each is the blossom of the old spline at its inner knots, by de Boor's algorithm with one argument a level
    (Ramshaw, "Blossoms are polar forms", 1989), on the middle one of the old spans in its support.
    """
    count = len(new) - degree - 1
    made = np.empty((count, rows.shape[1]))
    work = np.empty((degree + 1, rows.shape[1]))
    for i in range(count):
        low, high = new[i], new[i + degree + 1]
        first, last = -1, -1
        inside = 0
        for k in range(degree, len(knots) - degree - 1):
            if knots[k] < knots[k + 1] and knots[k] < high and knots[k + 1] > low:
                first = k if first < 0 else first
                last = k
                inside += 1
        wanted, span, seen = inside // 2, first, 0
        for k in range(first, last + 1):
            if knots[k] < knots[k + 1] and knots[k] < high and knots[k + 1] > low:
                if seen == wanted:
                    span = k
                seen += 1
        for j in range(degree + 1):
            work[j] = rows[span - degree + j]
        for level in range(1, degree + 1):
            argument = new[i + level]
            for j in range(degree, level - 1, -1):
                base = span - degree + j
                share = (argument - knots[base]) / (knots[base + degree + 1 - level] - knots[base])
                work[j] = (1.0 - share) * work[j - 1] + share * work[j]
        made[i] = work[degree]
    return made


@njit(cache=True, nogil=True, error_model="numpy")
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
    scratch_u = np.zeros((degree_u + 1, degree_u + 1))
    scratch_v = np.zeros((degree_v + 1, degree_v + 1))
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


@njit(cache=True, nogil=True, error_model="numpy")
def evaluate_curvature(
    knots_u: Floats, degree_u: int, knots_v: Floats, degree_v: int, points: Floats, uv: Floats
) -> Floats:
    """As ``evaluate_tensor`` for order 2, with every sum in a register: three times as quick.

    Curvature, feet of perpendiculars and most other calls need just this.
    """
    count = len(uv)
    size = points.shape[2]
    result = np.zeros((3, 3, count, size))
    bu = np.zeros((3, degree_u + 1))
    bv = np.zeros((3, degree_v + 1))
    scratch_u = np.zeros((degree_u + 1, degree_u + 1))
    scratch_v = np.zeros((degree_v + 1, degree_v + 1))
    for index in range(count):
        span_u = find_span(knots_u, degree_u, uv[index, 0])
        span_v = find_span(knots_v, degree_v, uv[index, 1])
        basis_derivatives(knots_u, degree_u, span_u, uv[index, 0], 2, scratch_u, bu)
        basis_derivatives(knots_v, degree_v, span_v, uv[index, 1], 2, scratch_v, bv)
        for c in range(size):
            s = su = sv = suu = suv = svv = 0.0
            for i in range(degree_u + 1):
                row = row_v = row_vv = 0.0
                for j in range(degree_v + 1):
                    value = points[span_u - degree_u + i, span_v - degree_v + j, c]
                    row += bv[0, j] * value
                    row_v += bv[1, j] * value
                    row_vv += bv[2, j] * value
                s += bu[0, i] * row
                sv += bu[0, i] * row_v
                svv += bu[0, i] * row_vv
                su += bu[1, i] * row
                suv += bu[1, i] * row_v
                suu += bu[2, i] * row
            result[0, 0, index, c] = s
            result[1, 0, index, c] = su
            result[0, 1, index, c] = sv
            result[2, 0, index, c] = suu
            result[1, 1, index, c] = suv
            result[0, 2, index, c] = svv
    return result


@njit(cache=True, nogil=True, error_model="numpy")
def unit_cross(a: Floats, b: Floats) -> Floats:
    """(n, 3) unit vectors along a x b; zero where they are parallel."""
    result = np.zeros((len(a), 3))
    for i in range(len(a)):
        x = a[i, 1] * b[i, 2] - a[i, 2] * b[i, 1]
        y = a[i, 2] * b[i, 0] - a[i, 0] * b[i, 2]
        z = a[i, 0] * b[i, 1] - a[i, 1] * b[i, 0]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0.0:
            result[i, 0], result[i, 1], result[i, 2] = x / length, y / length, z / length
    return result


@njit(cache=True, nogil=True, error_model="numpy")
def step_to_feet(
    derivatives: Floats, points: Floats, uv: Floats, low: Floats, high: Floats
) -> tuple[Floats, Floats, Floats, Floats]:
    """One step of Newton's method from parameters (n, 2) to the feet of (n, 3) points on a surface.

    Both perpendicularity conditions at once, kept between ``low`` and
    ``high``: Piegl and Tiller, section 6.1. derivatives: (3, 3, n, 3) at uv.
    Returns the new parameters (n, 2), the feet (n, 3) there to second order,
    the unit normals (n, 3) at the old ones, and (n,) how far along the
    surface the step went.
    """
    count = len(uv)
    after, feet, normals, gone = np.empty((count, 2)), np.empty((count, 3)), np.empty((count, 3)), np.empty(count)
    for i in range(count):
        s, su, sv = derivatives[0, 0, i], derivatives[1, 0, i], derivatives[0, 1, i]
        suu, suv, svv = derivatives[2, 0, i], derivatives[1, 1, i], derivatives[0, 2, i]
        f = g = ee = ff = gg = j11 = j12 = j22 = 0.0
        for c in range(3):
            gap = s[c] - points[i, c]
            f += gap * su[c]
            g += gap * sv[c]
            ee += su[c] * su[c]
            ff += su[c] * sv[c]
            gg += sv[c] * sv[c]
            j11 += gap * suu[c]
            j12 += gap * suv[c]
            j22 += gap * svv[c]
        j11, j12, j22 = j11 + ee, j12 + ff, j22 + gg
        det = j11 * j22 - j12 * j12
        # far from the surface Newton's matrix may turn indefinite: Gauss-Newton's never does
        if det <= 0.1 * (ee * gg - ff * ff) or j11 <= 0.0:
            j11, j12, j22 = ee, ff, gg
            det = j11 * j22 - j12 * j12
        if det == 0.0:
            det = 1.0
        after[i, 0] = min(max(uv[i, 0] - (j22 * f - j12 * g) / det, low[0]), high[0])
        after[i, 1] = min(max(uv[i, 1] - (j11 * g - j12 * f) / det, low[1]), high[1])
        du, dv = after[i, 0] - uv[i, 0], after[i, 1] - uv[i, 1]
        way = 0.0
        for c in range(3):
            along = du * su[c] + dv * sv[c]
            way += along * along
            feet[i, c] = s[c] + along + 0.5 * du * du * suu[c] + du * dv * suv[c] + 0.5 * dv * dv * svv[c]
        gone[i] = np.sqrt(way)
        normals[i, 0] = su[1] * sv[2] - su[2] * sv[1]
        normals[i, 1] = su[2] * sv[0] - su[0] * sv[2]
        normals[i, 2] = su[0] * sv[1] - su[1] * sv[0]
        length = np.sqrt((normals[i] ** 2).sum())
        if length > 0.0:
            normals[i] /= length
    return after, feet, normals, gone


@njit(cache=True, nogil=True, error_model="numpy")
def _dot(a, b):  # type: ignore[no-untyped-def]
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True, nogil=True, error_model="numpy")
def section_kernel(d: Floats, directions: Floats) -> tuple[Floats, Floats]:
    """See ``geometry.section_bends``: one pass, for few places the sums alone cost a tenth of NumPy's calls."""
    count = d.shape[2]
    bends, changes = np.full(count, np.nan), np.full(count, np.nan)
    n, second, seen = np.empty(3), np.empty(3), np.empty(3)
    for i in range(count):
        su, sv, way = d[1, 0, i], d[0, 1, i], directions[min(i, len(directions) - 1)]
        e, f, g = _dot(su, su), _dot(su, sv), _dot(sv, sv)
        det = e * g - f * f
        if not det > 0.0:
            continue
        x, y = _dot(way, su), _dot(way, sv)
        a, b = (g * x - f * y) / det, (e * y - f * x) / det
        length = np.sqrt(e * a * a + 2 * f * a * b + g * b * b)
        if not length > 0.0:
            continue
        a, b = a / length, b / length
        n[0] = su[1] * sv[2] - su[2] * sv[1]
        n[1] = su[2] * sv[0] - su[0] * sv[2]
        n[2] = su[0] * sv[1] - su[1] * sv[0]
        for c in range(3):
            n[c] /= np.sqrt(det)
            second[c] = a * a * d[2, 0, i, c] + 2 * a * b * d[1, 1, i, c] + b * b * d[0, 2, i, c]
        x, y = -_dot(second, su), -_dot(second, sv)
        da, db = (g * x - f * y) / det, (e * y - f * x) / det
        for c in range(3):
            third = a**3 * d[3, 0, i, c] + 3 * a * a * b * d[2, 1, i, c]
            third += 3 * a * b * b * d[1, 2, i, c] + b**3 * d[0, 3, i, c]
            bent = a * da * d[2, 0, i, c] + (a * db + b * da) * d[1, 1, i, c] + b * db * d[0, 2, i, c]
            seen[c] = third + 3 * bent
        bends[i], changes[i] = _dot(second, n), _dot(seen, n)
    return bends, changes


@njit(cache=True, nogil=True, error_model="numpy")
def step_along(d: Floats, ways: Floats, points: Floats, t: Floats) -> Floats:
    """One step of Newton's method from shares (n,) of a line on a surface towards those nearest to (n, 3) points.

    d: (3, 3, n, 3) derivatives at the shares. ways: (n, 2) how the parameters change with the share, or (1, 2)
    where that is the same all along. Kept between 0
    and 1: Piegl and Tiller, section 6.1.
    """
    after = t.copy()
    for i in range(len(t)):
        way = ways[min(i, len(ways) - 1)]
        a, b = way[0], way[1]
        slope = bend = 0.0
        for c in range(3):
            first = d[1, 0, i, c] * a + d[0, 1, i, c] * b
            second = d[2, 0, i, c] * a * a + 2 * d[1, 1, i, c] * a * b + d[0, 2, i, c] * b * b
            rest = d[0, 0, i, c] - points[i, c]
            slope += rest * first
            bend += first * first + rest * second
        if bend > 0.0:
            after[i] = min(max(t[i] - slope / bend, 0.0), 1.0)
    return after


@njit(cache=True, nogil=True, error_model="numpy")
def inside_loop(loop: Floats, places: Floats) -> Bools:
    """Which of (n, 2) places lie inside a closed polygon (m, 2), by the even-odd rule."""
    inside = np.zeros(len(places), dtype=np.bool_)
    low, high = np.inf, -np.inf
    for k in range(len(loop)):
        low, high = min(low, loop[k, 1]), max(high, loop[k, 1])
    for n in range(len(places)):
        x, y = places[n, 0], places[n, 1]
        if not low <= y < high:
            continue
        odd = False
        for k in range(len(loop)):
            after = k + 1 if k + 1 < len(loop) else 0
            y0, y1 = loop[k, 1], loop[after, 1]
            if (y0 > y) != (y1 > y):
                x0 = loop[k, 0]
                odd ^= x < x0 + (y - y0) * (loop[after, 0] - x0) / (y1 - y0)
        inside[n] = odd
    return inside
