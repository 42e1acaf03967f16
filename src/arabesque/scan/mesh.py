"""The triangle mesh that everything is fitted to and checked against."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike
from scipy.sparse import csr_array

from arabesque.arrays import Bools, Floats, Ints, frozen_array, summed
from arabesque.errors import InvalidShape
from arabesque.geometry import Plane, apply, unit
from arabesque.scan.facets import corner_normals, rounded_places, sag
from arabesque.scan.noise import quadric_heights
from arabesque.scan.tree import CORNER_0, CORNER_1, CORNER_2, EDGE_01, EDGE_12, EDGE_20, BoxTree, interpolated_normals
from arabesque.shapes import Guide

SMOOTHING_ROUNDS = 3
LEAST_SAG = 1e-5
"""Of the scan's size: flatter triangles are not coarse, however little noise there is."""
NOISE_POINTS = 5_000
"""So many places tell the noise of all."""


class Closest(NamedTuple):
    """What lies closest on a scan.

    points: (n, 3), distance: (n,) unsigned, triangle: (n,), normals: (n, 3)
    smoothed scan normals, on_border: (n,) true where the closest place is the
    rim of the scan or of a hole, so that no scan lies below the query.
    """

    points: Floats
    distance: Floats
    triangle: Ints
    normals: Floats
    on_border: Bools


