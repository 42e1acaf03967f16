"""What leaves the house: reports and sheets in time, and the worked models from scan to closed solid."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from tests.reference import edge_uses

from arabesque.delivery import (
    Plan,
    batch,
    fit_report,
    make_sheet,
    scans_in,
    write_job,
    write_report,
    write_sheet,
)
from arabesque.demo import demo_project, master, simulate
from arabesque.model import Document
from arabesque.scan import write_scan
from arabesque.script import Project
from arabesque.solid import KernelWorker
from arabesque.worked import MODELS, worked
from benchmarks.bodies import divided
from benchmarks.row import Row

FACES = (6, 5)
SCANS = 20
CORNERS = [(40, -61, 3.1), (190, -61, -18.2), (190, -16, -1.7), (40, -16, 13.4)]


def rows() -> Iterator[Row]:
    """Every row, in turn."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        with Project() as project:
            yield from _papers(project, folder)
        yield _batch(folder)
        for name in MODELS:
            yield _model(name, folder)


def _papers(project: Project, folder: Path) -> Iterator[Row]:
    scanned = demo_project(master("heron"))
    clay = next(iter(scanned))
    project.add(clay.name, clay.shape)
    flank = project.patch(CORNERS)
    project.free(flank)
    parts = divided(divided([flank.shape], 0, FACES[0]), 1, FACES[1])
    for number, part in enumerate(parts, start=1):
        project.add(f"Face {number}", part)
    items = [item for item in project.items if item.name.startswith("Face")]
    document: Document = project.document
    began = time.perf_counter()
    write_report(folder / "fit.pdf", fit_report(document, "Flank", items))
    yield Row(f"fit report of {len(items)} faces, PDF", time.perf_counter() - began, None, 10.0, "s", "120k scan")
    worker = KernelWorker()
    try:
        began = time.perf_counter()
        write_sheet(folder / "sheet.pdf", make_sheet(document, items, Plan(), worker))
        yield Row(
            f"sheet of {len(items)} faces, PDF", time.perf_counter() - began, None, 5.0, "s", "with the kernel's start"
        )
    finally:
        worker.close()


def _batch(folder: Path) -> Row:
    """Twenty scans by one process and by two, in turns."""
    scans = folder / "scans"
    scans.mkdir()
    scan = simulate(master("heron"), 60_000, 0.03, 7).scan
    for number in range(SCANS):
        write_scan(scans / f"{number:02d}.ply", scan)
    with Project() as project:
        project.open_scan(scans / "00.ply")
        project.patch(CORNERS)
        write_job(folder / "flank.py", project.document, "Flank")
    taken = {1: 0.0, 2: 0.0}
    for processes in (1, 2, 2, 1):
        began = time.perf_counter()
        done = list(batch(folder / "flank.py", scans_in(scans), folder / "out", processes))
        taken[processes] += time.perf_counter() - began
        assert not any(one.trouble for one in done), done
    words = f"{taken[1] / 2:.0f} s against {taken[2] / 2:.0f} s"
    return Row(f"batch of {SCANS} scans, two processes of one's time", taken[2] / taken[1], None, 1 / 1.8, "", words)


def _model(name: str, folder: Path) -> Row:
    began = time.perf_counter()
    with Project() as project:
        body = worked(name, project)
        project.export(folder / f"{name}.step", [body])
        told = project.item(body.id).shape.told
    taken = time.perf_counter() - began
    shells, faces, uses = edge_uses(folder / f"{name}.step")
    closed = told.closed and told.valid and shells == 1 and set(uses) == {2}
    words = f"{faces} faces, closed by an independent reader" if closed else "NOT CLOSED"
    return Row(f"worked model {name}, scan to STEP", taken if closed else float("inf"), None, 150.0, "s", words)
