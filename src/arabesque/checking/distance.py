"""Distance between surfaces and a scan, signed, in both directions."""

from dataclasses import dataclass
from functools import cache
from itertools import pairwise

import numpy as np
from scipy.spatial import cKDTree

from arabesque.arrays import Bools, Floats, Ints
from arabesque.checking.figures import Figures
from arabesque.geometry import Surface, breakpoints, foot_points, unit
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

SAMPLES_ALONG = 100
AGREEING_NORMALS = 0.5
"""Normals further apart than 60° belong to another sheet of the form."""


@dataclass(frozen=True, eq=False)
class Grid:
    """Signed distances of a surface on a parameter grid.

    u, v: (r,), (s,) parameters. points, normals: (r, s, 3). distance: (r, s)
    mm, positive where the surface lies above (outside) the scan. valid:
    (r, s), false where no scan lies below.
    """

    u: Floats
    v: Floats
    points: Floats
    normals: Floats
    distance: Floats
    valid: Bools
    shown: Bools

    @property
    def missing(self) -> float:
        """Share of what is seen of the surface that has no scan below."""
        seen = int(self.shown.sum())
        return 1.0 - float(self.valid.sum()) / seen if seen else 1.0

    @property
    def triangles(self) -> Ints:
        """(m, 3) triangles over the points, counter-clockwise for Su x Sv."""
        return grid_triangles(*self.distance.shape)

    def figures(self, tolerance: float) -> Figures:
        """Figures of the samples that have a scan below."""
        return Figures.of(self.distance[self.valid], tolerance)


@cache
def grid_triangles(rows: int, columns: int) -> Ints:
    """(m, 3) triangles over a grid of rows x columns points, counter-clockwise for Su x Sv."""
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    return np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])


def even_parameters(knots: Floats, count: int) -> Floats:
    """About ``count`` parameters over the knot range, the same number in every span."""
    breaks = breakpoints(knots)
    each = max(2, -(-count // (len(breaks) - 1)))
    spans = [np.linspace(a, b, each, endpoint=False) for a, b in pairwise(breaks)]
    return np.concatenate([*spans, breaks[-1:]])


def surface_to_scan(surface: Surface, scan: Scan, samples_along: int = SAMPLES_ALONG, cut: float = np.inf) -> Grid:
    """Signed distance of a surface on a grid of about ``samples_along``² places.

    A place is not valid, for there is no scan below it, when the closest
    place on the scan is its rim or lies beyond ``cut`` mm.
    """
    u, v = (even_parameters(k, samples_along) for k in surface.knots)
    d = surface.on_grid(u, v, 1)
    points = d[0, 0]
    normals = unit(np.cross(d[1, 0], d[0, 1]))
    distance, valid = distances_to_scan(points.reshape(-1, 3), scan, cut)
    shape, shown = points.shape[:2], shown_on_grid(surface, u, v)
    return Grid(u, v, points, normals, distance.reshape(shape), valid.reshape(shape) & shown, shown)


def shown_on_grid(surface: Surface, u: Floats, v: Floats) -> Bools:
    """(r, s) which places of a grid in parameters belong to what is seen of a surface."""
    places = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1)
    return surface.shows(places.reshape(-1, 2)).reshape(places.shape[:2])


def distances_to_scan(points: Floats, scan: Scan, cut: float = np.inf) -> tuple[Floats, Bools]:
    """Signed distances of (n, 3) points, and which of them have a scan below."""
    distance, closest = scan.signed_distance(points, cut)
    valid = ~closest.on_border & (closest.triangle >= 0)
    return np.where(valid, distance, 0.0), valid


def scan_to_surface(
    scan: Scan,
    surfaces: list[Surface],
    reach: float,
    most: int | None = None,
    progress: Progress = silent,
) -> Floats:
    """Signed distances (n,) of the scan's points to the surfaces they belong to.

    A scan point belongs to a surface when the foot of its perpendicular lies
    strictly inside the surface, no further off than ``reach`` mm, and the
    normals there agree up to sign. Of several surfaces the nearest counts.
    Positive: the surface lies above the scan, as in the other direction.
    ``most`` limits the number of scan points, evenly over their order. What
    lies on a part that a face's trim takes away belongs to nothing.
    """
    best = np.full(len(scan.points), np.inf)
    signed = np.zeros(len(scan.points))
    for number, surface in enumerate(surfaces):
        progress(number / len(surfaces), "Measuring from the scan to the surface")
        near = near_points(scan, surface, reach)
        if most is not None and len(near) * len(surfaces) > most:
            near = near[:: -(-len(near) * len(surfaces) // most)]
        if not len(near):
            continue
        feet = foot_points(surface, scan.points[near])
        gap = feet.points - scan.points[near]
        size = np.linalg.norm(gap, axis=1)
        normals = scan.smoothed_normals[near]
        agree = np.abs(np.einsum("nc,nc->n", surface.normals(feet.uv), normals)) > AGREEING_NORMALS
        shown = feet.inside & surface.shows(feet.uv)
        belongs = shown & agree & (size <= reach) & (size < best[near])
        chosen = near[belongs]
        best[chosen] = size[belongs]
        side = np.einsum("nc,nc->n", gap[belongs], normals[belongs])
        signed[chosen] = np.where(side < 0, -size[belongs], size[belongs])
    return signed[np.isfinite(best)]


def reach_back(there: Floats, tolerance: float) -> float:
    """How far from a surface scan points may lie that belong to it, mm.

    As far as the way there found anything, so that a surface far off is not
    called close, and at least ten tolerances. there: (n,) distances.
    """
    return max(10 * tolerance, 1.5 * float(np.abs(there).max(initial=0.0)))


def near_points(scan: Scan, surface: Surface, reach: float, looked_at: int | None = None) -> Ints:
    """Indices of scan points within about ``reach`` of the surface: box first, then samples.

    looked_at: of the points in the box, only so many, evenly over their order.
    """
    low = surface.points.reshape(-1, 3).min(axis=0) - reach
    high = surface.points.reshape(-1, 3).max(axis=0) + reach
    boxed = np.flatnonzero(np.all((scan.points >= low) & (scan.points <= high), axis=1))
    if not len(boxed):
        return boxed
    if looked_at is not None:
        boxed = boxed[:: max(1, -(-len(boxed) // looked_at))]
    u, v = (even_parameters(k, 40) for k in surface.knots)
    grid = surface.on_grid(u, v)[0, 0]
    spacing = max(np.linalg.norm(np.diff(grid, axis=axis), axis=-1).max() for axis in (0, 1))
    distance, _ = cKDTree(grid.reshape(-1, 3)).query(scan.points[boxed], distance_upper_bound=reach + spacing)
    return boxed[np.isfinite(distance)]
