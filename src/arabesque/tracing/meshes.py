"""The meshes of a network of curves: closed rings of their parts, found by themselves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array

from arabesque.arrays import Floats, Ints, tree_of, unit
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, breakpoints, parts_of_curve
from arabesque.geometry.nets import flat_normal
from arabesque.scan import Scan
from arabesque.tracing.crossings import Crossing, cuts_of, every_crossing
from arabesque.tracing.loft import begun_at, is_closed

CORNER_TURN = 30.0
"""Degrees by which a ring turns at a corner of its mesh; what turns less is one side."""
KINK = 10.0
"""Degrees by which a curve may turn where a line runs on smoothly."""
DENSE = 48
"""Places by which a part of a curve is read."""
AHEAD = 0.04
"""Of a part: so far along it its direction at a node is taken."""
FEWEST, MOST = 3, 5
"""Sides of a mesh that can be filled."""


@dataclass(frozen=True, eq=False)
class Arc:
    """A part of a curve between two nodes. curve: number of it; places: (DENSE, 3) at even steps of its way."""

    curve: int
    part: Curve
    start: int
    end: int
    places: Floats


@dataclass(frozen=True, eq=False)
class Mesh:
    """A ring of arcs with the inside to its left.

    ring: (number of an arc, True where it is run forwards). corners: positions in the ring at which a side begins.
    middle: (3,) for a label.
    """

    ring: tuple[tuple[int, bool], ...]
    corners: tuple[int, ...]
    middle: Floats

    @property
    def sides(self) -> int:
        """How many it has."""
        return len(self.corners)

    @property
    def fillable(self) -> bool:
        """True for three to five sides."""
        return FEWEST <= self.sides <= MOST

    def side(self, number: int) -> list[tuple[int, bool]]:
        """The arcs of one side, in order."""
        start, end = self.corners[number], self.corners[(number + 1) % self.sides]
        count = (end - start) % len(self.ring) or len(self.ring)
        return [self.ring[(start + k) % len(self.ring)] for k in range(count)]


@dataclass(frozen=True, eq=False)
class CurveMeshes:
    """What curves make together. nodes: (n, 3) where they meet. gaps: where they nearly meet: meshes end open there."""

    nodes: Floats
    normals: Floats
    arcs: tuple[Arc, ...]
    meshes: tuple[Mesh, ...]
    gaps: tuple[Crossing, ...]

    @property
    def filled(self) -> list[Mesh]:
        """The meshes of three to five sides."""
        return [mesh for mesh in self.meshes if mesh.fillable]


def find_meshes(curves: Sequence[Curve], scan: Scan | None, tolerance: float) -> CurveMeshes:
    """Nodes, arcs and closed meshes of curves that cross or end on each other within ``tolerance`` mm.

    Which arc follows which round a node is seen along the scan's normal there (without a scan along the normal of the
    plane that fits all curves). A ring that runs the other way round is the outside. Parts that end freely belong to
    no mesh. Raises FitProblem where there are no curves.
    """
    if not curves:
        raise FitProblem("There are no curves", "Draw some, or choose those that go round the meshes")
    crossings = every_crossing(curves, tolerance)
    arcs = _arcs(curves, crossings.found, tolerance)
    nodes, arcs = _joined_nodes(arcs, tolerance)
    arcs = _without_free_ends(arcs)
    if scan is not None and len(nodes):
        closest = scan.closest(nodes)
        normals = scan.smoothed_normals[scan.triangles[closest.triangle, 0]]
    else:
        normals = np.tile(flat_normal(np.concatenate([c.points for c in curves])), (len(nodes), 1))
    meshes = _rings(nodes, normals, arcs)
    return CurveMeshes(nodes, normals, tuple(arcs), tuple(meshes), crossings.nearly)


def _arcs(curves: Sequence[Curve], crossings: Sequence[Crossing], tolerance: float) -> list[Arc]:
    """The parts of all curves between crossings and kinks; nodes are not joined yet: each has its own two."""
    found: list[Arc] = []
    for number, (curve, cuts) in enumerate(zip(curves, cuts_of(curves, crossings), strict=True)):
        at = np.unique(np.concatenate([cuts, _kinks(curve)]))
        if is_closed(curve) and len(at):
            seam = [c for c in crossings if number in (c.first, c.second) and _at_seam(curve, number, c)]
            if not seam:
                low, high = curve.domain
                curve = begun_at(curve, float(at[0]))
                at = (at[1:] - at[0]) + curve.domain[0] if curve.domain[0] == low else at[1:]
                at = at[at < curve.domain[1] - 1e-9 * (high - low)]
        for part in parts_of_curve(curve, at):
            places = _even(part)
            if np.linalg.norm(np.diff(places, axis=0), axis=1).sum() > 2 * tolerance:
                found.append(Arc(number, part, 2 * len(found), 2 * len(found) + 1, places))
    return found


def _at_seam(curve: Curve, number: int, one: Crossing) -> bool:
    low, high = curve.domain
    t = one.t if one.first == number else one.s
    return bool(min(t - low, high - t) < 1e-6 * (high - low))


def _kinks(curve: Curve) -> Floats:
    """Parameters inside at which the curve turns sharply."""
    inner = breakpoints(curve.knots)[1:-1]
    inner = np.array([t for t in inner if (curve.knots == t).sum() >= curve.degree])
    if not len(inner):
        return inner
    step = 1e-7 * (curve.domain[1] - curve.domain[0])
    before, after = (unit(curve.derivatives(inner + side * step, 1)[1]) for side in (-1, 1))
    turn = np.degrees(np.arccos(np.clip(np.einsum("nc,nc->n", before, after), -1, 1)))
    return inner[turn > KINK]


def _even(curve: Curve) -> Floats:
    """(DENSE, 3) places at even steps of a curve's way."""
    t = np.linspace(*curve.domain, 6 * DENSE)
    points = curve.at(t)
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    return curve.at(np.interp(np.linspace(0.0, along[-1], DENSE), along, t))


