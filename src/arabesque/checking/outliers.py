"""Outliers: what belongs to dents, dirt and spikes of a scan rather than to its form."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Floats, Ints

FAR = 3.0
"""Tolerances from which on a place may be an outlier."""
LARGEST_SHARE = 0.01
LARGEST_SIZE = 5.0
"""mm: an island larger than this square, and than that share of all, is a part of the form (common practice)."""
STEEP = 0.08
"""How much the distance changes, mm a mm, at the border of a dent; a form that is missed is missed little by little."""


def outliers(distance: Floats, areas: Floats, points: Floats, pairs: Ints, tolerance: float) -> Bools:
    """Which of n places are outliers: those of small islands, steep against their surroundings.

    distance: (n,) mm. areas: (n,) that each stands for, mm². points: (n, 3). pairs: (e, 2) neighbours.
    """
    size = np.abs(distance)
    far = size > FAR * tolerance
    found = np.zeros(len(distance), dtype=bool)
    if not far.any() or far.all():
        return found
    one, two = pairs.T
    rim = far[one] != far[two]
    both = far[one] & far[two]
    n = len(distance)
    joined = csr_array((np.ones(both.sum(), dtype=np.int8), (one[both], two[both])), shape=(n, n))
    count, label = connected_components(joined, directed=False)
    area = np.bincount(label, np.where(far, areas, 0.0), count)
    inner, outer = np.where(far[one[rim]], (one[rim], two[rim]), (two[rim], one[rim]))
    apart = np.linalg.norm(points[inner] - points[outer], axis=1)
    rise, way = (np.bincount(label[inner], values, count) for values in (size[inner] - size[outer], apart))
    small = area <= max(LARGEST_SHARE * float(areas.sum()), LARGEST_SIZE**2)
    steep = rise >= STEEP * np.maximum(way, 1e-300)
    return np.asarray(far & (small & steep & (way > 0))[label])


def grid_pairs(rows: int, columns: int) -> Ints:
    """(e, 2) neighbours in a grid of rows x columns places."""
    index = np.arange(rows * columns).reshape(rows, columns)
    down = np.column_stack([index[:-1].ravel(), index[1:].ravel()])
    along = np.column_stack([index[:, :-1].ravel(), index[:, 1:].ravel()])
    return np.concatenate([down, along])
