"""Principal curvatures of a scan, robust to its noise."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.sparse import csr_array, diags_array

from arabesque.arrays import Floats
from arabesque.geometry import unit
from arabesque.progress import Progress, silent
from arabesque.scan.mesh import Scan

ROUNDS = 12


class ScanCurvature(NamedTuple):
    """Principal curvatures (n,), 1/mm, at the scan's points; positive where it is hollow, negative where it bulges.

    The sign is that of a surface whose normal looks outward: a ball of
    radius r has -1/r. across: (n, 3) unit direction in which the surface
    bends most.
    """

    largest: Floats
    smallest: Floats
    across: Floats

    @property
    def mean(self) -> Floats:
        """(n,) mean curvature."""
        return (self.largest + self.smallest) / 2


def scan_curvature(scan: Scan, rounds: int = ROUNDS, progress: Progress = silent) -> ScanCurvature:
    """Principal curvatures at every point of a scan.

    Points and normals are smoothed over ``rounds`` rings of neighbours first;
    then the change of the normals over each triangle gives a curvature tensor
    (Rusinkiewicz, "Estimating curvatures and their derivatives on triangle
    meshes", 3DPVT 2004), and the tensors are averaged over as many rings.
    """
    average = _averaging(scan)
    points, normals = scan.points, scan.smoothed_normals
    for number in range(rounds):
        progress(0.4 * number / rounds, "Calming the scan")
        points, normals = average @ points, unit(average @ normals)
    tensors, areas = _triangle_tensors(points, normals, scan)
    n = len(points)
    spread = np.zeros((n, 6))
    corners = scan.triangles.T.ravel()
    weight = np.bincount(corners, np.tile(areas, 3), n)
    for column in range(6):
        spread[:, column] = np.bincount(corners, np.tile(tensors[:, column] * areas, 3), n) / np.maximum(weight, 1e-300)
    for number in range(rounds // 2):
        progress(0.5 + 0.4 * number / rounds, "Averaging curvature")
        spread = average @ spread
    progress(0.95, "Principal curvatures")
    return ScanCurvature(*_principal(spread, normals))


def calming_rounds(scan: Scan) -> int:
    """Rounds that calm a scan as much as its noise asks for: the rougher for the size of its triangles, the more."""
    return int(np.clip(150 * scan.noise / scan.edge_length, 5, 16))


def _averaging(scan: Scan) -> csr_array:
    """Mean over a point and its neighbours."""
    adjacency = scan.adjacency
    n = adjacency.shape[0]
    counts = np.asarray(adjacency.sum(axis=1)).ravel() + 1
    mean: csr_array = (diags_array(1 / counts) @ (adjacency + diags_array(np.ones(n)))).tocsr()
    return mean


def _triangle_tensors(points: Floats, normals: Floats, scan: Scan) -> tuple[Floats, Floats]:
    """Symmetric (m, 6) tensors xx, xy, xz, yy, yz, zz of each triangle, and (m,) areas."""
    t = scan.triangles
    p, q = points[t], normals[t]
    edges = np.stack([p[:, 2] - p[:, 1], p[:, 0] - p[:, 2], p[:, 1] - p[:, 0]], axis=1)
    turns = np.stack([q[:, 2] - q[:, 1], q[:, 0] - q[:, 2], q[:, 1] - q[:, 0]], axis=1)
    across = np.cross(edges[:, 2], -edges[:, 1])
    areas = np.linalg.norm(across, axis=1) / 2
    u = unit(edges[:, 0])
    v = unit(np.cross(across, u))
    eu, ev = (np.einsum("mkc,mc->mk", edges, axis) for axis in (u, v))
    nu, nv = (np.einsum("mkc,mc->mk", turns, axis) for axis in (u, v))
    # least squares for the three unknowns e, f, g of [[e, f], [f, g]] edge = turn
    uu, uv, vv = (eu * eu).sum(axis=1), (eu * ev).sum(axis=1), (ev * ev).sum(axis=1)
    a = np.zeros((len(t), 3, 3))
    a[:, 0, 0], a[:, 0, 1] = uu, uv
    a[:, 1, 0], a[:, 1, 1], a[:, 1, 2] = uv, uu + vv, uv
    a[:, 2, 1], a[:, 2, 2] = uv, vv
    b = np.stack([(eu * nu).sum(axis=1), (ev * nu + eu * nv).sum(axis=1), (ev * nv).sum(axis=1)], axis=1)
    scale = np.trace(a, axis1=1, axis2=2)
    a += np.eye(3) * (1e-9 * scale + 1e-300)[:, None, None]
    e, f, g = np.linalg.solve(a, b[..., None])[..., 0].T
    tensor = (
        e[:, None, None] * u[:, :, None] * u[:, None, :]
        + f[:, None, None] * (u[:, :, None] * v[:, None, :] + v[:, :, None] * u[:, None, :])
        + g[:, None, None] * v[:, :, None] * v[:, None, :]
    )
    return tensor.reshape(-1, 9)[:, [0, 1, 2, 4, 5, 8]], areas


def _principal(six: Floats, normals: Floats) -> tuple[Floats, Floats, Floats]:
    """Largest and smallest curvature in each point's tangent plane (hollow is positive), and where it bends most."""
    helper = np.where(np.abs(normals[:, :1]) < 0.7, [[1.0, 0, 0]], [[0, 1.0, 0]])
    u = unit(np.cross(normals, helper))
    v = np.cross(normals, u)
    xx, xy, xz, yy, yz, zz = six.T
    full = np.stack([xx, xy, xz, xy, yy, yz, xz, yz, zz], axis=1).reshape(-1, 3, 3)
    e, f, g = (np.einsum("nc,ncd,nd->n", a, full, b) for a, b in ((u, u), (u, v), (v, v)))
    mean, spread = (e + g) / 2, np.sqrt(((e - g) / 2) ** 2 + f * f)
    # the normal of a ball turns with the point: its tensor is +1/r, and it bulges
    angle = np.arctan2(2 * f, e - g) / 2 + np.where(mean >= 0, 0.0, np.pi / 2)
    across = np.cos(angle)[:, None] * u + np.sin(angle)[:, None] * v
    return -(mean - spread), -(mean + spread), across
