"""Find the symmetry plane of a scan, see how far its sides differ, and lay the plane on the axes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact, three
from arabesque.desk.jobs import Job
from arabesque.desk.kinds.scans import motion_facts
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.prepare.lay_square import MovingWork
from arabesque.desk.tools.prepare.same_sides import plane_outline
from arabesque.desk.tools.scan_work import Made
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import MISSING, Discs, Label, Lines, Paint, Triangles
from arabesque.errors import ArabesqueError
from arabesque.mending import LayingSymmetric
from arabesque.progress import Progress, part
from arabesque.reading import Symmetry, asymmetry, find_symmetry_plane, lay_plane, nearest_axis
from arabesque.scan import Scan


class LayOn(Enum):
    """The coordinate plane that the symmetry plane becomes."""

    NEAREST = ("the nearest", -1)
    X = ("x = 0", 0)
    Y = ("y = 0", 1)
    Z = ("z = 0", 2)


class _Found(NamedTuple):
    scan: Scan
    symmetry: Symmetry
    values: Floats
    figures: dict[str, float]


class FindSymmetry(MovingWork):
    """The plane is found when the tool is taken up; colours show the distance of the scan to its mirror image."""

    id = "symmetry"
    label = "Find symmetry"
    short = "Symmetry"
    hint = "Colours show how far both sides differ. Enter lays the plane found on the axes"
    icon = "ph.arrows-in-line-horizontal"

    @dataclass
    class Options:
        """plane: that the symmetry plane becomes. show: the map of how far both sides differ."""

        plane: LayOn = labelled(LayOn.NEAREST, "Lay it on")
        show: bool = labelled(True, "Show difference")
        all: bool = labelled(True, "Move all along")

    def start(self) -> None:
        super().start()
        self.found: _Found | None = None
        self._search()

    @property
    def can_apply(self) -> bool:
        return super().can_apply and self.found is not None

    @property
    def apply_word(self) -> str:
        return "Lay it square" if self.made is None else "Keep"

    @property
    def map_tolerance(self) -> float | None:
        """The map is banded by the document's tolerance."""
        return self.session.document.tolerance if self._map_shown else None

    @property
    def covers(self) -> frozenset[str]:
        """The map is drawn in the scan's place."""
        item = self.item
        return frozenset({item.id}) if self._map_shown and item is not None else frozenset()

    @property
    def _map_shown(self) -> bool:
        return self.found is not None and self.made is None and self.options.show

    @property
    def facts(self) -> list[Fact]:
        if self.made is not None:
            return self.made.facts
        if self.found is None:
            return self.size_facts
        plane, figures = self.found.symmetry.plane, self.found.figures
        return [
            Fact("Normal", three(plane.normal)),
            Fact("From the origin", f"{round(plane.offset, 3) + 0.0:.3f} mm"),
            Fact("Alike", f"{self.found.symmetry.share:.1%} of it"),
            Fact("Both sides differ", f"{figures['rms']:.3f} mm rms"),
            Fact("95 % within", f"{figures['p95']:.3f} mm"),
            Fact("Most", f"{figures['max']:.3f} mm"),
        ]

    def _search(self) -> None:
        scan = self.scan
        if scan is None:
            return

        def run(progress: Progress) -> _Found:
            symmetry = find_symmetry_plane(scan, part(progress, 0.0, 0.8))
            values, valid = asymmetry(scan, symmetry.plane, part(progress, 0.8, 1.0))
            away = np.abs(values[valid])
            figures = {
                "rms": float(np.sqrt((away**2).mean())),
                "p95": float(np.percentile(away, 95)),
                "max": float(away.max()),
            }
            return _Found(scan, symmetry, np.where(valid, values, MISSING), figures)

        job = self.session.run("Finding the symmetry plane", run)
        self._job = job
        job.done.connect(lambda found: self._searched(job, found))
        job.failed.connect(lambda _: self._searched(job, None))
        job.cancelled.connect(lambda: self._searched(job, None))

    def _searched(self, job: Job, found: _Found | None) -> None:
        if job is self._job:
            self._job, self.found = None, found
            self.changed.emit()

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        if self.found is None or self.found.scan is not scan:
            raise ArabesqueError("No symmetry plane was found yet", "Take the tool up again")
        plane = self.found.symmetry.plane
        axis = self.options.plane.value[1]
        axis = nearest_axis(plane) if axis < 0 else axis
        matrix = lay_plane(plane, axis)
        words = f"symmetry plane laid on {'xyz'[axis]} = 0"
        step = LayingSymmetric(self.options.plane.value[1])
        return lambda progress: Made(scan.moved(matrix), words, motion_facts(matrix), matrix, step=step)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self.found is None or self.made is not None:
            return []
        scan = self.found.scan
        parts = plane_outline(self.found.symmetry.plane, scan)
        if self._map_shown:
            parts.append(
                Triangles(
                    "asymmetry", scan.points, scan.smoothed_normals, scan.triangles, theme.now().porcelain,
                    self.found.values, Paint.DISTANCE,
                )
            )  # fmt: skip
        return parts
