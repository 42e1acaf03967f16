"""What printing in layers asks of a closed shape: walls, gaps, overhangs, mass, and how it is best laid down."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from arabesque.arrays import Bools, Floats, unit
from arabesque.checking import wall_ends, wall_thickness
from arabesque.delivery.whole import Whole, direction
from arabesque.errors import ArabesqueError
from arabesque.progress import Progress, silent
from arabesque.shapes import Samples, area_above

ON_BED = 0.2
"""mm over the lowest place that lie on the bed: a usual first layer (common practice)."""
WAYS = unit(np.array([way for way in product((-1.0, 0.0, 1.0), repeat=3) if any(way)]))
"""(26, 3) the directions to the faces, edges and corners of a cube."""


@dataclass(frozen=True)
class PrintLimits:
    """wall: mm at least. overhang: degrees off upright that print without support; 45 is usual (common practice).
    nozzle: mm, what no wall and no gap may be narrower than. density: g/cm³; 1.24 for PLA (common practice)."""

    wall: float = 1.2
    overhang: float = 45.0
    nozzle: float = 0.4
    density: float = 1.24

    def __post_init__(self) -> None:
        if not (self.wall > 0 and self.nozzle > 0 and self.density > 0 and 0 <= self.overhang < 90):
            raise ArabesqueError(
                "Limits of a print are above 0, an overhang below 90°", "Give a wall, a nozzle and a density"
            )


@dataclass(frozen=True)
class Laid:
    """A shape laid down with ``way`` (3 numbers) up: its height, mm, and the area that hangs over too far, mm²."""

    way: tuple[float, float, float]
    height: float
    hanging: float


@dataclass(frozen=True, eq=False)
class PrintCheck:
    """What a check found. walls, gaps: (n,) mm at the samples, infinite where nothing is met. leans: (n,) degrees by
    which each place looks down past upright; 0 for what lies on the bed. volume: mm³. ways: from best to worst."""

    limits: PrintLimits
    closed: bool
    samples: Samples
    walls: Floats
    gaps: Floats
    leans: Floats
    volume: float
    ways: tuple[Laid, ...]

    @property
    def mass(self) -> float:
        """g, where it is printed full."""
        return self.volume / 1000 * self.limits.density

    @property
    def thin(self) -> Bools:
        """(n,) where walls are thinner than the limit."""
        return np.asarray(self.walls < self.limits.wall)

    @property
    def lost(self) -> Bools:
        """(n,) where a wall or a gap is narrower than the nozzle."""
        return np.asarray(np.minimum(self.walls, self.gaps) < self.limits.nozzle)

    @property
    def hanging(self) -> Bools:
        """(n,) what hangs over too far."""
        return np.asarray(self.leans > self.limits.overhang)

    @property
    def hanging_area(self) -> float:
        """mm² of what hangs over too far."""
        return area_above(self.samples, self.leans, self.limits.overhang)

    def area(self, where: Bools) -> float:
        """mm² of a part."""
        return float(self.samples.areas[where].sum())

    @property
    def good(self) -> bool:
        """True where it can be printed as it is laid, without support."""
        return self.closed and not (self.thin.any() or self.lost.any() or self.hanging.any())


def check_print(
    whole: Whole, way: Floats | Sequence[float], limits: PrintLimits, progress: Progress = silent
) -> PrintCheck:
    """Check what is printed with ``way`` (3,) up.

    Walls and gaps are measured straight in and out. What is open has no walls: that is told, and nothing is measured of
    them. Raises ArabesqueError for a direction of length 0.
    """
    up, samples, closed = direction(way), whole.samples, whole.closed
    progress(0.1, "Measuring walls")
    nothing = np.full(len(samples.points), np.inf)
    walls = nothing
    if closed:
        found = wall_ends(samples)
        # what an acute edge leaves is no wall
        walls = np.where(found.edge, np.inf, found.thickness)
    progress(0.5, "Measuring gaps")
    # seen from its other side, what lies between two walls is a wall
    turned = replace(samples, normals=-samples.normals, triangles=samples.triangles[:, ::-1])
    gaps = wall_thickness(turned) if closed else nothing
    progress(0.8, "Laying it down")
    ways = sorted((laid(samples, one, limits) for one in WAYS), key=lambda one: (round(one.hanging, 3), one.height))
    return PrintCheck(limits, closed, samples, walls, gaps, leans(samples, up), whole.volume, tuple(ways))


def leans(samples: Samples, up: Floats) -> Floats:
    """(n,) degrees by which places look down past upright, 90 for a ceiling; 0 for what looks up or lies on the bed."""
    down = np.degrees(np.arcsin(np.clip(-samples.normals @ up, 0.0, 1.0)))
    heights = samples.points @ up
    return np.asarray(np.where(heights <= heights.min() + ON_BED, 0.0, down))


def laid(samples: Samples, way: Floats, limits: PrintLimits) -> Laid:
    """How a shape stands with a direction (3,) up."""
    x, y, z = (float(c) for c in way)
    hanging = area_above(samples, leans(samples, way), limits.overhang)
    return Laid((x, y, z), float(np.ptp(samples.points @ way)), hanging)
