"""Surfaces against a scan in both directions: the verdict that fits and reports share."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.checking.distance import reach_back, scan_to_shapes, shape_to_scan
from arabesque.checking.figures import Figures
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan
from arabesque.shapes import SAMPLES_ALONG, Sampled


@dataclass(frozen=True)
class BothWays:
    """Figures from the surface to the scan and back; missing: share of the surface with no scan below."""

    surface_to_scan: Figures
    scan_to_surface: Figures
    missing: float

    @property
    def inlier_p99(self) -> float:
        """The worse of both directions, mm."""
        return max(self.surface_to_scan.inlier_p99, self.scan_to_surface.inlier_p99)

    @property
    def inlier_rms(self) -> float:
        """The worse of both directions, mm."""
        return max(self.surface_to_scan.inlier_rms, self.scan_to_surface.inlier_rms)

    @property
    def outlier_share(self) -> float:
        """The worse of both directions."""
        return max(self.surface_to_scan.outlier_share, self.scan_to_surface.outlier_share)

    def within(self, tolerance: float) -> bool:
        """True when both directions keep the tolerance; a coarse scan may have no point of its own here."""
        back = self.scan_to_surface
        return self.surface_to_scan.within(tolerance) and (back.samples == 0 or back.within(tolerance))

    def as_record(self) -> dict[str, Any]:
        """The part of a report that both commands share."""
        return {
            "surface_to_scan": self.surface_to_scan.as_record(),
            "scan_to_surface": self.scan_to_surface.as_record(),
            "outlier_share": self.outlier_share,
            "missing_share": self.missing,
        }


def measure_both_ways(
    shapes: Sequence[Sampled],
    scan: Scan,
    tolerance: float,
    samples_along: int = SAMPLES_ALONG,
    most_scan_points: int | None = None,
    progress: Progress = silent,
) -> BothWays:
    """Distances of shapes and scan in both directions; of a face, what its trim leaves."""
    distances, valid = [], []
    for number, shape in enumerate(shapes):
        progress(0.5 * number / len(shapes), "Measuring from the surface to the scan")
        found = shape_to_scan(shape, scan, samples_along)
        distances.append(found.distance)
        valid.append(found.valid)
    there, counted = np.concatenate(distances), np.concatenate(valid)
    reach = reach_back(there[counted], tolerance)
    back = scan_to_shapes(scan, shapes, reach, most_scan_points, part(progress, 0.5, 1.0))
    return BothWays(
        Figures.of(there[counted], tolerance),
        Figures.of(back, tolerance),
        float(1 - np.mean(counted)) if len(counted) else 1.0,
    )
