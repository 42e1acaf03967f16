"""Even triangles of a wanted edge length."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from arabesque.arrays import Bools, Floats, Ints
from arabesque.errors import ArabesqueError
from arabesque.mending import even_kernel as kernel
from arabesque.progress import Progress, silent
from arabesque.scan import BoxTree, Scan, compact, sharp_pairs, sides_of, turning

ROUNDS = 6
CORNER = 50.0
"""Degrees by which a rim or a sharp edge turns at a corner of it."""
MOST_TRIANGLES = 8_000_000


class HalfEdges(NamedTuple):
    """Arrays of a mesh while it is changed; see ``even_kernel``."""

    P: Floats
    V: Ints
    twin: Ints
    out: Ints
    sharp: Bools
    kind: Ints


def even_triangles(scan: Scan, edge: float, progress: Progress = silent, rounds: int = ROUNDS) -> Scan:
    """The same shape in even triangles with edges of about ``edge`` mm; rims and sharp edges stay.

    Botsch and Kobbelt, "A remeshing approach to multiresolution modeling",
    SGP 2004, section 4: split long edges, drop short ones, flip towards six
    neighbours, relax along the surface, and go back onto the original.

    Raises ArabesqueError for a length that makes no sense for this scan.
    """
    return _evened(scan, edge, None, progress, rounds)[0]


def even_along(scan: Scan, edge: float, lines: Ints, progress: Progress = silent) -> tuple[Scan, Ints]:
    """Even triangles, over sharp edges and corners of rims too, with edges along lines: (k, 2) pairs of points.

    Also returns (l, 2) pairs of the new points along these lines. Raises ArabesqueError as ``even_triangles``.
    """
    return _evened(scan, edge, lines, progress, ROUNDS)


def _evened(scan: Scan, edge: float, lines: Ints | None, progress: Progress, rounds: int) -> tuple[Scan, Ints]:
    area = scan.area
    if not 0 < edge < scan.diagonal / 4:
        raise ArabesqueError(
            f"Triangles of {edge:g} mm do not suit a scan {scan.diagonal:.4g} mm across",
            "Choose an edge length above 0 and far below the size of the scan",
        )
    expected = area / (np.sqrt(3) / 4 * edge * edge)
    if expected > MOST_TRIANGLES:
        raise ArabesqueError(f"Edges of {edge:g} mm would make {expected:.2g} triangles", "Choose a longer edge")
    progress(0.02, "Finding sharp edges")
    mesh = _half_edges(scan, round(1.6 * expected))
    if lines is not None:
        _keep_only(mesh, scan, lines)
    original = _Lines(mesh, scan)
    moved = np.empty_like(mesh.P)
    points, triangles = len(scan.points), len(scan.triangles)
    for number in range(rounds):
        at = 0.1 + 0.88 * number / rounds
        progress(at, f"Evening the triangles, round {number + 1} of {rounds}")
        mesh, moved, (points, triangles) = _split(mesh, moved, (points, triangles), edge * 4 / 3)
        progress(at + 0.2 / rounds, f"Evening the triangles, round {number + 1} of {rounds}")
        kernel.collapse_short(
            mesh.P, mesh.V, mesh.twin, mesh.out, mesh.sharp, mesh.kind, triangles, edge * 4 / 5, edge * 4 / 3
        )
        kernel.flip_for_valence(mesh.P, mesh.V, mesh.twin, mesh.out, mesh.sharp, triangles)
        kernel.smooth_along(mesh.P, mesh.V, mesh.twin, mesh.out, mesh.sharp, mesh.kind, points, moved)
        progress(at + 0.5 / rounds, f"Evening the triangles, round {number + 1} of {rounds}")
        mesh, moved, points, triangles = _tidied(mesh, moved, points, triangles)
        _onto(scan, original, mesh, points)
    # points that the way back to the original brought together
    kernel.collapse_short(mesh.P, mesh.V, mesh.twin, mesh.out, mesh.sharp, mesh.kind, triangles, edge / 10, 2 * edge)
    kernel.flip_flat(mesh.P, mesh.V, mesh.twin, mesh.out, mesh.sharp, triangles, edge / 50)
    faces = mesh.V[: 3 * triangles].reshape(-1, 3)
    alive = faces[:, 0] >= 0
    sharp = mesh.sharp[: 3 * triangles].reshape(-1, 3)[alive]
    made = Scan(*compact(mesh.P[:points], faces[alive]))
    progress(1.0, "Evened")
    ends = np.stack([made.triangles, np.roll(made.triangles, -1, axis=1)], axis=-1)[sharp]
    return made, np.unique(np.sort(ends, axis=1), axis=0)


def _keep_only(mesh: HalfEdges, scan: Scan, lines: Ints) -> None:
    """Rims and some lines, given by pairs of points, are what stays; where lines end, meet or turn are corners."""
    n, m = len(scan.points), scan.triangles.size
    mesh.kind[:] = kernel.SMOOTH
    mesh.kind[scan.border_edges.ravel()] = kernel.LINE
    mesh.sharp[:] = False
    mesh.sharp[:m] = sides_of(scan, lines) & (mesh.twin[:m] >= 0)
    count = np.bincount(lines.ravel(), minlength=n)
    on_rim = mesh.kind[:n] == kernel.LINE
    corner = (count > 0) & ((count != 2) | on_rim | turning(scan.points, lines, CORNER))
    mesh.kind[:n][count > 0] = kernel.LINE
    mesh.kind[:n][corner] = kernel.CORNER


def _half_edges(scan: Scan, room: int) -> HalfEdges:
    """Half-edges of a scan with room for about so many triangles."""
    n, m = len(scan.points), len(scan.triangles)
    triangles = max(room, m) + m // 2 + 1000
    P = np.empty((triangles // 2 + n + 1000, 3))
    P[:n] = scan.points
    V = np.full(3 * triangles, -1, dtype=np.int64)
    V[: 3 * m] = scan.triangles.ravel()
    starts, ends = scan.triangles.ravel(), scan.triangles[:, [1, 2, 0]].ravel()
    low, high = np.minimum(starts, ends), np.maximum(starts, ends)
    twin = np.full(3 * triangles, -1, dtype=np.int64)
    kernel.pair_up(np.argsort(low * n + high, kind="stable"), low, high, twin[: 3 * m])
    out = np.full(len(P), -1, dtype=np.int64)
    out[starts] = np.arange(3 * m)
    pairs, is_sharp = sharp_pairs(scan)
    sharp = np.zeros(3 * triangles, dtype=bool)
    # a pair of triangles is sharp: find the half-edges between them
    owner = np.arange(3 * m) // 3
    other = np.where(twin[: 3 * m] >= 0, twin[: 3 * m] // 3, -1)
    edges = pairs[is_sharp]
    keys = np.concatenate([edges[:, 0] * m + edges[:, 1], edges[:, 1] * m + edges[:, 0]])
    sharp[: 3 * m] = np.isin(owner * m + other, keys) & (other >= 0)
    kind = np.zeros(len(P), dtype=np.int64)
    on_line = sharp[: 3 * m] | (twin[: 3 * m] < 0)
    # each interior sharp edge shows at both its half-edges, each rim edge at one
    share = np.where(twin[: 3 * m] < 0, 1.0, 0.5)
    lines_at = np.bincount(starts, on_line * share, n) + np.bincount(ends, on_line * share, n)
    kind[:n] = np.where(lines_at < 0.9, kernel.SMOOTH, np.where(np.abs(lines_at - 2) < 0.1, kernel.LINE, kernel.CORNER))
    ways = np.unique(np.column_stack([low[on_line], high[on_line]]), axis=0)
    kind[:n][turning(scan.points, ways, CORNER) & (kind[:n] == kernel.LINE)] = kernel.CORNER
    return HalfEdges(P, V, twin, out, sharp, kind)


def _split(
    mesh: HalfEdges, moved: Floats, used: tuple[int, int], longest: float
) -> tuple[HalfEdges, Floats, tuple[int, int]]:
    """Split long edges; where there is no room left, with twice the room."""
    m = 3 * used[1]
    ends = np.where(np.arange(m) % 3 == 2, np.arange(m) - 2, np.arange(m) + 1)
    alive = mesh.V[:m] >= 0
    ways = mesh.P[mesh.V[:m][alive]] - mesh.P[mesh.V[ends][alive]]
    now = float(np.sqrt((ways * ways).sum(axis=1).max()))
    # the longest first, all over: halving one triangle after the other down to the end makes needles
    while now > 2 * longest:
        now = max(now / 2, 1.5 * longest)
        mesh, moved, used = _split_once(mesh, moved, used, now)
        kernel.flip_for_valence(mesh.P, mesh.V, mesh.twin, mesh.out, mesh.sharp, used[1])
    return _split_once(mesh, moved, used, longest)


def _split_once(
    mesh: HalfEdges, moved: Floats, used: tuple[int, int], longest: float
) -> tuple[HalfEdges, Floats, tuple[int, int]]:
    while True:
        # a run that fills up leaves a sound mesh: go on from a copy with more room
        trial = HalfEdges._make(array.copy() for array in mesh)
        points, triangles = kernel.split_long(
            trial.P, trial.V, trial.twin, trial.out, trial.sharp, trial.kind, used, longest
        )
        if points >= 0:
            return trial, moved if len(moved) == len(trial.P) else np.empty_like(trial.P), (points, triangles)
        mesh = HalfEdges._make(_longer(array) for array in mesh)


def _longer(array: NDArray[Any]) -> NDArray[Any]:
    more = np.full_like(array, -1) if array.dtype == np.int64 else np.zeros_like(array)
    return np.concatenate([array, more])


def _tidied(mesh: HalfEdges, moved: Floats, points: int, triangles: int) -> tuple[HalfEdges, Floats, int, int]:
    """The mesh without the gaps that dropped points and triangles leave."""
    faces = mesh.V[: 3 * triangles].reshape(-1, 3)
    alive = faces[:, 0] >= 0
    used = np.zeros(points, dtype=bool)
    used[faces[alive].ravel()] = True
    new_point = np.cumsum(used) - 1
    new_triangle = np.cumsum(alive) - 1
    count_p, count_t = int(used.sum()), int(alive.sum())
    V, twin, sharp = np.full_like(mesh.V, -1), np.full_like(mesh.twin, -1), np.zeros_like(mesh.sharp)
    V[: 3 * count_t] = new_point[faces[alive]].ravel()
    old = mesh.twin[: 3 * triangles].reshape(-1, 3)[alive].ravel()
    twin[: 3 * count_t] = np.where(old >= 0, 3 * new_triangle[old // 3] + old % 3, -1)
    sharp[: 3 * count_t] = mesh.sharp[: 3 * triangles].reshape(-1, 3)[alive].ravel()
    out = np.full_like(mesh.out, -1)
    out[V[: 3 * count_t]] = np.arange(3 * count_t)
    P, kind = np.empty_like(mesh.P), np.zeros_like(mesh.kind)
    P[:count_p], kind[:count_p] = mesh.P[:points][used], mesh.kind[:points][used]
    return HalfEdges(P, V, twin, out, sharp, kind), moved, count_p, count_t


class _Lines:
    """The sharp edges and rims of the original, to which the points of lines go back."""

    def __init__(self, mesh: HalfEdges, scan: Scan) -> None:
        m = len(scan.triangles)
        h = np.flatnonzero(mesh.sharp[: 3 * m] | (mesh.twin[: 3 * m] < 0))
        start, end = scan.triangles.ravel()[h], scan.triangles[:, [1, 2, 0]].ravel()[h]
        corners = np.concatenate([scan.points[start], scan.points[end], scan.points[end]], axis=1)
        self._tree = BoxTree(corners) if len(h) else None

    def closest(self, points: Floats) -> Floats:
        """(n, 3) closest places on the lines."""
        return points if self._tree is None else self._tree.closest(points).points


def _onto(scan: Scan, lines: _Lines, mesh: HalfEdges, points: int) -> None:
    """Move all points back onto the original; those of lines onto the lines."""
    kinds = mesh.kind[:points]
    smooth = np.flatnonzero(kinds == kernel.SMOOTH)
    mesh.P[smooth] = scan.tree.closest(mesh.P[smooth]).points
    line = np.flatnonzero(kinds == kernel.LINE)
    if len(line):
        mesh.P[line] = lines.closest(mesh.P[line])
