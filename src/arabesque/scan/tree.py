"""Closest point and ray queries on triangles: a balanced tree of boxes.

Written here because a library's tree keeps the GIL while it is built (0.7 s on
400k triangles) and while it is asked, which freezes the window; these kernels
release it. The tests hold it against ``igl.AABB``.

The tree is complete and implicit: every node splits its triangles at the median
along their widest axis (Bentley 1975), node n has the children 2n+1 and 2n+2.
Boxes are float32, rounded outward, so that pruning stays exact.
"""

from functools import cached_property
from typing import NamedTuple

import numpy as np
from numba import njit

from arabesque.arrays import Floats, Ints
from arabesque.cores import in_runs

TRIANGLES_PER_LEAF = 4
QUERY_CELLS = 64

# where on its triangle a closest point lies
FACE, EDGE_01, EDGE_12, EDGE_20, CORNER_0, CORNER_1, CORNER_2 = range(7)


class Hits(NamedTuple):
    """Closest points: (n, 3) points, (n,) distance, triangle index, (n, 3) barycentric, (n,) feature."""

    points: Floats
    distance: Floats
    triangle: Ints
    barycentric: Floats
    feature: Ints


class BoxTree:
    """Closest-point and first-hit queries on a fixed set of triangles.

    corners: (m, 9) float64, the three corners of each triangle in a row.
    """

    def __init__(self, corners: Floats) -> None:
        leaves = 1
        while leaves * TRIANGLES_PER_LEAF < len(corners):
            leaves *= 2
        self._starts = (np.arange(leaves + 1) * len(corners)) // leaves
        self._order = _median_order(corners, self._starts)
        self._corners = corners[self._order]
        self._boxes = _build_boxes(self._corners, self._starts)
        self._low = self._boxes[0, :3].astype(np.float64)
        self._cell = float((self._boxes[0, 3:] - self._boxes[0, :3]).max()) / QUERY_CELLS or 1.0

    def closest(self, points: Floats, cut: float = np.inf, near: Ints | None = None) -> Hits:
        """Closest points for (n, 3) queries; triangle -1 and infinite distance beyond ``cut``.

        near: (n,) triangles, -1 for none, that are likely to lie close, such as
        the last answers for points that moved a little: only quicker, never
        another answer.
        """
        points = np.ascontiguousarray(points, dtype=np.float64)
        count = len(points)
        # where hints bound the answers, the order matters less than finding one takes
        sequence = self._sequence(points) if near is None else np.arange(count)
        found, distance, barycentric = np.empty((count, 3)), np.empty(count), np.zeros((count, 3))
        triangle, feature = np.empty(count, dtype=np.int64), np.zeros(count, dtype=np.int64)
        hints = np.full(count, -1) if near is None else np.where(near >= 0, self._places[near], -1)

        def answer(part: Ints) -> None:
            _closest(
                self._corners, self._starts, self._boxes, points, part, hints, cut * cut,
                found, distance, triangle, barycentric, feature,
            )  # fmt: skip

        in_runs(answer, sequence)
        original = np.where(triangle >= 0, self._order[triangle], -1)
        return Hits(found, distance, original, barycentric, feature)

    @cached_property
    def _places(self) -> Ints:
        """(m,) where in the tree's order each triangle stands."""
        places = np.empty(len(self._order), dtype=np.int64)
        places[self._order] = np.arange(len(self._order))
        return places

    def _sequence(self, points: Floats) -> Ints:
        """Order in which neighbours in space follow one another.

        The last answer then bounds the next, and the tree stays in the cache.
        Grids come in such an order already.
        """
        steps = np.abs(np.diff(points[:: max(1, len(points) // 500)][:500], axis=0)).sum(axis=1)
        near = np.abs(np.diff(points[:500], axis=0)).sum(axis=1)
        if not len(near) or np.median(near) < max(0.2 * float(np.median(steps)), 0.5 * self._cell):
            return np.arange(len(points))
        return np.argsort(_cells(points, self._low, self._cell), kind="stable")

    def first_hits(self, origins: Floats, directions: Floats) -> tuple[Ints, Floats]:
        """Triangle (-1 for none) and ray parameter of the first hit of each ray, (n, 3) each."""
        triangle, t = _first_hits(
            self._corners,
            self._starts,
            self._boxes,
            np.ascontiguousarray(origins, dtype=np.float64),
            np.ascontiguousarray(directions, dtype=np.float64),
        )
        return np.where(triangle >= 0, self._order[triangle], -1), t


@njit(cache=True, nogil=True, error_model="numpy")
def _select(middles, order, low, high, wanted, axis):  # type: ignore[no-untyped-def]
    """Reorder low..high-1 so that what comes before ``wanted`` is not larger along ``axis`` (Hoare 1961)."""
    high -= 1
    while low < high:
        pivot = middles[(low + high) // 2, axis]
        i = low
        j = high
        while i <= j:
            while middles[i, axis] < pivot:
                i += 1
            while middles[j, axis] > pivot:
                j -= 1
            if i <= j:
                for c in range(3):
                    middles[i, c], middles[j, c] = middles[j, c], middles[i, c]
                order[i], order[j] = order[j], order[i]
                i += 1
                j -= 1
        if wanted <= j:
            high = j
        elif wanted >= i:
            low = i
        else:
            return


@njit(cache=True, nogil=True, error_model="numpy")
def _median_order(corners, starts):  # type: ignore[no-untyped-def]
    """Order of the triangles in which every node of the tree holds a run, split along its widest axis."""
    count = len(corners)
    leaves = len(starts) - 1
    middles = np.empty((count, 3), dtype=np.float32)
    for i in range(count):
        for c in range(3):
            middles[i, c] = (corners[i, c] + corners[i, c + 3] + corners[i, c + 6]) / 3.0
    order = np.arange(count)
    width = leaves
    while width > 1:
        for first in range(0, leaves, width):
            low = starts[first]
            high = starts[first + width]
            widest = -1.0
            axis = 0
            for c in range(3):
                smallest = np.inf
                largest = -np.inf
                for i in range(low, high):
                    smallest = min(smallest, middles[i, c])
                    largest = max(largest, middles[i, c])
                if largest - smallest > widest:
                    widest = largest - smallest
                    axis = c
            _select(middles, order, low, high, starts[first + width // 2], axis)
        width //= 2
    return order


@njit(cache=True, nogil=True, error_model="numpy")
def _build_boxes(corners, starts):  # type: ignore[no-untyped-def]
    leaves = len(starts) - 1
    boxes = np.empty((2 * leaves - 1, 6), dtype=np.float32)
    for leaf in range(leaves):
        node = leaves - 1 + leaf
        for axis in range(3):
            low = np.inf
            high = -np.inf
            for i in range(starts[leaf], starts[leaf + 1]):
                for c in range(axis, 9, 3):
                    low = min(low, corners[i, c])
                    high = max(high, corners[i, c])
            margin = 1e-6 * max(abs(low), abs(high)) + 1e-30
            boxes[node, axis] = low - margin
            boxes[node, axis + 3] = high + margin
    for node in range(leaves - 2, -1, -1):
        for axis in range(3):
            boxes[node, axis] = min(boxes[2 * node + 1, axis], boxes[2 * node + 2, axis])
            boxes[node, axis + 3] = max(boxes[2 * node + 1, axis + 3], boxes[2 * node + 2, axis + 3])
    return boxes


@njit(cache=True, nogil=True, error_model="numpy")
def _cells(points, low, cell):  # type: ignore[no-untyped-def]
    """Number of the grid cell of each query along a Morton curve (Morton 1966), outliers in the rim cells."""
    codes = np.empty(len(points), dtype=np.int64)
    for i in range(len(points)):
        code = 0
        for axis in range(3):
            place = int(min(max((points[i, axis] - low[axis]) / cell, 0.0), QUERY_CELLS - 1.0))
            for bit in range(6):
                code |= ((place >> bit) & 1) << (3 * bit + axis)
        codes[i] = code
    return codes


@njit(cache=True, nogil=True, error_model="numpy")
def _box_distance(boxes, node, x, y, z):  # type: ignore[no-untyped-def]
    dx = max(boxes[node, 0] - x, 0.0, x - boxes[node, 3])
    dy = max(boxes[node, 1] - y, 0.0, y - boxes[node, 4])
    dz = max(boxes[node, 2] - z, 0.0, z - boxes[node, 5])
    return dx * dx + dy * dy + dz * dz


@njit(cache=True, nogil=True, error_model="numpy")
def _on_triangle(c, i, x, y, z):  # type: ignore[no-untyped-def]
    """Barycentric coordinates (of corners 1 and 2) and feature of the closest point.

    Ericson, "Real-Time Collision Detection", 2005, section 5.1.5.
    """
    ax, ay, az = c[i, 0], c[i, 1], c[i, 2]
    abx, aby, abz = c[i, 3] - ax, c[i, 4] - ay, c[i, 5] - az
    acx, acy, acz = c[i, 6] - ax, c[i, 7] - ay, c[i, 8] - az
    apx, apy, apz = x - ax, y - ay, z - az
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    if d1 <= 0.0 and d2 <= 0.0:
        return 0.0, 0.0, CORNER_0
    bpx, bpy, bpz = x - c[i, 3], y - c[i, 4], z - c[i, 5]
    d3 = abx * bpx + aby * bpy + abz * bpz
    d4 = acx * bpx + acy * bpy + acz * bpz
    if d3 >= 0.0 and d4 <= d3:
        return 1.0, 0.0, CORNER_1
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        return (d1 / (d1 - d3) if d1 > d3 else 0.0), 0.0, EDGE_01
    cpx, cpy, cpz = x - c[i, 6], y - c[i, 7], z - c[i, 8]
    d5 = abx * cpx + aby * cpy + abz * cpz
    d6 = acx * cpx + acy * cpy + acz * cpz
    if d6 >= 0.0 and d5 <= d6:
        return 0.0, 1.0, CORNER_2
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        return 0.0, (d2 / (d2 - d6) if d2 > d6 else 0.0), EDGE_20
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 >= d3 and d5 >= d6:
        total = (d4 - d3) + (d5 - d6)
        w = (d4 - d3) / total if total > 0.0 else 0.0
        return 1.0 - w, w, EDGE_12
    total = va + vb + vc
    return vb / total, vc / total, FACE


@njit(cache=True, nogil=True, error_model="numpy")
def _triangle_distance(c, i, x, y, z):  # type: ignore[no-untyped-def]
    """Squared distance to a triangle, and where on it the closest point lies."""
    v, w, where = _on_triangle(c, i, x, y, z)
    dx = c[i, 0] + v * (c[i, 3] - c[i, 0]) + w * (c[i, 6] - c[i, 0]) - x
    dy = c[i, 1] + v * (c[i, 4] - c[i, 1]) + w * (c[i, 7] - c[i, 1]) - y
    dz = c[i, 2] + v * (c[i, 5] - c[i, 2]) + w * (c[i, 8] - c[i, 2]) - z
    return dx * dx + dy * dy + dz * dz, v, w, where


@njit(cache=True, nogil=True, error_model="numpy")
def _closest(  # type: ignore[no-untyped-def]  # noqa: PLR0915
    corners, starts, boxes, points, sequence, hints, cut, found, distance, triangle, barycentric, feature
):
    """Answers the queries named by ``sequence`` into the last five arrays."""
    leaves = len(starts) - 1
    nodes = np.empty(128, dtype=np.int64)
    reach = np.empty(128)
    last = -1
    for q in sequence:
        x, y, z = points[q, 0], points[q, 1], points[q, 2]
        best = cut
        best_triangle = -1
        best_v = 0.0
        best_w = 0.0
        best_feature = 0
        # a hint, or else the last answer, for neighbouring queries follow each other, is a good first bound
        first = hints[q] if hints[q] >= 0 else last
        if first >= 0:
            d, v, w, where = _triangle_distance(corners, first, x, y, z)
            if d < best:
                best, best_triangle, best_v, best_w, best_feature = d, first, v, w, where
        # up from the leaf of the first guess: whatever lies beside the way up comes in turn
        node = 0
        if first >= 0:
            leaf = (first * leaves) // len(corners)
            while starts[leaf + 1] <= first:
                leaf += 1
            node = leaves - 1 + leaf
        top = 1
        nodes[0], reach[0] = node, 0.0
        while True:
            while top > 0:
                top -= 1
                below = nodes[top]
                if reach[top] >= best:
                    continue
                if below >= leaves - 1:
                    leaf = below - (leaves - 1)
                    for i in range(starts[leaf], starts[leaf + 1]):
                        d, v, w, where = _triangle_distance(corners, i, x, y, z)
                        if d < best:
                            best, best_triangle, best_v, best_w, best_feature = d, i, v, w, where
                else:
                    one = 2 * below + 1
                    d_one = _box_distance(boxes, one, x, y, z)
                    d_two = _box_distance(boxes, one + 1, x, y, z)
                    # the nearer child goes on top of the stack
                    if d_one < d_two:
                        nodes[top], reach[top] = one + 1, d_two
                        nodes[top + 1], reach[top + 1] = one, d_one
                    else:
                        nodes[top], reach[top] = one, d_one
                        nodes[top + 1], reach[top + 1] = one + 1, d_two
                    top += 2
            if node == 0:
                break
            beside = node + 1 if node % 2 else node - 1
            nodes[0], reach[0] = beside, _box_distance(boxes, beside, x, y, z)
            top = 1
            node = (node - 1) // 2
        triangle[q] = best_triangle
        if best_triangle < 0:
            distance[q] = np.inf
            found[q, :] = points[q, :]
            continue
        last = best_triangle
        i = best_triangle
        for axis in range(3):
            found[q, axis] = (
                corners[i, axis]
                + best_v * (corners[i, axis + 3] - corners[i, axis])
                + best_w * (corners[i, axis + 6] - corners[i, axis])
            )
        distance[q] = np.sqrt(best)
        barycentric[q, 0] = 1.0 - best_v - best_w
        barycentric[q, 1] = best_v
        barycentric[q, 2] = best_w
        feature[q] = best_feature


@njit(cache=True, nogil=True, error_model="numpy")
def _box_entry(boxes, node, ox, oy, oz, ix, iy, iz):  # type: ignore[no-untyped-def]
    """Ray parameter where the ray enters the box; infinite when it misses."""
    x0, x1 = (boxes[node, 0] - ox) * ix, (boxes[node, 3] - ox) * ix
    y0, y1 = (boxes[node, 1] - oy) * iy, (boxes[node, 4] - oy) * iy
    z0, z1 = (boxes[node, 2] - oz) * iz, (boxes[node, 5] - oz) * iz
    enter = max(min(x0, x1), min(y0, y1), min(z0, z1), 0.0)
    leave = min(max(x0, x1), max(y0, y1), max(z0, z1))
    return enter if enter <= leave else np.inf


@njit(cache=True, nogil=True, error_model="numpy")
def _ray_triangle(c, i, ox, oy, oz, dx, dy, dz):  # type: ignore[no-untyped-def]
    """Ray parameter of the hit, infinite for none (Möller and Trumbore 1997)."""
    e1x, e1y, e1z = c[i, 3] - c[i, 0], c[i, 4] - c[i, 1], c[i, 5] - c[i, 2]
    e2x, e2y, e2z = c[i, 6] - c[i, 0], c[i, 7] - c[i, 1], c[i, 8] - c[i, 2]
    px, py, pz = dy * e2z - dz * e2y, dz * e2x - dx * e2z, dx * e2y - dy * e2x
    det = e1x * px + e1y * py + e1z * pz
    if det == 0.0:
        return np.inf
    sx, sy, sz = ox - c[i, 0], oy - c[i, 1], oz - c[i, 2]
    u = (sx * px + sy * py + sz * pz) / det
    if u < 0.0 or u > 1.0:
        return np.inf
    qx, qy, qz = sy * e1z - sz * e1y, sz * e1x - sx * e1z, sx * e1y - sy * e1x
    v = (dx * qx + dy * qy + dz * qz) / det
    if v < 0.0 or u + v > 1.0:
        return np.inf
    t = (e2x * qx + e2y * qy + e2z * qz) / det
    return t if t >= 0.0 else np.inf


@njit(cache=True, nogil=True, error_model="numpy")
def _inverse(value: float) -> float:
    return 1.0 / value if abs(value) > 1e-300 else 1e300


@njit(cache=True, nogil=True, error_model="numpy")
def _first_hits(corners, starts, boxes, origins, directions):  # type: ignore[no-untyped-def]
    count = len(origins)
    leaves = len(starts) - 1
    triangle = np.full(count, -1, dtype=np.int64)
    parameter = np.full(count, np.inf)
    nodes = np.empty(128, dtype=np.int64)
    reach = np.empty(128)
    for q in range(count):
        ox, oy, oz = origins[q, 0], origins[q, 1], origins[q, 2]
        dx, dy, dz = directions[q, 0], directions[q, 1], directions[q, 2]
        ix, iy, iz = _inverse(dx), _inverse(dy), _inverse(dz)
        top = 1
        nodes[0] = 0
        reach[0] = _box_entry(boxes, 0, ox, oy, oz, ix, iy, iz)
        while top > 0:
            top -= 1
            node = nodes[top]
            if reach[top] >= parameter[q]:
                continue
            if node >= leaves - 1:
                leaf = node - (leaves - 1)
                for i in range(starts[leaf], starts[leaf + 1]):
                    t = _ray_triangle(corners, i, ox, oy, oz, dx, dy, dz)
                    if t < parameter[q]:
                        parameter[q] = t
                        triangle[q] = i
            else:
                one = 2 * node + 1
                t_one = _box_entry(boxes, one, ox, oy, oz, ix, iy, iz)
                t_two = _box_entry(boxes, one + 1, ox, oy, oz, ix, iy, iz)
                if t_one < t_two:
                    nodes[top], reach[top] = one + 1, t_two
                    nodes[top + 1], reach[top + 1] = one, t_one
                else:
                    nodes[top], reach[top] = one, t_one
                    nodes[top + 1], reach[top + 1] = one + 1, t_two
                top += 2
    return triangle, parameter


@njit(cache=True, nogil=True, error_model="numpy")
def interpolated_normals(normals: Floats, triangles: Ints, triangle: Ints, barycentric: Floats) -> Floats:
    """(n, 3) unit normals inside triangles, from those of the corners; zero where there is no triangle (-1)."""
    result = np.zeros((len(triangle), 3))
    for i in range(len(triangle)):
        if triangle[i] < 0:
            continue
        x = y = z = 0.0
        for corner in range(3):
            point = triangles[triangle[i], corner]
            share = barycentric[i, corner]
            x += share * normals[point, 0]
            y += share * normals[point, 1]
            z += share * normals[point, 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0.0:
            result[i, 0], result[i, 1], result[i, 2] = x / length, y / length, z / length
    return result
