"""What milling with a ball cutter along one direction asks of a shape: what it reaches, and what it leaves."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.delivery.height_field import HeightField, floored, frame_along, height_field, tip_heights, with_margin
from arabesque.delivery.milling_kernel import standing_off
from arabesque.delivery.whole import Whole, direction
from arabesque.errors import ArabesqueError
from arabesque.progress import Progress, silent
from arabesque.scan import BoxTree
from arabesque.shapes import Samples

FINER = 2
"""Places of the grid in a length of stock that may stay: walls between two of them are only known to that."""
UNSURE = 1.5
"""Cells by which stock is told too large at a wall that runs between places of the grid, across it."""
ON_BED = 1e-3
"""Of the size of a shape: what looks down and lies as low as this stands on the bed, and is not to be milled."""
UPRIGHT = 0.02
"""Sine of the lean backwards at which a place still counts as upright, and is reached by the side of a cutter."""
LIFTED = 1e-4
"""Of the size of a shape: rays to the spindle begin this far off it."""
SMALLEST, HALVINGS = 0.25, 7
"""mm, the smallest cutter that is asked for, and steps in the search for the largest that does."""
CELLS, SEARCH_CELLS = 300, 160
"""Places along the longer side of the grid, at most, where no closer one is asked for; and where it is looked for the
largest cutter."""
WIDEST = 0.25
"""Of the size of a shape: no larger cutter is looked for."""


@dataclass(frozen=True)
class Milling:
    """way: from the work to the spindle. radius: of the ball, mm. limit: mm of stock that may stay. step: mm between
    neighbouring ways of the cutter. cell: mm of the grid; 0 for as fine as the limit asks for, and time allows."""

    way: tuple[float, float, float] = (0.0, 0.0, 1.0)
    radius: float = 3.0
    limit: float = 0.2
    step: float = 0.6
    cell: float = 0.0

    def __post_init__(self) -> None:
        if not (self.radius > 0 and self.limit > 0 and self.step > 0 and self.cell >= 0):
            raise ArabesqueError("Radius, stock and step of a cutter are above 0", "Give lengths in mm")
        if self.step > 2 * self.radius:
            raise ArabesqueError("Ways further apart than the cutter is wide leave walls", "Give a smaller step")

    @property
    def scallop(self) -> float:
        """mm, the height of the ridge between two ways on a plane: r - sqrt(r² - (s/2)²), common practice."""
        return float(self.radius - np.sqrt(self.radius**2 - (self.step / 2) ** 2))


@dataclass(frozen=True, eq=False)
class MillCheck:
    """What a check found. reached: (n,) places of the samples that the spindle sees, or that stand on the bed. stock:
    (n,) mm that stay where it sees them, 0 elsewhere; true to ``milling.cell``. largest: radius of the largest ball,
    mm, that leaves no more than the limit anywhere that is reached; infinite where none is too large, None where even
    the smallest leaves more. tips: how low the cutter's tip may come."""

    milling: Milling
    samples: Samples
    reached: Bools
    stock: Floats
    largest: float | None
    tips: HeightField

    @property
    def largest_words(self) -> str:
        """The largest ball that does."""
        if self.largest is None:
            return "none"
        return "any" if np.isinf(self.largest) else f"R {self.largest:.3g} mm"

    @property
    def missed(self) -> float:
        """mm² that the spindle does not see."""
        return float(self.samples.areas[~self.reached].sum())

    @property
    def left(self) -> float:
        """mm² on which more than the limit stays."""
        return float(self.samples.areas[self.stock > _told_limit(self.milling)].sum())

    @property
    def most(self) -> float:
        """mm, the thickest stock that stays."""
        return float(self.stock.max(initial=0.0))

    @property
    def within(self) -> bool:
        """True where no more stays than may, as far as the grid can tell."""
        return self.most <= _told_limit(self.milling)

    @property
    def good(self) -> bool:
        """True where all is reached, and no more stays than may."""
        return bool(self.reached.all()) and self.within


