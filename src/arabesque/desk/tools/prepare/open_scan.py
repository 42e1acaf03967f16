"""Bring a scan in: read the file, ask for the unit it does not name, lay it ready."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from pathlib import Path

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.files import Source, source_of
from arabesque.progress import Progress
from arabesque.scan import Scan, read_scan, ready_to_fit
from arabesque.units import scale_to_mm

SMALLEST, LARGEST = 5.0, 5000.0
"""Objects outside this size, mm, are likely in another unit."""


class FileUnit(Enum):
    """The unit of the numbers in a mesh file."""

    MM = "mm"
    CM = "cm"
    M = "m"
    INCH = "inch"
    FOOT = "foot"


class OpenScan(Tool):
    """Reads a mesh file; mesh files do not name their unit, so the user does."""

    id = "open-scan"
    step = Step.PREPARE
    label = "Open a scan"
    hint = "Bring in an STL, OBJ or PLY file"
    shortcut = "Ctrl+I"
    icon = "ph.folder-open"
    short = "Open scan"

    @dataclass
    class Options:
        """unit: of the numbers in the file."""

        unit: FileUnit = FileUnit.MM

    def start(self) -> None:
        self._path: Path | None = None
        self._raw: Scan | None = None
        self._file: Source | None = None
        self._applied = False

    def stop(self) -> None:
        self._raw = None

    @property
    def says(self) -> str:
        if self._path is None:
            return "Choose a file"
        if self._raw is None:
            return f"Reading {self._path.name}"
        return "Choose the unit of the file, then Enter"

    @property
    def apply_word(self) -> str:
        return "Bring it in"

    @property
    def can_apply(self) -> bool:
        return self._raw is not None and not self._applied

    @property
    def facts(self) -> list[Fact]:
        if self._path is None:
            return []
        facts = [Fact("File", self._path.name)]
        if self._raw is not None:
            low, high = self._raw.bounds
            size = (high - low) * scale_to_mm(self.options.unit.value)
            facts += [
                Fact("Triangles", f"{len(self._raw.triangles):,}".replace(",", " ")),
                Fact("Size", " x ".join(f"{n:.4g}" for n in size) + " mm"),
            ]
            if not SMALLEST < float(size.max()) < LARGEST:
                facts.append(Fact("Unit?", f"{size.max():.3g} mm across is unusual", "bad"))
        return facts

    def read(self, path: Path) -> None:
        """Read a file; its size in each unit is shown as soon as it is in."""
        self._path, self._raw, self._applied = path, None, False
        job = self.session.run(
            f"Opening {path.name}", lambda progress: (read_scan(path, "mm", progress), source_of(path))
        )
        job.done.connect(self._read)
        job.failed.connect(lambda _: self.left.emit())
        job.cancelled.connect(self.left.emit)
        self.changed.emit()

    def _read(self, read: tuple[Scan, Source]) -> None:
        self._raw, self._file = read
        self.changed.emit()

    def options_changed(self) -> None:
        self.changed.emit()

    def apply(self) -> None:
        raw, path = self._raw, self._path
        if raw is None or path is None or self._applied:
            return
        self._applied = True
        scale = scale_to_mm(self.options.unit.value)

        def work(progress: Progress) -> Scan:
            return raw if scale == 1 else ready_to_fit(Scan(raw.points * scale, raw.triangles), progress)

        def finish(scan: Scan) -> None:
            words = f"{path.name}, {self.options.unit.value}"
            self.session.add(f"scan {path.stem} opened", path.stem, scan, words=words, file=self._file)
            self.left.emit()

        job = self.session.run(f"Laying {path.name} ready", work)
        job.done.connect(finish)
        job.cancelled.connect(self.left.emit)
