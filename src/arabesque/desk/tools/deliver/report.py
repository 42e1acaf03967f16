"""A report for the client: how the model fits its scan, as PDF, HTML or JSON."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from functools import partial
from pathlib import Path

from arabesque.arrays import Floats
from arabesque.delivery import FitReport, fit_report, project_file, write_report
from arabesque.desk.checks.joins import limits_of
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.delivering import Delivering, Written
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import VIEWS, slanted
from arabesque.model import Milestone
from arabesque.progress import Progress
from arabesque.shapes import Sampled


class Paper(Enum):
    """A kind of file: words, and ending."""

    PDF = ("PDF", ".pdf")
    HTML = ("HTML, one page", ".html")
    JSON = ("JSON, figures only", ".json")


class Views(Enum):
    """From where the pictures are taken."""

    NOW = "as the view stands"
    SIDE_AND_ABOVE = "from the side and above"
    THREE = "three sides and from above"
    ALL = "all six sides"


class WriteReport(Delivering):
    """What shows is measured as the Fit strip does; a milestone can stand beside it."""

    needs = (Sampled,)
    id = "fit-report"
    step = Step.DELIVER
    label = "Fit report"
    hint = "Choose the pictures, and a milestone to compare with; Enter asks for the place and writes"
    shortcut = "T"
    icon = "ph.file-text"

    @dataclass
    class Options:
        """title: of the first page; the project's name where there is none."""

        paper: Paper = labelled(Paper.PDF, "Write as")
        views: Views = labelled(Views.NOW, "Pictures")
        title: str = labelled("", "Title")
        note: str = labelled("", "Note")

    def start(self) -> None:
        self._before: Milestone | None = None
        self._camera = Camera()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        self._camera = camera
        return []

    @property
    def can_apply(self) -> bool:
        return self.session.scan is not None and bool(self.session.patches)

    @property
    def facts(self) -> list[Fact]:
        document = self.session.document
        scan = document.items.get(document.reference or "")
        compared = "nothing" if self._before is None else self._before.name
        return [
            Fact("Items", str(len(self.session.patches))),
            Fact("Scan", "none: open one first" if scan is None else scan.name, "bad" if scan is None else ""),
            Fact("Tolerance", f"{document.tolerance:g} mm"),
            Fact("Compared with", compared),
        ]

    @property
    def choices(self) -> list[Choice]:
        milestones = self.session.history.milestones
        if not milestones:
            return []
        alone = Choice("Compare with nothing", partial(self._compare, None), self._before is None)
        return [
            alone,
            *(Choice(f"Compare with ◆ {m.name}", partial(self._compare, m), m is self._before) for m in milestones),
        ]

    def _compare(self, milestone: Milestone | None) -> None:
        self._before = milestone
        self.changed.emit()

    def options_changed(self) -> None:
        self.changed.emit()

    @property
    def title(self) -> str:
        """What stands above the report."""
        path = self.session.work.path
        return self.options.title.strip() or ("Untitled" if path is None else path.stem)

    @property
    def writes(self) -> Written:
        words, suffix = self.options.paper.value
        return Written("Write a fit report", f"{self.title} fit{suffix}", f"{words} (*{suffix})", suffix)

    def looks(self) -> list[tuple[str, Floats]]:
        """Names and axes of the pictures."""
        above = ("From the side and above", slanted())
        sides = [(f"From the {name}", axes) for name, axes in VIEWS.items()]
        if self.options.views is Views.NOW:
            return [("As the view stood", self._camera.axes)]
        if self.options.views is Views.SIDE_AND_ABOVE:
            return [above]
        if self.options.views is Views.THREE:
            return [above, sides[0], sides[2], sides[4]]
        return sides

    def write(self, path: Path) -> None:
        document, shown = self.session.document, self.session.patches
        before = None if self._before is None else (self._before.name, self._before.document)
        notes = [self.options.note.strip()] if self.options.note.strip() else []
        title, looks, limits, saved = self.title, self.looks(), limits_of(self.session), self.session.work.path

        def work(progress: Progress) -> FitReport:
            files = project_file(saved)
            report = fit_report(document, title, shown, looks, files, notes, limits, before, progress=progress)
            progress(0.97, "Writing")
            write_report(path, report)
            return report

        job = self.session.run(f"Writing {path.name}", work)
        job.done.connect(lambda report: self.session.tell(f"{path.name} written: {report.verdict}"))