def _told_limit(milling: Milling) -> float:
    """mm of stock from which on more than the limit stays for sure."""
    return milling.limit + UNSURE * milling.cell


def check_mill(whole: Whole, milling: Milling, progress: Progress = silent, search: bool = True) -> MillCheck:
    """Check what is milled along a direction with a ball cutter, all round down to the shape's lowest place.

    search: also for the largest cutter that does it all. Raises ArabesqueError for a direction of length 0 and a grid
    with millions of places.
    """
    way, samples = direction(milling.way), whole.samples
    progress(0.05, "Looking along the spindle")
    seen = seen_along(samples, way)
    heights = samples.points @ way
    field, lowest = field_of(whole, way, milling), float(heights.min())
    milling = replace(milling, cell=field.cell)
    on_bed = (heights < lowest + ON_BED * samples.size) & (samples.normals @ way < -1 + ON_BED)
    reached = seen | on_bed
    places = field.local(samples.points)
    progress(0.2, "Rolling the cutter over it")
    tips = _tips(field, lowest, milling.radius)
    stock = np.where(seen, _stock(places, tips, milling.radius, milling.limit), 0.0)

    largest = _largest(whole, way, milling, places[seen], lowest, progress) if search and seen.any() else None
    return MillCheck(milling, samples, reached, stock, largest, tips)


def _largest(
    whole: Whole, way: Floats, milling: Milling, places: Floats, lowest: float, progress: Progress
) -> float | None:
    """Radius of the largest ball, mm, that leaves no more than the limit at (n, 3) places: see ``MillCheck``."""
    coarse = replace(milling, cell=max(milling.cell, longest_side(whole, way) / SEARCH_CELLS))
    field = field_of(whole, way, coarse)

    def does(radius: float) -> bool:
        left = _stock(places, _tips(with_margin(field, radius), lowest, radius), radius, milling.limit)
        return bool((left <= _told_limit(coarse)).all())

    if not does(SMALLEST):
        return None
    largest, widest = SMALLEST, WIDEST * whole.samples.size
    high = widest
    for step in range(HALVINGS):
        progress(0.3 + 0.7 * step / HALVINGS, "Looking for the largest cutter that does")
        radius = float(np.sqrt(largest * high))
        if does(radius):
            largest = radius
        else:
            high = radius
    # none that was tried is too large
    return float("inf") if high == widest else largest


def field_of(whole: Whole, way: Floats, milling: Milling) -> HeightField:
    """The heights that a mill sees, as fine as it asks for, with room for the cutter round it."""
    cell = milling.cell or max(milling.limit / FINER, longest_side(whole, way) / CELLS)
    # whole cells: where the grid lies must not hang on the cutter
    return height_field(whole, way, cell, cell * np.ceil((milling.radius + 2 * cell) / cell))


def longest_side(whole: Whole, way: Floats) -> float:
    """mm, the longer side of a shape as the spindle sees it."""
    return float(np.ptp(whole.samples.points @ frame_along(way)[:3, :2], axis=0).max())


def _tips(field: HeightField, lowest: float, radius: float) -> HeightField:
    """How low a cutter may come: beside the shape its ball sinks under it, or it would leave a fillet at its foot."""
    return tip_heights(floored(field, lowest - radius), radius)


def seen_along(samples: Samples, way: Floats) -> Bools:
    """(n,) which places nothing hides from a spindle along a direction (3,); upright walls count as seen."""
    tree = BoxTree(samples.points[samples.triangles].reshape(-1, 9))
    lift = LIFTED * samples.size
    begin = samples.points + lift * (samples.normals + way)
    hidden = tree.first_hits(begin, np.tile(way, (len(begin), 1)))[0] >= 0
    return np.asarray((samples.normals @ way > -UPRIGHT) & ~hidden)


def _stock(places: Floats, tips: HeightField, radius: float, limit: float) -> Floats:
    reach = max(2 * radius, 10 * limit)
    return standing_off(np.ascontiguousarray(places), tips.heights, tips.start, tips.cell, radius, reach)
