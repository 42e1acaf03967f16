"""What a patch covers of the area that was asked for: all of it, nothing else, and nothing twice."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, tree_of
from arabesque.geometry import Surface, foot_points
from arabesque.scan import Scan
from arabesque.shapes import Samples

LEAST_COVERAGE = 0.97
MOST_OUTSIDE = 0.05
MOST_FOLDED = 0.001
MOST_BOWED = 0.05
"""Of the straight quadrangle: border lines that run further out of it, or into it, are told."""
SAMPLES_ALONG = 60
MOST_PLACES = 4000
HUGE = 3.0
"""Median cells: further round a sample nothing that lies over it is looked for."""
ROUND_ABOUT = 4.0
"""Places within a tolerance of each other, and so many tolerances and cells apart along the patch, lie over one
another."""


@dataclass(frozen=True)
class Cover:
    """Shares by area.

    coverage: of the scan inside the border lines, how much has its foot inside the patch. outside: of the patch, how
    much lies beyond the border lines. bowed: of the straight quadrangle between the corners, how much the border lines
    run out of it, below 0 into it. folded: of the patch, how much runs backwards over the scan, or lies over
    another part of itself.
    """

    coverage: float
    outside: float
    folded: float
    bowed: float = 0.0

    @property
    def whole(self) -> bool:
        """True where the patch covers what was asked for, once."""
        return self.coverage >= LEAST_COVERAGE and self.outside <= MOST_OUTSIDE and self.folded <= MOST_FOLDED

    @property
    def words(self) -> str:
        """What is wrong with it; empty where nothing is."""
        found = []
        if self.coverage < LEAST_COVERAGE:
            found.append(f"{100 * (1 - self.coverage):.0f} % of what was clicked is not covered")
        if self.outside > MOST_OUTSIDE:
            found.append(f"{100 * self.outside:.0f} % of it lies beyond the border lines")
        if self.folded > MOST_FOLDED:
            found.append(f"{100 * self.folded:.1f} % of it is folded")
        if abs(self.bowed) > MOST_BOWED:
            way = "out of" if self.bowed > 0 else "into"
            found.append(f"its border lines run {way} the straight quadrangle by {100 * abs(self.bowed):.0f} %")
        return ", ".join(found)


def cover(surface: Surface, scan: Scan, inside: Bools, tolerance: float) -> Cover:
    """How a patch covers the triangles ``inside`` (m,) of a scan. tolerance: mm; so near to a border counts as in."""
    chosen = np.flatnonzero(inside)
    chosen = chosen[:: max(1, len(chosen) // MOST_PLACES)]
    places = scan.points[scan.triangles[chosen]].mean(axis=1)
    areas = np.linalg.norm(scan.area_vectors[chosen], axis=1)
    feet = foot_points(surface, places)
    # triangles that the lines run over lie half beyond them
    size = np.sqrt(2 * areas)
    gap = np.linalg.norm(feet.points - places, axis=1)
    covered = feet.inside | (gap <= np.maximum(tolerance, size))
    samples = surface.sampler(SAMPLES_ALONG).read(surface)
    closest = scan.closest(samples.points)
    edge = np.sqrt(2 * np.linalg.norm(scan.area_vectors[closest.triangle], axis=1))
    beyond = ~inside[closest.triangle] & _far_from_inside(samples, scan, inside, np.maximum(edge, tolerance))
    backwards = np.einsum("nc,nc->n", samples.normals, closest.normals) < 0
    weight = samples.areas / max(float(samples.areas.sum()), 1e-300)
    doubled = _doubled(samples, tolerance)
    return Cover(
        float(areas[covered].sum() / areas.sum()),
        float(weight[beyond].sum()),
        float(weight[backwards | doubled].sum()),
    )


def _far_from_inside(samples: Samples, scan: Scan, inside: Bools, reach: np.ndarray) -> Bools:
    """Which samples lie further than (n,) reach from every corner of the triangles inside."""
    points = scan.points[np.unique(scan.triangles[inside])]
    return np.asarray(tree_of(points).query(samples.points)[0] > reach)


def _doubled(samples: Samples, tolerance: float) -> Bools:
    """Which samples lie within a tolerance of a part of the patch that is far from them along the patch itself.

    Sheets that lie over one another have their samples anywhere: those within a cell of each other are looked at, and
    how far one is off the other's tangent plane counts.
    """
    n = len(samples.points)
    found = np.zeros(n, dtype=bool)
    columns = int(np.count_nonzero(samples.uv[:, 0] == samples.uv[0, 0]))
    cells = np.sqrt(2 * samples.areas)
    # a few cells may be huge: their neighbours see what lies over them
    reach = tolerance + min(float(cells.max(initial=0.0)), HUGE * float(np.median(cells)))
    pairs = tree_of(samples.points).query_pairs(reach, output_type="ndarray")
    one, other = pairs.T
    apart = samples.points[other] - samples.points[one]
    off = np.abs(np.einsum("nc,nc->n", apart, samples.normals[one]))
    aside = np.sqrt(np.maximum(np.einsum("nc,nc->n", apart, apart) - off**2, 0.0))
    cell = np.maximum(cells[one], cells[other])
    near = (off <= tolerance) & (aside <= np.maximum(cell, tolerance))
    pairs, cell = pairs[near], cell[near]
    if not len(pairs):
        return found
    grid = samples.points.reshape(-1, columns, 3)
    along_u, along_v = (
        np.cumsum(np.linalg.norm(np.diff(grid, axis=axis, prepend=grid.take([0], axis)), axis=2), axis=axis)
        for axis in (0, 1)
    )
    (i, j), (k, m) = (np.divmod(pairs[:, side], columns) for side in (0, 1))
    # along one line of each direction: longer than straight, and the more so the more askew the lines are
    way = np.abs(along_u[k, j] - along_u[i, j]) + np.abs(along_v[k, m] - along_v[k, j])
    found[pairs[way > ROUND_ABOUT * np.maximum(tolerance, cell)].ravel()] = True
    return found
