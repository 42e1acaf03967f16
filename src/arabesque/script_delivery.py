"""What leaves the house, from Python: reports, checks for printing and milling."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import ArrayLike

from arabesque.delivery import (
    Drawn,
    FitReport,
    Job,
    MillCheck,
    Milling,
    Plan,
    PrintCheck,
    PrintLimits,
    check_mill,
    check_print,
    fit_report,
    make_sheet,
    parallel_path,
    project_file,
    whole_of,
    write_gcode,
    write_job,
    write_report,
    write_sheet,
)
from arabesque.delivery.report_files import KINDS as REPORT_KINDS
from arabesque.delivery.sheet_files import KINDS as SHEET_KINDS
from arabesque.errors import ArabesqueError
from arabesque.files import check_place
from arabesque.geometry import VIEWS, slanted
from arabesque.model import edits
from arabesque.script_base import AnyItem, Lends

UP = (0.0, 0.0, 1.0)


class Delivers(Lends):
    """Papers and checks; ``script.Project`` is one."""

    def report(
        self,
        path: str | Path,
        title: str = "",
        items: Iterable[AnyItem] | None = None,
        views: Sequence[str] = (),
        notes: Sequence[str] = (),
        before: str = "",
    ) -> FitReport:
        """Write how what shows (or some items) fits the reference scan: .pdf, .html or .json.

        views: of the pictures, of "top", "bottom", "left side", "right side", "front", "back"; from the side and above
        where none are given. before: name of a milestone to compare with. Returns the figures. Raises ArabesqueError
        without a scan or surface, FileProblem.
        """
        unknown = [name for name in views if name not in VIEWS]
        if unknown:
            raise ArabesqueError(f"'{unknown[0]}' is no view", f"Choose of {', '.join(VIEWS)}")
        check_place(path, REPORT_KINDS)
        looks = [(f"From the {name}", VIEWS[name]) for name in views] or [("From the side and above", slanted())]
        wanted = None if items is None else [self.item(item.id) for item in items]
        made = fit_report(
            self.document,
            title or Path(path).stem,
            wanted,
            looks,
            project_file(self._path),
            notes,
            before=self._milestone(before),
            progress=self._progress,
        )
        write_report(path, made)
        return made

    def sheet(self, path: str | Path, plan: Plan | None = None, items: Iterable[AnyItem] | None = None) -> Drawn:
        """Write a sheet of what shows (or some items): .pdf, .svg or .dxf. Raises FileProblem, and ArabesqueError where
        it does not fit the paper."""
        check_place(path, SHEET_KINDS)
        wanted = [item for item in self.items if self.document.shows(item)] if items is None else items
        there = [self.item(item.id) for item in wanted]
        drawn = make_sheet(
            self.document, there, plan or Plan(title=Path(path).stem), self._worker, progress=self._progress
        )
        write_sheet(path, drawn)
        return drawn

    def note(self, place: ArrayLike, words: str) -> None:
        """A numbered note at a place (3,), which sheets show."""
        self._do(edits.remarks.noted(self.document, _place(place), words))

    def tick(self, number: int) -> None:
        """A note done, or not yet; number: as sheets show it, from 1. Raises ArabesqueError where there is none."""
        if not 1 <= number <= len(self.document.notes):
            raise ArabesqueError(f"There is no note {number}", f"There are {len(self.document.notes)}")
        self._do(edits.remarks.ticked(self.document, number - 1))

    def record(self, path: str | Path, title: str = "") -> Job:
        """Write the steps of the project as a job, a script for the next scan. Raises ArabesqueError without a scan."""
        return write_job(path, self.document, title or Path(path).stem)

    def measure(self, one: ArrayLike, other: ArrayLike) -> None:
        """A distance between two places (3,), which sheets show."""
        self._do(edits.remarks.measured(self.document, _place(one), _place(other)))

    def check_print(self, item: AnyItem, way: Sequence[float] = UP, limits: PrintLimits | None = None) -> PrintCheck:
        """What printing in layers asks of a body, cage or scan, with ``way`` (3,) up."""
        return check_print(whole_of(self.item(item.id).shape), way, limits or PrintLimits(), self._progress)

    def check_mill(self, item: AnyItem, milling: Milling | None = None) -> MillCheck:
        """What milling with a ball cutter asks of a body, cage or scan."""
        return check_mill(whole_of(self.item(item.id).shape), milling or Milling(), self._progress)

    def write_path(self, found: MillCheck, path: str | Path, feed: float = 1200.0, spindle: float = 12000.0) -> None:
        """Write the parallel path of a cutter as G-code. feed: mm a minute. Raises FileProblem."""
        write_gcode(path, parallel_path(found), found.milling.radius, feed, spindle)


def _place(place: ArrayLike) -> tuple[float, float, float]:
    x, y, z = (float(c) for c in np.asarray(place, dtype=float).reshape(3))
    return x, y, z
