"""A sheet of a model: three views and a free one at a scale, sections, dimensions, notes, a title block."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from enum import Enum
from typing import Any

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.checking import filled_sections
from arabesque.delivery.strokes import Drawn, Pen, Stroke
from arabesque.errors import ArabesqueError
from arabesque.geometry import VIEWS, Patchwork, Plane, Surface, slanted
from arabesque.model import Document, Item
from arabesque.progress import Progress, part, silent
from arabesque.shapes import Sampled, Samples, can
from arabesque.solid import KernelWorker, curves_of, parts_of
from arabesque.solid.exchange import record_of

PAPERS = {"A4": (297.0, 210.0), "A3": (420.0, 297.0), "A2": (594.0, 420.0), "A1": (841.0, 594.0), "A0": (1189.0, 841.0)}
"""mm, lying (ISO 216)."""
SCALES = (50.0, 20.0, 10.0, 5.0, 2.0, 1.0, 1 / 2, 1 / 5, 1 / 10, 1 / 20, 1 / 50, 1 / 100, 1 / 200, 1 / 500, 1 / 1000)
"""ISO 5455."""
LEFT, EDGE = 20.0, 10.0
"""mm of margin on the side that is bound, and on the others (ISO 5457)."""
BLOCK, BLOCK_ROW, BLOCK_ROWS = 150.0, 8.0, 5
"""mm: the title block's width, and the height of its rows; and their number."""
BESIDE, OFF = 17.0, 11.0
"""mm round a view, for its dimensions, and how far off it these stand."""
NUDGED = 3e-5
"""Of the size of everything: planes are cut so far beside where they are, clear of borders that lie in them."""
NOTES_WIDE, NOTES_ROW = 80.0, 5.0
HATCH = 3.0
"""mm between the lines that fill a section."""
ALONG = 60
"""Samples along a face, of which sections are cut."""
CURVE_PLACES = 200
LETTERS = "ABCDEFGH"


class Projection(Enum):
    """How the views lie round the first one (ISO 5456-2)."""

    FIRST = "first angle"
    THIRD = "third angle"


@dataclass(frozen=True)
class Plan:
    """What is to stand on a sheet. paper: of PAPERS. scale: 0 for the largest that fits. free: (3,) from where the free
    view looks. sections: planes, at most eight. title, part, author, material: words of the title block."""

    paper: str = "A3"
    scale: float = 0.0
    projection: Projection = Projection.FIRST
    hidden: bool = True
    smooth: bool = True
    free: tuple[float, float, float] = (-0.45, -0.75, 0.85)
    sections: tuple[Plane, ...] = ()
    title: str = ""
    part: str = ""
    author: str = ""
    material: str = ""

    def __post_init__(self) -> None:
        if self.paper not in PAPERS:
            raise ArabesqueError(f"'{self.paper}' is no paper", f"Choose of {', '.join(PAPERS)}")
        if not self.scale >= 0 or len(self.sections) > len(LETTERS):
            raise ArabesqueError("A scale is above 0, and there are at most eight sections", "Leave some out")


@dataclass(frozen=True, eq=False)
class _View:
    """Lines of a view in mm of the model, along its right and up, and the box round them."""

    axes: Floats
    lines: dict[str, list[Floats]]
    low: Floats
    high: Floats

    @property
    def size(self) -> Floats:
        return np.asarray(self.high - self.low)

    def flat(self, points: Floats) -> Floats:
        return np.asarray(points @ self.axes[:2].T)


