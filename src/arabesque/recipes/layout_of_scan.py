"""A cage laid over the reference scan, or a part of it, by itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Bools, Floats, frozen_array, tree_of
from arabesque.cages import Cage
from arabesque.errors import ArabesqueError
from arabesque.geometry import apply
from arabesque.layout import (
    NO_GUIDES,
    Detail,
    Ground,
    Guides,
    Layout,
    Part,
    Wishes,
    borders_of,
    largest_piece,
    lay_out,
    uncovered,
)
from arabesque.progress import Progress, silent
from arabesque.reading import Regions
from arabesque.recipes.base import Given, Recipe
from arabesque.scan import Scan, rims
from arabesque.shapes import Guiding, can


def lines_of(shape: Guiding) -> list[Floats]:
    """(k, 3) polylines of a shape with lines, closed ones back to their start."""
    return [np.vstack([g.points, g.points[:1]]) if g.closed else np.asarray(g.points) for g in shape.guides()]


@dataclass(frozen=True, eq=False)
class Taken:
    """What of the scan is laid out; all of it when nothing is said.

    inside: ids of closed curves on it. regions, on: ids of regions and of their scan, areas: (3,) a place of each
    area that is taken. rims: (k, 3) closed lines round what was marked, place: (3,) inside them. free: what the cages
    that are met do not cover.
    """

    inside: tuple[str, ...] = ()
    regions: str = ""
    on: str = ""
    areas: tuple[Floats, ...] = ()
    rims: tuple[Floats, ...] = ()
    place: Floats | None = None
    free: bool = False

    def __post_init__(self) -> None:
        if self.place is not None:
            object.__setattr__(self, "place", frozen_array(self.place, (3,), np.float64, what="Place"))

    @property
    def inputs(self) -> tuple[str, ...]:
        """Ids of what it goes by."""
        return (*self.inside, *((self.regions, self.on) if self.regions else ()))

    def moved(self, matrix: Floats) -> Taken:
        """After a (4, 4) rigid motion."""
        areas, rims = (tuple(apply(matrix, one) for one in many) for many in (self.areas, self.rims))
        return replace(self, areas=areas, rims=rims, place=None if self.place is None else apply(matrix, self.place))

    def part(self, given: Given, beside: Sequence[Cage]) -> Part | None:
        """What that is on the scan as it is now."""
        assert given.scan is not None
        if self.regions:
            return Part(mask=_mask(given, self.regions, self.on, self.areas))
        if self.rims:
            return Part(lines=self.rims, place=self.place)
        if self.inside:
            return Part(lines=tuple(line for name in self.inside for line in _lines(given, name)))
        return uncovered(given.scan, beside) if self.free and beside else None


def marked_part(scan: Scan, mask: Bools) -> Taken:
    """What is marked (m,) of a scan, by the lines round it: they stay when the scan is another."""
    part = largest_piece(Part(mask=mask).of(scan))
    rings = [part.points[np.append(ring, ring[0])] for ring in rims(part)]
    if not rings:
        raise ArabesqueError("All of the scan is marked", "Lay it out whole")
    middles = part.points[part.triangles].mean(axis=1)
    away, _ = tree_of(np.concatenate(rings)).query(middles)
    return Taken(rims=tuple(rings), place=middles[int(away.argmax())])


@dataclass(frozen=True, eq=False)
class LayoutOfScan(Recipe):
    """Follows the scan, the tolerance and the twin plane.

    quads: how many; 0 for as few as keep the tolerance. detail: how much small forms count. alike: both sides of the
    twin plane the same. close: openings inside are gone over. curves: ids of curves that rows run along. sharp: ids
    of curves on which edges lie, and are sharp. taken: what of the scan is laid out. beside: ids of cages whose
    borders are met. guides: what was drawn for the rows.
    """

    word = "layout of the scan"

    quads: int = 0
    detail: Detail = Detail.BALANCED
    alike: bool = False
    close: bool = False
    curves: tuple[str, ...] = ()
    sharp: tuple[str, ...] = ()
    taken: Taken = Taken()
    beside: tuple[str, ...] = ()
    guides: Guides = NO_GUIDES

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*self.curves, *self.sharp, *self.taken.inputs, *self.beside)))

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance", *(("plane",) if self.alike else ()))

    def moved(self, matrix: Floats) -> LayoutOfScan:
        return replace(
            self, taken=self.taken.moved(matrix), guides=self.guides.at(lambda places: apply(matrix, places))
        )

    def wishes(self, given: Given) -> Wishes:
        """What the layout is to be, with what the document says."""
        cages = [given.shapes[name] for name in self.beside]
        if not all(isinstance(one, Cage) for one in cages):
            raise ArabesqueError("What the layout was to meet is no cage any more", "Choose other cages")
        drawn = self.guides
        along, sharp = (
            tuple(line for name in names for line in _lines(given, name)) for names in (self.curves, self.sharp)
        )
        return Wishes(
            self.quads or None,
            given.tolerance,
            self.detail,
            given.plane if self.alike else None,
            self.close,
            self.taken.part(given, cages),
            replace(drawn, curves=(*along, *drawn.curves), sharp=(*sharp, *drawn.sharp)),
            tuple(border for one in cages for border in borders_of(one)),
        ).checked()

    def build(self, given: Given, progress: Progress = silent) -> Cage:
        return self.lay(given, None, progress).cage

    def lay(self, given: Given, ground: Ground | None, progress: Progress = silent) -> Layout:
        """The layout with all that is told of it; on the rows of an earlier one where these are still true."""
        if given.scan is None:
            raise ArabesqueError("There is no scan to lay the cage on", "Open a scan, or make the cage free")
        if self.alike and given.plane is None:
            raise ArabesqueError("There is no twin plane", "Find the symmetry of the scan first")
        return lay_out(given.scan, self.wishes(given), ground, progress)


def _lines(given: Given, name: str) -> list[Floats]:
    curve = given.shapes[name]
    if not can(curve, Guiding):
        raise ArabesqueError("What rows were to run along is no curve any more", "Choose other curves")
    return lines_of(curve)


def _mask(given: Given, regions: str, on: str, areas: Sequence[Floats]) -> Bools:
    """(m,) triangles of some areas of the scan."""
    found, scan = given.shapes[regions], given.shapes[on]
    if not isinstance(found, Regions) or not isinstance(scan, Scan) or len(found.labels) != len(scan.triangles):
        raise ArabesqueError("The regions no longer fit their scan", "Find them anew")
    if scan is not given.scan:
        raise ArabesqueError("The regions are of another scan", "Make that the reference, or find them on this one")
    chosen = np.unique(found.labels[scan.closest(np.array(areas)).triangle])
    return np.isin(found.labels, chosen)
