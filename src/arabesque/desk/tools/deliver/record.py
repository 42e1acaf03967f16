"""The steps of the session as a job: a script that makes all this again on the next scan."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from arabesque.delivery import Job, job_of, write_job
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.delivering import Delivering, Written
from arabesque.desk.tools.options import labelled
from arabesque.errors import ArabesqueError
from arabesque.progress import Progress
from arabesque.scan import Scan


class RecordJob(Delivering):
    """What is derived is made again by its recipe; what is free stands in the script, or is kept beside it."""

    needs = (Scan,)
    id = "record"
    step = Step.DELIVER
    label = "Record a job"
    short = "Record"
    hint = "Enter writes the steps as a script; run it on the next scan, or on a folder of them"
    shortcut = "J"
    icon = "ph.record"

    @dataclass
    class Options:
        """title: of the reports that the job writes."""

        title: str = labelled("", "Title")

    def start(self) -> None:
        self.session.document_changed.connect(self._read)
        self._read()

    def stop(self) -> None:
        self.session.document_changed.disconnect(self._read)

    def _read(self) -> None:
        self.job: Job | None = None
        self.trouble: ArabesqueError | None = None
        try:
            self.job = job_of(self.session.document, self.title)
        except ArabesqueError as problem:
            self.trouble = problem
        self.changed.emit()

    def options_changed(self) -> None:
        self._read()

    @property
    def title(self) -> str:
        """Of the reports; the project's name where none is given."""
        path = self.session.work.path
        return self.options.title.strip() or ("Untitled" if path is None else path.stem)

    @property
    def can_apply(self) -> bool:
        return self.job is not None

    @property
    def facts(self) -> list[Fact]:
        if self.job is None:
            cause = "" if self.trouble is None else self.trouble.cause
            return [Fact("No job", cause, "bad")]
        steps = sum(line.startswith("        ") for line in self.job.text.splitlines())
        kept = 0 if self.job.kept is None else len(self.job.kept.items)
        told = [Fact("Lines of work", str(steps))]
        if kept:
            told.append(Fact("Kept beside it", f"{kept} items"))
        return [*told, *(Fact("Not repeated", note) for note in self.job.notes)]

    @property
    def writes(self) -> Written:
        return Written("Write the job", f"{self.title} job.py".replace(" ", "_"), "Python scripts (*.py)", ".py")

    def write(self, path: Path) -> None:
        document, title = self.session.document, self.title

        def work(progress: Progress) -> Job:
            progress(0.2, "Writing")
            return write_job(path, document, title)

        job = self.session.run(f"Writing {path.name}", work)
        job.done.connect(lambda _: self.session.tell(f"{path.name} written: ./start run {path.name} NEXT.ply FOLDER"))