def make_sheet(
    document: Document,
    items: Sequence[Item[Any]],
    plan: Plan,
    worker: KernelWorker,
    today: date | None = None,
    progress: Progress = silent,
) -> Drawn:
    """Draw what consists of surfaces among some items; curves and sketches stand as chosen lines, in full.

    Raises ArabesqueError where there is no surface, or nothing fits the paper.
    """
    shapes = [item for item in items if can(item.shape, Sampled)]
    if not shapes:
        raise ArabesqueError("There is no surface to draw", "Show a patch, cage or body")
    curves = [curve for item in items if not can(item.shape, Sampled) for curve in curves_of(item.shape)]
    chosen = [curve.at(np.linspace(*curve.domain, CURVE_PLACES)) for curve in curves]
    progress(0.05, "Sampling")
    samples = [item.shape.sampler(ALONG).read(item.shape) for item in shapes]
    points = np.concatenate([one.points for one in samples])
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    # bodies cross as one record, what else there is patch by patch
    records = [(item.name, record_of(piece)) for item in shapes for piece in parts_of(item.shape)]
    looks = {"main": VIEWS["left side"], "plan": VIEWS["top"], "free": slanted(plan.free)}
    looks["end"] = VIEWS["back"] if plan.projection is Projection.FIRST else VIEWS["front"]
    views = {}
    for number, (name, axes) in enumerate(looks.items()):
        progress(0.1 + 0.15 * number, f"Drawing the {name} view")
        share = part(progress, 0.1 + 0.15 * number, 0.25 + 0.15 * number)
        lines = worker.call("seen_lines", records, axes, size, progress=share)
        lines["chosen"] = [curve @ axes[:2].T for curve in chosen]
        flat = points @ axes[:2].T
        views[name] = _View(axes, lines, flat.min(axis=0), flat.max(axis=0))
    progress(0.75, "Cutting sections")
    bodies = [item.shape for item in shapes]
    sections = [_section(samples, bodies, Plane(cut.normal, cut.offset + NUDGED * size)) for cut in plan.sections]
    return _laid_out(document, plan, views, sections, today or date.today())


@dataclass(frozen=True, eq=False)
class _Cut:
    """A section: outlines (n, 2) along the right and up of a look square to its plane, filled where they close."""

    plane: Plane
    axes: Floats
    outlines: list[Floats]
    closed: bool
    area: float


def _section(samples: Sequence[Samples], shapes: Sequence[Any], plane: Plane) -> _Cut:
    axes = _square_to(plane)
    outlines: list[Floats] = []
    area = 0.0
    for one, shape in zip(samples, shapes, strict=True):
        # a cage's samples carry parameters of its faces, not of its patches
        (found,) = filled_sections(one, [plane], shape if isinstance(shape, Patchwork | Surface) else None)
        outlines += [line @ axes[:2].T for line in found.outlines]
        area += found.area
    return _Cut(plane, axes, outlines, area > 0, area)


def _square_to(plane: Plane) -> Floats:
    """(3, 3) the look against a plane's normal, upright where that can be."""
    if abs(plane.normal[2]) > 0.99:
        return VIEWS["top"] if plane.normal[2] > 0 else VIEWS["bottom"]
    return slanted((float(plane.normal[0]), float(plane.normal[1]), float(plane.normal[2])))


