"""A mesh cut open to a disc through the irregular points of a field, so that its two ways can be laid out flat."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import breadth_first_order

from arabesque.arrays import Bools, Floats, Ints, leaders, unit
from arabesque.layout.field import CrossField
from arabesque.layout.triangles import next_side
from arabesque.scan import Scan

TURNED = ((1, 0, 0, 1), (0, 1, -1, 0), (-1, 0, 0, -1), (0, -1, 1, 0))
"""By how many quarter turns the second triangle's first way is ahead: how (u, v) becomes the second triangle's."""


@dataclass(frozen=True, eq=False)
class Seams:
    """Where a mesh is cut, its field turned so that both ways go on over all other edges.

    ways: (m, 3) the first way of each triangle, so turned. edges: (c, 2) pairs of sides 3 t + k that are cut.
    turns: (c,) the quarter turns over them. corner: (m, 3) the point of the cut mesh at each corner. count: of these.
    """

    ways: Floats
    edges: Ints
    turns: Ints
    corner: Ints
    count: int


def cut_open(scan: Scan, field: CrossField) -> Seams:
    """Cut a mesh of one piece along a tree of edges that holds all irregular points and ends at rims or in them.

    All edges that a spanning tree of triangles does not cross, without those that lead nowhere (Erickson and
    Har-Peled, "Optimally cutting a surface into a disk", Discrete Comput. Geom. 31, 2004).
    """
    sides, m = field.sides, len(scan.triangles)
    f, g = (sides // 3).T
    graph = csr_array((np.ones(2 * len(f)), (np.concatenate([f, g]), np.concatenate([g, f]))), shape=(m, m))
    order, came = breadth_first_order(graph, int(np.argmax(np.bincount(f, minlength=m))), directed=False)
    crossed = (came[f] == g) | (came[g] == f)
    spin = _spins(order, came, f, g, field.turns, m)
    ends = np.stack([scan.triangles.ravel(), np.roll(scan.triangles, -1, axis=1).ravel()], axis=1)[sides[:, 0]]
    stays = field.index != 0
    stays[scan.border_edges.ravel()] = True
    cut = _pruned(ends, ~crossed, stays)
    turns = (field.turns - spin[f] + spin[g]) % 4
    ways = field.ways
    across = np.cross(unit(scan.area_vectors), ways)
    ways = np.choose(spin[:, None], [ways, across, -ways, -across])
    corner, count = joined_corners(sides[~cut], m)
    return Seams(ways, sides[cut], turns[cut], corner, count)


def joined_corners(sides: Ints, triangles: int) -> tuple[Ints, int]:
    """(m, 3) one number for all corners of ``triangles`` that meet over (e, 2) pairs of sides, and how many there
    are."""
    one, other = sides.T
    # the sides run opposite ways: the start of one is the end of the other
    pairs = np.concatenate([np.column_stack([one, next_side(other)]), np.column_stack([next_side(one), other])])
    names, corner = np.unique(leaders(3 * triangles, pairs), return_inverse=True)
    return corner.reshape(-1, 3), len(names)


def _spins(order: Ints, came: Ints, f: Ints, g: Ints, turns: Ints, m: int) -> Ints:
    """(m,) quarter turns by which each triangle's first way is turned so that no tree edge turns it."""
    over = {}
    for a, b, turn in zip(f.tolist(), g.tolist(), turns.tolist(), strict=True):
        over[a, b], over[b, a] = turn, -turn
    spin = np.zeros(m, dtype=np.int64)
    for t in order[1:].tolist():
        p = int(came[t])
        # the way of t is its parent's, turned by so much: turn it back
        spin[t] = (spin[p] - over[p, t]) % 4
    return spin


def _pruned(ends: Ints, cut: Bools, stays: Bools) -> Bools:
    """The cut edges without branches that end at a point that need not lie on the cut."""
    cut = cut.copy()
    count = np.bincount(ends[cut].ravel(), minlength=len(stays))
    at: dict[int, list[int]] = {}
    for k in np.flatnonzero(cut).tolist():
        for point in ends[k].tolist():
            at.setdefault(point, []).append(k)
    waiting = [p for p in at if count[p] == 1 and not stays[p]]
    while waiting:
        point = waiting.pop()
        for k in at[point]:
            if cut[k]:
                cut[k] = False
                for end in ends[k].tolist():
                    count[end] -= 1
                    if count[end] == 1 and not stays[end]:
                        waiting.append(end)
    return cut
