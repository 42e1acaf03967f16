"""What was done to prepare a scan, as values: each can be done again to the next one."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.mending.calming import calm
from arabesque.mending.cutting import cut_by_box, cut_by_plane
from arabesque.mending.even import even_triangles
from arabesque.mending.filling import Fill, fill
from arabesque.mending.mirroring import Side, make_symmetric
from arabesque.mending.openings import Opening, openings
from arabesque.mending.reducing import reduce_triangles
from arabesque.mending.tidying import tidy, turned_over
from arabesque.progress import Progress, part, silent
from arabesque.reading import find_symmetry_plane, lay_plane, nearest_axis
from arabesque.scan import Scan


class Preparing:
    """One step of preparing: a frozen dataclass of numbers, words and arrays.

    word: in files.
    """

    word: ClassVar[str]

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        """The scan with the step done, and the (4, 4) motion where it was moved. Raises ArabesqueError."""
        raise NotImplementedError


@dataclass(frozen=True)
class Tidying(Preparing):
    """pieces_below: share of the largest piece below which one is dropped."""

    word = "tidy"
    pieces_below: float = 0.02
    spikes: bool = True
    look_outward: bool = True

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        return tidy(scan, self.pieces_below, self.spikes, self.look_outward, progress).scan, None


@dataclass(frozen=True)
class Closing(Preparing):
    """Openings up to a width, mm. rim: the outer rim too."""

    word = "close openings"
    way: Fill
    up_to: float
    rim: bool = False

    @staticmethod
    def of(every: Sequence[Opening], chosen: Iterable[int], way: Fill) -> Closing | None:
        """The step that closes the chosen openings, by number; None where no width tells them from the others."""
        numbers = set(chosen)
        rim = any(every[n].outer for n in numbers)
        widest = max((every[n].width for n in numbers if not every[n].outer), default=0.0)
        step = Closing(way, widest, rim)
        return step if {n for n, one in enumerate(every) if step._meant(one)} == numbers else None

    def _meant(self, opening: Opening) -> bool:
        return self.rim if opening.outer else opening.width <= self.up_to

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        chosen = [one for one in openings(scan) if self._meant(one)]
        return (fill(scan, chosen, self.way, progress).scan if chosen else scan), None


@dataclass(frozen=True, eq=False)
class Cutting(Preparing):
    """By the plane of a (3,) normal and its distance from the origin, mm; what is above stays, or what is below."""

    word = "cut at a plane"
    normal: Floats
    offset: float
    below: bool = False

    def __post_init__(self) -> None:
        object.__setattr__(self, "normal", frozen_array(self.normal, (3,), np.float64, what="Plane"))

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        halves = cut_by_plane(scan, Plane(self.normal, self.offset))
        return _there(halves.below if self.below else halves.above), None


@dataclass(frozen=True, eq=False)
class Boxing(Preparing):
    """By a box between two (3,) corners, mm; what lies inside stays, or what is outside."""

    word = "cut by a box"
    low: Floats
    high: Floats
    outside: bool = False

    def __post_init__(self) -> None:
        for name in ("low", "high"):
            object.__setattr__(self, name, frozen_array(getattr(self, name), (3,), np.float64, what="Box"))

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        halves = cut_by_box(scan, self.low, self.high, progress)
        return _there(halves.below if self.outside else halves.above), None


@dataclass(frozen=True)
class LayingSymmetric(Preparing):
    """The symmetry plane of the scan, found anew, becomes a coordinate plane; axis: 0 to 2, or below 0 the nearest."""

    word = "lay on its symmetry plane"
    axis: int = -1

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        plane = find_symmetry_plane(scan, part(progress, 0.0, 0.8)).plane
        matrix = lay_plane(plane, nearest_axis(plane) if self.axis < 0 else self.axis)
        return scan.moved(matrix), matrix


@dataclass(frozen=True, eq=False)
class Moving(Preparing):
    """By a (4, 4) rigid motion, as the first scan was moved."""

    word = "move"
    matrix: Floats

    def __post_init__(self) -> None:
        object.__setattr__(self, "matrix", frozen_array(self.matrix, (4, 4), np.float64, what="Motion"))

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        return scan.moved(self.matrix), self.matrix


@dataclass(frozen=True)
class MakingAlike(Preparing):
    """Both sides of a coordinate plane the same. axis: 0 to 2."""

    word = "same both sides"
    axis: int
    keep: Side = Side.BETTER

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        return make_symmetric(scan, Plane.coordinate(self.axis), self.keep, progress).scan, None


@dataclass(frozen=True)
class Calming(Preparing):
    """limit: the furthest that a point may move, mm; None for any."""

    word = "calm"
    strength: float
    repetitions: int
    keep_edges: bool = True
    limit: float | None = None

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        return calm(scan, self.strength, self.repetitions, self.keep_edges, self.limit, progress).scan, None


@dataclass(frozen=True)
class Evening(Preparing):
    """Even triangles of an edge length, mm."""

    word = "even triangles"
    edge: float

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        return even_triangles(scan, self.edge, progress), None


@dataclass(frozen=True)
class Lightening(Preparing):
    """Fewer triangles: so many."""

    word = "fewer triangles"
    count: int

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        return reduce_triangles(scan, self.count, progress), None


@dataclass(frozen=True)
class TurningOver(Preparing):
    """All triangles look to the other side."""

    word = "turn over"

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        return turned_over(scan), None


@dataclass(frozen=True)
class ByHand(Preparing):
    """What was marked, drawn or clicked on one scan, and means nothing on another."""

    word = "by hand"
    words: str

    def done(self, scan: Scan, progress: Progress = silent) -> tuple[Scan, Floats | None]:
        raise ArabesqueError(f"'{self.words}' was done by hand", "Do it on this scan by hand too, or leave it out")


PREPARINGS: tuple[type[Preparing], ...] = (
    Tidying, Closing, Cutting, Boxing, LayingSymmetric, Moving, MakingAlike, Calming, Evening, Lightening, TurningOver,
    ByHand,
)  # fmt: skip
"""Every step that a project file may hold."""


def _there(scan: Scan | None) -> Scan:
    if scan is None:
        raise ArabesqueError("Nothing of the scan lies on that side", "Lay the scan as the first one lay")
    return scan
