"""Lines of a scan along which it bends most: edges, ridges and grooves."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, Ints, frozen_array, summed, tree_of
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Plane, apply
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan, calming_rounds, scan_curvature
from arabesque.shapes import Guide


@dataclass(frozen=True, eq=False)
class LineSet:
    """Polylines on a scan. points: (n, 3), mm. starts: (k+1,) where each line begins in points. closed: (k,)."""

    points: Floats
    starts: Ints
    closed: tuple[bool, ...] = ()

    def __post_init__(self) -> None:
        points = frozen_array(self.points, (None, 3), np.float64, what="Lines")
        starts = frozen_array(self.starts, (None,), np.int64, what="Lines", below=len(points) + 1)
        whole = len(starts) and starts[0] == 0 and starts[-1] == len(points) and (np.diff(starts) > 0).all()
        closed = tuple(self.closed) or (False,) * (len(starts) - 1)
        if not whole or len(closed) != len(starts) - 1:
            raise InvalidShape("The lines do not fit their points", "Find them anew")
        object.__setattr__(self, "closed", closed)
        object.__setattr__(self, "points", points)
        object.__setattr__(self, "starts", starts)

    @classmethod
    def of(cls, lines: list[Floats], closed: list[bool]) -> LineSet:
        """The set of some (n, 3) polylines."""
        if not lines:
            raise ArabesqueError("There are no lines", "Raise the sensitivity")
        return cls(np.concatenate(lines), np.cumsum([0, *map(len, lines)]), tuple(closed))

    @property
    def lines(self) -> list[Floats]:
        """The polylines, (n, 3) each."""
        return [self.points[a:b] for a, b in zip(self.starts[:-1], self.starts[1:], strict=True)]

    def guides(self) -> list[Guide]:
        """Each of the lines."""
        return [Guide(line, closed) for line, closed in zip(self.lines, self.closed, strict=True)]

    @property
    def box(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box round the points, mm."""
        return self.points.min(axis=0), self.points.max(axis=0)

    def moved(self, matrix: Floats) -> LineSet:
        """The lines after a (4, 4) rigid motion."""
        return replace(self, points=apply(matrix, self.points))

    def mirrored(self, plane: Plane) -> LineSet:
        """The mirror image of the lines."""
        return replace(self, points=plane.mirrored(self.points))

    @property
    def count(self) -> int:
        """How many lines there are."""
        return len(self.starts) - 1

    @property
    def length(self) -> float:
        """Length of all lines together, mm."""
        return float(sum(np.linalg.norm(np.diff(line, axis=0), axis=1).sum() for line in self.lines))

    def closest(self, point: Floats) -> Floats:
        """(3,) the point of the lines that is closest."""
        return self.points[np.linalg.norm(self.points - point, axis=1).argmin()]


