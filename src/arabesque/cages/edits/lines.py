"""Edges made sharp or smooth, points made corners."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages.beyond import is_plain, sides
from arabesque.cages.cage import Cage
from arabesque.cages.net import through
from arabesque.cages.quads import CageProblem, Quads


def make_sharp(cage: Cage, edges: Ints, sharp: bool = True) -> Cage:
    """The cage with (k,) edges, by number, sharp or smooth."""
    quads = cage.quads
    if not len(edges):
        raise CageProblem("No edge is chosen", "Choose the edges, or rows of them")
    marked = quads.sharp_edges.copy()
    marked[np.asarray(edges, dtype=np.int64)] = sharp
    return Cage(cage.points, Quads(quads.faces, quads.edges[marked], quads.corners, quads.count, quads.bent))


def make_corners(cage: Cage, points: Ints, corner: bool = True) -> Cage:
    """The cage with (k,) points sharp in every direction, or no longer so."""
    quads = cage.quads
    if not len(points):
        raise CageProblem("No point is chosen", "Choose the points first")
    marked = np.zeros(quads.count, dtype=bool)
    marked[quads.corners] = True
    marked[np.asarray(points, dtype=np.int64)] = corner
    return Cage(cage.points, Quads(quads.faces, quads.sharp, np.flatnonzero(marked), quads.count, quads.bent))


def make_bent(cage: Cage, halves: Ints, bent: bool = True) -> Cage:
    """The cage that across the whole sides of its border that (k,) half-edges lie on bends as the rows behind them do,
    or no longer.

    The points of those sides move so that they come to lie where they did. Raises CageProblem for sides with irregular
    points on them or in the row behind.
    """
    quads = cage.quads
    chosen = sides(quads, np.asarray(halves, dtype=np.int64))
    if bent and not all(is_plain(quads, side) for side in chosen):
        raise CageProblem(
            "The border cannot bend where an irregular point or a sharp edge is close to it",
            "Put a loop along the border first, or match the tangent plane only",
        )
    halves = np.concatenate(chosen)
    marked = quads.bends.copy()
    marked[halves] = bent
    edges = quads.edges[quads.edge_of[marked]]
    made = Cage(cage.points, Quads(quads.faces, quads.sharp, quads.corners, quads.count, edges))
    on_sides = np.zeros(quads.count, dtype=bool)
    on_sides[quads.starts[halves]] = on_sides[quads.ends[halves]] = True
    return through(made, cage.limit, on_sides)
