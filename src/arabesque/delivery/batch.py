"""A job over many scans: one process each, several at once; one that fails does not stop the others."""

from __future__ import annotations

import csv
import io
import runpy
import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import asdict, dataclass
from multiprocessing import get_context
from pathlib import Path
from queue import Empty, SimpleQueue
from typing import Any

from arabesque.cores import allowed, at_most
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.files import readable, reason, write_text
from arabesque.scan import MESH_SUFFIXES

FIGURES = ("verdict", "inside", "rms", "p99", "max")
COLUMNS = ("scan", *FIGURES, "seconds", "trouble")
TABLE = "table.csv"
"""What became of all scans, in the folder of a batch."""


@dataclass(frozen=True)
class Done:
    """What became of one scan. trouble: why it failed, or "". Lengths in mm; None where nothing was told."""

    scan: str
    seconds: float
    trouble: str = ""
    verdict: str = ""
    inside: float | None = None
    rms: float | None = None
    p99: float | None = None
    max: float | None = None

    @property
    def line(self) -> str:
        """In a line."""
        if self.trouble:
            return f"{self.scan}: FAILED after {self.seconds:.0f} s: {self.trouble}"
        inside = "" if self.inside is None else f", {100 * self.inside:.1f} % inside, rms {self.rms:.3f} mm"
        return f"{self.scan}: {self.verdict or 'done'}{inside}, {self.seconds:.0f} s"


def scans_in(folder: str | Path) -> list[Path]:
    """The mesh files of a folder, by name. Raises FileProblem where there is none."""
    place = Path(folder)
    found = sorted(path for path in place.glob("*") if path.suffix.lower() in MESH_SUFFIXES) if place.is_dir() else []
    if not found:
        raise FileProblem(f"There is no scan in {folder}", f"Put {', '.join(MESH_SUFFIXES)} files into it")
    return found


def batch(job: str | Path, scans: Sequence[Path], out: str | Path, processes: int = 2) -> Iterator[Done]:
    """Run a job on every scan, each into a folder of its own; yields what became of each as soon as it is done.

    Raises FileProblem where the job cannot be read, the folder cannot be made, or files lie there that no batch wrote.
    """
    script = str(readable(job).resolve())
    stems = Counter(scan.stem for scan in scans)
    # two scans of one name and different kinds get a folder each
    folders = [Path(out) / (scan.stem if stems[scan.stem] == 1 else scan.name) for scan in scans]
    _check_folders(Path(out), folders)
    try:
        for folder in folders:
            folder.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise FileProblem(f"{out} cannot be made ({reason(problem)})", "Choose another folder") from problem
    waiting: SimpleQueue[tuple[Path, Path]] = SimpleQueue()
    for pair in zip(scans, folders, strict=True):
        waiting.put(pair)
    found: SimpleQueue[Done] = SimpleQueue()
    threads = max(1, allowed() // processes)
    with ThreadPoolExecutor(processes) as lanes:
        for _ in range(processes):
            lanes.submit(_lane, script, waiting, found, threads)
        for _ in scans:
            yield found.get()


def _check_folders(out: Path, folders: Sequence[Path]) -> None:
    """Refuse a folder with files that a batch would replace and none has written: its table tells."""
    table = out / TABLE
    try:
        ours = table.is_file() and table.read_text(encoding="utf-8").startswith(",".join(COLUMNS))
        filled = [folder for folder in folders if folder.is_dir() and any(folder.iterdir())]
        foreign = [table] if table.exists() else filled
    except (OSError, ValueError) as problem:
        raise FileProblem(f"{out} cannot be read ({problem})", "Choose another folder") from problem
    if foreign and not ours:
        raise FileProblem(f"{foreign[0]} is there already, and no batch wrote it", "Choose another folder")


def _lane(script: str, waiting: SimpleQueue[tuple[Path, Path]], found: SimpleQueue[Done], threads: int) -> None:
    """One scan after the other in a process of its own; where a scan takes that down with it, in another."""
    pool = None
    while True:
        try:
            scan, folder = waiting.get_nowait()
        except Empty:
            break
        began = time.perf_counter()
        if pool is None:
            # started afresh: no thread of ours is copied
            pool = ProcessPoolExecutor(1, mp_context=get_context("spawn"))
        try:
            found.put(pool.submit(run_one, script, str(scan.resolve()), str(folder.resolve()), threads).result())
        except BrokenProcessPool:
            pool = None
            found.put(Done(scan.name, time.perf_counter() - began, "its process ended: too little memory, or a crash"))
    if pool is not None:
        pool.shutdown()


def run_one(script: str, scan: str, out: str, threads: int | None = None) -> Done:
    """Run a job on one scan, in this process; what goes wrong is told, not raised. threads: that it may use at most, so
    that neighbours do not take each other's."""
    began = time.perf_counter()
    name = Path(scan).name
    try:
        job: Callable[[str, str], Any] | None = runpy.run_path(script, run_name="job").get("job")
        if job is None:
            raise ArabesqueError("The script has no function job(scan, out)", "Record one, or write it")
        with at_most(threads):
            told = job(scan, out)
    except ArabesqueError as problem:
        return Done(name, time.perf_counter() - began, str(problem))
    except Exception as problem:  # noqa: BLE001  # whatever a script does wrong concerns this scan alone, and is told
        return Done(name, time.perf_counter() - began, f"{type(problem).__name__}: {problem}")
    whole = getattr(told, "whole", None)
    seconds = time.perf_counter() - began
    if whole is None:
        return Done(name, seconds)
    there = whole.surface_to_scan
    return Done(name, seconds, "", told.verdict, there.inside, there.rms, there.p99, there.max)


def write_table(path: str | Path, done: Sequence[Done]) -> None:
    """Write what became of all scans as CSV, in the order of their names. Raises FileProblem."""
    text = io.StringIO()
    writer = csv.DictWriter(text, COLUMNS, lineterminator="\n")
    writer.writeheader()
    writer.writerows({name: asdict(one)[name] for name in COLUMNS} for one in sorted(done, key=lambda one: one.scan))
    write_text(path, text.getvalue())
