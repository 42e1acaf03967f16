"""What pictures of scans need besides the scan: a coarse stand-in and curvature, made beside the window."""

from __future__ import annotations

import weakref
from collections.abc import Callable
from enum import Enum
from typing import Any, NamedTuple

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.arrays import Floats, Ints
from arabesque.checking import Cuts, Family, PlaneSet, scan_sections
from arabesque.desk.jobs import JobQueue
from arabesque.mending import merged
from arabesque.progress import Progress, silent
from arabesque.reading import Regions
from arabesque.scan import Scan, ScanCurvature, calming_rounds, coarse_stand_in, ready_to_fit, scan_curvature

COARSE_TRIANGLES = 30_000
WORTH_A_STAND_IN = 80_000
AREA_COLOURS = 8
AT_ONCE, MOST_SECTIONS = 2, 6
"""So many planes are cut in the window's own thread, and so many families are kept for a scan."""


class CurvatureKind(Enum):
    """Which curvature is shown."""

    MEAN = "mean"
    LARGEST = "largest (most hollow)"
    SMALLEST = "smallest (most bulging)"


class ScanViews(QObject):
    """Stand-ins and mean curvatures of scans, each made once when first asked for."""

    ready = pyqtSignal()

    def __init__(self, jobs: JobQueue) -> None:
        super().__init__()
        self._jobs = jobs
        self._known: dict[tuple[int, str], tuple[weakref.ref[Scan], Any]] = {}

    def stand_in(self, scan: Scan) -> tuple[Floats, Floats, Ints] | None:
        """Coarse points, normals and triangles; None for small scans, and until they are made."""
        if len(scan.triangles) < WORTH_A_STAND_IN:
            return None
        return self._get(scan, "stand-in", "")

    def curvature(self, scan: Scan, kind: CurvatureKind) -> tuple[Floats, float] | None:
        """(n,) a curvature, 1/mm, and the range to show it in; None until it is made."""
        views = self._get(scan, "curvature", "Reading the curvature")
        return None if views is None else views.shown(kind)

    def ready_range(self, scan: Scan, kind: CurvatureKind) -> float | None:
        """The range by itself, if the curvature has been read."""
        known = self._known.get((id(scan), "curvature"))
        return None if known is None or known[0]() is not scan or known[1] is None else known[1].shown(kind)[1]

    def areas(self, scan: Scan, regions: Regions) -> Areas | None:
        """The areas as meshes, and the lines between them; None until they are made."""
        key = f"areas {id(regions)}"
        made = self._get(scan, key, "", lambda: (regions, _areas(scan, regions)))
        if made is not None and made[0] is not regions:  # the number is that of older regions, now gone
            del self._known[id(scan), key]
            return self.areas(scan, regions)
        return None if made is None else made[1]

    def sections(self, scan: Scan, planes: Cuts) -> Floats | None:
        """(k, 2, 3) segments where planes cut a scan; None until they are made. A plane or two are cut at once."""
        if isinstance(planes, PlaneSet) and len(planes.planes) <= AT_ONCE:
            return scan_sections(scan, planes).segments
        key = _key(planes)
        known = [name for number, name in self._known if number == id(scan) and name.startswith("sections")]
        if key not in known and len(known) >= MOST_SECTIONS:
            del self._known[id(scan), known[0]]
        return self._get(scan, key, "", lambda: scan_sections(scan, planes).segments)

    def as_one(self, scans: list[Scan]) -> Scan | None:
        """Several scans as one, to measure distances to the nearest of them; None until it is made."""
        first = scans[0]
        key = f"as one {[id(scan) for scan in scans]}"
        known = self._known.get((id(first), key))
        references = [weakref.ref(scan) for scan in scans]
        made = self._get(first, key, "Taking scans together", lambda: (references, ready_to_fit(merged(scans), silent)))
        if made is None or known is None:
            return None
        return made[1] if all(a() is b for a, b in zip(made[0], scans, strict=True)) else None

    def measured(self, scan: Scan, progress: Progress) -> ScanCurvature:
        """Curvature for other work, less averaged than for the picture, kept; called in a worker thread."""
        known = self._known.get((id(scan), "measured"))
        if known is not None and known[0]() is scan:
            return known[1]
        measured = scan_curvature(scan, calming_rounds(scan), progress)
        key = (id(scan), "measured")
        self._known[key] = self._held(scan, key), measured
        return measured

    def _held(self, scan: Scan, key: tuple[int, str]) -> weakref.ref[Scan]:
        """A scan that was looked at; what was made of it goes with it."""
        return weakref.ref(scan, lambda _: self._known.pop(key, None))

    def _get(self, scan: Scan, what: str, label: str, make: Callable[[], Any] | None = None) -> Any:
        key = id(scan), what
        known = self._known.get(key)
        if known is not None and known[0]() is scan:
            return known[1]
        self._known[key] = self._held(scan, key), None

        def work(progress: Progress) -> Any:
            if make is not None:
                return make()
            if what == "stand-in":
                return coarse_stand_in(scan, COARSE_TRIANGLES)
            return _CurvatureViews(scan_curvature(scan, progress=progress))

        reference = weakref.ref(scan)

        def keep(result: Any) -> None:
            living = reference()
            if living is not None:
                self._known[key] = self._held(living, key), result
                self.ready.emit()

        job = self._jobs.start(label, work) if label else self._jobs.quick(what, work)
        job.done.connect(keep)
        job.cancelled.connect(lambda: self._known.pop(key, None))
        return None


