"""The energy that keeps a control net even: thin plate of the net itself, inside the surface only."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numba import njit

from arabesque.arrays import Floats, Ints, unit
from arabesque.geometry import Surface, greville


def divided_differences(at: Floats, order: int) -> Floats:
    """(n - order, order + 1) divided differences over n rising places, scaled to be derivatives: row i is for the
    values i to i + order."""
    return _differences(np.asarray(at, dtype=np.float64).tobytes(), order)


@lru_cache(maxsize=512)
def _differences(places: bytes, order: int) -> Floats:
    at = np.frombuffer(places)
    rows = np.ones((len(at), 1))
    for k in range(1, order + 1):
        width = (at[k:] - at[:-k])[:, None] / k
        rows = np.pad(rows[1:] / width, ((0, 0), (1, 0))) - np.pad(rows[:-1] / width, ((0, 0), (0, 1)))
    rows.setflags(write=False)
    return rows


def evenness_matrix(surface: Surface) -> Floats:
    """(3 n, 3 n) matrix of the tangential thin-plate energy of the control net, mm² for mm.

    The mean over the net of |T Xuu|² + |T Xvv|² + 2 |T Xuv|², with second divided differences of the control points
    over their Greville abscissae scaled to the unit square, and T what lies in the surface at those abscissae. It
    leaves the form alone: only how the rows run inside it counts.
    """
    nu, nv = surface.points.shape[:2]
    at = [greville(knots, degree) for knots, degree in zip(surface.knots, surface.degree, strict=True)]
    d = surface.on_grid(at[0], at[1], 1)
    normals = unit(np.cross(d[1, 0], d[0, 1]))
    between = unit(normals[1:, 1:] + normals[:-1, 1:] + normals[1:, :-1] + normals[:-1, :-1])
    u, v = ((a - a[0]) / (a[-1] - a[0]) for a in at)
    index = np.arange(nu * nv).reshape(nu, nv)
    total = np.zeros((nu * nv, 3, nu * nv, 3))
    for orders, up, share in (((2, 0), normals[1:-1], 1.0), ((0, 2), normals[:, 1:-1], 1.0), ((1, 1), between, 2.0)):
        if up.size:
            rows = [divided_differences(*one) for one in zip((u, v), orders, strict=True)]
            shares = np.einsum("ia,jb->ijab", *rows).reshape(-1, rows[0].shape[1] * rows[1].shape[1])
            columns = np.lib.stride_tricks.sliding_window_view(index, (orders[0] + 1, orders[1] + 1))
            _add(total, columns.reshape(shares.shape), shares, up.reshape(-1, 3), share / len(shares))
    return total.reshape(3 * nu * nv, -1)


@njit(cache=True, nogil=True, error_model="numpy")
def _add(total: Floats, columns: Ints, shares: Floats, normals: Floats, weight: float) -> None:
    """Add the squares of what lies square to (m, 3) normals in sums of ``shares`` of the points ``columns``."""
    for row in range(len(columns)):
        n = normals[row]
        for i in range(columns.shape[1]):
            for k in range(columns.shape[1]):
                size = weight * shares[row, i] * shares[row, k]
                for a in range(3):
                    for b in range(3):
                        total[columns[row, i], a, columns[row, k], b] -= size * n[a] * n[b]
                    total[columns[row, i], a, columns[row, k], a] += size
