"""Where no rows can be laid out: a coarse even mesh, every triangle in three quads."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages import Cage
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.layout.ground import MOST
from arabesque.layout.integer_map import MapProblem
from arabesque.layout.proxy import euler_number, without_ears
from arabesque.layout.sharp_lines import NO_LINES
from arabesque.mending import even_along
from arabesque.scan import Scan, examine

LONGEST = 0.2
"""Of the diagonal: triangles are no coarser than that."""
ON_PLANE = 1e-9
FINER = (1.0, 0.7, 0.5, 0.35, 0.25, 0.15)


def last_resort(proxy: Scan, count: int, plane: Plane | None = None) -> Cage:
    """About ``count`` quads over a stand-in, its points on it: always whole, with many irregular points.

    Its triangles are even and mostly six to a point (see ``even_triangles``); splitting each at its middle makes quads
    of points of 3, 4 and about 6. Where so few would lose an opening or a handle, or lie flat in the plane that the
    stand-in ends at, there are more. Raises MapProblem where even that fails.
    """
    area = proxy.area
    wanted = np.sqrt(4 / np.sqrt(3) * area / max(count / 3, 4))
    for finer in FINER:
        edge = min(finer * float(wanted), LONGEST * proxy.diagonal)
        try:
            mesh = without_ears(even_along(proxy, edge, NO_LINES)[0])
        except ArabesqueError:
            continue
        if euler_number(mesh) == euler_number(proxy) and _sound(mesh, plane):
            return split_in_quads(mesh)
    if _sound(proxy, plane):
        return split_in_quads(proxy)
    raise MapProblem("No layout comes out whole", "Heal the scan first: it may touch or cross itself")


def _sound(mesh: Scan, plane: Plane | None) -> bool:
    """True when every triangle in three makes quads that can be worked with."""
    return examine(mesh).sound and int(np.bincount(mesh.triangles.ravel()).max()) <= MOST and not _flat_in(mesh, plane)


def _flat_in(mesh: Scan, plane: Plane | None) -> bool:
    """True when an edge inside joins two points of the rim in a plane: its middle would be its own mirror image."""
    if plane is None:
        return False
    edges, counts = mesh.edges
    on = np.abs(plane.height(mesh.points)) <= ON_PLANE * mesh.diagonal
    return bool(on[edges[counts == 2]].all(axis=1).any())


def split_in_quads(mesh: Scan) -> Cage:
    """Every triangle in three quads round its middle."""
    edges, _ = mesh.edges
    n, e = len(mesh.points), len(edges)
    key = edges[:, 0] * n + edges[:, 1]
    order = np.argsort(key)

    def middle(a: Ints, b: Ints) -> Ints:
        wanted = np.minimum(a, b) * n + np.maximum(a, b)
        return np.asarray(n + order[np.searchsorted(key[order], wanted)])

    a, b, c = mesh.triangles.T
    ab, bc, ca = middle(a, b), middle(b, c), middle(c, a)
    centre = n + e + np.arange(len(a))
    faces = np.concatenate(
        [np.column_stack(quad) for quad in ((a, ab, centre, ca), (b, bc, centre, ab), (c, ca, centre, bc))]
    )
    points = np.concatenate([mesh.points, mesh.points[edges].mean(axis=1), mesh.points[mesh.triangles].mean(axis=1)])
    return Cage.of(points, faces)
