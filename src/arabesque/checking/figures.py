"""The figures that describe a set of signed distances."""

from dataclasses import asdict, dataclass

import numpy as np

from arabesque.arrays import Bools, Floats

LARGEST_OUTLIER_SHARE = 0.05
"""Dents and dirt are local; more than this is the surface's fault, not the scan's."""


def inlier_bound(distances: Floats, tolerance: float) -> float:
    """Distance beyond which a sample does not pull on a surface that is on its way to the scan.

    Three tolerances, or Tukey's 4.685 robust standard deviations where the
    whole surface is still far (Beaton and Tukey 1974).
    """
    if not len(distances):
        return 3 * tolerance
    return max(3 * tolerance, 4.685 * 1.4826 * float(np.median(np.abs(distances))))


def weighted_percentile(rising: Floats, weights: Floats, share: float) -> float:
    """The value below which a share of rising values lies by weight, between neighbours in proportion.

    With equal weights that of ``numpy.percentile``.
    """
    before = np.cumsum(weights) - weights
    return float(np.interp(share * before[-1], before, rising)) if before[-1] > 0 else float(rising[-1])


def _inside(rising: Floats, weights: Floats, tolerance: float) -> float:
    """The share by weight that keeps the tolerance, to the last bit 1 for all of it."""
    first = int(np.searchsorted(rising, tolerance, side="right"))
    return 1.0 if first == len(rising) else float(weights[:first].sum())


@dataclass(frozen=True)
class Figures:
    """Figures of one direction, mm; shares and percentiles are by area.

    rms, p95, p99, max and inside (share within the tolerance) count every
    place with a scan below it; inlier_rms and inlier_p99 leave out the
    outliers (``outliers``), whose share is outlier_share. lowest and highest
    are signed.
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
    def of(
        cls, distances: Floats, tolerance: float, areas: Floats | None = None, apart: Bools | None = None
    ) -> "Figures":
        """Figures of (n,) signed distances; all zero, and nothing inside, when there are none.

        areas: (n,) that each stands for; the same for all by default. apart: (n,) true for outliers; none by default.
        """
        if not len(distances):
            return cls(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)
        # sorted once: all percentiles are read off
        order = np.argsort(np.abs(distances))
        size = np.abs(distances)[order]
        weights = np.full(len(size), 1.0) if areas is None else areas[order]
        if not weights.sum() > 0:
            weights = np.full(len(size), 1.0)
        weights = weights / weights.sum()
        inlier = np.ones(len(size), dtype=bool) if apart is None else ~apart[order]
        share = float(weights[~inlier].sum())
        kept, of_kept = size[inlier], weights[inlier]
        if not len(kept):
            kept, of_kept = size, weights
        return cls(
            rms=float(np.sqrt(weights @ size**2)),
            p95=weighted_percentile(size, weights, 0.95),
            p99=weighted_percentile(size, weights, 0.99),
            max=float(size[-1]),
            inside=_inside(size, weights, tolerance),
            inlier_rms=float(np.sqrt(of_kept @ kept**2 / of_kept.sum())),
            inlier_p99=weighted_percentile(kept, of_kept, 0.99),
            outlier_share=share,
            lowest=float(distances.min()),
            highest=float(distances.max()),
            samples=len(size),
        )

    def within(self, tolerance: float) -> bool:
        """True when there are samples, all but the outliers keep the tolerance, and outliers are few."""
        return self.samples > 0 and self.inlier_p99 <= tolerance and self.outlier_share <= LARGEST_OUTLIER_SHARE

    def words(self) -> dict[str, str]:
        """What is shown of them everywhere: "inside", "worst" with its sign, and "rms"; dashes of nothing."""
        if not self.samples:
            return {"inside": "–", "worst": "–", "rms": "–"}
        worst = self.highest if self.highest >= -self.lowest else self.lowest
        return {"inside": f"{100 * self.inside:.1f} %", "worst": f"{worst:+.3f}", "rms": f"{self.rms:.3f}"}

    def as_record(self) -> dict[str, float | int]:
        """Plain numbers for a report."""
        return asdict(self)
