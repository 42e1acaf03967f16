"""Making a scan symmetric: the better half, and its exact mirror image, joined at the plane."""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.mending.cutting import cut_by_plane
from arabesque.mending.halves import CLEARLY, HalfState, half_states
from arabesque.progress import Progress, silent
from arabesque.scan import Scan


class Side(Enum):
    """Which half of a scan is kept."""

    BETTER = "the better one"
    ABOVE = "the positive one"
    BELOW = "the negative one"


class Symmetric(NamedTuple):
    """An exactly symmetric scan. kept: the half it was made of; why: in words; above, below: their states."""

    scan: Scan
    kept: Side
    why: str
    above: HalfState
    below: HalfState


def make_symmetric(scan: Scan, plane: Plane, side: Side = Side.BETTER, progress: Progress = silent) -> Symmetric:
    """Cut at the plane, keep one half, mirror it and join both along the plane.

    At a coordinate plane the two sides are equal to the bit. The better half
    is the one with fewer and smaller holes; where these are alike, the one
    that stands less off a smooth continuation where the two differ; else the
    one with less noise. Where nothing tells them apart, that is said.

    Raises ArabesqueError when the scan lies wholly on one side.
    """
    progress(0.0, "Cutting at the plane")
    halves = cut_by_plane(scan, plane)
    if halves.above is None or halves.below is None:
        raise ArabesqueError(
            "The scan lies wholly on one side of the plane", "Lay it square first, so that the plane runs through it"
        )
    progress(0.3, "Comparing both halves")
    states = half_states(halves.above, halves.below, plane)
    chosen, why = _better(*states) if side is Side.BETTER else (side, "chosen by hand")
    progress(0.7, "Mirroring")
    half = halves.above if chosen is Side.ABOVE else halves.below
    return Symmetric(mirrored_whole(half, plane), chosen, why, *states)


def mirrored_whole(half: Scan, plane: Plane) -> Scan:
    """A half and its mirror image as one mesh, joined at the points that lie in the plane."""
    on = np.abs(plane.height(half.points)) <= 1e-9 * max(half.diagonal, 1.0)
    flat = on[half.triangles].all(axis=1)
    triangles = half.triangles[~flat]
    n = len(half.points)
    other = np.flatnonzero(~on)
    image = np.arange(n)
    image[other] = n + np.arange(len(other))
    points = np.concatenate([_seated(half.points, on, plane), plane.mirrored(half.points[other])])
    return Scan(points, np.concatenate([triangles, image[triangles][:, ::-1]]))


def _better(above: HalfState, below: HalfState) -> tuple[Side, str]:
    names = {Side.ABOVE: "positive", Side.BELOW: "negative"}

    def verdict(first: float, second: float, words: str) -> tuple[Side, str]:
        side = Side.ABOVE if first < second else Side.BELOW
        return side, f"the {names[side]} half has {words}"

    if above.hole_width != below.hole_width and max(above.holes, below.holes):
        return verdict(
            above.hole_width,
            below.hole_width,
            f"fewer or smaller holes ({min(above.hole_width, below.hole_width):.3g} against "
            f"{max(above.hole_width, below.hole_width):.3g} mm)",
        )
    if max(above.dents, below.dents) > CLEARLY * min(above.dents, below.dents):
        return verdict(above.dents, below.dents, "fewer dents and bumps where the two differ")
    if abs(above.noise - below.noise) > 0.05 * max(above.noise, below.noise):
        return verdict(
            above.noise,
            below.noise,
            f"less noise ({min(above.noise, below.noise):.3f} against {max(above.noise, below.noise):.3f} mm)",
        )
    return Side.ABOVE, "nothing tells the halves apart: the positive one was taken, choose by hand to take the other"


def _seated(points: Floats, on: np.ndarray, plane: Plane) -> Floats:
    seated = points.copy()
    axis = np.flatnonzero(plane.normal)
    if len(axis) == 1:
        seated[on, axis[0]] = plane.offset * np.sign(plane.normal[axis[0]])
    return seated
