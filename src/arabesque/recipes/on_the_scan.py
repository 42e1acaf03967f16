"""Curves that a scan has with something else: cuts by surfaces, projections, lines at a distance, borders of areas."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface, apply
from arabesque.progress import Progress, silent
from arabesque.reading import Regions
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.inputs import Directed, FromOne, curve_of, scan_of
from arabesque.scan import Scan, border_rings
from arabesque.shapes import Sampled, can
from arabesque.tracing import FittedCurve, curve_along, line_near, projected, set_off, surface_cuts

CLOSER = 0.25
"""Of the tolerance: how near a curve stays to the places that it is fitted to."""


@dataclass(frozen=True, eq=False)
class CutBySurface(FromOne):
    """The line in which a patch, a true shape or either set off by so many mm cuts the scan.

    of: id of the surface. near: (3,) the line that passes there. poles: 0 for as few as the tolerance needs.
    """

    word = "cut by a surface"

    of: str
    near: Floats
    offset: float = 0.0
    poles: int = 0

    def __post_init__(self) -> None:
        object.__setattr__(self, "near", frozen_array(self.near, (3,), np.float64, what="Place"))

    def moved(self, matrix: Floats) -> CutBySurface:
        return replace(self, near=apply(matrix, self.near[None])[0])

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        return self.fit(given).curve

    def fit(self, given: Given) -> FittedCurve:
        """The curve with how it stands to the cut."""
        shape: Any = given.shapes[self.of]
        if not can(shape, Sampled):
            raise ArabesqueError("What cuts the scan is no surface any more", "Undo that, or make the curve free")
        line = line_near(surface_cuts(scan_of(given), shape, self.offset), self.near)
        return curve_along(line.points, line.closed, self.poles or None, None if self.poles else given.tolerance)


@dataclass(frozen=True, eq=False)
class ProjectedCurve(Directed):
    """A curve brought onto the scan or onto a patch.

    of: id of the curve. on: of the patch; "" is the reference scan. direction: (3,), or the closest places.
    """

    word = "projected curve"

    of: str
    on: str = ""
    direction: Floats | None = None

    @property
    def uses(self) -> tuple[str, ...]:
        return ("tolerance",) if self.on else ("scan", "tolerance")

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of, self.on) if self.on else (self.of,)

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        onto: Any = given.shapes[self.on] if self.on else scan_of(given)
        if not isinstance(onto, Scan | Surface):
            raise ArabesqueError("There is no patch to project on any more", "Undo that, or make the curve free")
        curve = curve_of(given, self.of)
        places = projected(curve, onto, self.direction)
        closed = bool(np.linalg.norm(curve.points[0] - curve.points[-1]) < 1e-6)
        return curve_along(places[:-1] if closed else places, closed, None, CLOSER * given.tolerance).curve


@dataclass(frozen=True, eq=False)
class SetOffCurve(FromOne):
    """The line on the scan at a distance from a curve, to its left or (below 0) to its right.

    of: id of the curve. distance: mm over the scan.
    """

    word = "curve at a distance"

    of: str
    distance: float

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        curve = curve_of(given, self.of)
        places = set_off(curve, scan_of(given), self.distance)
        closed = bool(np.linalg.norm(curve.points[0] - curve.points[-1]) < 1e-6)
        return curve_along(places[:-1] if closed else places, closed, None, CLOSER * given.tolerance).curve


@dataclass(frozen=True, eq=False)
class AreaBorder(Recipe):
    """The border of an area of a scan's regions, the ring of it that passes a place.

    regions, on: ids of the regions and of their scan. inside: (3,) a place of the area; near: (3,) a place of the
    ring. poles: between corners; 0 for as few as the tolerance needs.
    """

    word = "border of an area"

    regions: str
    on: str
    inside: Floats
    near: Floats
    poles: int = 0

    def __post_init__(self) -> None:
        for name in ("inside", "near"):
            object.__setattr__(self, name, frozen_array(getattr(self, name), (3,), np.float64, what="Place"))

    @property
    def uses(self) -> tuple[str, ...]:
        return () if self.poles else ("tolerance",)

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.regions, self.on

    def moved(self, matrix: Floats) -> AreaBorder:
        inside, near = apply(matrix, np.array([self.inside, self.near]))
        return replace(self, inside=inside, near=near)

    def build(self, given: Given, progress: Progress = silent) -> Curve:
        return self.fit(given).curve

    def fit(self, given: Given) -> FittedCurve:
        """The curve with how it stands to the border."""
        regions, scan = given.shapes[self.regions], given.shapes[self.on]
        if not isinstance(regions, Regions) or not isinstance(scan, Scan) or len(regions.labels) != len(scan.triangles):
            raise ArabesqueError("The regions no longer fit their scan", "Find them anew")
        area = int(regions.labels[int(scan.closest(self.inside[None]).triangle[0])])
        ring = min(
            border_rings(scan, regions.mask(area)),
            key=lambda points: float(np.linalg.norm(points - self.near, axis=1).min()),
        )
        return curve_along(ring, True, self.poles or None, None if self.poles else given.tolerance)
