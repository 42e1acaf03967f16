"""A sheet of what shows: laid out on the paper beside the view, and written as PDF, SVG or DXF."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from enum import Enum
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QTimer

from arabesque.arrays import Floats
from arabesque.delivery import Drawn, Pen, Plan, Projection, make_sheet, planes_of, scale_words, write_sheet
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.jobs import Job
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.delivering import Delivering, Written
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.drawing import Drawing, Lettering, Stroke
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Sketch
from arabesque.model import Document, Item
from arabesque.progress import Progress
from arabesque.shapes import Sampled, can
from arabesque.solid import KernelWorker

_PIXELS = {Pen.OUTLINE: 1.6, Pen.SECTION: 1.6, Pen.FRAME: 1.4, Pen.CHOSEN: 1.2}
"""How wide lines are on the screen; all others are finest."""


SHEET_SHARE = 0.72
"""Of the view's width that the sheet takes: it is the work here."""


class Size(Enum):
    """Of the paper."""

    A4 = "A4"
    A3 = "A3"
    A2 = "A2"
    A1 = "A1"
    A0 = "A0"


class Scale(Enum):
    """Of the views: words, and the figure; 0 for the largest that fits."""

    FITS = ("the largest that fits", 0.0)
    TEN = ("10:1", 10.0)
    FIVE = ("5:1", 5.0)
    TWO = ("2:1", 2.0)
    FULL = ("1:1", 1.0)
    HALF = ("1:2", 0.5)
    FIFTH = ("1:5", 0.2)
    TENTH = ("1:10", 0.1)


class Form(Enum):
    """A kind of file: words, and ending."""

    PDF = ("PDF", ".pdf")
    SVG = ("SVG", ".svg")
    DXF = ("DXF", ".dxf")