def _joined_nodes(arcs: Sequence[Arc], tolerance: float) -> tuple[Floats, list[Arc]]:
    """Ends within half as much again as the tolerance are one node, in their middle: three may cross in pairs."""
    if not arcs:
        return np.empty((0, 3)), []
    ends = np.concatenate([arc.places[[0, -1]] for arc in arcs])
    from scipy.sparse.csgraph import connected_components  # not needed at the start of the window

    pairs = tree_of(ends).query_pairs(1.5 * tolerance, output_type="ndarray")
    graph = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(ends), len(ends)))
    count, label = connected_components(graph, directed=False)
    nodes = np.array([ends[label == k].mean(axis=0) for k in range(count)])
    return nodes, [Arc(arc.curve, arc.part, int(label[arc.start]), int(label[arc.end]), arc.places) for arc in arcs]


def _without_free_ends(arcs: list[Arc]) -> list[Arc]:
    """The arcs without those that end freely, again and again."""
    while arcs:
        count = np.bincount([node for arc in arcs for node in (arc.start, arc.end)])
        kept = [arc for arc in arcs if count[arc.start] > 1 and count[arc.end] > 1]
        if len(kept) == len(arcs):
            break
        arcs = kept
    return arcs


def _rings(nodes: Floats, normals: Floats, arcs: Sequence[Arc]) -> list[Mesh]:
    """All rings with their inside to the left: at each node the next arc clockwise is taken."""
    if not arcs:
        return []
    origin = np.array([[arc.start, arc.end] for arc in arcs]).ravel()
    heading = _headings(nodes, normals, arcs, origin)
    following = np.zeros(2 * len(arcs), dtype=np.int64)
    for node in np.unique(origin):
        leaving = np.flatnonzero(origin == node)
        leaving = leaving[np.argsort(heading[leaving])]
        for k, out in enumerate(leaving):
            following[out ^ 1] = leaving[k - 1]
    meshes, seen = [], np.zeros(len(following), dtype=bool)
    for first in range(len(following)):
        ring: list[int] = []
        half = first
        while not seen[half]:
            seen[half] = True
            ring.append(half)
            half = int(following[half])
        if ring and len({h // 2 for h in ring}) == len(ring):
            mesh = _mesh(np.array(ring), arcs, normals, origin, heading)
            if mesh is not None:
                meshes.append(mesh)
    return meshes


def _headings(nodes: Floats, normals: Floats, arcs: Sequence[Arc], origin: Ints) -> Floats:
    """(2 arcs,) angles at which halves of arcs leave their nodes, seen along the normals there."""
    ahead = []
    for arc in arcs:
        ahead += [_ahead(arc.places), _ahead(arc.places[::-1])]
    ways = np.array(ahead)
    up = normals[origin]
    x = unit(np.cross(up, np.eye(3)[np.abs(up).argmin(axis=1)]))
    y = np.cross(up, x)
    return np.arctan2(np.einsum("nc,nc->n", ways, y), np.einsum("nc,nc->n", ways, x))


def _ahead(places: Floats) -> Floats:
    reach = max(1, round(AHEAD * len(places)))
    return np.asarray(unit((places[reach] - places[0])[None])[0])


def _mesh(ring: Ints, arcs: Sequence[Arc], normals: Floats, origin: Ints, heading: Floats) -> Mesh | None:
    """The mesh of a ring; None for the outside."""
    places = np.concatenate([(arcs[h // 2].places if h % 2 == 0 else arcs[h // 2].places[::-1])[:-1] for h in ring])
    middle = places.mean(axis=0)
    centred = places - middle
    area = np.cross(centred, np.roll(centred, -1, axis=0)).sum(axis=0)
    if area @ normals[origin[ring]].sum(axis=0) <= 0:
        return None
    turn = np.degrees(heading[ring] - (heading[np.roll(ring, 1) ^ 1] + np.pi))
    turn = (turn + 180.0) % 360.0 - 180.0
    sharp = np.flatnonzero(np.abs(turn) > CORNER_TURN)
    if len(sharp) < FEWEST <= len(ring) <= MOST:
        # all that meets there is drawn flat: the nodes are the corners
        sharp = np.arange(len(ring))
    corners = tuple(sharp.tolist())
    return Mesh(tuple((int(h // 2), bool(h % 2 == 0)) for h in ring), corners, middle)
