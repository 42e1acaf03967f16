"""The normal equations of distances along normals over a cage's stencils, put together entry by entry."""

from __future__ import annotations

import numpy as np
from numba import njit
from scipy.sparse import block_array, csr_array

from arabesque.arrays import Floats, Ints
from arabesque.cages import Stencils

_PAIRS = ((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2))


class NormalMatrix:
    """Which points meet in any row stays while they move; only the values are summed anew."""

    def __init__(self, stencils: Stencils, count: int) -> None:
        ones = csr_array(
            (np.ones(len(stencils.points), dtype=np.float32), stencils.points, stencils.starts),
            shape=(len(stencils.starts) - 1, count),
        )
        pattern = csr_array(ones.T @ ones)
        pattern.sort_indices()
        self._starts, self._columns = pattern.indptr.astype(np.int64), pattern.indices.astype(np.int64)
        self._shape = pattern.shape
        self._stencils = stencils
        self._places, self._first = pair_places(stencils.starts, stencils.points, self._starts, self._columns)
        at = csr_array((np.arange(len(self._columns)), self._columns, self._starts), shape=self._shape)
        turned = csr_array(at.T)
        turned.sort_indices()
        self._across = turned.data

    def matrix(self, rows: Ints, normal: Floats, weight: Floats, slide: float) -> csr_array:
        """(3 n, 3 n): of samples by their rows (s,) the squares of moves along normals (s, 3), and ``slide`` of those
        across, each times its weight; x of all points first."""
        factors = np.stack(
            [weight * ((1 - slide) * normal[:, a] * normal[:, b] + (slide if a == b else 0.0)) for a, b in _PAIRS]
        )
        values = sum_pairs(
            self._places, self._first, self._stencils.starts, np.ascontiguousarray(self._stencils.weights[0]), rows,
            factors, len(self._columns),
        )  # fmt: skip
        values = values + np.where(self._across == np.arange(len(self._across)), 0.0, values[:, self._across])
        blocks = {
            pair: csr_array((one, self._columns, self._starts), shape=self._shape)
            for pair, one in zip(_PAIRS, values, strict=True)
        }
        return csr_array(block_array([[blocks[min(a, b), max(a, b)] for b in range(3)] for a in range(3)]))


@njit(cache=True, nogil=True)
def pair_places(starts: Ints, points: Ints, rows: Ints, columns: Ints) -> tuple[Ints, Ints]:
    """Where in a matrix of rows (n + 1,) and columns each pair of points of each sample has its value, the pair once in
    the one or the other order, one sample after the other, and (s + 1,) where each sample's begin."""
    first = np.zeros(len(starts), dtype=np.int64)
    for sample in range(len(starts) - 1):
        size = starts[sample + 1] - starts[sample]
        first[sample + 1] = first[sample] + size * (size + 1) // 2
    places = np.empty(first[-1], dtype=np.int32)
    at = 0
    for sample in range(len(starts) - 1):
        for i in range(starts[sample], starts[sample + 1]):
            start, end = rows[points[i]], rows[points[i] + 1]
            for j in range(starts[sample], i + 1):
                low, high = start, end
                while low < high:
                    middle = (low + high) // 2
                    if columns[middle] < points[j]:
                        low = middle + 1
                    else:
                        high = middle
                places[at] = low
                at += 1
    return places, first


@njit(cache=True, nogil=True)
def sum_pairs(
    places: Ints, first: Ints, starts: Ints, weights: Floats, samples: Ints, factors: Floats, size: int
) -> Floats:
    """(k, size) values of k symmetric matrices of one pattern, each pair's in one of its two orders: the sum over
    samples, some of them several times, of factor times weight times weight."""
    kinds = len(factors)
    values = np.zeros((size, kinds))
    for s in range(len(samples)):
        sample = samples[s]
        at = first[sample]
        for i in range(starts[sample], starts[sample + 1]):
            for j in range(starts[sample], i + 1):
                both = weights[i] * weights[j]
                place = places[at]
                at += 1
                for k in range(kinds):
                    values[place, k] += factors[k, s] * both
    return values.T.copy()
