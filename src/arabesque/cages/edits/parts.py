"""What edits share: a cage from parts, with points that no face uses left out."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, Ints
from arabesque.cages.cage import Cage
from arabesque.cages.quads import compacted


def cage_from(points: Floats, faces: ArrayLike, sharp: ArrayLike, corners: ArrayLike) -> Cage:
    """The cage over the points that faces use; sharp edges that no face has any more are left out."""
    array = np.asarray(faces, dtype=np.int64).reshape(-1, 4)
    edges = np.asarray(sharp, dtype=np.int64).reshape(-1, 2)
    kept, quads, _ = compacted(points, array, edges, np.asarray(corners, dtype=np.int64).ravel())
    return Cage(kept, quads)


def renumbered(cage: Cage, points: Floats, target: Ints, faces: Ints) -> Cage:
    """The cage over some of its faces, with each point standing where (n,) ``target`` says among ``points``."""
    quads = cage.quads
    sharp = target[quads.sharp]
    sharp = sharp[sharp[:, 0] != sharp[:, 1]]
    return cage_from(points, target[faces], sharp, target[quads.corners])
