"""Normals of triangles, averaged so that edges stay edges."""

import numpy as np
from numba import njit

from arabesque.arrays import Bools, Floats, Ints
from arabesque.geometry import unit
from arabesque.scan.mesh import Scan

SHARP_DEGREES = 35.0


def calmed_normals(normals: Floats, areas: Floats, pairs: Ints, rounds: int, width: float | None = None) -> Floats:
    """(m, 3) unit normals averaged over neighbours that look about the same way.

    pairs: (e, 2) neighbouring triangles. width: difference of normals at
    which a neighbour counts little; from the scan's own roughness if not
    given. Bilateral filtering of normals (Zheng, Fu, Au and Tai, "Bilateral
    normal filtering for mesh denoising", IEEE TVCG 17, 2011).
    """
    a, b = pairs.T
    if width is None:
        rough = float(np.median(np.linalg.norm(normals[a] - normals[b], axis=1))) if len(a) else 0.0
        width = float(np.clip(2.5 * rough, 0.08, 0.6))
    beside = _beside(pairs, len(normals))
    for _ in range(rounds):
        normals = _round(normals, areas, beside, 1 / (2 * width * width))
    return normals


@njit(cache=True, nogil=True, error_model="numpy")
def _beside(pairs, count):  # type: ignore[no-untyped-def]
    """(count, 3) neighbours of each triangle, -1 where there is none."""
    beside = np.full((count, 3), -1, dtype=np.int64)
    filled = np.zeros(count, dtype=np.int64)
    for e in range(len(pairs)):
        for k in range(2):
            t = pairs[e, k]
            if filled[t] < 3:
                beside[t, filled[t]] = pairs[e, 1 - k]
                filled[t] += 1
    return beside


@njit(cache=True, nogil=True, error_model="numpy")
def _round(normals, areas, beside, sharpness):  # type: ignore[no-untyped-def]
    """One averaging over the neighbours, weighted by area and likeness."""
    result = np.empty_like(normals)
    for t in range(len(normals)):
        x, y, z = normals[t, 0], normals[t, 1], normals[t, 2]
        sx, sy, sz = areas[t] * x, areas[t] * y, areas[t] * z
        for k in range(3):
            o = beside[t, k]
            if o < 0:
                continue
            dx, dy, dz = normals[o, 0] - x, normals[o, 1] - y, normals[o, 2] - z
            w = areas[o] * np.exp(-sharpness * (dx * dx + dy * dy + dz * dz))
            sx, sy, sz = sx + w * normals[o, 0], sy + w * normals[o, 1], sz + w * normals[o, 2]
        length = np.sqrt(sx * sx + sy * sy + sz * sz)
        scale = 1.0 / length if length > 0.0 else 1.0
        result[t, 0], result[t, 1], result[t, 2] = sx * scale, sy * scale, sz * scale
    return result


def sharp_pairs(scan: Scan, degrees: float = SHARP_DEGREES, rounds: int = 6) -> tuple[Ints, Bools]:
    """(e, 2) pairs of neighbouring triangles, and (e,) true where a sharp edge runs between them.

    Judged on calmed normals, so that the noise of a scan makes no edges.
    """
    pairs = scan.neighbours
    areas = scan.areas
    normals = calmed_normals(unit(scan.area_vectors), areas, pairs, rounds)
    cosine = np.einsum("nc,nc->n", normals[pairs[:, 0]], normals[pairs[:, 1]])
    return pairs, cosine < np.cos(np.radians(degrees))
