"""How far apart rows are to be where irregular points crowd: as a flat metric with cones at them would have it."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_array, csc_array, diags_array
from scipy.sparse.linalg import splu

from arabesque.arrays import Floats, Ints
from arabesque.layout.triangles import angles_round, hat_gradients
from arabesque.scan import Scan

SHARE, MOST = 0.7, 0.8
"""How much of the logarithm of the metric's scale is taken, and how much of it at most."""
SLIGHT = 1e-9


def conformal_sizes(scan: Scan, index: Ints) -> Floats:
    """(m,) mm, as to each other, between rows on each triangle. index: (n,) quarter turns of a field round each point.

    The metric that is flat but for cones of ``index`` quarter turns: Ben-Chen, Gotsman and Bunin, "Conformal
    flattening by curvature prescription and metric scaling", CGF 27, 2008. Rims keep their lengths as they are.
    """
    n = len(scan.points)
    bend = 2 * np.pi - angles_round(scan)
    wanted = index * np.pi / 2 - bend
    rim = np.zeros(n, dtype=bool)
    rim[scan.border_edges.ravel()] = True
    wanted[rim] = 0.0
    wanted[~rim] -= wanted[~rim].mean()
    log = splu(csc_array(stiffness(scan) + SLIGHT * diags_array(np.ones(n)))).solve(wanted)
    log = log - np.median(log)
    of_triangle = log[scan.triangles].mean(axis=1)
    return np.asarray(np.exp(-np.clip(SHARE * of_triangle, -MOST, MOST)))


def stiffness(scan: Scan) -> csc_array:
    """(n, n) the energy of functions that are linear on triangles: the cotangent matrix, positive."""
    gradients = hat_gradients(scan)
    areas = scan.areas
    local = np.einsum("tic,tjc->tij", gradients, gradients) * areas[:, None, None]
    i, j = np.repeat(scan.triangles, 3, axis=1).ravel(), np.tile(scan.triangles, (1, 3)).ravel()
    return csc_array(coo_array((local.ravel(), (i, j)), shape=(len(scan.points),) * 2))
