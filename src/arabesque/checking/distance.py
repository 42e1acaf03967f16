"""Distance between surfaces and a scan, signed, in both directions."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, tree_of
from arabesque.checking.figures import Figures
from arabesque.checking.outliers import FAR, outliers
from arabesque.cores import allowed
from arabesque.scan import Scan
from arabesque.shapes import SAMPLES_ALONG, Sampled, Samples

ALONG_NEAR = 40


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
        """Share of the shape's area that has no scan below."""
        whole = float(self.samples.areas.sum())
        return 1.0 - float(self.samples.areas[self.valid].sum()) / whole if whole > 0 else 1.0

    def apart(self, tolerance: float) -> Bools:
        """(n,) which samples are outliers."""
        if not (np.abs(self.distance) > FAR * tolerance).any():
            return np.zeros(len(self.distance), dtype=bool)
        pairs = self.samples.pairs
        pairs = pairs[self.valid[pairs].all(axis=1)]
        return outliers(self.distance, self.samples.areas * self.valid, self.samples.points, pairs, tolerance)

    def figures(self, tolerance: float) -> Figures:
        """Figures of the samples that have a scan below."""
        return figures_of([self], tolerance)


def figures_of(measured: Sequence[Distances], tolerance: float) -> Figures:
    """Figures of several shapes together, by area."""
    if not measured:
        return Figures.of(np.zeros(0), tolerance)
    parts = [(one.distance, one.samples.areas, one.apart(tolerance), one.valid) for one in measured]
    distance, areas, apart, valid = (np.concatenate(values) for values in zip(*parts, strict=True))
    return Figures.of(distance[valid], tolerance, areas[valid], apart[valid])


def shape_to_scan(shape: Sampled, scan: Scan, samples_along: int = SAMPLES_ALONG, cut: float = np.inf) -> Distances:
    """Signed distances of a shape at about ``samples_along``² places.

    A place is not valid, for there is no scan below it, when the closest
    place on the scan is its rim or lies beyond ``cut`` mm.
    """
    samples = shape.sampler(samples_along).read(shape)
    return Distances(samples, *distances_to_scan(samples.points, scan, cut))


def distances_to_scan(
    points: Floats, scan: Scan, cut: float = np.inf, near: Ints | None = None
) -> tuple[Floats, Bools]:
    """Signed distances of (n, 3) points, and which of them have a scan below; near: as for ``Scan.closest``."""
    distance, closest = scan.signed_distance(points, cut, near)
    valid = ~closest.on_border & (closest.triangle >= 0)
    return np.where(valid, distance, 0.0), valid


def reach_back(there: Floats, tolerance: float) -> float:
    """How far from a surface scan points may lie that belong to it, mm.

    As far as the way there found anything, so that a surface far off is not
    called close, and at least ten tolerances. there: (n,) distances.
    """
    return max(10 * tolerance, 1.5 * float(np.abs(there).max(initial=0.0)))


def near_points(scan: Scan, surface: Any, reach: float, looked_at: int | None = None) -> Ints:
    """Indices of scan points within about ``reach`` of the surface: box first, then samples.

    looked_at: of the points in the box, only so many, evenly over their order.
    """
    low, high = surface.box[0] - reach, surface.box[1] + reach
    boxed = np.flatnonzero(np.all((scan.points >= low) & (scan.points <= high), axis=1))
    if not len(boxed):
        return boxed
    if looked_at is not None:
        boxed = boxed[:: max(1, -(-len(boxed) // looked_at))]
    samples = surface.sampler(ALONG_NEAR).read(surface)
    spacing = float(np.linalg.norm(np.subtract(*samples.points[samples.triangles[:, :2].T]), axis=1).max())
    far = reach + spacing
    distance, _ = tree_of(samples.points).query(scan.points[boxed], distance_upper_bound=far, workers=allowed())
    return boxed[np.isfinite(distance)]
