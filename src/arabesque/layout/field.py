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
MOST_EDGE = 20.0


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


def cross_field(scan: Scan, smooth: float = 1.0, held: tuple[Ints, Floats] | None = None) -> CrossField:
    """The smoothest field that follows the scan's main curvatures where these differ, and its rims.

    smooth: how much smoothness counts against curvature; 1 is balanced. held: (k,) triangles and (k, 3) ways there
    that rows follow. One complex unknown a triangle, e^(4 i angle), solved for, diffused and brought back to length
    one: Knoeppel, Crane, Pinkall and Schroeder, "Globally optimal direction fields", SIGGRAPH 2013; Viertel and
    Osting, "An approach to quad meshing based on harmonic cross-valued maps", SIAM J. Sci. Comput. 41, 2019.
    """
    frames, sides = frames_of(scan), scan.shared_sides
    areas = np.linalg.norm(scan.area_vectors, axis=1)
    f, g = (sides // 3).T
    edge = side_vectors(scan)
    one, other = (_angles(frames[t], edge[s]) for t, s in ((f, sides[:, 0]), (g, sides[:, 0])))
    carry = np.exp(4j * (other - one))
    size = np.einsum("ec,ec->e", edge[sides[:, 0]], edge[sides[:, 0]])
    weight = np.minimum(3 * size / np.maximum(areas[f] + areas[g], 1e-300), MOST_EDGE)
    m = len(areas)
    rows = np.concatenate([f, g, f, g])
    columns = np.concatenate([f, g, g, f])
    values = np.concatenate([weight, weight, -weight * carry.conj(), -weight * carry])
    energy = csc_array((values, (rows, columns)), shape=(m, m))
    led, trust = _curvature_led(scan, frames, areas)
    mass = trust * areas / areas.sum() / (ALIGN * smooth) * weight.sum() / m
    firm = np.zeros(m)
    wanted = led.copy()
    for triangles, ways in _held(scan, held):
        wanted[triangles] = np.exp(4j * _angles(frames[triangles], ways))
        firm[triangles] = HELD * float(weight.mean())
    data = mass + firm
    z = splu((energy + diags_array(data + 1e-9 * weight.mean())).tocsc()).solve(data * wanted + 1e-9 * weight.mean())
    step = float(weight.mean()) * areas / areas.mean()
    ready = splu((energy + diags_array(step + data)).tocsc())
    for _ in range(DIFFUSIONS):
        z = z / np.maximum(np.abs(z), 1e-300)
        z = ready.solve(step * z + data * wanted)
    angle = np.angle(z) / 4
    return _with_turns(scan, frames, sides, angle)


def _with_turns(scan: Scan, frames: Floats, sides: Ints, angle: Floats) -> CrossField:
    """A field by its angles, with its turns over edges and its indices."""
    f, g = (sides // 3).T
    edge = side_vectors(scan)[sides[:, 0]]
    carried = angle[f] - _angles(frames[f], edge) + _angles(frames[g], edge)
    ahead = angle[g] - carried
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
    return CrossField(angle, frames, sides, turns, index)


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


def _held(scan: Scan, held: tuple[Ints, Floats] | None) -> list[tuple[Ints, Floats]]:
    """Triangles whose way is given: those at rims along them, and what else is asked for."""
    sides, corner = rim_sides(scan), scan.triangles.ravel()
    # a rim runs as missing triangles would, against those that are there
    side_from = dict(zip(corner[next_side(sides)].tolist(), sides.tolist(), strict=True))
    found = [(np.array([side_from[p] for p in line.ring.tolist()]) // 3, line.ways) for line in rim_lines(scan)]
    if held is not None:
        found.append(held)
    return found
