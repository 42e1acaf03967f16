"""Closing openings: flat, following the curvature of the surroundings, or bridged in parts."""

from __future__ import annotations

from collections.abc import Sequence
from enum import Enum
from typing import NamedTuple

import numpy as np
from numba import njit
from scipy.sparse import coo_array, csr_array, diags_array
from scipy.sparse.linalg import splu

from arabesque.arrays import Bools, Floats, Ints
from arabesque.errors import ArabesqueError
from arabesque.geometry import unit
from arabesque.mending.openings import Opening
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

WORTH_SPLITTING = 240
"""Rims of more points are divided across their narrowest places before they are triangulated."""
REFINEMENTS = 9


class Fill(Enum):
    """How an opening is closed."""

    CURVED = "follow the form"
    FLAT = "flat"
    BRIDGED = "bridged in parts"


class Filled(NamedTuple):
    """The scan with new triangles behind the old ones, and (m,) which are new."""

    scan: Scan
    new: Bools


class _Patch(NamedTuple):
    """Triangles that close one rim: points behind the first ``rim`` ones are new; held: new points that stay."""

    points: Floats
    triangles: Ints
    rim: int
    held: Bools


def fill(scan: Scan, chosen: Sequence[Opening], way: Fill = Fill.CURVED, progress: Progress = silent) -> Filled:
    """Close openings; the points that were there stay as they are.

    The rim is triangulated with the least area (Barequet and Sharir,
    "Filling gaps in the boundary of a polyhedron", CAGD 12, 1995), the
    triangles are refined to the size of the rim's edges (Liepa, "Filling
    holes in meshes", SGP 2003), and the new points take the place of least
    bending that continues the surroundings in tangent and curvature (Botsch
    and Kobbelt, "An intuitive framework for real-time freeform modeling",
    SIGGRAPH 2004), or of least area when flat.

    Raises ArabesqueError when a rim cannot be triangulated.
    """
    points, faces, count = [scan.points], [scan.triangles], len(scan.points)
    for number, opening in enumerate(chosen):
        progress(number / max(len(chosen), 1), f"Closing opening {number + 1} of {len(chosen)}")
        patch = _patch_for(scan, opening, way)
        new = patch.points[patch.rim :]
        place = np.concatenate([opening.ring, count + np.arange(len(new))])
        points.append(new)
        faces.append(place[patch.triangles])
        count += len(new)
    closed = Scan(np.concatenate(points), np.concatenate(faces))
    return Filled(closed, np.arange(len(closed.triangles)) >= len(scan.triangles))


def _patch_for(scan: Scan, opening: Opening, way: Fill) -> _Patch:
    ring = opening.ring
    rim = scan.points[ring]
    if len(ring) < 3:
        raise ArabesqueError("An opening of two points cannot be closed", "Remove the triangles at it first")
    outward = scan.point_normals[ring]
    patch = _triangulated(rim, outward, way is Fill.BRIDGED)
    edge = float(np.median(np.linalg.norm(rim - np.roll(rim, -1, axis=0), axis=1)))
    patch = _refined(patch, edge, _chords_in_scan(scan, ring))
    if len(patch.points) == patch.rim:
        return patch
    return _faired(scan, ring, patch, way)


# triangulating a rim


def _triangulated(rim: Floats, normals: Floats, bridged: bool) -> _Patch:
    """Triangles over a rim; a long one is divided by lines across its narrowest places."""
    points = [rim]
    held: list[Bools] = [np.zeros(len(rim), dtype=bool)]
    triangles: list[Ints] = []
    count = len(rim)
    everything, directions = rim, normals
    on_line = np.zeros(len(rim), dtype=bool)
    open_rings = [np.arange(len(rim))]
    first = bridged
    while open_rings:
        ring = open_rings.pop()
        if len(ring) <= WORTH_SPLITTING and not first:
            triangles.append(ring[_least_area(everything[ring], on_line[ring])])
            continue
        first = False
        i, j = _narrowest(everything[ring])
        bridge = _bridge(everything[ring], directions[ring], i, j, bridged)
        new = count + np.arange(len(bridge))
        count += len(bridge)
        points.append(bridge)
        held.append(np.full(len(bridge), bridged))
        everything = np.concatenate(points)
        on_line = np.concatenate([on_line, np.ones(len(bridge), dtype=bool)])
        on_line[ring[[i, j]]] = True
        directions = np.concatenate([directions, np.tile(unit(directions[ring].mean(axis=0)), (len(bridge), 1))])
        open_rings += [
            np.concatenate([ring[i : j + 1], new[::-1]]),
            np.concatenate([ring[j:], ring[: i + 1], new]),
        ]
    return _Patch(everything, np.concatenate(triangles), len(rim), np.concatenate(held))