def _laid_out(document: Document, plan: Plan, views: dict[str, _View], sections: list[_Cut], today: date) -> Drawn:
    wide, high = PAPERS[plan.paper]
    sheet = Drawn((wide, high))
    notes_wide = NOTES_WIDE if document.notes else 0.0
    room = np.array([wide - LEFT - EDGE - notes_wide, high - 2 * EDGE])
    columns = [max(views["main"].size[0], views["plan"].size[0]), max(views["end"].size[0], views["free"].size[0])]
    rows = [max(views["main"].size[1], views["end"].size[1]), max(views["plan"].size[1], views["free"].size[1])]
    cuts = [np.ptp(np.concatenate(cut.outlines), axis=0) if cut.outlines else np.zeros(2) for cut in sections]
    grid = np.array([sum(columns), sum(rows)])
    arranged = [_Arranged(grid, np.array([4.0, 4.0]) * BESIDE, False)]
    if cuts:
        # beside the views, one below the other, or below them, side by side
        tall, broad = np.sum(cuts, axis=0)[1], np.sum(cuts, axis=0)[0]
        most = np.max(cuts, axis=0)
        beside = np.array([grid[0] + most[0], max(grid[1], tall)])
        below = np.array([max(grid[0], broad), grid[1] + most[1]])
        gaps = 2.0 * len(cuts)
        arranged = [
            _Arranged(beside, np.array([6.0, max(4.0, gaps)]) * BESIDE, True),
            _Arranged(below, np.array([max(4.0, gaps), 6.0]) * BESIDE, False),
        ]
    above = np.array([0.0, BLOCK_ROW * BLOCK_ROWS])
    best = max(arranged, key=lambda one: one.fits(room - above))
    fits = best.fits(room - above)
    scale = plan.scale or next((one for one in SCALES if one <= fits), 0.0)
    if not scale or scale > 1.0001 * fits:
        words = scale_words(plan.scale) if plan.scale else "any usual scale"
        raise ArabesqueError(
            f"This does not fit on {plan.paper} at {words}", "Choose a larger paper, another scale, or fewer sections"
        )
    sheet.scale = scale
    spare = (room - above - best.gaps - scale * best.needs) / 2
    left, top = LEFT + float(spare[0]), high - EDGE - float(spare[1])
    across = [left + BESIDE, left + BESIDE * 3 + scale * columns[0]]
    down = [top - BESIDE - scale * rows[0], top - BESIDE * 3 - scale * (rows[0] + rows[1])]
    if plan.projection is Projection.THIRD:
        down = [top - BESIDE * 3 - scale * (rows[0] + rows[1]), top - BESIDE - scale * rows[1]]
    places = {
        "main": (across[0], down[0]), "end": (across[1], down[0]),
        "plan": (across[0], down[1]), "free": (across[1], down[1]),
    }  # fmt: skip
    feet = {name: np.array(place) - scale * views[name].low for name, place in places.items()}
    for name, view in views.items():
        _draw_view(sheet, view, feet[name], scale, plan)
    _overall(sheet, views, feet, scale)
    _measures(sheet, document, views, feet, scale)
    foot = np.array([left + BESIDE * 5 + scale * grid[0], top - BESIDE]) if best.beside else None
    x, y = left + BESIDE, min(down) - BESIDE * 2
    for letter, cut, extent in zip(LETTERS, sections, cuts, strict=False):
        _cutting_line(sheet, cut, letter, views, feet, scale)
        if foot is not None:
            _draw_section(sheet, cut, letter, foot - [0.0, scale * extent[1]], scale)
            foot = foot - [0.0, scale * extent[1] + 2 * BESIDE]
        else:
            _draw_section(sheet, cut, letter, np.array([x, y - scale * extent[1]]), scale)
            x += scale * float(extent[0]) + 2 * BESIDE
    _numbers(sheet, document, views["free"], feet["free"], scale)
    _title_block(sheet, document, plan, scale, today)
    sheet.box(LEFT, EDGE, wide - LEFT - EDGE, high - 2 * EDGE, Pen.FRAME)
    return sheet


@dataclass(frozen=True, eq=False)
class _Arranged:
    """A way to lay views and sections out: what it needs at full size, mm, and the gaps at any; beside: the sections
    stand to the right."""

    needs: Floats
    gaps: Floats
    beside: bool

    def fits(self, room: Floats) -> float:
        """The scale at which it fills the room."""
        return float(np.min((room - self.gaps) / np.maximum(self.needs, 1e-9)))


def scale_words(scale: float) -> str:
    """2:1, 1:5."""
    return f"{scale:g}:1" if scale >= 1 else f"1:{1 / scale:g}"


def _draw_view(sheet: Drawn, view: _View, foot: Floats, scale: float, plan: Plan) -> None:
    pens = {"hidden": Pen.HIDDEN, "smooth": Pen.SMOOTH, "chosen": Pen.CHOSEN, "outline": Pen.OUTLINE}
    left_out = {"hidden"} if not plan.hidden or np.allclose(view.axes, slanted(plan.free)) else set()
    left_out |= set() if plan.smooth else {"smooth"}
    for kind, pen in pens.items():
        if kind in left_out:
            continue
        sheet.strokes += [Stroke(foot + scale * line, pen) for line in _in_runs(view.lines[kind])]


def _in_runs(lines: Sequence[Floats]) -> list[Floats]:
    """Lines that go on in one another as one, so that dashes run through; each once."""
    import shapely

    known = [shapely.linestrings(np.round(line, 5)) for line in lines if np.ptp(line, axis=0).max() > 1e-6]
    merged = shapely.line_merge(shapely.union_all(known)) if known else None
    return [] if merged is None else [shapely.get_coordinates(one) for one in shapely.get_parts(merged)]


def _overall(sheet: Drawn, views: dict[str, _View], feet: dict[str, Floats], scale: float) -> None:
    """Length, width and height of everything."""
    main, plan = views["main"], views["plan"]
    low, high = feet["main"] + scale * main.low, feet["main"] + scale * main.high
    sheet.dimension(low, np.array([low[0], high[1]]), OFF, f"{main.size[1]:.1f}")
    low, high = feet["plan"] + scale * plan.low, feet["plan"] + scale * plan.high
    sheet.dimension(low, np.array([high[0], low[1]]), -OFF, f"{plan.size[0]:.1f}")
    sheet.dimension(low, np.array([low[0], high[1]]), OFF, f"{plan.size[1]:.1f}")


