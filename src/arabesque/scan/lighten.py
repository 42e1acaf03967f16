"""A coarse stand-in for a scan, for pictures while the camera moves."""

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.scan.mesh import Scan


def coarse_stand_in(scan: Scan, triangles: int) -> tuple[Floats, Floats, Ints]:
    """Points, normals and triangles of about ``triangles`` triangles that look like the scan from afar.

    Vertex clustering on a cubic grid (Rossignac and Borrel, "Multi-resolution
    3D approximations for rendering complex scenes", 1993): quick and good
    enough for a moving picture, and never for measuring.
    """
    area = scan.area
    cell = np.sqrt(2 * area / triangles)
    low, _ = scan.bounds
    cells = np.floor((scan.points - low) / cell).astype(np.int64)
    size = cells.max(axis=0) + 1
    key = (cells[:, 0] * size[1] + cells[:, 1]) * size[2] + cells[:, 2]
    _, cluster = np.unique(key, return_inverse=True)
    count = int(cluster.max()) + 1
    members = np.bincount(cluster, minlength=count)

    def mean(values: Floats) -> Floats:
        return np.column_stack([np.bincount(cluster, values[:, axis], count) / members for axis in range(3)])

    corners = cluster[scan.triangles]
    a, b, c = corners.T
    kept = corners[(a != b) & (b != c) & (c != a)]
    # many fine triangles fall on the same three clusters: one is enough
    ranked = np.sort(kept, axis=1)
    _, first = np.unique((ranked[:, 0] * count + ranked[:, 1]) * count + ranked[:, 2], return_index=True)
    normals = mean(scan.smoothed_normals)
    return mean(scan.points), normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12), kept[first]