def feature_lines(scan: Scan, sensitivity: float = 0.5, progress: Progress = silent) -> LineSet:
    """Lines where the largest curvature has its maximum across itself.

    sensitivity: 0 to 1; more finds weaker lines. Zero crossings of the
    derivative of curvature along its direction, on each triangle (Ohtake,
    Belyaev and Seidel, "Ridge-valley lines on meshes via implicit surface
    fitting", SIGGRAPH 2004), chained, kept where strong with hysteresis,
    joined across small gaps and smoothed.

    Raises ArabesqueError when there are none.
    """
    if not 0 <= sensitivity <= 1:
        raise ArabesqueError("The sensitivity is a number from 0 to 1", "Choose a value between")
    curvature = scan_curvature(scan, calming_rounds(scan), part(progress, 0.0, 0.6))
    strong = np.where(np.abs(curvature.largest) > np.abs(curvature.smallest), curvature.largest, curvature.smallest)
    progress(0.65, "Following the crests")
    strength = np.abs(strong)
    usual = float(np.median(strength))
    # between the usual bend of this scan and a radius of 1 % of its size
    highest = max(100 / scan.diagonal, 3 * usual)
    # no bend is seen tighter than the triangles allow
    highest = min(highest, max(1 / (3 * scan.edge_length), 4 * usual))
    high = 1.5 * usual * (highest / (1.5 * usual)) ** (1 - sensitivity) if usual > 0 else highest
    segments, ends, value = _crests(scan, strength, curvature.across, 0.5 * high)
    if not len(segments):
        raise ArabesqueError("No lines were found", "Raise the sensitivity")
    progress(0.8, "Joining the lines")
    chains = _chains(ends)
    edge = float(np.median(np.linalg.norm(segments[:, 0] - segments[:, 1], axis=1)))
    places = {}
    for (a, b), (p, q), v in zip(ends, segments, value, strict=True):
        places[int(a)], places[int(b)] = (p, v), (q, v)
    lines, closed = [], []
    shortest = max(0.02 * scan.diagonal, 6 * edge)
    for chain, ring in chains:
        line = np.array([places[n][0] for n in chain])
        weights = np.array([places[n][1] for n in chain])
        if weights.max() >= high and weights.mean() >= 0.8 * high:
            lines.append(line)
            closed.append(ring)
    lines, closed = _bridged(lines, closed, 0.02 * scan.diagonal)
    kept = []
    for line, ring in zip(lines, closed, strict=True):
        if np.linalg.norm(np.diff(line, axis=0), axis=1).sum() >= shortest:
            kept.append((_smoothed(scan, line, ring), ring))
    if not kept:
        raise ArabesqueError("No lines were found", "Raise the sensitivity")
    progress(1.0, "Found")
    return LineSet.of([line for line, _ in kept], [ring for _, ring in kept])


def _crests(scan: Scan, strength: Floats, across: Floats, low: float) -> tuple[Floats, Ints, Floats]:
    """(s, 2, 3) crest segments inside triangles, (s, 2) numbers of the edges they end on, (s,) their strength."""
    t = scan.triangles
    slope = _slope_across(scan, strength, across)
    some = np.flatnonzero((strength[t] > low).all(axis=1))
    t = t[some]
    # directions have no sign: turn those of a triangle to agree with its first
    d = across[t]
    agree = np.sign(np.einsum("mkc,mc->mk", d, d[:, 0]))
    e = slope[t] * np.where(agree == 0, 1, agree)
    d = d * agree[..., None]
    p, k = scan.points[t], strength[t]
    crossing = np.zeros((len(t), 3), dtype=bool)
    places = np.zeros((len(t), 3, 3))
    values = np.zeros((len(t), 3))
    for side in range(3):
        other = (side + 1) % 3
        zero = e[:, side] * e[:, other] < 0
        share = np.abs(e[:, side]) / np.maximum(np.abs(e[:, side]) + np.abs(e[:, other]), 1e-300)
        way = p[:, other] - p[:, side]
        # a maximum: curvature rises on the way to the crossing and falls behind it
        rises = e[:, side] * np.einsum("mc,mc->m", way, d[:, side]) > 0
        falls = e[:, other] * np.einsum("mc,mc->m", way, d[:, other]) < 0
        crossing[:, side] = zero & rises & falls
        places[:, side] = p[:, side] + share[:, None] * way
        values[:, side] = k[:, side] + share * (k[:, other] - k[:, side])
    two = crossing.sum(axis=1) == 2
    n = len(scan.points)
    first = crossing[two].argmax(axis=1)
    second = 2 - crossing[two][:, ::-1].argmax(axis=1)
    rows = np.arange(int(two.sum()))
    corners = t[two]

    def key(side: Ints) -> Ints:
        a, b = corners[rows, side], corners[rows, (side + 1) % 3]
        return np.minimum(a, b) * n + np.maximum(a, b)

    segments = np.stack([places[two][rows, first], places[two][rows, second]], axis=1)
    value = (values[two][rows, first] + values[two][rows, second]) / 2
    return segments, np.column_stack([key(first), key(second)]), value


