"""Marking parts of a scan: masks over its triangles, and how they grow, shrink and spread."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Floats
from arabesque.geometry import unit
from arabesque.mending.cutting import within
from arabesque.scan import Scan, ScanCurvature, calmed_normals, pair_graph, pieces

BORDER_RINGS, BORDER_DEGREES = 8, 9.0
ISLAND_SHARE = 0.003
"""A group of triangles below this share of a spread mask, and within it, belongs to it."""


def in_ball(scan: Scan, centre: Floats, radius: float) -> Bools:
    """(m,) triangles whose middle lies within ``radius`` mm of a point and on the same sheet as it."""
    near = np.zeros(len(scan.triangles), dtype=bool)
    box: Bools = np.abs(scan.points - centre).max(axis=1) <= 1.2 * radius
    some = np.flatnonzero(box[scan.triangles].any(axis=1))
    middles = scan.points[scan.triangles[some]].mean(axis=1)
    away = np.linalg.norm(middles - centre, axis=1)
    near[some[away <= radius]] = True
    if not near.any():
        return near
    index = np.flatnonzero(near)
    away = away[away <= radius]
    # another wall just behind is near in space but not along the surface
    graph = scan.triangle_graph[index][:, index]
    _, label = connected_components(graph, directed=False)
    seed = label[away.argmin()]
    near[index[label != seed]] = False
    return near


def in_outline(outline: Floats, places: Floats, facing: Bools | None = None) -> Bools:
    """(m,) triangles whose middle is drawn inside a closed outline (k, 2).

    places: (m, 2) where the middles are drawn. facing: only these count.
    """
    inside: Bools = within(outline, places)
    if facing is not None:
        inside = inside & facing
    return inside


def grown(scan: Scan, mask: Bools) -> Bools:
    """The mask with the triangles that touch it."""
    points = np.zeros(len(scan.points), dtype=bool)
    points[scan.triangles[mask].ravel()] = True
    found: Bools = points[scan.triangles].max(axis=1)
    return found


def shrunk(scan: Scan, mask: Bools) -> Bools:
    """The mask without the triangles that touch others."""
    return ~grown(scan, ~mask)


def whole_pieces(scan: Scan, mask: Bools) -> Bools:
    """All triangles of the connected pieces that the mask touches."""
    piece = pieces(scan)
    found: Bools = np.isin(piece, np.unique(piece[mask]))
    return found


def spread(scan: Scan, seed: int, sensitivity: float, curvature: ScanCurvature) -> Bools:
    """Triangles that can be reached from one without crossing an edge or a change of curvature.

    sensitivity: 0 to 1; at 1 the least change stops it. A neighbour is
    reached when the surface turns little between the two, and a triangle
    belongs when its principal curvatures are like those round the seed.
    """
    t = scan.triangles
    sensitivity = min(max(sensitivity, 0.02), 1.0)
    graph = scan.triangle_graph
    normals = unit(scan.smoothed_normals[t].mean(axis=1))
    bend = np.column_stack([curvature.largest[t].mean(axis=1), curvature.smallest[t].mean(axis=1)])
    # on the scale of the whole scan, with very tight radii brought closer together
    bend = np.arcsinh(bend * scan.diagonal / 8)
    around = graph[graph[[seed]].indices].indices
    pairs = scan.neighbours
    rough = float(np.median(np.abs(bend[pairs[:, 0]] - bend[pairs[:, 1]]).max(axis=1))) if len(pairs) else 0.0
    allowed = 0.15 / sensitivity**1.3 + 6 * rough
    alike = np.abs(bend - np.median(bend[np.append(around, seed)], axis=0)).max(axis=1) <= allowed
    alike[seed] = True
    a = np.repeat(np.arange(len(t)), np.diff(graph.indptr))
    b = graph.indices
    turn = np.einsum("nc,nc->n", normals[a], normals[b])
    crossed = alike[a] & alike[b] & (turn > np.cos(np.radians(np.clip(12 / sensitivity, 8, 90))))
    reached = pair_graph(np.column_stack([a[crossed], b[crossed]]), len(t))
    _, label = connected_components(reached, directed=False)
    found: Bools = label == label[seed]
    found = found | _islands(graph, found)
    return _up_to_edges(scan, found)


def _up_to_edges(scan: Scan, found: Bools) -> Bools:
    """A mask with the few rings at its border that look alike, but whose curvature the averaging of an edge changed."""
    areas = scan.areas
    normals = calmed_normals(unit(scan.area_vectors), areas, scan.neighbours, 5)
    # what is added is compared with the border it came from, so that it cannot creep round a radius
    origin = normals.copy()
    a, b = np.concatenate([scan.neighbours, scan.neighbours[:, ::-1]]).T
    for _ in range(BORDER_RINGS):
        out = found[a] & ~found[b]
        near, new = a[out], b[out]
        alike = np.einsum("nc,nc->n", origin[near], normals[new]) > np.cos(np.radians(BORDER_DEGREES))
        if not alike.any():
            break
        origin[new[alike]] = origin[near[alike]]
        found = found.copy()
        found[new[alike]] = True
    return found | _islands(scan.triangle_graph, found)


def _islands(graph: csr_array, found: Bools) -> Bools:
    """Small groups of triangles that are missing in the midst of a mask: single bumps of noise."""
    rest = np.flatnonzero(~found)
    if not len(rest):
        return np.zeros_like(found)
    _, label = connected_components(graph[rest][:, rest], directed=False)
    small = np.bincount(label) < max(4, ISLAND_SHARE * found.sum())
    missing = np.zeros_like(found)
    missing[rest[small[label]]] = True
    return missing
