"""What headless commands share: points, tolerances, reports."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.files import check_place, write_text
from arabesque.units import MILLIMETRES

USUAL_TOLERANCE = 0.2
"""mm: a usual first tolerance for a styling surface (common practice)."""

SURFACES = (".step", ".stp", ".igs", ".iges", ".stl", ".obj", ".ply", ".3mf", ".dxf", ".svg")
"""Endings of what ``script.Project.export`` writes."""
MESHES = (".stl", ".obj", ".ply")
"""Endings of meshes."""

_LENGTHS = {
    "tolerance", "rms", "p95", "p99", "max", "inlier_rms", "inlier_p99", "lowest", "highest", "u", "v", "off_curves",
}  # fmt: skip


class Output(str):
    """The path of a file that a command writes at its end; ``cli`` checks it before the command begins."""

    endings: tuple[str, ...] = ()


def output(*endings: str) -> Callable[[str], Output]:
    """Return the argparse type of a file to write whose name may end so, with the dot; any where none is given."""

    def made(text: str) -> Output:
        path = Output(text)
        path.endings = endings
        return path

    return made


def check_outputs(options: argparse.Namespace) -> None:
    """Check every file that a command will write, so that no long work is done in vain.

    Raises
    ------
    FileProblem
        Where one cannot be written (see ``files.check_place``).
    ArabesqueError
        Where two are one and the same.
    """
    seen: set[Path] = set()
    for path in vars(options).values():
        if not isinstance(path, Output):
            continue
        check_place(path, path.endings)
        place = Path(path).resolve()
        if place in seen:
            raise ArabesqueError(f"{path} would be written twice", "Give each file a name of its own")
        seen.add(place)


def add_common(parser: argparse.ArgumentParser) -> None:
    """Unit, tolerance and report."""
    parser.add_argument(
        "--unit", choices=list(MILLIMETRES), default="mm", help="unit of the scan, corners and tolerance"
    )
    parser.add_argument("--tolerance", type=float, help="in the unit of the scan; 0.2 mm if not given")
    parser.add_argument("--report", type=output(), help="write the figures as JSON")


def point(text: str) -> tuple[float, float, float]:
    """A point as it is typed: x,y,z."""
    parts = text.strip().split(",")
    try:
        x, y, z = map(float, parts)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text.strip()}' is not a point: write x,y,z") from None
    return x, y, z


def tolerance_of(options: argparse.Namespace, scale: float) -> float:
    """The tolerance in mm."""
    return USUAL_TOLERANCE if options.tolerance is None else options.tolerance * scale


def report(options: argparse.Namespace, record: dict[str, Any], scale: float) -> None:
    """Write a report whose lengths are in the unit of the scan, if one is wanted."""
    if options.report:
        write_json(options.report, {"unit": options.unit, **_in_unit(record, scale)})


def write_json(path: str, record: dict[str, Any]) -> None:
    """Write a record for people and programs."""
    write_text(path, json.dumps(record, indent=1) + "\n")


def _in_unit(record: dict[str, Any], scale: float) -> dict[str, Any]:
    return {
        key: _in_unit(value, scale)
        if isinstance(value, dict)
        else value / scale
        if key in _LENGTHS and value is not None
        else value
        for key, value in record.items()
    }
