"""From homogeneous to rational derivatives."""

from math import comb

import numpy as np

from arabesque.arrays import Floats


def quotient_derivatives(values: Floats) -> Floats:
    """Derivatives of A/w from those of (A, w).

    values: (order+1, order+1, n, 4) homogeneous derivatives, filled where
    k + l <= order. Returns (order+1, order+1, n, 3). Piegl and Tiller, "The
    NURBS Book", 2nd edition, equation (4.20).
    """
    order = len(values) - 1
    result = np.zeros((*values.shape[:-1], 3))
    weight = values[..., 3]
    for k in range(order + 1):
        for m in range(order + 1 - k):
            total = values[k, m, :, :3].copy()
            for i in range(k + 1):
                for j in range(m + 1):
                    if i or j:
                        total -= comb(k, i) * comb(m, j) * weight[i, j][:, None] * result[k - i, m - j]
            result[k, m] = total / weight[0, 0][:, None]
    return result