def _narrowest(ring: Floats) -> tuple[int, int]:
    """Two places of a ring, far apart along it, between which it is narrow."""
    n = len(ring)
    step = max(1, n // 400)
    some = np.arange(0, n, step)
    p = ring[some]
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
    total = along[-1] + np.linalg.norm(ring[-1] - ring[0])
    apart = np.abs(along[some][:, None] - along[some][None])
    apart = np.minimum(apart, total - apart)
    across = np.linalg.norm(p[:, None] - p[None], axis=2)
    # about halves, so that few cuts suffice
    worth = np.where(apart > 0.25 * total, across / np.maximum(apart, 1e-300), np.inf)
    a, b = np.unravel_index(worth.argmin(), worth.shape)
    i, j = sorted((int(some[a]), int(some[b])))
    return i, j


def _bridge(ring: Floats, normals: Floats, i: int, j: int, curved: bool) -> Floats:
    """Points between two places of a ring: straight, or leaving both along the surface (a cubic Hermite curve)."""
    n = len(ring)
    edge = float(np.linalg.norm(ring - np.roll(ring, -1, axis=0), axis=1).mean())
    start, end = ring[i], ring[j]
    length = float(np.linalg.norm(end - start))
    t = np.linspace(0, 1, max(2, round(length / edge)) + 1)[1:-1, None]
    straight = start + t * (end - start)
    if not curved:
        return straight
    tangents = []
    for k in (i, j):
        along = ring[(k + 2) % n] - ring[(k - 2) % n]
        # the ring runs as the missing triangles would: its inside lies to the left
        inward = unit(np.cross(normals[k], along))
        tangents.append(inward * length)
    h = ((1 + 2 * t) * (1 - t) ** 2, t * (1 - t) ** 2, t * t * (3 - 2 * t), t * t * (t - 1))
    return h[0] * start + h[1] * tangents[0] + h[2] * end - h[3] * tangents[1]


def _least_area(ring: Floats, on_line: Bools) -> Ints:
    """(k-2, 3) triangles of least area over a ring of k points; none has all its corners on a dividing line.

    The two sides of a line would else meet in the same chord beside it.
    """
    if len(ring) == 3:
        return np.array([[0, 1, 2]])
    split, total = _best_splits(np.ascontiguousarray(ring), on_line)
    if not np.isfinite(total):
        split, _ = _best_splits(np.ascontiguousarray(ring), np.zeros_like(on_line))
    return _triangles_of(split)


@njit(cache=True, nogil=True, error_model="numpy")
def _best_splits(ring, on_line):  # type: ignore[no-untyped-def]
    """Dynamic programme over all chords: split[i, j] is the third corner of the triangle on chord i, j."""
    n = len(ring)
    cost = np.zeros((n, n))
    split = np.zeros((n, n), dtype=np.int64)
    for gap in range(2, n):
        for i in range(n - gap):
            j = i + gap
            best = np.inf
            for k in range(i + 1, j):
                total = cost[i, k] + cost[k, j]
                if total >= best or (on_line[i] and on_line[j] and on_line[k]):
                    continue
                ux, uy, uz = ring[k, 0] - ring[i, 0], ring[k, 1] - ring[i, 1], ring[k, 2] - ring[i, 2]
                vx, vy, vz = ring[j, 0] - ring[i, 0], ring[j, 1] - ring[i, 1], ring[j, 2] - ring[i, 2]
                x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
                # a little of the edges' squares keeps triangles of no area, over straight rims, from winning
                shape = 1e-4 * (ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz)
                total += 0.5 * np.sqrt(x * x + y * y + z * z) + shape
                if total < best:
                    best = total
                    split[i, j] = k
            cost[i, j] = best
    return split, cost[0, n - 1]


def _triangles_of(split: Ints) -> Ints:
    n = len(split)
    triangles, chords = [], [(0, n - 1)]
    while chords:
        i, j = chords.pop()
        if j - i < 2:
            continue
        k = int(split[i, j])
        triangles.append((i, k, j))
        chords += [(i, k), (k, j)]
    return np.array(triangles, dtype=np.int64)


# refining it


def _chords_in_scan(scan: Scan, ring: Ints) -> set[tuple[int, int]]:
    """Pairs of places in the ring that an edge of the scan joins already: no second edge may run there."""
    place = np.full(len(scan.points), -1)
    place[ring] = np.arange(len(ring))
    edges = place[scan.triangles[(place[scan.triangles] >= 0).sum(axis=1) >= 2]]
    pairs = edges[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    return {_key(int(a), int(b)) for a, b in pairs[(pairs >= 0).all(axis=1)]}


def _refined(patch: _Patch, edge: float, taken: set[tuple[int, int]]) -> _Patch:
    """Triangles of about the rim's size: long inner edges halved, then flipped towards round triangles."""
    points, triangles, held = patch.points, patch.triangles, patch.held
    fixed = {_key(i, (i + 1) % patch.rim) for i in range(patch.rim)}
    for _ in range(REFINEMENTS):
        points, triangles, held, split = _halved(points, triangles, held, fixed, taken, 1.5 * edge)
        triangles = _flipped(points, triangles, fixed, taken)
        points = _relaxed(points, triangles, patch.rim, held)
        if not split:
            break
    return _Patch(points, triangles, patch.rim, held)


def _key(a: int, b: int) -> tuple[int, int]:
    return (a, b) if a < b else (b, a)


def _halved(
    points: Floats,
    triangles: Ints,
    held: Bools,
    fixed: set[tuple[int, int]],
    taken: set[tuple[int, int]],
    longest: float,
) -> tuple[Floats, Ints, Bools, int]:
    """Put a point into every inner edge that is too long and the longest of both its triangles."""
    owners: dict[tuple[int, int], list[int]] = {}
    faces = [tuple(map(int, t)) for t in triangles]
    for number, (a, b, c) in enumerate(faces):
        for pair in ((a, b), (b, c), (c, a)):
            owners.setdefault(_key(*pair), []).append(number)
    keys = [k for k, who in owners.items() if len(who) == 2 and k not in fixed]
    if not keys:
        return points, triangles, held, 0
    ends = np.array(keys)
    lengths = np.linalg.norm(points[ends[:, 0]] - points[ends[:, 1]], axis=1)
    lengths[[key in taken for key in keys]] = np.inf
    busy: set[int] = set()
    new_points: list[Floats] = []
    new_held: list[bool] = []
    gone: set[int] = set()
    more = []
    for index in np.argsort(-lengths):
        if lengths[index] <= longest:
            break
        key = keys[index]
        who = owners[key]
        if busy & set(who):
            continue
        busy |= set(who)
        gone |= set(who)
        m = len(points) + len(new_points)
        new_points.append((points[key[0]] + points[key[1]]) / 2)
        new_held.append(bool(held[key[0]] and held[key[1]]))
        for number in who:
            a, b, c = faces[number]
            while _key(a, b) != key:
                a, b, c = b, c, a
            more += [(a, m, c), (m, b, c)]
    if not new_points:
        return points, triangles, held, 0
    kept = [f for number, f in enumerate(faces) if number not in gone]
    return (
        np.concatenate([points, new_points]),
        np.array(kept + more, dtype=np.int64),
        np.concatenate([held, new_held]),
        len(new_points),
    )


def _flipped(points: Floats, triangles: Ints, fixed: set[tuple[int, int]], taken: set[tuple[int, int]]) -> Ints:
    """Flip inner edges until the opposite angles of each sum to at most 180 degrees (Delaunay 1934)."""
    faces = [list(map(int, t)) for t in triangles]
    owners: dict[tuple[int, int], list[int]] = {}
    for number, (a, b, c) in enumerate(faces):
        for pair in ((a, b), (b, c), (c, a)):
            owners.setdefault(_key(*pair), []).append(number)
    waiting = [k for k, who in owners.items() if len(who) == 2 and k not in fixed]
    most = 20 * len(waiting)
    while waiting and most:
        most -= 1
        key = waiting.pop()
        who = owners.get(key, [])
        if len(who) != 2:
            continue
        one, two = who
        a, b, c = _turned(faces[one], key)
        d = next(v for v in faces[two] if v not in key)
        new = _key(c, d)
        if new in owners or new in taken or not _flip_helps(points, a, b, c, d):
            continue
        faces[one], faces[two] = [a, d, c], [d, b, c]
        del owners[key]
        owners[new] = [one, two]
        for pair, old, now in ((_key(b, c), one, two), (_key(a, d), two, one)):
            owners[pair] = [now if n == old else n for n in owners[pair]]
        waiting += [p for p in (_key(a, c), _key(b, c), _key(a, d), _key(b, d)) if p not in fixed]
    return np.array(faces, dtype=np.int64)


def _turned(face: list[int], key: tuple[int, int]) -> tuple[int, int, int]:
    """The corners of a face so that the first two are the edge, in the face's own order."""
    a, b, c = face
    while _key(a, b) != key:
        a, b, c = b, c, a
    return a, b, c


def _flip_helps(points: Floats, a: int, b: int, c: int, d: int) -> bool:
    p, q, r, s = points[[a, b, c, d]]
    one, two = _angle(p - r, q - r), _angle(p - s, q - s)
    if one + two <= np.pi + 1e-9:
        return False
    before = np.cross(q - p, r - p) + np.cross(p - q, s - q)
    return bool(np.cross(s - p, r - p) @ before > 0 and np.cross(q - s, r - s) @ before > 0)


def _angle(u: Floats, v: Floats) -> float:
    return float(np.arctan2(np.linalg.norm(np.cross(u, v)), u @ v))


def _relaxed(points: Floats, triangles: Ints, rim: int, held: Bools) -> Floats:
    """New points in the middle of their neighbours, a few times, so that refining goes on evenly."""
    free = np.arange(len(points)) >= rim
    free &= ~held
    average = _mean_of_neighbours(triangles, len(points))
    for _ in range(4):
        points = np.where(free[:, None], average @ points, points)
    return points


def _mean_of_neighbours(triangles: Ints, count: int) -> csr_array:
    a = triangles[:, [0, 1, 2, 1, 2, 0]].ravel()
    b = triangles[:, [1, 2, 0, 0, 1, 2]].ravel()
    graph = coo_array((np.ones(len(a)), (a, b)), shape=(count, count)).tocsr()
    graph.data[:] = 1.0
    total = np.maximum(np.asarray(graph.sum(axis=1)).ravel(), 1)
    mean: csr_array = (diags_array(1 / total) @ graph).tocsr()
    return mean


# letting it flow


def _faired(scan: Scan, ring: Ints, patch: _Patch, way: Fill) -> _Patch:
    """The new points where they bend least and continue what lies round the rim."""
    edge = float(
        np.median(np.linalg.norm(patch.points[: patch.rim] - np.roll(patch.points[: patch.rim], 1, 0), axis=1))
    )
    # what is to be continued is the form, not its noise: the rougher, the wider it is averaged
    width = edge * float(np.clip(100 * scan.noise / max(edge, 1e-12), 0.3, 3.0))
    around = _around(scan, ring, max(3, round(2 * width / edge)))
    place = {int(p): i for i, p in enumerate(ring)}
    outside = np.unique(scan.triangles[around])
    extra = np.array([p for p in outside if int(p) not in place], dtype=np.int64)
    place.update({int(p): len(patch.points) + i for i, p in enumerate(extra)})
    lookup = np.zeros(len(scan.points), dtype=np.int64)
    lookup[list(place)] = list(place.values())
    points = np.concatenate([patch.points, scan.points[extra]])
    triangles = np.concatenate([patch.triangles, lookup[scan.triangles[around]]])
    free = np.zeros(len(points), dtype=bool)
    free[patch.rim : len(patch.points)] = True
    held = np.zeros(len(points), dtype=bool)
    held[patch.rim : len(patch.points)] = patch.held[patch.rim :]
    orders = {Fill.FLAT: (1,), Fill.CURVED: (2, 2, 3), Fill.BRIDGED: (2, 3)}[way]
    result = points
    for order in orders:
        # areas and angles of the last shape make the next solve honest to its metric
        result = _solve(result, points, triangles, free, held, order, width)
    return _Patch(result[: len(patch.points)], patch.triangles, patch.rim, patch.held)


def _around(scan: Scan, ring: Ints, rings: int) -> Ints:
    """Triangles within a few rings of a rim."""
    marked = np.zeros(len(scan.points), dtype=bool)
    marked[ring] = True
    for _ in range(rings):
        touched = marked[scan.triangles].any(axis=1)
        marked[scan.triangles[touched].ravel()] = True
    return np.flatnonzero(touched)


def _solve(
    metric: Floats, target: Floats, triangles: Ints, free: Bools, held: Bools, order: int, width: float
) -> Floats:
    """Points of least Dirichlet energy (order 1), bending (2) or change of bending (3) that stay near their targets.

    Free points have no target; bridges (held) hold theirs closely; what lies
    round the opening follows a smoothing spline of about the given width.
    """
    laplacian, mass = _laplacian(metric, triangles)
    if order == 1:  # flat: the rim itself is all that counts
        known = ~free | held
        inside = np.flatnonzero(~known)
        matrix, right = laplacian[inside][:, inside], -(laplacian[inside][:, known] @ target[known])
        result = target.copy()
        result[inside] = _solved(matrix, right)
        return result
    # at the edge of the piece the Laplacian is half a Laplacian, which would pull it together
    whole = np.ones(len(metric), dtype=bool)
    whole[_edge_points(triangles, len(metric))] = False
    bend = (diags_array(np.where(whole, 1 / mass, 0.0)) @ laplacian).tocsr()
    if order == 2:
        energy = bend.T @ diags_array(mass) @ bend
    else:
        inner, _ = _laplacian(metric, triangles[whole[triangles].all(axis=1)])
        energy = bend.T @ inner @ bend
    weight = np.where(free, np.where(held, 1.0, 0.0), 1.0) * mass
    matrix = width ** (2 * order) * energy + diags_array(weight)
    return _solved(matrix, weight[:, None] * target)


def _edge_points(triangles: Ints, count: int) -> Ints:
    """Points on the edge of a piece of mesh."""
    sides = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    keys, times = np.unique(sides[:, 0] * count + sides[:, 1], return_counts=True)
    open_ = keys[times == 1]
    return np.unique(np.concatenate([open_ // count, open_ % count]))


def _solved(matrix: csr_array, right: Floats) -> Floats:
    scale = float(np.abs(matrix.diagonal()).mean())
    shift = 1e-13 * diags_array(np.ones(matrix.shape[0]))
    solution: Floats = splu((matrix / scale + shift).tocsc()).solve(right / scale)
    if not np.isfinite(solution).all():
        raise ArabesqueError(
            "The opening could not be filled smoothly", "Fill it flat, or remove the jagged triangles at its rim"
        )
    return solution


def _laplacian(points: Floats, triangles: Ints) -> tuple[csr_array, Floats]:
    """Cotangent Laplacian (Pinkall and Polthier 1993), its weights kept above zero, and (n,) areas."""
    n = len(points)
    rows, columns, values = [], [], []
    areas = np.zeros(n)
    p = points[triangles]
    double = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    for k in range(3):
        a, b, c = triangles[:, k], triangles[:, (k + 1) % 3], triangles[:, (k + 2) % 3]
        u, v = points[b] - points[a], points[c] - points[a]
        cotangent = np.clip(np.einsum("nc,nc->n", u, v) / np.maximum(double, 1e-300), 0.02, 50.0) / 2
        rows += [b, c]
        columns += [c, b]
        values += [cotangent, cotangent]
        areas += np.bincount(a, double / 6, n)
    weights = coo_array((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(n, n)).tocsr()
    total = np.asarray(weights.sum(axis=1)).ravel()
    laplacian: csr_array = (diags_array(total) - weights).tocsr()
    floor = 1e-3 * float(areas[areas > 0].mean())
    return laplacian, np.maximum(areas, floor)
