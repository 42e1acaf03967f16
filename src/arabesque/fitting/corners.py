"""Four clicked places as the corners of a patch."""

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import FitProblem, InvalidShape
from arabesque.geometry import Surface
from arabesque.scan import Scan

FAR_SHARE = 0.02
"""Corners further off the scan than this share of its diagonal are a mistake, not a click."""


def ring_order(corners: Floats) -> Floats:
    """The four (4, 3) corners in an order that goes round without crossing itself.

    The first corner stays first; only a crossed order is changed.
    """

    def crossed(order: list[int]) -> float:
        a, b, c, d = corners[order]
        return float(np.linalg.norm(np.cross(c - a, d - b)))

    # the diagonals of the right order span the largest area
    orders = [[0, 1, 2, 3], [0, 2, 1, 3], [0, 1, 3, 2]]
    areas = [crossed(order) for order in orders]
    best = int(np.argmax(areas))
    return corners[orders[0] if areas[0] >= (1 - 1e-9) * areas[best] else orders[best]]


def facing_outward(corners: Floats, scan: Scan) -> Floats:
    """The corners so that the patch's normal Su x Sv looks the way the scan's does.

    u runs along the side from the first to the second corner in either case.
    """
    a, b, c, d = corners
    normals = scan.closest(corners).normals
    return corners if np.cross(c - a, d - b) @ normals.sum(axis=0) >= 0 else corners[[3, 2, 1, 0]]


def corners_on_scan(corners: ArrayLike, scan: Scan, tolerance: float) -> Floats:
    """Four (4, 3) corners in order round the patch, on the scan.

    A corner within the tolerance of the scan stays exactly where it was put;
    one a little further off is brought to the scan.
    Raises FitProblem when a corner is far from the scan or two coincide.
    """
    try:
        given = frozen_array(corners, (4, 3), np.float64, what="Corners")
    except InvalidShape as problem:
        raise FitProblem(
            "The corners are not four points with three finite coordinates", "Give four points x,y,z"
        ) from problem
    closest = scan.closest(given)
    limit = max(5 * tolerance, FAR_SHARE * scan.diagonal)
    far = int(np.argmax(closest.distance))
    if closest.distance[far] > limit:
        raise FitProblem(
            f"Corner {far + 1} is {closest.distance[far]:.3g} mm away from the scan",
            "Place it on the scan, and check the unit of the file",
        )
    placed = np.where(closest.distance[:, None] <= tolerance, given, closest.points)
    apart = np.linalg.norm(placed[:, None] - placed[None], axis=2)[np.triu_indices(4, 1)]
    if apart.min() < 1e-4 * scan.diagonal:
        raise FitProblem("Two corners lie on the same place", "Place the four corners apart from one another")
    return facing_outward(ring_order(placed), scan)


def bilinear(corners: Floats) -> Surface:
    """The ruled patch of degree 1 x 1 through four corners; u runs from the first to the second."""
    a, b, c, d = corners
    return Surface.bezier([[a, d], [b, c]])


def looks_outward(surface: Surface, scan: Scan) -> bool:
    """True where the normals of a surface look the way the scan's do, on the whole."""
    u, v = (np.linspace(*ends, 9)[1:-1] for ends in surface.domain)
    d = surface.on_grid(u, v, 1)
    normals = np.cross(d[1, 0], d[0, 1]).reshape(-1, 3)
    return bool(np.sum(normals * scan.closest(d[0, 0].reshape(-1, 3)).normals) >= 0)