def _measures(sheet: Drawn, document: Document, views: dict[str, _View], feet: dict[str, Floats], scale: float) -> None:
    """Each picked distance in the view in which it is seen longest, so in its true length where that can be."""
    for measure in document.measures:
        ends = np.array([measure.one, measure.other])
        lengths = {
            name: float(np.linalg.norm(np.diff(view.flat(ends), axis=0)))
            for name, view in views.items()
            if name != "free"
        }
        name = max(lengths, key=lambda key: lengths[key])
        one, other = feet[name] + scale * views[name].flat(ends)
        # a length that is not seen in full says so by its sign (ISO 129-1 gives none for free forms: common practice)
        words = f"{measure.length:.1f}" + ("" if lengths[name] > 0.999 * measure.length else " (true)")
        sheet.dimension(one, other, 6.0, words)


def _cutting_line(
    sheet: Drawn, cut: _Cut, letter: str, views: dict[str, _View], feet: dict[str, Floats], scale: float
) -> None:
    """Where a plane stands on edge in one of the views: a chained line with its letter at both ends."""
    for name in ("main", "plan", "end"):
        view = views[name]
        normal = view.axes[:2] @ cut.plane.normal
        if np.linalg.norm(normal) < 0.999:
            continue
        way = np.array([-normal[1], normal[0]])
        middle = (view.low + view.high) / 2
        foot = middle + (cut.plane.offset - middle @ normal) * normal
        reach = float(np.abs(view.size @ np.abs(way))) / 2 + 4 / scale
        ends = [feet[name] + scale * (foot + sign * reach * way) for sign in (-1, 1)]
        sheet.line(tuple(ends[0]), tuple(ends[1]), pen=Pen.CUT)
        for end, sign in zip(ends, (-1, 1), strict=True):
            at = end + sign * 2.5 * way
            sheet.text(float(at[0]), float(at[1]) - 1.2, letter, 3.5, 0.5, strong=True)
        return


def _draw_section(sheet: Drawn, cut: _Cut, letter: str, foot: Floats, scale: float) -> None:
    if not cut.outlines:
        sheet.text(foot[0], foot[1], f"{letter}–{letter}: cuts nothing")
        return
    low = np.concatenate(cut.outlines).min(axis=0)
    placed = [foot + scale * (line - low) for line in cut.outlines]
    if cut.closed:
        sheet.strokes += [Stroke(line, Pen.HATCH) for line in _hatched(placed)]
    sheet.strokes += [Stroke(line, Pen.SECTION) for line in placed]
    across = np.concatenate(placed)
    words = f"{letter}–{letter}" + (f"   {cut.area:,.0f} mm²".replace(",", "\u202f") if cut.closed else "")
    sheet.text(
        float((across[:, 0].min() + across[:, 0].max()) / 2),
        float(across[:, 1].max()) + 4,
        words,
        3.5,
        0.5,
        strong=True,
    )


def _hatched(outlines: Sequence[Floats]) -> list[Floats]:
    """Lines at 45° inside outlines."""
    import shapely

    area = shapely.build_area(
        shapely.geometrycollections([shapely.linearrings(line) for line in outlines if len(line) > 3])
    )
    if shapely.is_empty(area):
        return []
    x0, y0, x1, y1 = shapely.bounds(area)
    step = HATCH * np.sqrt(2)
    lines = [shapely.linestrings([[c, y0], [c + (y1 - y0), y1]]) for c in np.arange(x0 - (y1 - y0), x1, step)]
    inside = shapely.intersection(area, shapely.multilinestrings(lines)) if lines else None
    return (
        []
        if inside is None
        else [shapely.get_coordinates(one) for one in shapely.get_parts(inside) if shapely.length(one) > 0]
    )


