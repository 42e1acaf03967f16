"""Live distance of shapes: measured again whenever a shape or the scan changes."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple, TypeGuard, TypeVar

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages import Cage
from arabesque.checking import Back, Distances, WayBack, reach_back, scan_to_shapes, shape_to_scan
from arabesque.desk.jobs import Job, JobQueue
from arabesque.geometry import Surface
from arabesque.scan import Scan
from arabesque.shapes import SAMPLES_ALONG, Sampled

T = TypeVar("T")
MOST_LIVE = 64
MANY, FEWEST_SEEN = 40, 30
"""Shapes of which each is drawn as finely as one alone, and the fewest places along a side of more than these."""
SELDOM = 4.0
"""While more is being measured, the window is told after so many times as long as it takes to tell it."""


def _along(count: int) -> int:
    """Places along each side of each of so many shapes that are only to be seen: the picture stays about as large."""
    return max(FEWEST_SEEN, int(SAMPLES_ALONG * min(1.0, MANY / max(count, 1)) ** 0.5))


class _Last(NamedTuple):
    """What was measured last: for the next time, when little has moved."""

    scan: Scan
    points: Floats
    distance: Floats
    valid: Bools
    triangle: Ints


class Live:
    """Measures one shape again and again while only its control points move."""

    def __init__(self, shape: Sampled, along: int = SAMPLES_ALONG) -> None:
        self.along = along
        self._sampler = shape.sampler(along)
        self._last: _Last | None = None

    def fits(self, shape: Sampled) -> bool:
        """True while the shape can be read in the same way."""
        return self._sampler.fits(shape)

    def measure(self, shape: Sampled, scan: Scan | None) -> Distances:
        """The shape as it now is, with its distances."""
        samples = self._sampler.read(shape)
        if scan is None:
            none = np.zeros(len(samples.points))
            return Distances(samples, none, none.astype(bool))
        return Distances(samples, *self._distances(samples.points, scan))

    def _distances(self, points: Floats, scan: Scan) -> tuple[Floats, Bools]:
        """Signed distances; places that did not move keep theirs, others are looked for near where they were."""
        if self._last is None or self._last.scan is not scan:
            moved, near = np.arange(len(points)), None
            distance, valid = np.zeros(len(points)), np.zeros(len(points), dtype=bool)
            triangle = np.full(len(points), -1)
        else:
            last = self._last
            moved = np.flatnonzero((points != last.points).any(axis=1))
            distance, valid, triangle = last.distance.copy(), last.valid.copy(), last.triangle.copy()
            near = triangle[moved]
        signed, closest = scan.signed_distance(points[moved], near=near)
        valid[moved] = ~closest.on_border & (closest.triangle >= 0)
        distance[moved] = np.where(valid[moved], signed, 0.0)
        triangle[moved] = closest.triangle
        self._last = _Last(scan, points, distance, valid, triangle)
        return distance, valid


class Meters(QObject):
    """What is measured of every shape: its distances, and of a patch the way back from the scan.

    Computed beside the window and kept; at once for what is being moved.
    """

    measured = pyqtSignal()

    def __init__(self, jobs: JobQueue) -> None:
        super().__init__()
        self._jobs = jobs
        self._known: dict[int, tuple[Sampled, Scan | None, Distances]] = {}
        self._coarse: set[int] = set()
        self._running: dict[int, Job] = {}
        self._live: dict[str, Live] = {}
        self._backs: dict[int, tuple[Surface | Cage, Scan, float, WayBack | Back]] = {}
        self._ways: dict[str, tuple[WayBack, WayBack]] = {}
        self._told = self._cost = 0.0

    def distances(self, shape: Sampled, scan: Scan | None) -> Distances | None:
        """The shape's samples with their distances, or None until they are ready."""
        known = self._known.get(id(shape))
        return known[2] if known is not None and known[0] is shape and known[1] is scan else None

    def back(self, surface: Surface | Cage, scan: Scan | None) -> WayBack | Back | None:
        """Distances of scan points to the surface, or None until they are ready."""
        known = self._backs.get(id(surface))
        return known[3] if known is not None and known[0] is surface and known[1] is scan else None

    def measure_now(self, slot: str, shape: Sampled, scan: Scan | None, along: int = SAMPLES_ALONG) -> Distances:
        """Measure at once, for a shape that is being moved.

        slot: whose shape it is. along: samples a side; fewer than usual where
        several move, to be measured in full once the shape stays.
        """
        known = self.distances(shape, scan)
        if known is not None:
            return known
        live = self._live.get(slot)
        if live is None or live.along != along or not live.fits(shape):
            if len(self._live) > MOST_LIVE:
                self._live.clear()
            live = self._live[slot] = Live(shape, along)
        found = live.measure(shape, scan)
        self._known[id(shape)] = (shape, scan, found)
        if along < SAMPLES_ALONG:
            self._coarse.add(id(shape))
        return found

    def follow_now(self, slot: str, before: Surface, surface: Surface, scan: Scan | None, share: int = 1) -> None:
        """Let the way back follow a surface that is being moved, where it is known for the one ``before``.

        share: one in so many points, where several surfaces move.
        """
        start = self.back(before, scan)
        if not isinstance(start, WayBack) or scan is None or before.points.shape != surface.points.shape:
            return
        begun, way = self._ways.get(slot, (None, start))
        if begun is not start or len(way.points) != len(start.points[::share]):
            way = start.thinned(share)
            if len(self._ways) > MOST_LIVE:
                self._ways.clear()
        way = way.follow(surface)
        self._ways[slot] = start, way
        self._backs[id(surface)] = (surface, scan, np.nan, way)

    def want(self, shapes: list[Sampled], scan: Scan | None, staying: list[Sampled], tolerance: float) -> None:
        """Measure what is not known yet, beside the window; forget every other shape.

        staying: those that are not in the middle of a drag, to be known in
        full. tolerance: mm, which decides what belongs to a patch.
        """
        kept = {id(s) for s in shapes}
        self._known = {key: value for key, value in self._known.items() if key in kept}
        self._backs = {key: value for key, value in self._backs.items() if key in kept}
        self._coarse &= kept
        full = {id(s) for s in staying}
        for shape in shapes:
            if id(shape) in self._running:
                continue
            rough = id(shape) in self._coarse and id(shape) in full
            found = self.distances(shape, scan)
            if rough or found is None:
                self._measure(shape, scan, _along(len(shapes)))
            elif scan is not None and id(shape) in full and self._lacks_back(shape, scan, tolerance):
                self._measure_back(shape, scan, found, tolerance)

    def _lacks_back(self, shape: Sampled, scan: Scan, tolerance: float) -> TypeGuard[Surface | Cage]:
        known = self._backs.get(id(shape))
        there = known is not None and known[0] is shape and known[1] is scan and known[2] == tolerance
        return isinstance(shape, Surface | Cage) and not there

    def _measure(self, shape: Sampled, scan: Scan | None, along: int) -> None:
        def work(_: object) -> Distances:
            return Live(shape, along).measure(shape, None) if scan is None else shape_to_scan(shape, scan)

        def finish(found: Distances) -> None:
            self._known[id(shape)] = (shape, scan, found)
            self._coarse.discard(id(shape))

        self._run(shape, work, finish)

    def _measure_back(self, surface: Surface | Cage, scan: Scan, found: Distances, tolerance: float) -> None:
        def work(_: object) -> WayBack | Back:
            reach = reach_back(found.distance[found.valid], tolerance)
            every = scan_to_shapes(scan, [surface], reach, tolerance)
            if isinstance(surface, Cage):
                return every
            return replace(WayBack.begin(surface, scan, reach), every=every)

        def finish(back: WayBack | Back) -> None:
            self._backs[id(surface)] = (surface, scan, tolerance, back)

        self._run(surface, work, finish)

    def _tell(self) -> None:
        """Say that something was measured; of thousands of shapes only now and then, for everything listens."""
        began = time.monotonic()
        if self._running and began - self._told < SELDOM * self._cost:
            return
        self.measured.emit()
        self._told = time.monotonic()
        self._cost = self._told - began

    def _run(self, shape: Sampled, work: Callable[[object], T], finish: Callable[[T], None]) -> None:
        def finished(result: T) -> None:
            # before the others hear of it, for they may want more about the same shape
            self._running.pop(id(shape), None)
            finish(result)
            self._tell()

        job = self._jobs.quick("Measuring", work)
        self._running[id(shape)] = job
        job.ended.connect(lambda: self._running.pop(id(shape), None))
        job.done.connect(finished)
