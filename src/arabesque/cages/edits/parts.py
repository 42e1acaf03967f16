"""What edits share: a cage from parts, with points that no face uses left out."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, Ints
from arabesque.cages.cage import Cage
from arabesque.cages.quads import compacted


def cage_from(points: Floats, faces: ArrayLike, sharp: ArrayLike, corners: ArrayLike, bent: ArrayLike) -> Cage:
    """The cage over the points that faces use; sharp and bent edges that no face has any more are left out."""
    array = np.asarray(faces, dtype=np.int64).reshape(-1, 4)
    edges = np.asarray(sharp, dtype=np.int64).reshape(-1, 2)
    corner = np.asarray(corners, dtype=np.int64).ravel()
    kept, quads, _ = compacted(points, array, edges, corner, np.asarray(bent, dtype=np.int64).reshape(-1, 2))
    return Cage(kept, quads)


def renumbered(cage: Cage, points: Floats, target: Ints, faces: Ints) -> Cage:
    """The cage over some of its faces, with each point standing where (n,) ``target`` says among ``points``."""
    quads = cage.quads
    sharp, bent = (edges[edges[:, 0] != edges[:, 1]] for edges in (target[quads.sharp], target[quads.bent]))
    return cage_from(points, target[faces], sharp, target[quads.corners], bent)
