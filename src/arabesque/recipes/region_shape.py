"""The true shape of a region."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, apply
from arabesque.progress import Progress, silent
from arabesque.reading import Regions
from arabesque.recipes.base import Given, Recipe
from arabesque.scan import Scan


@dataclass(frozen=True, eq=False)
class RegionShape(Recipe):
    """The plane, cylinder, cone, sphere or torus that an area is, as far as the area goes.

    regions, on: ids of the regions and of their scan. place: (3,) a place of
    the area, which stays when areas are numbered anew.
    """

    word = "true shape of a region"

    regions: str
    on: str
    place: Floats

    def __post_init__(self) -> None:
        object.__setattr__(self, "place", frozen_array(self.place, (3,), np.float64, what="Place"))

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.regions, self.on

    def moved(self, matrix: Floats) -> RegionShape:
        return replace(self, place=apply(matrix, self.place))

    def build(self, given: Given, progress: Progress = silent) -> Elementary:
        regions, scan = given.shapes[self.regions], given.shapes[self.on]
        if not isinstance(regions, Regions) or not isinstance(scan, Scan) or len(regions.labels) != len(scan.triangles):
            raise ArabesqueError("The regions no longer fit their scan", "Find them anew")
        area = int(regions.labels[int(scan.closest(self.place[None]).triangle[0])])
        shape = regions.areas[area].shape
        if shape is None:
            raise ArabesqueError("The area is a free form now", "Set its kind, or make the shape free")
        return shape.surface(scan.points[np.unique(scan.triangles[regions.mask(area)])])
