"""Live distance of surfaces: measured again whenever a shape, the scan or the grid changes."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple, TypeVar

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.arrays import Bools, Floats, Ints
from arabesque.checking import Grid, WayBack, even_parameters, reach_back, shown_on_grid, surface_to_scan
from arabesque.desk.jobs import Job, JobQueue
from arabesque.geometry import Face, Surface, basis_matrix
from arabesque.geometry.kernels import unit_cross
from arabesque.scan import Scan

T = TypeVar("T")
SAMPLES_ALONG = 100
MOST_LIVE = 64


class _Last(NamedTuple):
    """What was measured last: for the next time, when little has moved."""

    scan: Scan
    points: Floats
    distance: Floats
    valid: Bools
    triangle: Ints


class LiveGrid:
    """Measures one surface again and again while only its control points move."""

    def __init__(self, surface: Surface, along: int = SAMPLES_ALONG) -> None:
        self._knots, self._degree, self.along = surface.knots, surface.degree, along
        self.u, self.v = (even_parameters(k, along) for k in surface.knots)
        self._shown = shown_on_grid(surface, self.u, self.v)
        self._trim = surface.trim if isinstance(surface, Face) else None
        self._last: _Last | None = None
        self._basis = [
            [basis_matrix(knots, degree, at, k) for k in (0, 1)]
            for knots, degree, at in zip(surface.knots, surface.degree, (self.u, self.v), strict=True)
        ]

    def fits(self, surface: Surface) -> bool:
        """True while the surface has the same degrees, knots and trim."""
        if (surface.trim if isinstance(surface, Face) else None) is not self._trim:
            return False
        return self._degree == surface.degree and all(
            np.array_equal(a, b) for a, b in zip(self._knots, surface.knots, strict=True)
        )

    def measure(self, surface: Surface, scan: Scan | None) -> Grid:
        """Points, normals and distances of the surface as it now is."""
        d = surface.on_basis(*self._basis)
        points = d[0, 0]
        normals = unit_cross(d[1, 0].reshape(-1, 3), d[0, 1].reshape(-1, 3)).reshape(points.shape)
        shape = points.shape[:2]
        if scan is None:
            return Grid(self.u, self.v, points, normals, np.zeros(shape), np.zeros(shape, dtype=bool), self._shown)
        distance, valid = self._distances(points.reshape(-1, 3), scan)
        seen = valid.reshape(shape) & self._shown
        return Grid(self.u, self.v, points, normals, distance.reshape(shape), seen, self._shown)

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
    """What is measured of every surface, by shape: its grid, and the way back from the scan.

    Computed beside the window and kept; at once for what is being moved.
    """

    measured = pyqtSignal()

    def __init__(self, jobs: JobQueue) -> None:
        super().__init__()
        self._jobs = jobs
        self._grids: dict[int, tuple[Surface, Scan | None, Grid]] = {}
        self._coarse: set[int] = set()
        self._running: dict[int, Job] = {}
        self._live: dict[str, LiveGrid] = {}
        self._backs: dict[int, tuple[Surface, Scan, float, WayBack]] = {}
        self._ways: dict[str, tuple[WayBack, WayBack]] = {}

    def grid(self, surface: Surface, scan: Scan | None) -> Grid | None:
        """The surface's measured grid, or None until it is ready."""
        known = self._grids.get(id(surface))
        return known[2] if known is not None and known[0] is surface and known[1] is scan else None

    def back(self, surface: Surface, scan: Scan | None) -> WayBack | None:
        """Distances of scan points to the surface, or None until they are ready."""
        known = self._backs.get(id(surface))
        return known[3] if known is not None and known[0] is surface and known[1] is scan else None

    def measure_now(self, slot: str, surface: Surface, scan: Scan | None, along: int = SAMPLES_ALONG) -> Grid:
        """Measure at once, for a surface that is being moved.

        slot: whose surface it is. along: samples a side; fewer than usual where
        several move, to be measured in full once the surface stays.
        """
        known = self.grid(surface, scan)
        if known is not None:
            return known
        live = self._live.get(slot)
        if live is None or live.along != along or not live.fits(surface):
            if len(self._live) > MOST_LIVE:
                self._live.clear()
            live = self._live[slot] = LiveGrid(surface, along)
        grid = live.measure(surface, scan)
        self._grids[id(surface)] = (surface, scan, grid)
        if along < SAMPLES_ALONG:
            self._coarse.add(id(surface))
        return grid

    def follow_now(self, slot: str, before: Surface, surface: Surface, scan: Scan | None, share: int = 1) -> None:
        """Let the way back follow a surface that is being moved, where it is known for the one ``before``.

        share: one in so many points, where several surfaces move.
        """
        start = self.back(before, scan)
        if start is None or scan is None or before.points.shape != surface.points.shape:
            return
        begun, way = self._ways.get(slot, (None, start))
        if begun is not start or len(way.points) != len(start.points[::share]):
            way = start.thinned(share)
            if len(self._ways) > MOST_LIVE:
                self._ways.clear()
        way = way.follow(surface)
        self._ways[slot] = start, way
        self._backs[id(surface)] = (surface, scan, np.nan, way)

    def want(self, surfaces: list[Surface], scan: Scan | None, staying: list[Surface], tolerance: float) -> None:
        """Measure what is not known yet, beside the window; forget every other shape.

        staying: those that are not in the middle of a drag, to be known in
        full. tolerance: mm, which decides what belongs to a surface.
        """
        kept = {id(s) for s in surfaces}
        self._grids = {key: value for key, value in self._grids.items() if key in kept}
        self._backs = {key: value for key, value in self._backs.items() if key in kept}
        self._coarse &= kept
        full = {id(s) for s in staying}
        for surface in surfaces:
            if id(surface) in self._running:
                continue
            rough = id(surface) in self._coarse and id(surface) in full
            grid = self.grid(surface, scan)
            if rough or grid is None:
                self._measure(surface, scan)
            elif scan is not None and id(surface) in full and not self._knows_back(surface, scan, tolerance):
                self._measure_back(surface, scan, grid, tolerance)

    def _knows_back(self, surface: Surface, scan: Scan, tolerance: float) -> bool:
        known = self._backs.get(id(surface))
        return known is not None and known[0] is surface and known[1] is scan and known[2] == tolerance

    def _measure(self, surface: Surface, scan: Scan | None) -> None:
        def work(_: object) -> Grid:
            return LiveGrid(surface).measure(surface, None) if scan is None else surface_to_scan(surface, scan)

        def finish(grid: Grid) -> None:
            self._grids[id(surface)] = (surface, scan, grid)
            self._coarse.discard(id(surface))

        self._run(surface, work, finish)

    def _measure_back(self, surface: Surface, scan: Scan, grid: Grid, tolerance: float) -> None:
        def work(_: object) -> WayBack:
            return WayBack.begin(surface, scan, reach_back(grid.distance[grid.valid], tolerance))

        def finish(back: WayBack) -> None:
            self._backs[id(surface)] = (surface, scan, tolerance, back)

        self._run(surface, work, finish)

    def _run(self, surface: Surface, work: Callable[[object], T], finish: Callable[[T], None]) -> None:
        def finished(result: T) -> None:
            # before the others hear of it, for they may want more about the same surface
            self._running.pop(id(surface), None)
            finish(result)
            self.measured.emit()

        job = self._jobs.quick("Measuring", work)
        self._running[id(surface)] = job
        job.ended.connect(lambda: self._running.pop(id(surface), None))
        job.done.connect(finished)
