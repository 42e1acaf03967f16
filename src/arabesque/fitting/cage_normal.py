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

    def matrix(self, stencils: Stencils, normal: Floats, weight: Floats, slide: float) -> csr_array:
        """(3 n, 3 n): of (s,) samples the squares of moves along their normals (s, 3), and ``slide`` of those across,
        each times its weight; x of all points first."""
        factors = np.stack(
            [weight * ((1 - slide) * normal[:, a] * normal[:, b] + (slide if a == b else 0.0)) for a, b in _PAIRS]
        )
        values = sum_pairs(
            stencils.starts, stencils.points, np.ascontiguousarray(stencils.weights[0]), factors, self._starts,
            self._columns,
        )  # fmt: skip
        blocks = {
            pair: csr_array((one, self._columns, self._starts), shape=self._shape)
            for pair, one in zip(_PAIRS, values, strict=True)
        }
        return csr_array(block_array([[blocks[min(a, b), max(a, b)] for b in range(3)] for a in range(3)]))


@njit(cache=True, nogil=True)
def sum_pairs(starts: Ints, points: Ints, weights: Floats, factors: Floats, rows: Ints, columns: Ints) -> Floats:
    """(k, nnz) values of k symmetric matrices of one pattern: the sum over samples of factor times weight times
    weight."""
    kinds = len(factors)
    values = np.zeros((kinds, len(columns)))
    for sample in range(len(starts) - 1):
        for i in range(starts[sample], starts[sample + 1]):
            first, last = rows[points[i]], rows[points[i] + 1]
            for j in range(starts[sample], starts[sample + 1]):
                low, high = first, last
                while low < high:
                    middle = (low + high) // 2
                    if columns[middle] < points[j]:
                        low = middle + 1
                    else:
                        high = middle
                both = weights[i] * weights[j]
                for k in range(kinds):
                    values[k, low] += factors[k, sample] * both
    return values
