"""Tidying a scan: loose pieces, spikes, triangles that look the wrong way or hang on wrongly."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import breadth_first_order, connected_components

from arabesque.arrays import Bools, Floats, Ints, summed, unit
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, compact, kept, pieces

SPIKE = 6.0
RISE = 3.0
"""A point may stand so many times as far over its ring as its ring stands over the second one."""


class Tidied(NamedTuple):
    """A tidied scan, and what was done: pieces dropped, spikes calmed, triangles turned, triangles dropped."""

    scan: Scan
    pieces: int
    spikes: int
    turned: int
    dropped: int


def tidy(
    scan: Scan,
    smallest_piece: float = 0.02,
    calm_spikes: bool = True,
    orient: bool = True,
    progress: Progress = silent,
) -> Tidied:
    """Put a scan in order.

    smallest_piece: pieces with less than this share of the triangles of the
    largest are dropped. calm_spikes: points that stand far out of their
    surroundings are brought back. orient: all triangles look the same way, outward.
    """
    progress(0.0, "Looking for crowded edges")
    scan, dropped = uncrowded(scan)
    progress(0.2, "Looking for loose pieces")
    of_triangle = pieces(scan)
    sizes = np.bincount(of_triangle)
    keep = sizes >= smallest_piece * sizes[0]
    if not keep.all():
        scan = kept(scan, keep[of_triangle])
    turned = 0
    if orient:
        progress(0.4, "Turning triangles the same way")
        scan, turned = oriented(scan)
    count = 0
    if calm_spikes:
        progress(0.7, "Looking for spikes")
        scan, count = without_spikes(scan)
    progress(1.0, "Tidied")
    return Tidied(scan, int((~keep).sum()), count, turned, dropped)


def without_spikes(scan: Scan) -> tuple[Scan, int]:
    """The scan with single points that stand out brought back to the mean of their neighbours; and how many.

    A spike is a point that its whole ring disowns: it stands far over every
    neighbour, against the noise, and further than the rise from the second
    ring to the first foretells. The tip of a horn, to which its rings
    converge, is none.
    """
    average = scan.adjacency
    degree = np.maximum(np.diff(average.indptr), 1)
    points = scan.points.copy()
    rim = np.zeros(len(points), dtype=bool)
    rim[scan.border_edges.ravel()] = True
    found = np.zeros(len(points), dtype=bool)
    for _ in range(3):
        mean = average @ points / degree[:, None]
        away = np.linalg.norm(points - mean, axis=1)
        # against how far the neighbours stand out themselves, and the whole scan does
        beside = (average @ away) / degree
        usual = float(np.median(away[~rim])) if not rim.all() else 0.0
        suspects = np.flatnonzero((away > SPIKE * usual) & (away > 2.0 * beside) & ~rim)
        spikes = np.zeros(len(points), dtype=bool)
        spikes[suspects[_disowned(scan, points, suspects, SPIKE * usual)]] = True
        if not spikes.any():
            break
        found |= spikes
        sound = (~spikes).astype(float)
        weight = np.maximum(average @ sound, 1e-300)
        mean = (average @ (points * sound[:, None])) / weight[:, None]
        usable = spikes & (average @ sound > 0)
        points[usable] = mean[usable]
    if not found.any():
        return scan, 0
    return Scan(points, scan.triangles), int(found.sum())


def _disowned(scan: Scan, points: Floats, suspects: Ints, least: float) -> Bools:
    """(k,) which of some points stand over all of their ring by ``least`` mm, and more than two rings foretell."""
    graph = scan.adjacency
    disowned = np.zeros(len(suspects), dtype=bool)
    for number, suspect in enumerate(suspects.tolist()):
        ring = graph.indices[graph.indptr[suspect] : graph.indptr[suspect + 1]]
        around = np.concatenate([graph.indices[graph.indptr[i] : graph.indptr[i + 1]] for i in ring])
        second = np.setdiff1d(around, np.append(ring, suspect))
        middle = points[ring].mean(axis=0)
        up = unit(points[suspect] - middle)
        rise = float((middle - points[second].mean(axis=0)) @ up) if len(second) else 0.0
        over_ring = (points[suspect] - points[ring]) @ up
        height = float((points[suspect] - middle) @ up)
        disowned[number] = over_ring.min() > least and height > least + RISE * max(rise, 0.0)
    return disowned


def oriented(scan: Scan) -> tuple[Scan, int]:
    """The scan with all triangles of a piece looking the same way, outward; and how many were turned.

    Outward: a closed piece has a positive volume; an open one looks away
    from its middle for the greater part.
    """
    t = scan.triangles
    m = len(t)
    pairs = scan.neighbours
    alike = _run_alike(t, pairs)
    graph = coo_array(
        (np.where(np.concatenate([alike, alike]), 1, 2), (pairs.ravel("F"), pairs[:, ::-1].ravel("F"))), shape=(m, m)
    ).tocsr()
    found, label = connected_components(graph, directed=False)
    turn = np.zeros(m, dtype=bool)
    if not alike.all():
        first = np.unique(label, return_index=True)[1]
        for number in np.unique(label[pairs[~alike, 0]]):
            order, before = breadth_first_order(graph, int(first[number]), directed=False)
            turn[order] = _parities(graph, order, before)[order]
    count = int(found)
    areas = scan.area_vectors * np.where(turn, -1.0, 1.0)[:, None]
    middles = scan.points[t].mean(axis=1)
    centre = summed(label, middles, count) / np.bincount(label, minlength=count)[:, None]
    outward = np.bincount(label, np.einsum("nc,nc->n", middles - centre[label], areas), count)
    turn ^= (outward < 0)[label]
    if not turn.any():
        return scan, 0
    return turned_over(scan, turn), int(turn.sum())


def turned_over(scan: Scan, mask: Bools | None = None) -> Scan:
    """The scan with the triangles in ``mask`` (all, if none is given) looking the other way."""
    turn = np.ones(len(scan.triangles), dtype=bool) if mask is None else mask
    return Scan(scan.points, np.where(turn[:, None], scan.triangles[:, ::-1], scan.triangles))


def _parities(graph: coo_array, order: Ints, before: Ints) -> Bools:
    """(m,) true for triangles that look against the first one of a breadth-first walk."""
    flips = np.zeros(len(before), dtype=bool)
    parents = before[order[1:]]
    against = np.asarray(graph[parents, order[1:]]).ravel() == 2
    for child, parent, change in zip(order[1:].tolist(), parents.tolist(), against.tolist(), strict=True):
        flips[child] = flips[parent] ^ change
    return flips


def _run_alike(triangles: Ints, pairs: Ints) -> Bools:
    """(e,) true where two neighbours run through their shared edge opposite ways, as they should."""
    a, b = triangles[pairs[:, 0]], triangles[pairs[:, 1]]
    alike = np.zeros(len(pairs), dtype=bool)
    for i in range(3):
        for j in range(3):
            alike |= (a[:, i] == b[:, (j + 1) % 3]) & (a[:, (i + 1) % 3] == b[:, j])
    return alike


def uncrowded(scan: Scan) -> tuple[Scan, int]:
    """The scan without double and flat triangles and those beyond two at an edge; and how many. Small ones go first."""
    t = scan.triangles
    areas = scan.areas
    _, first = np.unique(np.sort(t, axis=1), axis=0, return_index=True)
    keep = np.zeros(len(t), dtype=bool)
    keep[first] = True
    keep &= areas > 0
    n = len(scan.points)
    edges, counts = scan.edges
    crowded = edges[counts > 2]
    if len(crowded):
        keys = crowded[:, 0] * n + crowded[:, 1]
        sides = np.sort(t[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
        of_side = sides[:, 0] * n + sides[:, 1]
        places = np.flatnonzero(np.isin(of_side, keys))
        by_area = places[np.argsort(-areas[places // 3], kind="stable")]
        seen: dict[int, int] = {}
        for place in by_area.tolist():
            if not keep[place // 3]:
                continue
            key = int(of_side[place])
            seen[key] = seen.get(key, 0) + 1
            if seen[key] > 2:
                keep[place // 3] = False
    if keep.all():
        return scan, 0
    return Scan(*compact(scan.points, t[keep])), int((~keep).sum())
