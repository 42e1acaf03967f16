"""The scanner's noise, told from the form: how far points stand off the quadric of their surroundings."""

from __future__ import annotations

import numpy as np
from numba import njit

from arabesque.arrays import Floats, Ints

MOST_NEIGHBOURS = 64
FEWEST_NEIGHBOURS = 9
"""A quadric has six unknowns; some more places make it a mean."""


@njit(cache=True, nogil=True, error_model="numpy")
def quadric_heights(points: Floats, normals: Floats, starts: Ints, beside: Ints, rim: Ints, chosen: Ints) -> Floats:
    """How far chosen points stand above the quadric of least squares through their two rings of neighbours, mm.

    starts, beside: neighbours of point i are beside[starts[i]:starts[i + 1]]. rim: (n,) 1 for points on rims. Scaled
    for what the fit takes of white noise: by the root of one plus the leverage of the place. NaN on rims, and where
    there are too few neighbours.
    """
    heights = np.full(len(chosen), np.nan)
    ring = np.empty(MOST_NEIGHBOURS, dtype=np.int64)
    row = np.empty(6)
    for number in range(len(chosen)):
        i = chosen[number]
        if rim[i]:
            continue
        count = 0
        for k in range(starts[i], starts[i + 1]):
            near = beside[k]
            for m in range(starts[near] - 1, starts[near + 1]):
                # the neighbour itself first, then its own neighbours
                other = near if m < starts[near] else beside[m]
                if other == i or count == MOST_NEIGHBOURS:
                    continue
                known = False
                for j in range(count):
                    if ring[j] == other:
                        known = True
                        break
                if not known:
                    ring[count] = other
                    count += 1
        if count < FEWEST_NEIGHBOURS:
            continue
        n = normals[i]
        if not (n * n).sum() > 0.5:
            continue  # a point without triangles of any area has no normal
        helper = np.array([0.0, 0.0, 1.0]) if abs(n[2]) < 0.9 else np.array([1.0, 0.0, 0.0])
        x = np.cross(n, helper)
        x /= np.sqrt((x * x).sum())
        y = np.cross(n, x)
        size = 0.0
        for j in range(count):
            away = points[ring[j]] - points[i]
            size = max(size, np.sqrt((away * away).sum()))
        if size == 0.0:
            continue
        matrix = np.zeros((6, 6))
        right = np.zeros(6)
        for j in range(count):
            away = (points[ring[j]] - points[i]) / size
            a, b, c = (away * x).sum(), (away * y).sum(), (away * n).sum()
            row[0], row[1], row[2], row[3], row[4], row[5] = 1.0, a, b, a * a, a * b, b * b
            for p in range(6):
                right[p] += row[p] * c
                for q in range(6):
                    matrix[p, q] += row[p] * row[q]
        for p in range(6):
            matrix[p, p] += 1e-9 * count
        unit = np.zeros(6)
        unit[0] = 1.0
        leverage = np.linalg.solve(matrix, unit)
        heights[number] = -size * (leverage * right).sum() / np.sqrt(1.0 + leverage[0])
    return heights