class MakeSheet(Delivering):
    """What shows is drawn; curves and sketches stand as lines of their own, picked distances and notes with them."""

    needs = (Sampled,)
    id = "sheet"
    step = Step.DELIVER
    label = "Sheet"
    hint = "Choose paper, scale and sections; the free view looks as the view does. Enter asks for the place and writes"
    shortcut = "S"
    icon = "ph.layout"

    @dataclass
    class Options:
        """sections: axis and place of each plane, as y 0, z 12.5. The rest are words of the title block."""

        form: Form = labelled(Form.PDF, "Write as")
        paper: Size = Size.A3
        scale: Scale = labelled(Scale.FITS, "Scale")
        projection: Projection = Projection.FIRST
        sections: str = labelled("", "Sections, as y 0")
        hidden: bool = labelled(True, "Hidden lines")
        smooth: bool = labelled(True, "Smooth borders")
        title: str = labelled("", "Title")
        part: str = labelled("", "Part")
        author: str = labelled("", "Drawn by")
        material: str = labelled("", "Material")

    def start(self) -> None:
        self._job: Job | None = None
        self.sheet: Drawn | None = None
        self.trouble: ArabesqueError | None = None
        self._look = Plan().free
        self._drawn: tuple[Drawn, Drawing] | None = None
        self._begun = False
        self.session.document_changed.connect(self._begin)

    def stop(self) -> None:
        self.session.document_changed.disconnect(self._begin)
        self._drop()

    def options_changed(self) -> None:
        self._begin()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        # the free view is taken when the sheet is begun, not with every turn of the view
        x, y, z = (float(c) for c in camera.axes[2])
        self._look = (x, y, z)
        if not self._begun:
            self._begun = True
            QTimer.singleShot(0, self._begin)
        return []

    @property
    def plan(self) -> Plan:
        """What the form asks for. Raises ArabesqueError for sections that are not understood."""
        o = self.options
        path = self.session.work.path
        title = o.title.strip() or ("" if path is None else path.stem)
        plan = Plan(
            o.paper.value, o.scale.value[1], o.projection, o.hidden, o.smooth, self._look, planes_of(o.sections)
        )
        return replace(plan, title=title, part=o.part, author=o.author, material=o.material)

    def _begin(self) -> None:
        """Lay it out beside the window."""
        self._drop()
        self.sheet = self.trouble = None
        try:
            plan = self.plan
        except ArabesqueError as problem:
            self.trouble = problem
            self.changed.emit()
            return
        document, seen, kernel = self.session.document, self.session.seen.items, self.session.kernel
        items = [item for item in seen if can(item.shape, Sampled) or isinstance(item.shape, Curve | Sketch)]
        job = self._job = self.session.run("Laying out the sheet", _work(document, items, plan, kernel))
        job.done.connect(lambda sheet: self._take(job, sheet, None))
        job.failed.connect(lambda problem: self._take(job, None, problem))
        job.cancelled.connect(lambda: self._take(job, None, None))
        self.changed.emit()

    def _take(self, job: Job, sheet: Drawn | None, trouble: ArabesqueError | None) -> None:
        if job is self._job:
            self._job, self.sheet, self.trouble = None, sheet, trouble
            self.changed.emit()

    def _drop(self) -> None:
        if self._job is not None:
            job, self._job = self._job, None
            job.drop()

    # what is told

    @property
    def says(self) -> str:
        return "Drawing" if self._job is not None else self.hint

    @property
    def facts(self) -> list[Fact]:
        if self.trouble is not None:
            return [Fact("No sheet", f"{self.trouble.cause}: {self.trouble.cure.lower()}", "bad")]
        if self.sheet is None:
            return [Fact("Sheet", "is being drawn")]
        document = self.session.document
        open_notes = sum(not note.done for note in document.notes)
        return [
            Fact("Scale", scale_words(self.sheet.scale)),
            Fact("Distances", str(len(document.measures))),
            Fact("Notes", f"{len(document.notes)}, {open_notes} open"),
        ]

    @property
    def drawing(self) -> Drawing | None:
        sheet = self.sheet
        if sheet is None:
            return None
        if self._drawn is None or self._drawn[0] is not sheet:
            self._drawn = sheet, on_paper(sheet)
        return self._drawn[1]

    @property
    def can_apply(self) -> bool:
        return self.sheet is not None

    @property
    def writes(self) -> Written:
        words, suffix = self.options.form.value
        path = self.session.work.path
        return Written(
            "Write the sheet", f"{'sheet' if path is None else path.stem}{suffix}", f"{words} (*{suffix})", suffix
        )

    def write(self, path: Path) -> None:
        sheet = self.sheet
        assert sheet is not None

        def work(progress: Progress) -> None:
            progress(0.2, "Writing")
            write_sheet(path, sheet)

        job = self.session.run(f"Writing {path.name}", work)
        job.done.connect(lambda _: self.session.tell(f"{path.name} written, {scale_words(sheet.scale)}"))


def _work(document: Document, items: Sequence[Item], plan: Plan, kernel: KernelWorker) -> Any:
    return lambda progress: make_sheet(document, items, plan, kernel, progress=progress)


def on_paper(sheet: Drawn) -> Drawing:
    """The sheet as the paper beside the view shows it."""
    ink = theme.now().ink
    frame = np.eye(4)
    edge = _ring(sheet.size)
    strokes = [Stroke(edge, theme.now().line, 1.0)]
    strokes += [
        Stroke(stroke.points, ink, _PIXELS.get(stroke.pen, 0.7), bool(stroke.pen.dashes)) for stroke in sheet.strokes
    ]
    letters = tuple(Lettering(**asdict(words)) for words in sheet.words)
    return Drawing(
        frame, tuple(strokes), letters=letters, title="Sheet", figures=scale_words(sheet.scale), share=SHEET_SHARE
    )


def _ring(size: tuple[float, float]) -> Floats:
    wide, high = size
    return np.array([[0, 0], [wide, 0], [wide, high], [0, high], [0, 0]], dtype=float)
