"""Surfaces against a scan in both directions: the verdict that fits and reports share."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.checking.back import scan_to_shapes
from arabesque.checking.distance import figures_of, reach_back, shape_to_scan
from arabesque.checking.figures import LARGEST_OUTLIER_SHARE, Figures
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan
from arabesque.shapes import SAMPLES_ALONG, Sampled

WORTH_SAYING = 0.001
"""Smaller shares go without saying."""
LARGEST_MISSING = 0.05
"""Of the surface's area: with more that has no scan below nothing can be said of the whole."""


@dataclass(frozen=True)
class BothWays:
    """Figures from the surface to the scan and back, by area.

    missing: share of the surface with no scan below. left_out: share of the scan near by and below the surface that
    is another sheet of the form, such as the back of a wall.
    """

    surface_to_scan: Figures
    scan_to_surface: Figures
    missing: float
    left_out: float = 0.0

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
        """True when both directions keep the tolerance, and there is scan below nearly all of the surface."""
        return self.missing <= LARGEST_MISSING and self.close(tolerance)

    def close(self, tolerance: float) -> bool:
        """True when both directions keep the tolerance where there is scan; none may lie strictly below a sliver."""
        back = self.scan_to_surface
        return self.surface_to_scan.within(tolerance) and (back.samples == 0 or back.within(tolerance))

    def verdict(self, tolerance: float) -> str:
        """The verdict in words, with what it does not speak of."""
        if not self.surface_to_scan.samples:
            return "there is no scan below"
        words = "within the tolerance" if self.close(tolerance) else "outside the tolerance"
        share = self.outlier_share
        if share > LARGEST_OUTLIER_SHARE:
            words += f"; {100 * share:.0f} % are dents or spikes"
        elif share >= WORTH_SAYING:
            words += f", but for dents over {100 * share:.1f} %"
        if self.missing > LARGEST_MISSING:
            words += f" where there is scan; {100 * self.missing:.0f} % has none"
        elif self.missing >= WORTH_SAYING:
            words += f"; {100 * self.missing:.1f} % has no scan below"
        if self.left_out >= WORTH_SAYING:
            words += f"; another sheet of the scan was left out ({100 * self.left_out:.0f} % of what lies near)"
        return words

    def as_record(self) -> dict[str, Any]:
        """The part of a report that both commands share."""
        return {
            "surface_to_scan": self.surface_to_scan.as_record(),
            "scan_to_surface": self.scan_to_surface.as_record(),
            "outlier_share": self.outlier_share,
            "missing_share": self.missing,
            "left_out_share": self.left_out,
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
    measured = []
    for number, shape in enumerate(shapes):
        progress(0.5 * number / len(shapes), "Measuring from the surface to the scan")
        measured.append(shape_to_scan(shape, scan, samples_along))
    there = np.concatenate([one.distance[one.valid] for one in measured])
    reach = reach_back(there, tolerance)
    back = scan_to_shapes(scan, shapes, reach, tolerance, most_scan_points, part(progress, 0.5, 1.0))
    whole = sum(float(one.samples.areas.sum()) for one in measured)
    missing = sum(one.missing * float(one.samples.areas.sum()) for one in measured) / whole if whole > 0 else 1.0
    return BothWays(figures_of(measured, tolerance), back.figures(tolerance), missing, back.left_out)
