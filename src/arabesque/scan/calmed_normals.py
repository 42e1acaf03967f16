"""Normals of triangles, averaged so that edges stay edges."""

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, summed
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
    m = len(normals)
    if width is None:
        rough = float(np.median(np.linalg.norm(normals[a] - normals[b], axis=1))) if len(a) else 0.0
        width = float(np.clip(2.5 * rough, 0.08, 0.6))
    for _ in range(rounds):
        difference = ((normals[a] - normals[b]) ** 2).sum(axis=1)
        weight = np.exp(-difference / (2 * width * width))
        total = normals * areas[:, None]
        total += summed(a, (weight * areas[b])[:, None] * normals[b], m)
        total += summed(b, (weight * areas[a])[:, None] * normals[a], m)
        normals = unit(total)
    return normals


def sharp_pairs(scan: Scan, degrees: float = SHARP_DEGREES, rounds: int = 6) -> tuple[Ints, Bools]:
    """(e, 2) pairs of neighbouring triangles, and (e,) true where a sharp edge runs between them.

    Judged on calmed normals, so that the noise of a scan makes no edges.
    """
    pairs = scan.neighbours
    areas = np.linalg.norm(scan.area_vectors, axis=1)
    normals = calmed_normals(unit(scan.area_vectors), areas, pairs, rounds)
    cosine = np.einsum("nc,nc->n", normals[pairs[:, 0]], normals[pairs[:, 1]])
    return pairs, cosine < np.cos(np.radians(degrees))
