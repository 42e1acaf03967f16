"""STEP files: surfaces out with names and millimetres, faces in."""

import os
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from arabesque.errors import FileProblem
from arabesque.geometry import Surface, Trim
from arabesque.progress import Progress, silent
from arabesque.solid.worker import KernelWorker

FULL_SHARE = 1 - 1e-6


@dataclass(frozen=True, eq=False)
class Face:
    """A face of a file: a named surface, and the part of it that shows (None for all of it)."""

    name: str
    surface: Surface
    trim: Trim | None


def write_step(
    path: str | Path, items: list[tuple[str, Surface]], worker: KernelWorker, progress: Progress = silent
) -> None:
    """Write named surfaces to a STEP file in millimetres.

    The file is written beside its place and moved there when complete, so
    that a failure leaves an older file as it was. Raises FileProblem or
    KernelProblem.
    """
    path = Path(path)
    if not items:
        raise FileProblem("There is no surface to write", "Make or show a patch first")
    if path.is_dir() or path.suffix.lower() not in (".step", ".stp"):
        raise FileProblem(f"{path} is not the name of a STEP file", "Choose a name that ends in .step")
    try:
        handle, beside = tempfile.mkstemp(suffix=".step", prefix=".arabesque-", dir=path.parent)
    except OSError as problem:
        raise FileProblem(f"{path} cannot be written ({problem.strerror})", "Choose another place") from problem
    os.close(handle)
    try:
        records = [(name, _record(surface)) for name, surface in items]
        worker.call("write_step", beside, records, progress=progress)
        Path(beside).replace(path)
    except OSError as problem:
        raise FileProblem(f"{path} cannot be written ({problem.strerror})", "Choose another place") from problem
    finally:
        Path(beside).unlink(missing_ok=True)


def read_step(path: str | Path, worker: KernelWorker, progress: Progress = silent) -> list[Face]:
    """Every face of a STEP file as a spline surface, in mm. Raises FileProblem or KernelProblem."""
    path = Path(path)
    if path.is_dir():
        raise FileProblem(f"{path} is a folder", "Choose a file in it")
    if not path.exists():
        raise FileProblem(f"{path} does not exist", "Check the name")
    try:
        with path.open("rb") as file:
            head = file.read(4096)
    except OSError as problem:
        raise FileProblem(f"{path} cannot be read ({problem.strerror})", "Check its permissions") from problem
    if b"ISO-10303-21" not in head:
        raise FileProblem(f"{path.name} is not a STEP file", "Export it again from its source")
    return [_face(record) for record in worker.call("read_step", str(path), progress=progress)]


def _record(surface: Surface) -> dict[str, Any]:
    return {
        "degree": surface.degree,
        "knots": surface.knots,
        "points": surface.points,
        "weights": surface.weights,
    }


def _face(record: dict[str, Any]) -> Face:
    surface = Surface(**record["surface"])
    trim = Trim(tuple(record["loops"]))
    (u0, u1), (v0, v1) = surface.domain
    full = trim.area >= FULL_SHARE * (u1 - u0) * (v1 - v0)
    return Face(record["name"], surface, None if full or not trim.loops else trim)
