"""A cross field over triangles: the two ways in which the rows of a layout are to run."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import csc_array, diags_array
from scipy.sparse.linalg import splu

from arabesque.arrays import Floats, Ints
from arabesque.layout.rim_lines import rim_lines
from arabesque.layout.triangles import angles_round, frames_of, next_side, rim_sides, side_vectors
from arabesque.scan import Scan, scan_curvature

ALIGN = 0.03
"""How much smoother than led by curvature a balanced field is: the smaller, the more it follows curvature."""
MOST_LED = 4.0
HELD = 1e7
DIFFUSIONS = 4
Held = tuple[Ints, Floats]
"""(k,) triangles, and (k, 3) ways there that rows follow."""
MOST_EDGE = 20.0
SETTLINGS, SLIGHT = 2, 1e-5
"""Rounds in which a field of given turns follows curvature, and what keeps it where nothing else does."""


@dataclass(frozen=True, eq=False)
class CrossField:
    """Two ways square to each other on every triangle, the same as their opposites.

    angle: (m,) of the first way against the triangle's own first axis. frames: (m, 2, 3) the axes. sides: (e, 2)
    pairs of sides 3 t + k that are one edge. turns: (e,) by how many quarter turns, counter-clockwise, the first way
    of the second triangle is ahead of the first's, carried over the edge. index: (n,) quarter turns of the field
    round each inner point, 0 where it is regular; a point of index i becomes one of 4 - i faces.
    """

    angle: Floats
    frames: Floats
    sides: Ints
    turns: Ints
    index: Ints

    @property
    def ways(self) -> Floats:
        """(m, 3) the first way, unit."""
        a = self.angle[:, None]
        return np.asarray(np.cos(a) * self.frames[:, 0] + np.sin(a) * self.frames[:, 1])


def cross_field(scan: Scan, smooth: float = 1.0, held: Held | None = None) -> CrossField:
    """The smoothest field that follows the scan's main curvatures where these differ, and its rims.

    smooth: how much smoothness counts against curvature; 1 is balanced. held: (k,) triangles and (k, 3) ways there
    that rows follow. One complex unknown a triangle, e^(4 i angle), solved for, diffused and brought back to length
    one: Knoeppel, Crane, Pinkall and Schroeder, "Globally optimal direction fields", SIGGRAPH 2013; Viertel and
    Osting, "An approach to quad meshing based on harmonic cross-valued maps", SIAM J. Sci. Comput. 41, 2019.
    """
    given = _Given(scan, smooth, held)
    f, g = (given.sides // 3).T
    weight, data, wanted, areas = given.weight, given.data, given.wanted, given.areas
    carry = np.exp(4j * given.carried)
    m = len(areas)
    rows = np.concatenate([f, g, f, g])
    columns = np.concatenate([f, g, g, f])
    values = np.concatenate([weight, weight, -weight * carry.conj(), -weight * carry])
    energy = csc_array((values, (rows, columns)), shape=(m, m))
    z = splu((energy + diags_array(data + 1e-9 * weight.mean())).tocsc()).solve(data * wanted + 1e-9 * weight.mean())
    step = float(weight.mean()) * areas / areas.mean()
    ready = splu((energy + diags_array(step + data)).tocsc())
    for _ in range(DIFFUSIONS):
        z = z / np.maximum(np.abs(z), 1e-300)
        z = ready.solve(step * z + data * wanted)
    return _with_turns(scan, given, np.angle(z) / 4)


def with_these_turns(scan: Scan, field: CrossField, smooth: float = 1.0, held: Held | None = None) -> CrossField:
    """The smoothest field with the turns and indices of another, that follows curvature, rims and ``held`` as that
    does: its angles solve one linear system, in which what they follow counts by the nearest quarter turn."""
    given = _Given(scan, smooth, held)
    f, g = (given.sides // 3).T
    weight, m = given.weight, len(given.areas)
    step = given.carried + field.turns * np.pi / 2
    rows, columns = np.concatenate([f, g, f, g]), np.concatenate([f, g, g, f])
    energy = csc_array((np.concatenate([weight, weight, -weight, -weight]), (rows, columns)), shape=(m, m))
    apart = np.bincount(g, weight * step, m) - np.bincount(f, weight * step, m)
    angle, target = field.angle, np.angle(given.wanted) / 4
    for number in range(SETTLINGS + 1):
        # curvature is asked only when the field has gone round the new places
        data = (given.data if number else given.firm) + SLIGHT * weight.mean()
        near = np.where(given.data > 0, angle + np.remainder(target - angle + np.pi / 4, np.pi / 2) - np.pi / 4, angle)
        angle = splu((energy + diags_array(data)).tocsc()).solve(apart + data * near)
    return CrossField(angle, field.frames, field.sides, field.turns, field.index)


class _Given:
    """What a field on a scan follows, and how strongly.

    carried: (e,) what is added to an angle that is carried from the first to the second triangle of an edge. weight:
    (e,) of edges. wanted: (m,) e^(4 i angle); data: (m,) how much it counts, firm: (m,) what of that is held.
    """

    def __init__(self, scan: Scan, smooth: float, held: Held | None) -> None:
        self.frames, self.sides = frames_of(scan), scan.shared_sides
        self.areas = scan.areas
        areas, m = self.areas, len(self.areas)
        f, g = (self.sides // 3).T
        edge = side_vectors(scan)[self.sides[:, 0]]
        self.carried = _angles(self.frames[g], edge) - _angles(self.frames[f], edge)
        size = np.einsum("ec,ec->e", edge, edge)
        self.weight = np.minimum(3 * size / np.maximum(areas[f] + areas[g], 1e-300), MOST_EDGE)
        self.wanted, trust = _curvature_led(scan, self.frames, areas)
        mass = trust * areas / areas.sum() / (ALIGN * smooth) * self.weight.sum() / m
        self.firm = np.zeros(m)
        for triangles, ways in _held(scan, held):
            self.wanted[triangles] = np.exp(4j * _angles(self.frames[triangles], ways))
            self.firm[triangles] = HELD * float(self.weight.mean())
        self.data = mass + self.firm


def _with_turns(scan: Scan, given: _Given, angle: Floats) -> CrossField:
    """A field by its angles, with its turns over edges and its indices."""
    sides = given.sides
    f, g = (sides // 3).T
    ahead = angle[g] - angle[f] - given.carried
    turns = np.rint(ahead / (np.pi / 2)).astype(np.int64)
    drift = ahead - turns * np.pi / 2
    # going counter-clockwise round a point one leaves a triangle over the side that ends there
    n, t = len(scan.points), scan.triangles
    starts, ends = t.ravel(), np.roll(t, -1, axis=1).ravel()
    total = np.zeros(n)
    np.add.at(total, ends[sides[:, 0]], drift)
    np.add.at(total, starts[sides[:, 0]], -drift)
    index = np.rint((total + 2 * np.pi - angles_round(scan)) / (np.pi / 2)).astype(np.int64)
    index[scan.border_edges.ravel()] = 0
    return CrossField(angle, given.frames, sides, turns, index)


def _angles(frames: Floats, ways: Floats) -> Floats:
    x, y = (np.einsum("nc,nc->n", frames[:, k], ways) for k in (0, 1))
    return np.asarray(np.arctan2(y, x))


def _curvature_led(scan: Scan, frames: Floats, areas: Floats) -> tuple[Floats, Floats]:
    """(m,) complex e^(4 i angle) of the main curvatures, and how clearly they differ there."""
    bend = scan_curvature(scan, 3)
    differ = np.abs(bend.largest - bend.smallest) * np.sqrt(areas.sum() / (4 * np.pi))
    z = np.zeros(len(areas), dtype=complex)
    for k in range(3):
        corner = scan.triangles[:, k]
        z += differ[corner] * np.exp(4j * _angles(frames, bend.across[corner])) / 3
    trust = np.minimum(np.abs(z), MOST_LED)
    return z / np.maximum(np.abs(z), 1e-300), trust


def _held(scan: Scan, held: Held | None) -> list[Held]:
    """Triangles whose way is given: those at rims along them, and what else is asked for."""
    sides, corner = rim_sides(scan), scan.triangles.ravel()
    # a rim runs as missing triangles would, against those that are there
    side_from = dict(zip(corner[next_side(sides)].tolist(), sides.tolist(), strict=True))
    found = [(np.array([side_from[p] for p in line.ring.tolist()]) // 3, line.ways) for line in rim_lines(scan)]
    if held is not None:
        found.append(held)
    return found
