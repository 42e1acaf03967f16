"""Distance between surfaces and a scan, signed, in both directions."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, tree_of
from arabesque.checking.figures import Figures
from arabesque.geometry import Surface, even_parameters, foot_points
from arabesque.progress import Progress, silent
from arabesque.scan import Scan
from arabesque.shapes import SAMPLES_ALONG, Sampled, Samples

AGREEING_NORMALS = 0.5
"""Normals further apart than 60° belong to another sheet of the form."""


@dataclass(frozen=True, eq=False)
class Distances:
    """Signed distances of a shape to a scan.

    samples: the n places. distance: (n,) mm, positive where the shape lies
    above (outside) the scan. valid: (n,), false where no scan lies below.
    """

    samples: Samples
    distance: Floats
    valid: Bools

    @property
    def missing(self) -> float:
        """Share of the shape that has no scan below."""
        return 1.0 - float(self.valid.mean()) if len(self.valid) else 1.0

    def figures(self, tolerance: float) -> Figures:
        """Figures of the samples that have a scan below."""
        return Figures.of(self.distance[self.valid], tolerance)


def shape_to_scan(shape: Sampled, scan: Scan, samples_along: int = SAMPLES_ALONG, cut: float = np.inf) -> Distances:
    """Signed distances of a shape at about ``samples_along``² places.

    A place is not valid, for there is no scan below it, when the closest
    place on the scan is its rim or lies beyond ``cut`` mm.
    """
    samples = shape.sampler(samples_along).read(shape)
    return Distances(samples, *distances_to_scan(samples.points, scan, cut))


def distances_to_scan(points: Floats, scan: Scan, cut: float = np.inf) -> tuple[Floats, Bools]:
    """Signed distances of (n, 3) points, and which of them have a scan below."""
    distance, closest = scan.signed_distance(points, cut)
    valid = ~closest.on_border & (closest.triangle >= 0)
    return np.where(valid, distance, 0.0), valid


def scan_to_shapes(
    scan: Scan,
    shapes: Sequence[Sampled],
    reach: float,
    most: int | None = None,
    progress: Progress = silent,
) -> Floats:
    """Signed distances (n,) of the scan's points to the patches of the shapes they belong to.

    A scan point belongs to a patch when the foot of its perpendicular lies
    strictly inside the patch, no further off than ``reach`` mm, and the
    normals there agree up to sign. Of several patches the nearest counts.
    Positive: the patch lies above the scan, as in the other direction.
    ``most`` limits the number of scan points, evenly over their order. What
    lies on a part that a face's trim takes away belongs to nothing.
    """
    best = np.full(len(scan.points), np.inf)
    signed = np.zeros(len(scan.points))
    surfaces: list[Surface] = [patch for shape in shapes for patch in shape.patches()]
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
    distance, _ = tree_of(grid.reshape(-1, 3)).query(scan.points[boxed], distance_upper_bound=reach + spacing)
    return boxed[np.isfinite(distance)]