def _numbers(sheet: Drawn, document: Document, view: _View, foot: Floats, scale: float) -> None:
    """Notes: numbers in the free view with a line to their place, words in a list at the side."""
    wide, high = sheet.size
    x, y = wide - EDGE - NOTES_WIDE, high - EDGE - 8
    if document.notes:
        sheet.text(x + 3, y, "Notes", 3.5, strong=True)
    middle = foot + scale * (view.low + view.high) / 2
    for number, note in enumerate(document.notes, start=1):
        place = foot + scale * view.flat(np.array([note.place]))[0]
        out = unit((place - middle)[None])[0] if np.linalg.norm(place - middle) > 1e-6 else np.array([0.0, 1.0])
        bubble = place + 10 * out
        sheet.line(tuple(place), tuple(bubble - 3 * out), pen=Pen.DIMENSION)
        sheet.circle(float(bubble[0]), float(bubble[1]), 3.0, Pen.DIMENSION)
        sheet.text(float(bubble[0]), float(bubble[1]) - 1.0, str(number), 2.5, 0.5)
        for line, words in enumerate(_wrapped(note.words, 38)):
            y -= NOTES_ROW
            if not line:
                sheet.box(x + 3, y - 0.3, 2.8, 2.8, Pen.DIMENSION)
                if note.done:
                    sheet.line((x + 3.5, y + 1.1), (x + 4.2, y + 0.3), (x + 5.4, y + 2.1), pen=Pen.CHOSEN)
                sheet.text(x + 8, y, f"{number}")
            sheet.text(x + 13, y, words)
        y -= 1.5


def _wrapped(words: str, most: int) -> list[str]:
    return textwrap.wrap(words, most) or [""]


def _title_block(sheet: Drawn, document: Document, plan: Plan, scale: float, today: date) -> None:
    wide, _ = sheet.size
    x, y = wide - EDGE - BLOCK, EDGE
    keeps = f"±{document.tolerance:g} mm to the scan"
    left = sum(not note.done for note in document.notes)
    fields = [
        [("Title", plan.title, 1.0)],
        [("Part", plan.part, 0.6), ("Material", plan.material, 0.4)],
        [("Drawn by", plan.author, 0.6), ("Date", today.isoformat(), 0.4)],
        [("Scale", scale_words(scale), 0.2), ("Paper", plan.paper, 0.2), ("Unit", "mm", 0.2), ("Keeps", keeps, 0.4)],
        [("Projection", plan.projection.value, 0.6), ("Notes open", str(left), 0.4)],
    ]
    top = y + BLOCK_ROW * len(fields)
    for number, row in enumerate(fields):
        below, at = top - BLOCK_ROW * (number + 1), x
        for heading, words, share in row:
            width = share * BLOCK
            sheet.box(at, below, width, BLOCK_ROW, Pen.DIMENSION)
            sheet.text(at + 1.5, below + BLOCK_ROW - 2.6, heading, 1.8)
            sheet.text(at + 1.5, below + 1.5, words, 3.0, strong=number == 0)
            at += width
    _projection_sign(sheet, x + 0.6 * BLOCK - 22, y + BLOCK_ROW / 2, plan.projection)
    sheet.box(x, y, BLOCK, BLOCK_ROW * len(fields), Pen.FRAME)


def _projection_sign(sheet: Drawn, x: float, y: float, projection: Projection) -> None:
    """A truncated cone from the side and from its end (ISO 5456-2)."""
    cone, rings = (x, x + 13) if projection is Projection.FIRST else (x + 8, x + 3)
    narrow_at, wide_at = cone, cone + 6
    sheet.line(
        (narrow_at, y - 1.2),
        (narrow_at, y + 1.2),
        (wide_at, y + 2.4),
        (wide_at, y - 2.4),
        (narrow_at, y - 1.2),
        pen=Pen.CHOSEN,
    )
    for radius in (1.2, 2.4):
        sheet.circle(rings, y, radius, Pen.CHOSEN)


def planes_of(words: str) -> tuple[Plane, ...]:
    """Planes as they are typed: an axis and a place in mm, with commas between. Raises ArabesqueError."""
    found = []
    for one in filter(None, (word.strip() for word in words.replace(";", ",").split(","))):
        axis, _, place = one.partition(" ")
        try:
            found.append(Plane(np.eye(3)["xyz".index(axis.lower())], float(place.replace("=", ""))))
        except ValueError:
            raise ArabesqueError(f"'{one}' is no section", "Write an axis and a place, as y 0, z 12.5") from None
    return tuple(found)
