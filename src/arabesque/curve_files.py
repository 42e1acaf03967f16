"""Curves from files: polylines of an OBJ, curves of STEP and IGES."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FileProblem
from arabesque.files import readable
from arabesque.geometry import Curve
from arabesque.progress import Progress, silent
from arabesque.solid import MODEL_SUFFIXES, KernelWorker, read_model
from arabesque.tracing import curve_along
from arabesque.units import scale_to_mm

CLOSER = 0.25
"""Of the tolerance: how near curves stay to the polylines of a file."""
LARGEST = 50_000_000
"""Bytes: a file of polylines is no larger."""


def read_curves(
    path: str | Path, unit: str, tolerance: float, worker: KernelWorker, progress: Progress = silent
) -> list[tuple[str, Curve]]:
    """Named curves of a file, in mm: polylines fitted within a quarter of the tolerance, corners kept.

    unit: of an OBJ; STEP and IGES say theirs. Raises FileProblem for a file without curves, or a broken one.
    """
    path = readable(path)
    if path.suffix.lower() in MODEL_SUFFIXES:
        curves = read_model(path, worker, progress).curves
    elif path.suffix.lower() == ".obj":
        found = read_polylines(path, scale_to_mm(unit))
        curves = [
            (f"{path.stem} {number}", curve_along(points, closed, None, CLOSER * tolerance).curve)
            for number, (points, closed) in enumerate(found, 1)
        ]
    else:
        raise FileProblem(f"{path.name} is no file of curves known here", "Give an OBJ with polylines, STEP or IGES")
    if not curves:
        raise FileProblem(f"{path.name} holds no curves", "Export the curves themselves to it, as wires or polylines")
    return curves


def read_polylines(path: Path, scale: float) -> list[tuple[Floats, bool]]:
    """The polylines of an OBJ ("l" statements over "v"): (n, 3) places in mm, and whether the last is the first."""
    if path.stat().st_size > LARGEST:
        raise FileProblem(f"{path.name} is too large for a file of polylines", "Export the curves alone")
    points: list[list[float]] = []
    lines: list[list[int]] = []
    for number, row in enumerate(path.read_text(errors="replace").splitlines(), 1):
        words = row.split()
        try:
            if words[:1] == ["v"]:
                points.append([scale * float(word) for word in words[1:4]])
            elif words[:1] == ["l"]:
                index = [int(word.split("/")[0]) for word in words[1:]]
                lines.append([k - 1 if k > 0 else len(points) + k for k in index])
        except ValueError as problem:
            message = f"{path.name}, line {number}: '{row[:40]}' cannot be read"
            raise FileProblem(message, "Export it again from its source") from problem
    array = np.array(points, dtype=float).reshape(-1, 3) if all(len(p) == 3 for p in points) else None
    if array is None or not np.isfinite(array).all() or any(not 0 <= k < len(points) for line in lines for k in line):
        raise FileProblem(f"{path.name}: its polylines lack points", "Export it again from its source")
    found = []
    for line in lines:
        closed = len(line) > 3 and line[0] == line[-1]
        found.append((array[line[:-1] if closed else line], closed))
    return [(places, closed) for places, closed in found if len(places) > 1]