@dataclass(frozen=True, eq=False)
class Scan:
    """A triangle mesh as it came from a scanner, or was made from one.

    points:    (n, 3) float64, mm
    triangles: (m, 3) int64, counter-clockwise seen from outside

    Raises InvalidShape when there are no triangles, a coordinate is not
    finite or an index is out of range.
    """

    points: Floats
    triangles: Ints

    def __post_init__(self) -> None:
        points = frozen_array(self.points, (None, 3), np.float64, what="Scan points")
        triangles = frozen_array(self.triangles, (None, 3), np.int64, what="Scan triangles", below=len(points))
        if not len(triangles):
            raise InvalidShape("The scan has no triangles", "Export it as a mesh, not as a cloud of points")
        object.__setattr__(self, "points", points)
        object.__setattr__(self, "triangles", triangles)

    @cached_property
    def bounds(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box around the points."""
        return self.points.min(axis=0), self.points.max(axis=0)

    @property
    def box(self) -> tuple[Floats, Floats]:
        """As ``bounds``: what every shape answers."""
        return self.bounds

    def moved(self, matrix: Floats) -> Scan:
        """The scan after a (4, 4) rigid motion."""
        return Scan(apply(matrix, self.points), self.triangles)

    def mirrored(self, plane: Plane) -> Scan:
        """The mirror image, with its outside outside."""
        return Scan(plane.mirrored(self.points), self.triangles[:, ::-1])

    def guides(self) -> list[Guide]:
        """The rims of its openings."""
        from arabesque.scan.topology import rims  # which itself speaks of scans

        return [Guide(self.points[ring], True) for ring in rims(self)]

    @cached_property
    def diagonal(self) -> float:
        """Length of the diagonal of the box around the points, mm."""
        low, high = self.bounds
        return float(np.linalg.norm(high - low))

    @cached_property
    def area_vectors(self) -> Floats:
        """(m, 3) triangle normals whose length is the area, mm²."""
        a, b, c = (self.points[self.triangles[:, i]] for i in range(3))
        return np.cross(b - a, c - a) / 2

    @cached_property
    def areas(self) -> Floats:
        """(m,) mm² of each triangle."""
        return np.asarray(np.linalg.norm(self.area_vectors, axis=1))

    @cached_property
    def area(self) -> float:
        """mm² of all triangles."""
        return float(self.areas.sum())

    @cached_property
    def edge_length(self) -> float:
        """Mean length of an edge, mm."""
        edges, _ = self.edges
        return float(np.linalg.norm(self.points[edges[:, 0]] - self.points[edges[:, 1]], axis=1).mean())

    @cached_property
    def longest_sides(self) -> Floats:
        """(m,) the longest side of each triangle, mm."""
        corners = self.points[self.triangles]
        return np.asarray(np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).max(axis=1))

    @cached_property
    def edges(self) -> tuple[Ints, Ints]:
        """Distinct edges, (e, 2) rising point indices, and how many triangles hang on each, (e,)."""
        directed = self.triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
        n = len(self.points)
        # a sparse matrix sorts by counting, which is quicker than sorting keys
        counted = csr_array((np.ones(len(directed), dtype=np.int32), directed.T), shape=(n, n))
        both = (counted + counted.T).tocsr()
        both.sum_duplicates()
        rows = np.repeat(np.arange(n), np.diff(both.indptr))
        rising = rows < both.indices
        return np.column_stack([rows[rising], both.indices[rising].astype(np.int64)]), both.data[rising]

    @cached_property
    def border_edges(self) -> Ints:
        """(b, 2) edges with one triangle: the rims of the scan and of its holes."""
        edges, counts = self.edges
        return edges[counts == 1]

    @cached_property
    def adjacency(self) -> csr_array:
        """(n, n) sparse matrix with 1 where an edge joins two points."""
        edges, _ = self.edges
        n = len(self.points)
        rows, columns = np.concatenate([edges, edges[:, ::-1]]).T
        return csr_array((np.ones(len(rows)), (rows, columns)), shape=(n, n))

    @cached_property
    def neighbours(self) -> Ints:
        """(e, 2) pairs of triangles that share an edge; each edge of two triangles gives one pair."""
        return self.shared_sides // 3

    @cached_property
    def across(self) -> Ints:
        """(m, 3) triangle across the edge from each corner to the next; -1 at rims."""
        found = np.full(self.triangles.size, -1)
        one, two = self.shared_sides.T
        found[one], found[two] = two // 3, one // 3
        return found.reshape(-1, 3)

    @cached_property
    def shared_sides(self) -> Ints:
        """(e, 2) sides of triangles that are one edge; 3 t + k is the side of triangle t from its corner k on."""
        t = self.triangles
        directed = t[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
        key = directed.min(axis=1) * len(self.points) + directed.max(axis=1)
        order = np.argsort(key, kind="stable")
        same = np.flatnonzero(key[order][1:] == key[order][:-1])
        return np.column_stack([order[same], order[same + 1]])

    @cached_property
    def triangle_graph(self) -> csr_array:
        """(m, m) sparse matrix with 1 where two triangles share an edge."""
        return pair_graph(self.neighbours, len(self.triangles))

    @cached_property
    def point_normals(self) -> Floats:
        """(n, 3) area-weighted unit normals, not smoothed: for shading."""
        n = len(self.points)
        corners = self.triangles.T.ravel()
        spread = np.tile(self.area_vectors, (3, 1))
        return unit(summed(corners, spread, n))

    @cached_property
    def smoothed_normals(self) -> Floats:
        """(n, 3) unit normals averaged over the neighbours three times: for fitting and signs."""
        normals = self.point_normals
        for _ in range(SMOOTHING_ROUNDS):
            normals = unit(normals + self.adjacency @ normals)
        return normals

    @cached_property
    def noise(self) -> float:
        """Standard deviation of the scanner's noise along the normal, mm, as the mesh shows it."""
        return self.noise_at(slice(None))

    def noise_at(self, points: Ints | slice) -> float:
        """The noise at some of the points: by the median, so that edges and dents do not count.

        Over the quadric of two rings, so that a form that bends between coarse points is no noise.
        """
        some = np.arange(len(self.points))[points]
        some = some[:: max(1, len(some) // NOISE_POINTS)]
        graph = self.adjacency
        rim = np.zeros(len(self.points), dtype=np.int64)
        rim[self.border_edges.ravel()] = 1
        heights = quadric_heights(
            self.points, self.smoothed_normals, graph.indptr.astype(np.int64), graph.indices.astype(np.int64), rim, some
        )
        heights = heights[~np.isnan(heights)]
        return float(1.4826 * np.median(np.abs(heights - np.median(heights)))) if len(heights) else 0.0

    @cached_property
    def corner_normals(self) -> Floats:
        """(n, 3) unit normals of the form through the points, where the triangles are coarse."""
        return corner_normals(self.points, self.triangles)

    @cached_property
    def sag(self) -> float:
        """How far flat triangles cut inside the form through their points, mm rms."""
        return sag(self)

    @property
    def coarse(self) -> bool:
        """True where flat triangles are further from the form than noise is."""
        sag = self.sag
        return sag > LEAST_SAG * self.diagonal and sag > self.noise

    @cached_property
    def tree(self) -> BoxTree:
        """Search tree over the triangles."""
        return BoxTree(self.points[self.triangles].reshape(-1, 9))

    def closest(self, points: ArrayLike, cut: float = np.inf, near: Ints | None = None) -> Closest:
        """Closest place on the scan for (n, 3) queries; triangle -1 beyond ``cut`` mm.

        near: (n,) triangles that are likely to lie close, which makes it quicker.
        """
        hits = self.tree.closest(np.asarray(points, dtype=float), cut, near)
        normals = interpolated_normals(self.smoothed_normals, self.triangles, hits.triangle, hits.barycentric)
        return Closest(hits.points, hits.distance, hits.triangle, normals, self._is_border(hits.triangle, hits.feature))

    def signed_distance(
        self, points: ArrayLike, cut: float = np.inf, near: Ints | None = None
    ) -> tuple[Floats, Closest]:
        """Distance of (n, 3) points, positive outside (above) the scan, and what lies closest; near: as ``closest``.

        Where the triangles are coarse, it is the distance to the form through the scan's points, not to flat sides
        that cut inside it.
        """
        points = np.asarray(points, dtype=float)
        closest = self.closest(points, cut, near)
        if self.coarse:
            places = rounded_places(self, closest)
            away = np.where(closest.triangle < 0, closest.distance, np.linalg.norm(points - places, axis=1))
            closest = closest._replace(points=places, distance=away)
        side = np.einsum("nc,nc->n", points - closest.points, closest.normals)
        return np.where(side < 0, -closest.distance, closest.distance), closest

    def pick(self, origin: ArrayLike, direction: ArrayLike) -> tuple[Floats, int] | None:
        """Point and triangle that a ray hits first, or None."""
        origin, direction = np.asarray(origin, dtype=float), np.asarray(direction, dtype=float)
        triangle, t = self.tree.first_hits(origin[None], direction[None])
        return None if triangle[0] < 0 else (origin + t[0] * direction, int(triangle[0]))

    @cached_property
    def _border_edge_table(self) -> tuple[Bools, Bools, Bools]:
        """Rims: (m, 3) which edges of triangles are; (n,) which points lie on one; (m,) which triangles touch one."""
        n = len(self.points)
        rim_points = np.zeros(n, dtype=bool)
        rim_points[self.border_edges.ravel()] = True
        rim_keys = self.border_edges[:, 0] * n + self.border_edges[:, 1]
        sides = np.zeros((len(self.triangles), 3), dtype=bool)
        touching = rim_points[self.triangles].sum(axis=1)
        near = np.flatnonzero(touching >= 2)
        for side, (a, b) in enumerate(((0, 1), (1, 2), (2, 0))):
            ends = self.triangles[near][:, [a, b]]
            sides[near, side] = np.isin(ends.min(axis=1) * n + ends.max(axis=1), rim_keys)
        return sides, rim_points, touching > 0

    def _is_border(self, triangle: Ints, feature: Ints) -> Bools:
        sides, rim_points, touching = self._border_edge_table
        on = np.zeros(len(triangle), dtype=bool)
        # few triangles touch a rim: the others need no closer look
        near = np.flatnonzero(touching[triangle] & (triangle >= 0))
        which, what = triangle[near], feature[near]
        for side, edge in enumerate((EDGE_01, EDGE_12, EDGE_20)):
            on[near] |= (what == edge) & sides[which, side]
        for corner, place in enumerate((CORNER_0, CORNER_1, CORNER_2)):
            on[near] |= (what == place) & rim_points[self.triangles[which, corner]]
        return on


def pair_graph(pairs: Ints, count: int) -> csr_array:
    """(count, count) sparse matrix with 1 for each of the (e, 2) pairs, both ways."""
    rows, columns = np.concatenate([pairs, pairs[:, ::-1]]).T
    return csr_array((np.ones(len(rows)), (rows, columns)), shape=(count, count))