def _slope_across(scan: Scan, strength: Floats, across: Floats) -> Floats:
    """(n,) derivative of the strength along the direction of strongest bending, from the triangles round a point."""
    t = scan.triangles
    p, k = scan.points[t], strength[t]
    normal = 2 * scan.area_vectors
    double = np.maximum((normal * normal).sum(axis=1), 1e-300)
    gradient = (
        sum(k[:, i][:, None] * np.cross(normal, p[:, (i + 2) % 3] - p[:, (i + 1) % 3]) for i in range(3))
        / double[:, None]
    )
    weight = np.sqrt(double)
    n = len(scan.points)
    corners = t.T.ravel()
    total = summed(corners, np.tile(gradient * weight[:, None], (3, 1)), n)
    weights = np.maximum(np.bincount(corners, np.tile(weight, 3), n), 1e-300)
    return np.einsum("nc,nc->n", total, across) / weights


def _chains(ends: Ints) -> list[tuple[list[int], bool]]:
    """Segments joined at shared edge numbers: lists of edge numbers, and whether they close."""
    at: dict[int, list[int]] = {}
    for number, (a, b) in enumerate(ends.tolist()):
        at.setdefault(a, []).append(number)
        at.setdefault(b, []).append(number)
    used = np.zeros(len(ends), dtype=bool)
    chains = []

    def follow(node: int) -> list[int]:
        path = [node]
        while True:
            ways = [s for s in at[path[-1]] if not used[s]]
            if not ways:
                return path
            used[ways[0]] = True
            a, b = ends[ways[0]].tolist()
            path.append(b if a == path[-1] else a)

    for node in sorted(at, key=lambda n: len(at[n])):
        while any(not used[s] for s in at[node]):
            path = follow(node)
            ring = len(path) > 3 and path[0] == path[-1]
            chains.append((path[:-1] if ring else path, ring))
    return chains


def _bridged(lines: list[Floats], closed: list[bool], gap: float) -> tuple[list[Floats], list[bool]]:
    """Lines joined end to end where they go on in the same direction across a small gap."""
    parts = [line for line, ring in zip(lines, closed, strict=True) if not ring and len(line) > 2]
    rings = [line for line, ring in zip(lines, closed, strict=True) if ring]
    joined = True
    while joined and len(parts) > 1:
        joined = False
        ends = np.array([end for line in parts for end in (line[0], line[-1])])
        outward = np.array([_leaving(way) for line in parts for way in (line[::-1], line)])
        pairs = tree_of(ends).query_pairs(gap, output_type="ndarray")
        if not len(pairs):
            break
        ways = ends[pairs[:, 1]] - ends[pairs[:, 0]]
        lengths = np.linalg.norm(ways, axis=1)
        ahead = np.einsum("nc,nc->n", outward[pairs[:, 0]], ways) / np.maximum(lengths, 1e-12)
        behind = -np.einsum("nc,nc->n", outward[pairs[:, 1]], ways) / np.maximum(lengths, 1e-12)
        good = (pairs[:, 0] // 2 != pairs[:, 1] // 2) & (ahead > 0.75) & (behind > 0.75)
        taken: set[int] = set()
        gone: set[int] = set()
        for a, b in pairs[good][np.argsort(lengths[good])].tolist():
            one, two = a // 2, b // 2
            if {one, two} & taken:
                continue
            taken |= {one, two}
            first = parts[one] if a % 2 else parts[one][::-1]
            second = parts[two][::-1] if b % 2 else parts[two]
            parts[one] = np.concatenate([first, second])
            gone.add(two)
            joined = True
        parts = [line for number, line in enumerate(parts) if number not in gone]
    return parts + rings, [False] * len(parts) + [True] * len(rings)


def _leaving(line: Floats) -> Floats:
    """Unit direction in which a line leaves its last point, over its last few."""
    way = line[-1] - line[max(0, len(line) - 6)]
    return way / max(float(np.linalg.norm(way)), 1e-12)


def _smoothed(scan: Scan, line: Floats, ring: bool) -> Floats:
    """A line without its zigzag, back on the scan."""
    for _ in range(6):
        around = (np.roll(line, 1, axis=0) + np.roll(line, -1, axis=0)) / 2
        if not ring:
            around[0], around[-1] = line[0], line[-1]
        line = (line + around) / 2
    step = np.linalg.norm(np.diff(line, axis=0), axis=1)
    apart = np.concatenate([[True], step > 1e-9])
    return scan.tree.closest(line[apart]).points
