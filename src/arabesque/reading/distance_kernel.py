"""Distances of points to true shapes, and how they change with the shape. For ``true_shapes``."""

import numpy as np
from numba import njit

PLANE, CYLINDER, CONE, SPHERE, TORUS = range(5)


@njit(cache=True, nogil=True, error_model="numpy")
def distances(kind, points, origin, axis, sizes):  # type: ignore[no-untyped-def]
    """(n,) signed distances of points to a shape, positive away from its axis."""
    result = np.empty(len(points))
    slope, slant = 0.0, 1.0
    if kind == CONE:
        slope, slant = np.tan(sizes[1]), np.cos(sizes[1])
    for i in range(len(points)):
        x, y, z = points[i, 0] - origin[0], points[i, 1] - origin[1], points[i, 2] - origin[2]
        height = x * axis[0] + y * axis[1] + z * axis[2]
        if kind == PLANE:
            result[i] = height
            continue
        square = x * x + y * y + z * z
        if kind == SPHERE:
            result[i] = np.sqrt(square) - sizes[0]
            continue
        away = np.sqrt(max(square - height * height, 0.0))
        if kind == CYLINDER:
            result[i] = away - sizes[0]
        elif kind == CONE:
            result[i] = (away - sizes[0] - height * slope) * slant
        else:
            result[i] = np.hypot(away - sizes[0], height) - sizes[1]
    return result


@njit(cache=True, nogil=True, error_model="numpy")
def _applied(origin, axis, sizes, shift, tilt, grow, column, step):  # type: ignore[no-untyped-def]
    turned = axis + step * tilt[:, column]
    return origin + step * shift[:, column], turned / np.sqrt((turned * turned).sum()), sizes + step * grow[:, column]


@njit(cache=True, nogil=True, error_model="numpy")
def jacobian(kind, points, origin, axis, sizes, shift, tilt, grow, step):  # type: ignore[no-untyped-def]
    """(n, k) derivatives of the distances by the small changes that are open to the shape, by central differences."""
    result = np.empty((len(points), shift.shape[1]))
    for column in range(shift.shape[1]):
        o, a, s = _applied(origin, axis, sizes, shift, tilt, grow, column, step)
        there = distances(kind, points, o, a, s)
        o, a, s = _applied(origin, axis, sizes, shift, tilt, grow, column, -step)
        result[:, column] = (there - distances(kind, points, o, a, s)) / (2 * step)
    return result
