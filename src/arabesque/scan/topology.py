"""How the triangles of a scan hang together: rims, pieces, and what is wrong."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Floats, Ints, summed
from arabesque.scan.mesh import Scan


@dataclass(frozen=True)
class Health:
    """Counts of what a mesh should not have, and its size.

    open_edges:    edges with one triangle. crowded_edges: with more than two.
    flipped_edges: edges that two triangles run through the same way.
    flat:          triangles without area. pieces: connected parts. area: mm².
    """

    triangles: int
    open_edges: int
    crowded_edges: int
    flipped_edges: int
    flat: int
    pieces: int
    area: float

    @property
    def watertight(self) -> bool:
        """True for a mesh without rims and without faults."""
        return self.open_edges == 0 and self.crowded_edges == self.flipped_edges == 0

    @property
    def sound(self) -> bool:
        """True for a mesh without faults; it may have rims."""
        return self.crowded_edges == self.flipped_edges == self.flat == 0

    def worse_than(self, before: Health, area_may_change: bool = True) -> list[str]:
        """What was sound before and is not now, in words; empty when nothing was damaged."""
        faults = []
        if self.crowded_edges > before.crowded_edges:
            faults.append(f"{self.crowded_edges - before.crowded_edges} edges with more than two triangles")
        if self.flipped_edges > before.flipped_edges:
            faults.append(
                f"{self.flipped_edges - before.flipped_edges} edges between triangles that look opposite ways"
            )
        if self.flat > before.flat:
            faults.append(f"{self.flat - before.flat} triangles without area")
        if before.watertight and self.open_edges:
            faults.append(f"{self.open_edges} open edges")
        if self.pieces > before.pieces:
            faults.append(f"{self.pieces - before.pieces} pieces more")
        if not area_may_change and abs(self.area - before.area) > 0.02 * before.area:
            faults.append(f"an area of {self.area:.5g} instead of {before.area:.5g} mm²")
        return faults


def examine(scan: Scan) -> Health:
    """Count what is wrong with a scan."""
    _, counts = scan.edges
    n = len(scan.points)
    directed = scan.triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    once = csr_array((np.ones(len(directed), dtype=np.int32), directed.T), shape=(n, n))
    once.sum_duplicates()
    areas = scan.areas
    return Health(
        len(scan.triangles),
        int((counts == 1).sum()),
        int((counts > 2).sum()),
        int((once.data > 1).sum()),
        int((areas <= 1e-14 * scan.diagonal**2).sum()),
        int(pieces(scan).max()) + 1,
        float(areas.sum()),
    )


def pieces(scan: Scan) -> Ints:
    """(m,) number of the connected part that each triangle belongs to, the largest part first."""
    _, label = connected_components(scan.adjacency, directed=False)
    found = label[scan.triangles[:, 0]]
    sizes = np.bincount(found, minlength=label.max() + 1)
    rank = np.empty(len(sizes), dtype=np.int64)
    rank[np.argsort(-sizes, kind="stable")] = np.arange(len(sizes))
    return rank[found]


def rims(scan: Scan) -> list[Ints]:
    """Closed rings of point indices round every opening, the way that the missing triangles would run.

    Where rims touch in a point they are told apart; a ring never visits a
    point twice. Sorted by length, the longest first.
    """
    t = scan.triangles
    n = len(scan.points)
    rim_keys = scan.border_edges[:, 0] * n + scan.border_edges[:, 1]
    on_rim = np.zeros(n, dtype=bool)
    on_rim[scan.border_edges.ravel()] = True
    near = t[on_rim[t].sum(axis=1) >= 2]
    directed = near[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    keys = directed.min(axis=1) * n + directed.max(axis=1)
    following: dict[int, list[int]] = {}
    for a, b in directed[np.isin(keys, rim_keys)]:
        following.setdefault(int(b), []).append(int(a))
    rings = []
    for start in list(following):
        while following.get(start):
            path, place = [start], {start: 0}
            while True:
                ways = following.get(path[-1])
                if not ways:
                    break  # flipped triangles: the rim cannot be followed further
                point = ways.pop()
                if point in place:
                    cut = place[point]
                    rings.append(np.array(path[cut:], dtype=np.int64))
                    for gone in path[cut + 1 :]:
                        del place[gone]
                    del path[cut + 1 :]
                    if point == start and cut == 0:
                        break
                else:
                    place[point] = len(path)
                    path.append(point)
    rings = [ring for ring in rings if len(ring) >= 3]
    return sorted(rings, key=lambda ring: -ring_length(scan, ring))


def border_rings(scan: Scan, mask: Bools) -> list[Floats]:
    """The (n, 3) places of each closed ring round some triangles (m,), the longest first."""
    part = kept(scan, mask)
    return [part.points[ring] for ring in rims(part)]


def sides_of(scan: Scan, pairs: Ints) -> Bools:
    """(3 m,) sides of triangles that run along edges, given by (e, 2) pairs of points, either way."""
    n = len(scan.points)
    starts, ends = scan.triangles.ravel(), np.roll(scan.triangles, -1, axis=1).ravel()
    keys = np.minimum(starts, ends) * n + np.maximum(starts, ends)
    low, high = np.sort(pairs.reshape(-1, 2), axis=1).T
    found: Bools = np.isin(keys, low * n + high)
    return found


def turning(points: Floats, pairs: Ints, degrees: float) -> Bools:
    """(n,) where two edges of lines (e, 2), each named once, meet and turn by more than an angle."""
    n = len(points)
    ways = points[pairs[:, 1]] - points[pairs[:, 0]]
    ways = ways / np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-300)
    # opposite ways out of a point cancel; what is left tells how far the line bends
    total = summed(pairs[:, 0], ways, n) - summed(pairs[:, 1], ways, n)
    found: Bools = (np.bincount(pairs.ravel(), minlength=n) == 2) & (
        np.linalg.norm(total, axis=1) > 2 * np.sin(np.radians(degrees / 2))
    )
    return found


def ring_length(scan: Scan, ring: Ints) -> float:
    """Length of a closed ring of points, mm."""
    p = scan.points[ring]
    return float(np.linalg.norm(p - np.roll(p, -1, axis=0), axis=1).sum())


def kept(scan: Scan, mask: Bools) -> Scan:
    """The scan of the triangles in ``mask`` (m,); raises InvalidShape when there are none."""
    triangles = scan.triangles[mask]
    used = np.zeros(len(scan.points), dtype=bool)
    used[triangles.ravel()] = True
    return Scan(scan.points[used], (np.cumsum(used) - 1)[triangles])
