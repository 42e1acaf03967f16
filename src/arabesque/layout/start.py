"""A layout's cage as it starts: its smooth surface laid where the rectangles say, before any closest place is asked."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array, diags_array
from scipy.sparse.linalg import splu

from arabesque.arrays import Floats
from arabesque.cages import Cage, make_stencils
from arabesque.cages.edits.relax import neighbour_mean
from arabesque.layout.coarse import Coarse, samples_on
from arabesque.layout.fine import FineQuads
from arabesque.layout.walls import Walls

ALONG = (1 / 6, 1 / 2, 5 / 6)
FAIR = 2e-3
"""How much the middle of its neighbours draws a point against one sample."""


def started(fine: FineQuads, walls: Walls, coarse: Coarse) -> Cage:
    """The cage whose limit surface lies nearest to places of known parameters: a start by closest places would draw
    tubes together."""
    uv = np.stack(np.meshgrid(ALONG, ALONG, indexing="ij"), axis=-1).reshape(-1, 2)
    targets: Floats = samples_on(fine, walls, coarse, uv).reshape(-1, 3)
    n, quads = len(coarse.quads.faces), coarse.quads
    matrix = make_stencils(quads, np.repeat(np.arange(n), len(uv)), np.tile(uv, (n, 1)), 0).matrix(0, quads.count)
    mean, _ = neighbour_mean(quads)
    bent = csr_array(mean - diags_array(np.ones(quads.count)))
    system = csr_array(matrix.T @ matrix + FAIR * (bent.T @ bent))
    points = splu(system.tocsc()).solve(np.asarray(matrix.T @ targets))
    return Cage(points, quads)
