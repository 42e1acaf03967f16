"""Edges made sharp or smooth, points made corners."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages.cage import Cage
from arabesque.cages.quads import CageProblem, Quads


def make_sharp(cage: Cage, edges: Ints, sharp: bool = True) -> Cage:
    """The cage with (k,) edges, by number, sharp or smooth."""
    quads = cage.quads
    if not len(edges):
        raise CageProblem("No edge is chosen", "Choose the edges, or rows of them")
    marked = quads.sharp_edges.copy()
    marked[np.asarray(edges, dtype=np.int64)] = sharp
    return Cage(cage.points, Quads(quads.faces, quads.edges[marked], quads.corners, quads.count))


def make_corners(cage: Cage, points: Ints, corner: bool = True) -> Cage:
    """The cage with (k,) points sharp in every direction, or no longer so."""
    quads = cage.quads
    if not len(points):
        raise CageProblem("No point is chosen", "Choose the points first")
    marked = np.zeros(quads.count, dtype=bool)
    marked[quads.corners] = True
    marked[np.asarray(points, dtype=np.int64)] = corner
    return Cage(cage.points, Quads(quads.faces, quads.sharp, np.flatnonzero(marked), quads.count))
