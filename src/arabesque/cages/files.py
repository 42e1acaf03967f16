"""Cages in OBJ files: quads as faces, sharp edges as lines of a group ``sharp``, corners as points of ``corner``.

All of that is the format's own (Wavefront, "Object files (.obj)", version 3.0, 1995: v, f, l, p, g), so that any
reader takes the faces, and ours takes the rest too. Written by hand: mesh libraries cut quads into triangles.
"""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np

from arabesque.cages.cage import Cage
from arabesque.cages.quads import CageProblem, compacted
from arabesque.errors import FileProblem
from arabesque.files import readable, write_text
from arabesque.units import scale_to_mm

SHARP, BENT, CORNER = "sharp", "bent", "corner"
LARGEST_MM = 1e8


def write_cage(path: str | Path, cage: Cage, unit: str = "mm") -> None:
    """Write a cage to an OBJ file in a unit, to the last bit of every number. Raises FileProblem."""
    points = cage.points / scale_to_mm(unit)
    quads = cage.quads
    lines = ["# Arabesque cage", f"# unit: {unit}"]
    lines += ["v " + " ".join(repr(float(c)) for c in point) for point in points]
    lines += ["g cage"]
    lines += ["f " + " ".join(str(p + 1) for p in face) for face in quads.faces]
    for group, edges in ((SHARP, quads.sharp), (BENT, quads.bent)):
        if len(edges):
            lines += [f"g {group}", *(f"l {a + 1} {b + 1}" for a, b in edges)]
    if len(quads.corners):
        lines += [f"g {CORNER}", *(f"p {p + 1}" for p in quads.corners)]
    write_text(path, "\n".join(lines) + "\n")


def read_cage(path: str | Path, unit: str = "mm") -> Cage:
    """The cage in an OBJ file whose coordinates are in a unit.

    Points that no face uses are left out. Raises FileProblem, with cause and cure, for what holds no quads, faces of
    other numbers of sides, or a net that is no surface.
    """
    path = readable(path)
    scale = scale_to_mm(unit)
    try:
        text = path.read_text(encoding="utf-8", errors="strict")
    except (UnicodeDecodeError, OSError) as problem:
        raise FileProblem(f"{path.name} is not an OBJ file that can be read", "Export it again as OBJ") from problem
    points: list[list[float]] = []
    faces: list[list[int]] = []
    lines: dict[str, list[tuple[int, int]]] = {SHARP: [], BENT: []}
    corners: list[int] = []
    odd = 0
    group = ""
    for number, line in enumerate(text.replace("\\\n", " ").splitlines(), 1):
        kind, *values = line.split("#")[0].split() or [""]
        try:
            if kind == "v":
                points.append([float(value) for value in values[:3]])
                if len(values) < 3:
                    raise ValueError("too few numbers")
            elif kind == "g":
                group = values[0].lower() if values else ""
            elif kind in ("f", "l", "p"):
                numbers = [_number(value, len(points)) for value in values]
                if kind == "f" and len(numbers) == 4:
                    faces.append(numbers)
                elif kind == "f":
                    odd += 1
                elif kind == "l" and group in lines:
                    lines[group] += list(pairwise(numbers))
                elif kind == "p" and group == CORNER:
                    corners += numbers
        except ValueError as problem:
            raise FileProblem(
                f"{path.name}, line {number} cannot be read: {line[:60]}", "Export it again as OBJ"
            ) from problem
    if odd:
        raise FileProblem(
            f"{path.name} has {odd} faces that are no quads", "A cage is of quads alone: divide every face once, there"
        )
    if not faces:
        raise FileProblem(f"{path.name} holds no faces", "Export the cage's quads as OBJ")
    array = np.array(points, dtype=float) * scale
    if not np.isfinite(array).all() or np.abs(array).max() > LARGEST_MM:
        raise FileProblem(f"{path.name} holds coordinates that cannot be", "Check the unit, and export it again")
    if max(map(max, faces)) >= len(array):
        raise FileProblem(f"{path.name} has faces over points that it does not hold", "Export it again as OBJ")
    try:
        sharp, bent = (np.array(lines[kind], dtype=np.int64).reshape(-1, 2) for kind in (SHARP, BENT))
        corner = np.array(corners, dtype=np.int64)
        kept, quads, _ = compacted(array, np.array(faces, dtype=np.int64), sharp, corner, bent)
    except CageProblem as problem:
        raise FileProblem(
            f"{path.name} holds no surface: {problem.cause.lower()}", "Mend the net where it was made"
        ) from problem
    return Cage(kept, quads)


def _number(value: str, count: int) -> int:
    """The number of a point, from 0, of an entry that may count from the end and name more than the point."""
    number = int(value.split("/")[0])
    if number == 0 or number < -count:
        raise ValueError("no such point")
    return number - 1 if number > 0 else count + number