def _key(planes: Cuts) -> str:
    if isinstance(planes, Family):
        return f"sections {planes.direction} {planes.spacing} {planes.start}"
    return f"sections {[(plane.normal.tolist(), plane.offset) for plane in planes.planes]}"


class _CurvatureViews:
    """Curvatures of a scan, each with a range that its few tightest places do not decide."""

    def __init__(self, measured: ScanCurvature) -> None:
        self.measured = measured
        self._shown: dict[CurvatureKind, tuple[Floats, float]] = {}

    def shown(self, kind: CurvatureKind) -> tuple[Floats, float]:
        """(n,) values and range; the same arrays each time."""
        if kind not in self._shown:
            values = getattr(self.measured, kind.name.lower())
            self._shown[kind] = values, float(np.percentile(np.abs(values), 95)) or 1e-9
        return self._shown[kind]


class Areas(NamedTuple):
    """meshes: points, normals, triangles and colour number of each area. borders: (k, 2, 3) segments between them."""

    meshes: list[tuple[Floats, Floats, Ints, int]]
    borders: Floats


def _areas(scan: Scan, regions: Regions) -> Areas:
    """Each area as a mesh of its own, with colour numbers that differ between neighbours where they can."""
    pairs = regions.labels[scan.neighbours]
    across = np.unique(np.sort(pairs[pairs[:, 0] != pairs[:, 1]], axis=1), axis=0)
    colours = np.full(len(regions.areas), -1)
    for number in np.argsort(-regions.counts):
        near = colours[np.concatenate([across[across[:, 0] == number, 1], across[across[:, 1] == number, 0]])]
        free = [c for c in range(AREA_COLOURS) if c not in near]
        colours[number] = free[int(number) % len(free)] if free else int(number) % AREA_COLOURS
    meshes = []
    for number in range(len(regions.areas)):
        triangles = scan.triangles[regions.mask(number)]
        used, compacted = np.unique(triangles, return_inverse=True)
        faces = compacted.reshape(-1, 3)
        meshes.append((scan.points[used], scan.smoothed_normals[used], faces, int(colours[number])))
    one, other = scan.triangles[scan.neighbours[pairs[:, 0] != pairs[:, 1]]].transpose(1, 0, 2)
    shared = one[(one[:, :, None] == other[:, None, :]).any(axis=2)].reshape(-1, 2)
    return Areas(meshes, scan.points[shared])
