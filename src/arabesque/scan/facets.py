"""Flat triangles between points that lie on a bent form: how far they cut inside it, and the form rounded again."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from arabesque.arrays import Floats, Ints, summed, unit

if TYPE_CHECKING:  # a scan itself asks how coarse it is
    from arabesque.scan.mesh import Closest, Scan

SHARP = 32.0
"""Degrees between a triangle and the form at its corners: with more there is a sharp edge, which is not rounded."""
MOST_LOOKED_AT = 20_000
ON_A_TRIANGLE = 1e-6
"""mm: what lies nearer to a triangle lies on it."""


def corner_normals(points: Floats, triangles: Ints) -> Floats:
    """(n, 3) unit normals at the points, exact where they lie on a sphere, however uneven the triangles.

    Max, "Weights for computing vertex normals from facet normals", Journal of Graphics Tools 4, 1999.
    """
    corners = points[triangles]
    total = np.zeros_like(points)
    for k in range(3):
        one, two = corners[:, (k + 1) % 3] - corners[:, k], corners[:, (k + 2) % 3] - corners[:, k]
        size = np.einsum("mc,mc->m", one, one) * np.einsum("mc,mc->m", two, two)
        total += summed(triangles[:, k], np.cross(one, two) / np.where(size > 0, size, np.inf)[:, None], len(points))
    return unit(total)


def bulge(scan: Scan, normals: Floats, triangle: Ints, points: Floats) -> Floats:
    """(n, 3) from places on flat triangles to the rounded form through their corners, with normals given at the points.

    Half way to the mean of the corners' tangent planes, which is exact for a parabola: Boubekeur and Alexa, "Phong
    tessellation", ACM Transactions on Graphics 27, 2008, with alpha one half. 0 across sharp edges.
    """
    at = scan.triangles[triangle]
    corners, normals = scan.points[at], normals[at]
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    across = np.cross(b - a, c - a)
    size = np.einsum("nc,nc->n", across, across)
    size = np.where(size > 0, size, np.inf)
    shares = np.column_stack(
        [np.einsum("nc,nc->n", np.cross(q - p, points - p), across) / size for p, q in ((b, c), (c, a), (a, b))]
    )
    heights = np.einsum("nkc,nkc->nk", corners - points[:, None], normals)
    found = 0.5 * np.einsum("nk,nk,nkc->nc", shares, heights, normals)
    sharp = np.einsum("nkc,nc->nk", normals, unit(across)).min(axis=1) < np.cos(np.radians(SHARP))
    found[sharp] = 0.0
    return np.asarray(found)


def sag(scan: Scan) -> float:
    """mm: how far the middles of the triangles lie inside the rounded form, as root of the mean of squares by area.

    By the smoothed normals, which are there: for a scan that is fine enough no others are needed.
    """
    some = np.arange(len(scan.triangles))[:: max(1, len(scan.triangles) // MOST_LOOKED_AT)]
    area = np.linalg.norm(scan.area_vectors[some], axis=1)
    if not area.sum() > 0:
        return 0.0
    middles = scan.points[scan.triangles[some]].mean(axis=1)
    heights = np.linalg.norm(bulge(scan, scan.smoothed_normals, some, middles), axis=1)
    return float(np.sqrt((area * heights**2).sum() / area.sum()))


def rounded(scan: Scan, triangle: Ints, points: Floats) -> Floats:
    """(n, 3) places on triangles; where these are coarse, brought to the form through the scan's points."""
    return points + bulge(scan, scan.corner_normals, triangle, points) if scan.coarse else points


def on_form(scan: Scan, points: Floats) -> Floats:
    """(n, 3) places on a scan's triangles brought to the rounded form through its points, however fine they are.

    What is measured of few places, as the radius of a section, is not to be smaller for the chords it is measured on.
    """
    return points + bulge(scan, scan.smoothed_normals, scan.closest(points).triangle, points)


def rounded_places(scan: Scan, closest: Closest) -> Floats:
    """(n, 3) places that lie closest on a scan; where its triangles are coarse, on the form through its points."""
    here = closest.triangle >= 0
    if here.all():
        return rounded(scan, closest.triangle, closest.points)
    found = closest.points.copy()
    found[here] = rounded(scan, closest.triangle[here], found[here])
    return found


def lifted(scan: Scan, points: Floats) -> Floats:
    """(n, 3) points; of a coarse scan, those that lie on its flat triangles are brought to the form through its
    points."""
    if not scan.coarse:
        return points
    closest = scan.closest(points)
    flat = (closest.distance < ON_A_TRIANGLE)[:, None]
    return np.where(flat, rounded_places(scan, closest), points)
