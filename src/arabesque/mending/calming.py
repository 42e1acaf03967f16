"""Calming the noise of a scan, never further than a given distance from it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.sparse import csr_array, diags_array

from arabesque.arrays import Floats, Ints, summed
from arabesque.errors import ArabesqueError
from arabesque.geometry import unit
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, calmed_normals

PASS_BAND = 0.1


class Calmed(NamedTuple):
    """A calmed scan with the same triangles, and (n,) how far each point has moved, mm."""

    scan: Scan
    moved: Floats


def calm(
    scan: Scan,
    strength: float,
    times: int = 1,
    keep_edges: bool = True,
    limit: float | None = None,
    progress: Progress = silent,
) -> Calmed:
    """Calm the noise; rims stay where they are.

    strength: 0 to 1, the share of each correction that is made. times: how
    often. limit: no point moves further than this from its first place, mm.
    keep_edges: along calmed normals, so that edges stay (Sun, Rosin, Martin
    and Langbein, "Fast and effective feature-preserving mesh denoising",
    IEEE TVCG 13, 2007); else towards the neighbours and a little back, so
    that nothing shrinks (Taubin, "A signal processing approach to fair
    surface design", SIGGRAPH 1995).

    Weakly and often stays closer to the scan than strongly and once (common
    practice). Raises ArabesqueError for values without sense.
    """
    if not 0 < strength <= 1 or not 1 <= times <= 200:
        raise ArabesqueError("This calms nothing", "Give a strength of 1 to 100 % and 1 to 200 repetitions")
    if limit is not None and not limit > 0:
        raise ArabesqueError("A limit of 0 lets nothing move", "Give a limit above 0, for example the scanner's noise")
    free = np.ones(len(scan.points), dtype=bool)
    free[scan.border_edges.ravel()] = False
    step = _AlongNormals(scan) if keep_edges else _ToAndFro(scan)
    points = scan.points
    for number in range(times):
        progress(number / times, f"Calming, {number + 1} of {times}")
        change = np.where(free[:, None], step(points, strength), 0.0)
        away = points + change - scan.points
        if limit is not None:
            length = np.linalg.norm(away, axis=1, keepdims=True)
            away *= np.minimum(1.0, limit / np.maximum(length, 1e-300))
        points = scan.points + away
    progress(1.0, "Calmed")
    return Calmed(Scan(points, scan.triangles), np.linalg.norm(points - scan.points, axis=1))


class _AlongNormals:
    """Moves points so that triangles turn towards their calmed normals."""

    def __init__(self, scan: Scan) -> None:
        self._triangles = scan.triangles
        self._pairs: Ints = scan.neighbours
        self._count = np.maximum(np.bincount(scan.triangles.ravel(), minlength=len(scan.points)), 1)

    def __call__(self, points: Floats, strength: float) -> Floats:
        t = self._triangles
        n = len(points)
        corners = points[t]
        across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]) / 2
        areas = np.linalg.norm(across, axis=1)
        normals = calmed_normals(unit(across), areas, self._pairs, 4)
        middles = corners.mean(axis=1)
        change = np.zeros((n, 3))
        for k in range(3):
            height = np.einsum("nc,nc->n", middles - corners[:, k], normals)
            change += summed(t[:, k], height[:, None] * normals, n)
        return strength * change / self._count[:, None]


class _ToAndFro:
    """Moves points towards the mean of their neighbours, then a little further back."""

    def __init__(self, scan: Scan) -> None:
        adjacency = scan.adjacency
        counts = np.maximum(np.diff(adjacency.indptr), 1)
        self._mean: csr_array = (diags_array(1 / counts) @ adjacency).tocsr()
        self._normals = scan.smoothed_normals

    def __call__(self, points: Floats, strength: float) -> Floats:
        # 1/back = pass band - 1/forth: lower frequencies than the pass band stay
        back = 1 / (PASS_BAND - 1 / (0.63 * strength))
        once = points + 0.63 * strength * (self._mean @ points - points)
        twice: Floats = once + back * (self._mean @ once - once)
        # only out of the surface: sliding along it would change nothing but the triangles
        out: Floats = np.einsum("nc,nc->n", twice - points, self._normals)[:, None] * self._normals
        return out
