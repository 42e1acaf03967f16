"""The figures that describe a set of signed distances."""

from dataclasses import asdict, dataclass

import numpy as np

from arabesque.arrays import Floats

LARGEST_OUTLIER_SHARE = 0.05
"""Dents and dirt are local; more than this is the surface's fault, not the scan's."""


def inlier_bound(distances: Floats, tolerance: float) -> float:
    """Distance beyond which a sample counts as an outlier.

    Three tolerances, or Tukey's 4.685 robust standard deviations where the
    whole surface is still far (Beaton and Tukey 1974).
    """
    if not len(distances):
        return 3 * tolerance
    return max(3 * tolerance, 4.685 * 1.4826 * float(np.median(np.abs(distances))))


def _share(rising: Floats, share: float) -> float:
    """The value below which a share of rising values lies, between neighbours in proportion (as numpy.percentile)."""
    place = share * (len(rising) - 1)
    low = int(place)
    high = min(low + 1, len(rising) - 1)
    return float(rising[low] + (place - low) * (rising[high] - rising[low]))


@dataclass(frozen=True)
class Figures:
    """Figures of one direction, mm.

    rms, p95, p99, max and inside (share within the tolerance) count every
    sample with a scan below it; inlier_rms and inlier_p99 leave out the
    outliers, whose share is outlier_share. lowest and highest are signed.
    """

    rms: float
    p95: float
    p99: float
    max: float
    inside: float
    inlier_rms: float
    inlier_p99: float
    outlier_share: float
    lowest: float
    highest: float
    samples: int

    @classmethod
    def of(cls, distances: Floats, tolerance: float) -> "Figures":
        """Figures of (n,) signed distances; all zero, and nothing inside, when there are none."""
        if not len(distances):
            return cls(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)
        # sorted once: all percentiles are read off
        size = np.sort(np.abs(distances))
        bound = max(3 * tolerance, 4.685 * 1.4826 * _share(size, 0.5))
        inlier = size[: np.searchsorted(size, bound, side="right")]
        p95, p99 = _share(size, 0.95), _share(size, 0.99)
        return cls(
            rms=float(np.sqrt(np.mean(size**2))),
            p95=p95,
            p99=p99,
            max=float(size[-1]),
            inside=float(np.searchsorted(size, tolerance, side="right") / len(size)),
            inlier_rms=float(np.sqrt(np.mean(inlier**2))),
            inlier_p99=_share(inlier, 0.99),
            outlier_share=1.0 - len(inlier) / len(size),
            lowest=float(distances.min()),
            highest=float(distances.max()),
            samples=len(size),
        )

    def within(self, tolerance: float) -> bool:
        """True when there are samples, all but the outliers keep the tolerance, and outliers are few."""
        return self.samples > 0 and self.inlier_p99 <= tolerance and self.outlier_share <= LARGEST_OUTLIER_SHARE

    def as_record(self) -> dict[str, float | int]:
        """Plain numbers for a report."""
        return asdict(self)
