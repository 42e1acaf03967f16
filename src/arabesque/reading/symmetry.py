"""Finding the symmetry plane of a scan, and how far its two sides differ."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane, unit
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan

DIRECTIONS = 160
COARSE, MIDDLE, FINE = 400, 2000, 24_000
LARGEST_SPREAD = 0.006
"""Sides that differ by more than this share of the scan's size are not meant to be alike."""
ALIKE = 0.5
"""Least share of a scan that must have a counterpart on the other side."""


class Symmetry(NamedTuple):
    """A symmetry plane.

    spread: robust standard deviation of the mirror image from the scan, mm.
    share:  of the scan that has a counterpart within four times the spread.
    """

    plane: Plane
    spread: float
    share: float


class _Samples(NamedTuple):
    points: Floats
    normals: Floats


def find_symmetry_plane(scan: Scan, progress: Progress = silent) -> Symmetry:
    """The plane at which the scan's mirror image fits the scan best.

    Many directions are tried coarsely, the best few refined by Gauss-Newton
    on the distances of the mirrored points along the scan's normals, with
    Tukey's weights, so that dents, holes and what was seen on one side only
    do not count. After Podolak et al., "A planar-reflective symmetry
    transform for 3D shapes", SIGGRAPH 2006, section 5 (refinement by closest
    points).

    Raises ArabesqueError when no plane makes at least half of the scan meet
    its mirror image.
    """
    rng = np.random.default_rng(0)
    areas = scan.areas
    middles = scan.points[scan.triangles].mean(axis=1)
    centre = (middles * areas[:, None]).sum(axis=0) / areas.sum()
    chosen = rng.choice(len(areas), FINE, p=areas / areas.sum())
    fine = _Samples(middles[chosen], unit(scan.area_vectors[chosen]))

    def first(count: int) -> _Samples:
        return _Samples(fine.points[:count], fine.normals[:count])

    cut = 0.05 * scan.diagonal
    coarse = first(COARSE)
    directions = np.concatenate([_principal_axes(fine.points), _hemisphere(DIRECTIONS)])
    scores = []
    for number, direction in enumerate(directions):
        progress(0.4 * number / len(directions), "Trying directions")
        scores.append(_score(scan, coarse, Plane.through(centre, direction), cut))
    refined = []
    best = np.argsort(scores, kind="stable")[:8]
    for number, index in enumerate(best):
        progress(0.4 + 0.3 * number / len(best), "Refining the best")
        plane = _refined(scan, first(MIDDLE), Plane.through(centre, directions[index]), cut, 10)
        refined.append((_score(scan, first(MIDDLE), plane, cut / 10), number, plane))
    progress(0.75, "Settling the plane")
    plane = _refined(scan, fine, min(refined)[2], cut / 10, 8, part(progress, 0.75, 1.0))
    heights, valid = _gaps(scan, fine, plane, cut)
    spread = 1.4826 * float(np.median(np.abs(heights[valid]))) if valid.any() else np.inf
    share = float((np.abs(heights) < max(4 * spread, 1e-9))[valid].sum() / len(heights))
    if share < ALIKE or spread > LARGEST_SPREAD * scan.diagonal:
        raise ArabesqueError(
            "No symmetry plane was found: no plane makes half of the scan meet its mirror image",
            "Lay the scan square by hand, or cut away what is on one side only",
        )
    return Symmetry(_towards_axis(plane), spread, share)


def asymmetry(scan: Scan, plane: Plane, progress: Progress = silent) -> tuple[Floats, Bools]:
    """Signed distances (n,) between each point and the mirror image of the scan, and where there is one to compare."""
    progress(0.1, "Mirroring")
    distance, closest = scan.signed_distance(plane.mirrored(scan.points), 0.1 * scan.diagonal)
    valid = (closest.triangle >= 0) & ~closest.on_border
    return np.where(valid, distance, 0.0), valid


def _gaps(scan: Scan, samples: _Samples, plane: Plane, cut: float) -> tuple[Floats, Bools]:
    image = plane.mirrored(samples.points)
    turned = samples.normals - 2 * (samples.normals @ plane.normal)[:, None] * plane.normal
    hit = scan.closest(image, cut)
    valid = (hit.triangle >= 0) & ~hit.on_border & (np.einsum("nc,nc->n", turned, hit.normals) > 0.3)
    return np.where(valid, np.einsum("nc,nc->n", image - hit.points, hit.normals), cut), valid


def _score(scan: Scan, samples: _Samples, plane: Plane, cut: float) -> float:
    """Mean gap, cut off, where there is a counterpart; a missing one counts in full."""
    heights, valid = _gaps(scan, samples, plane, cut)
    return float(np.where(valid, np.minimum(np.abs(heights), cut), cut).mean())


def _refined(
    scan: Scan, samples: _Samples, plane: Plane, cut: float, rounds: int, progress: Progress = silent
) -> Plane:
    # about the samples' middle, so that tilt and offset do not mix
    middle = samples.points.mean(axis=0)
    for number in range(rounds):
        progress(number / rounds, "Settling the plane")
        nu = plane.normal
        image = plane.mirrored(samples.points)
        hit = scan.closest(image, cut)
        turned = samples.normals - 2 * (samples.normals @ nu)[:, None] * nu
        valid = (hit.triangle >= 0) & ~hit.on_border & (np.einsum("nc,nc->n", turned, hit.normals) > 0.3)
        if valid.sum() < 30:
            return plane
        m = hit.normals[valid]
        gap = np.einsum("nc,nc->n", image[valid] - hit.points[valid], m)
        k = max(4.685 * 1.4826 * float(np.median(np.abs(gap))), 1e-9)
        weight = np.maximum(1 - (gap / k) ** 2, 0) ** 2
        from_middle = samples.points[valid] - middle
        height = plane.height(samples.points[valid])
        e1, e2 = _across(nu)
        along = m @ nu
        columns = [-2 * (from_middle @ e) * along - 2 * height * (m @ e) for e in (e1, e2)]
        jacobian = np.column_stack([*columns, 2 * along])
        normal_matrix = jacobian.T @ (jacobian * weight[:, None])
        step = np.linalg.lstsq(normal_matrix, -jacobian.T @ (weight * gap), rcond=1e-12)[0]
        offset_at_middle = plane.offset - nu @ middle + step[2]
        direction = unit(nu + step[0] * e1 + step[1] * e2)
        plane = Plane(direction, float(direction @ middle + offset_at_middle))
    return plane


def _across(normal: Floats) -> tuple[Floats, Floats]:
    first = unit(np.cross(normal, np.eye(3)[np.abs(normal).argmin()]))
    return first, np.cross(normal, first)


def _principal_axes(points: Floats) -> Floats:
    return np.linalg.eigh(np.cov(points.T))[1].T


def _hemisphere(count: int) -> Floats:
    """(count, 3) even directions on a half ball (golden spiral)."""
    z = (np.arange(count) + 0.5) / count
    angle = np.pi * (1 + 5**0.5) * np.arange(count)
    r = np.sqrt(1 - z * z)
    return np.column_stack([r * np.cos(angle), r * np.sin(angle), z])


def _towards_axis(plane: Plane) -> Plane:
    """The same plane with its normal along, not against, the axis it is nearest to."""
    axis = np.abs(plane.normal).argmax()
    return plane if plane.normal[axis] > 0 else Plane(-plane.normal, -plane.offset)
