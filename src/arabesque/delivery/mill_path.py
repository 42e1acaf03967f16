"""The way of a ball cutter in parallel lines, as plain G-code and back, and the block that it cuts."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.checking import distances_to_scan
from arabesque.delivery.height_field import HeightField
from arabesque.delivery.mill_check import MillCheck
from arabesque.delivery.milling_kernel import cut_into
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.files import readable, write_text
from arabesque.scan import Scan

CLEAR = 5.0
"""mm over the work at which the cutter is moved to another place."""
STRAIGHT = 0.002
"""mm that a line may leave out of the path it stands for."""
STEEP = 1.5
"""Rise over run between two places of the grid at which the form is taken to step there."""
OVER = 1.0
"""mm that a block stands over the highest place of what is cut out of it."""
FINE = 0.5
"""Of a cell of the block: so close the ball is set into it along its way."""
_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
_COMMENT = re.compile(r"\([^)]*\)|;.*")


@dataclass(frozen=True, eq=False)
class CutterPath:
    """places: (n, 3) of the cutter's tip, mm, in the frame of the mill. fast: (n,) whether it comes there in the
    air."""

    places: Floats
    fast: Bools

    @property
    def length(self) -> float:
        """mm that are cut."""
        legs = np.linalg.norm(np.diff(self.places, axis=0), axis=1)
        return float(legs[~self.fast[1:]].sum())


def parallel_path(found: MillCheck) -> CutterPath:
    """Lines along x, there and back, ``step`` mm apart, over all of the form, never into it."""
    tips, step = found.tips, found.milling.step
    rows = np.unique(np.round(np.arange(tips.y[0], tips.y[-1] + step / 2, step), 9))
    above = float(tips.heights.max()) + CLEAR
    places: list[Floats] = []
    for number, y in enumerate(rows):
        k = min(int((y - tips.start[1]) / tips.cell), tips.heights.shape[1] - 2)
        # between two rows of the grid the higher one holds: never into the form
        heights = np.maximum(tips.heights[:, k], tips.heights[:, k + 1])
        flat = _line(tips.x, heights)
        line = np.column_stack([flat[:, 0], np.full(len(flat), y), flat[:, 1]])
        places.append(line[::-1] if number % 2 else line)
    first, last = places[0][0], places[-1][-1]
    whole = np.concatenate([[[first[0], first[1], above]], *places, [[last[0], last[1], above]]])
    fast = np.zeros(len(whole), dtype=bool)
    fast[[0, -1]] = True
    return CutterPath(whole, fast)


def _line(x: Floats, heights: Floats) -> Floats:
    """(n, 2) a way over heights (m,) at x (m,), upright where they step, without places that a straight line passes."""
    import shapely  # a tenth of a second at the start of the window

    steps = np.diff(heights)
    steep = np.flatnonzero(np.abs(steps) > STEEP * np.diff(x))
    # up before it goes on, and on before it goes down: straight between both it would cut into the edge
    rises = steps[steep] > 0
    more_x = np.where(rises, x[steep], x[steep + 1])
    more_z = np.where(rises, heights[steep + 1], heights[steep])
    whole = np.column_stack([np.insert(x, steep + 1, more_x), np.insert(heights, steep + 1, more_z)])
    return np.asarray(shapely.get_coordinates(shapely.simplify(shapely.linestrings(whole), STRAIGHT)))


def write_gcode(
    path: str | Path, way: CutterPath, radius: float, feed: float = 1200.0, spindle: float = 12000.0
) -> None:
    """Write the way of a cutter, in mm and mm a minute: words of ISO 6983-1 that every control knows.

    Raises FileProblem.
    """
    lines = [
        "%",
        f"(ball cutter, radius {radius:g} mm, tip)",
        "G21 G90 G17 G94",
        f"S{spindle:.0f} M3",
        f"F{feed:.0f}",
    ]
    mode = ""
    for (x, y, z), fast in zip(way.places, way.fast, strict=True):
        word = "G0" if fast else "G1"
        lines.append(f"{word + ' ' if word != mode else ''}X{x:.4f} Y{y:.4f} Z{z:.4f}")
        mode = word
    write_text(path, "\n".join([*lines, "M5", "M30", "%"]) + "\n")


def read_gcode(path: str | Path) -> CutterPath:
    """The way that such a file tells. Raises FileProblem for words that are not part of the subset."""
    places, fast = [], []
    here, rapid = [0.0, 0.0, 0.0], True
    for number, raw in enumerate(readable(path).read_text(encoding="utf-8", errors="replace").splitlines(), start=1):
        line = _COMMENT.sub("", raw).strip().upper()
        if line in ("", "%"):
            continue
        words = _WORD.findall(line)
        if "".join(letter + digits for letter, digits in words) != line.replace(" ", ""):
            raise FileProblem(f"Line {number} of {Path(path).name} is no G-code: {raw.strip()[:60]}", "Write it again")
        moved = False
        for letter, digits in words:
            value = float(digits)
            if letter == "G" and value in (0, 1):
                rapid = value == 0
            elif letter in "XYZ":
                here["XYZ".index(letter)] = value
                moved = True
            elif not ((letter == "G" and value in (17, 21, 90, 94)) or letter in "FSM"):
                raise FileProblem(
                    f"Line {number} of {Path(path).name} has {letter}{digits}, which is not followed here",
                    "Only straight lines in mm are: G0, G1, G17, G21, G90, G94, F, S, M",
                )
        if moved:
            places.append(tuple(here))
            fast.append(rapid)
    if not places:
        raise FileProblem(f"{Path(path).name} moves nothing", "Write the path again")
    return CutterPath(np.array(places), np.array(fast))


def cut_block(field: HeightField, way: CutterPath, radius: float) -> HeightField:
    """What a cutter leaves of a block that stands a little over the highest place of its path, over a field's grid.

    The simulated mill: the ball is set into the block all along its way.
    """
    heights = np.full(field.heights.shape, float(way.places[~way.fast][:, 2].max()) + OVER)
    cut_into(heights, field.start, field.cell, radius, _along(way, FINE * field.cell))
    return replace(field, heights=heights)


def _along(way: CutterPath, apart: float) -> Floats:
    """(n, 3) places of the tip along what is cut, no further apart than so many mm."""
    found: list[Floats] = []
    for start, end, fast in zip(way.places[:-1], way.places[1:], way.fast[1:], strict=True):
        if not fast:
            count = max(1, int(np.ceil(np.linalg.norm(end - start) / apart)))
            found.append(start + np.linspace(0, 1, count + 1)[:, None] * (end - start))
    if not found:
        raise ArabesqueError("Nothing is cut by this path", "Write one with feeds")
    return np.ascontiguousarray(np.concatenate(found))


def block_mesh(field: HeightField) -> Scan:
    """The upper side of a block as triangles."""
    nx, ny = field.heights.shape
    x, y = np.meshgrid(field.x, field.y, indexing="ij")
    points = field.world(np.column_stack([x.ravel(), y.ravel(), field.heights.ravel()]))
    a = (np.arange(nx - 1)[:, None] * ny + np.arange(ny - 1)[None]).ravel()
    return Scan(
        points, np.concatenate([np.column_stack([a, a + ny, a + 1]), np.column_stack([a + ny, a + ny + 1, a + 1])])
    )


def compared(found: MillCheck, block: HeightField) -> tuple[Floats, Bools]:
    """(n,) mm from the samples of a check to the block that was cut, positive where stock stays over them, and which of
    them the spindle sees, and so count."""
    distance, valid = distances_to_scan(found.samples.points, block_mesh(block))
    return -distance, valid & found.reached
