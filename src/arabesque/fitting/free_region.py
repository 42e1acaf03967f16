"""A free surface over a picked region of a scan, fair and reaching past its border: to cut with, or to build on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.linalg import cho_factor, cho_solve

from arabesque.arrays import Floats, Ints, unit
from arabesque.errors import FitProblem
from arabesque.fitting.fairness import energy_over
from arabesque.fitting.patch_fit import check_tolerance
from arabesque.geometry import Surface, basis_matrix, frame_of, greville, uniform_knots
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

DEGREE = 3
MOST_SPANS, MOST_POINTS = 24, 400
STEEPEST = 0.2
"""Cosine: a region of which more than a twentieth turns further away from its middle direction is no height field."""
ENOUGH = 20_000
"""Places of the region that are looked at."""
KEPT = 99.0
"""Per cent of the area that keeps the tolerance."""
FAIR = 1e-9
"""Weight of the fairness energy at a smoothness of 0; each tenth more is two and a half times as much."""
OUTSIDE = 3.0
"""Tolerances from which on a place counts less and less."""


@dataclass(frozen=True, eq=False)
class FreeRegion:
    """surface: the patch. p99, largest: mm from the region's places to it, 99 % of the area and all. tilt: degrees, the
    largest angle between the region's normals and the patch's middle direction, of 95 % of the area."""

    surface: Surface
    p99: float
    largest: float
    tilt: float


def free_region(
    part: Scan,
    tolerance: float,
    smoothness: float = 0.3,
    past: float = 2.0,
    along: Floats | None = None,
    progress: Progress = silent,
) -> FreeRegion:
    """The lightest bicubic patch over a part of a scan, a height over the plane square to its middle normal.

    Least squares weighted by area, with the energy of minimum curvature variation (Moreton and Séquin, "Functional
    optimization for fair surface design", SIGGRAPH 1992), which also carries it on past the border; robust against
    dents by Huber's weights (1964). tolerance: mm, that 99 % of the area keep. smoothness: 0 to 1, closeness against
    fairness. past: mm that it reaches past the region's box. along: (3,) along which its rows run; by itself the longer
    way. Raises FitProblem where the region bends round too far, or the tolerance cannot be kept.
    """
    check_tolerance(tolerance)
    if not 0 <= smoothness <= 1 or not past >= 0:
        raise FitProblem("Smoothness goes from 0 to 1, and what reaches past is not below 0", "Give other values")
    places, normals, weights = _places(part)
    middle = unit((normals * weights[:, None]).sum(axis=0)[None])[0]
    cosine = normals @ middle
    if weights[cosine < STEEPEST].sum() > 0.05:
        raise FitProblem("The region bends round too far for one patch", "Pick less of it, or lay several patches")
    centre = (places * weights[:, None]).sum(axis=0)
    if along is None:
        flat = (places - centre) - np.outer((places - centre) @ middle, middle)
        along = np.linalg.svd(flat * np.sqrt(weights)[:, None], full_matrices=False)[2][0]
    frame = frame_of(centre, middle, along)
    local = (places - centre) @ frame[:3, :3]
    low, high = local[:, :2].min(axis=0) - past, local[:, :2].max(axis=0) + past
    uv = (local[:, :2] - low) / (high - low)
    fair = FAIR * 10.0 ** (4 * smoothness)
    cosines = np.maximum(cosine, STEEPEST)
    spans = _start(high - low)
    while True:
        progress(min(0.9, float(spans.sum()) / (2 * MOST_SPANS)), "Laying a surface over the region")
        heights, off = _fitted(uv, local[:, 2], cosines, weights, spans, high - low, fair, tolerance)
        order = np.argsort(off)
        p99 = float(off[order][np.searchsorted(np.cumsum(weights[order]), KEPT / 100)])
        if p99 <= tolerance:
            break
        if (spans >= MOST_SPANS).all() or (spans + DEGREE).prod() >= MOST_POINTS:
            raise FitProblem(
                f"99 % of the region lie within {p99:.3g} mm at best", "Allow more, less smoothness, or pick less of it"
            )
        spans = _finer(spans, high - low)
    surface = _surface(frame, low, high, heights, spans)
    tilt = float(np.degrees(np.arccos(np.clip(np.quantile(cosine, 0.05), -1, 1))))
    return FreeRegion(surface, p99, float(off.max()), tilt)


def _places(part: Scan) -> tuple[Floats, Floats, Floats]:
    """Middles of triangles, their normals, and the share of the area that each stands for."""
    step = max(1, len(part.triangles) // ENOUGH)
    corners = part.points[part.triangles[::step]]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    areas = np.linalg.norm(cross, axis=1)
    sound = areas > 0
    if not sound.any():
        raise FitProblem("The region has no area", "Pick more of the scan")
    return corners[sound].mean(axis=1), unit(cross[sound]), areas[sound] / areas[sound].sum()


def _start(size: Floats) -> Ints:
    """Spans of about square pieces, one the shorter way."""
    return np.maximum(1, np.round(size / size.min() / 2)).astype(np.int64)


def _finer(spans: Ints, size: Floats) -> Ints:
    """One span more the way in which the pieces are longer."""
    longer = int((size / spans).argmax())
    return spans + np.eye(2, dtype=np.int64)[longer]


def _fitted(
    uv: Floats,
    heights: Floats,
    cosines: Floats,
    weights: Floats,
    spans: Ints,
    size: Floats,
    fair: float,
    tolerance: float,
) -> tuple[Floats, Floats]:
    """(nu, nv) heights of the control points, and how far each place is off, mm."""
    knots = [uniform_knots(DEGREE, int(count)) for count in spans]
    bases = [basis_matrix(knots[axis], DEGREE, uv[:, axis], 0) for axis in (0, 1)]
    rows = (bases[0][:, :, None] * bases[1][:, None, :]).reshape(len(uv), -1)
    energy = energy_over((knots[0], knots[1]), (DEGREE, DEGREE), float(size[1] / size[0]))
    # a hair of least heights, for what no place and no energy holds
    energy = fair * energy + 1e-12 * np.eye(len(energy))
    found, off, robust = np.zeros(rows.shape[1]), np.zeros(len(uv)), np.ones(len(uv))
    for _ in range(4):
        scaled = rows * (weights * robust * cosines**2)[:, None]
        found = cho_solve(cho_factor(scaled.T @ rows + energy), scaled.T @ heights)
        off = np.abs(heights - rows @ found) * cosines
        robust = np.minimum(1.0, OUTSIDE * tolerance / np.maximum(off, 1e-12))
    return found.reshape([len(one) - DEGREE - 1 for one in knots]), off


def _surface(frame: Floats, low: Floats, high: Floats, heights: Floats, spans: Ints) -> Surface:
    """The patch of a height field: its points stand over the Greville places, so that the net runs evenly."""
    knots = tuple(uniform_knots(DEGREE, int(count)) for count in spans)
    x, y = (low[axis] + greville(knots[axis], DEGREE) * (high[axis] - low[axis]) for axis in (0, 1))
    local = np.stack([*np.meshgrid(x, y, indexing="ij"), heights], axis=-1)
    return Surface((DEGREE, DEGREE), (knots[0], knots[1]), local @ frame[:3, :3].T + frame[:3, 3])
