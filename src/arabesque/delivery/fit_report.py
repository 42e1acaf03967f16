"""How a model fits its scan, as a report tells it: the figures of the window, with what they were measured on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import (
    Back,
    BothWays,
    Distances,
    Figures,
    Join,
    Limits,
    figures_of,
    find_joins,
    reach_back,
    scan_to_shapes,
    shape_to_scan,
    way_figures,
)
from arabesque.delivery.palette import distance_colours
from arabesque.delivery.picture import Coloured, picture
from arabesque.errors import ArabesqueError
from arabesque.files import Source, source_of
from arabesque.geometry import slanted
from arabesque.model import Document, Item
from arabesque.model.kinds import kind_of
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan
from arabesque.shapes import SAMPLES_ALONG, Rimmed, Sampled, can

AnyItem = Item[Any]
BARS = 31
"""Of the histogram; the tolerance fills the middle third, as in the window, and the ends take all beyond."""
PICTURE = (1200, 640)
USUAL = Limits()
WORST_JOINS = 40
"""That are listed one by one."""


@dataclass(frozen=True)
class OfItem:
    """The figures of one item. weight: control points, or faces. there, back: to the scan and from it."""

    name: str
    kind: str
    weight: int
    there: Figures
    back: Figures
    missing: float
    left_out: float
    verdict: str


@dataclass(frozen=True)
class OfJoin:
    """How two items meet: the grade in words; mm, degrees, and shares at the worst. curvature: None at an edge."""

    first: str
    second: str
    word: str
    gap: float
    angle: float
    curvature: float | None


@dataclass(frozen=True, eq=False)
class FitReport:
    """All that a report says. histogram: (BARS,) shares of the area. pictures: title and PNG of each view.

    before: the same of an earlier state, with its name.
    """

    title: str
    made: str
    program: str
    tolerance: float
    items: tuple[OfItem, ...]
    whole: BothWays
    joins: tuple[OfJoin, ...]
    limits: Limits
    histogram: tuple[float, ...]
    scan: dict[str, Any]
    files: tuple[tuple[str, Source], ...]
    pictures: tuple[tuple[str, bytes], ...] = ()
    notes: tuple[str, ...] = ()
    before: tuple[str, FitReport] | None = None

    @property
    def verdict(self) -> str:
        """In words, with what it does not speak of."""
        return self.whole.verdict(self.tolerance)

    @property
    def weight(self) -> int:
        """Control points of all, and faces of cages and bodies."""
        return sum(item.weight for item in self.items)

    @property
    def left_out(self) -> list[tuple[str, str, str]]:
        """What the figures do not speak of: what, how much, and why."""
        there, back = self.whole.surface_to_scan, self.whole.scan_to_surface
        return [
            ("No scan below", f"{100 * self.whole.missing:.2f} % of the surface",
             "the nearest place of the scan is its rim, or there is none"),
            ("Dents and spikes of the scan", f"{100 * there.outlier_share:.2f} % of the surface",
             "small, steep islands further off than three tolerances; rms and worst count them, “99 %” does not"),
            ("The same, from the scan", f"{100 * back.outlier_share:.2f} % of the scan", "as above"),
            ("Another sheet of the scan", f"{100 * self.whole.left_out:.2f} % of what lies near",
             "not joined to what the surface lies on, such as the back of a wall"),
        ]  # fmt: skip

    def as_record(self) -> dict[str, Any]:
        """The same for programs; lengths in mm."""
        return {
            "title": self.title,
            "made": self.made,
            "program": self.program,
            "unit": "mm",
            "tolerance": self.tolerance,
            "verdict": self.verdict,
            "within": self.whole.within(self.tolerance),
            **self.whole.as_record(),
            "weight": self.weight,
            "items": [asdict(item) for item in self.items],
            "limits": asdict(self.limits),
            "joins": [asdict(join) for join in self.joins],
            "histogram": list(self.histogram),
            "scan": self.scan,
            "files": [{"what": what, "name": file.name, "sha256": file.checksum} for what, file in self.files],
            "settings": {"samples_along": SAMPLES_ALONG},
            "notes": list(self.notes),
            "before": None if self.before is None else {"name": self.before[0], **self.before[1].as_record()},
        }  # fmt: skip


def fit_report(
    document: Document,
    title: str,
    items: Sequence[AnyItem] | None = None,
    views: Sequence[tuple[str, Floats]] = (),
    files: Sequence[tuple[str, Source]] = (),
    notes: Sequence[str] = (),
    limits: Limits = USUAL,
    before: tuple[str, Document] | None = None,
    today: date | None = None,
    progress: Progress = silent,
) -> FitReport:
    """Measure what shows of a document, or some items, against its reference scan, as the window does.

    views: names and (3, 3) axes of the pictures; one from the side and above where none are given. before: name and
    document of an earlier state. Raises ArabesqueError without a scan or a surface.
    """
    from arabesque import __version__

    scan_item = document.items.get(document.reference or "")
    if scan_item is None:
        raise ArabesqueError("There is no scan to measure against", "Open one, or choose the reference scan")
    scan: Scan = scan_item.shape
    wanted = [item for item in document if document.shows(item)] if items is None else list(items)
    chosen = [item for item in document.with_images(wanted) if can(item.shape, Sampled)]
    if not chosen:
        raise ArabesqueError("There is no surface to report on", "Show a patch, cage or body")
    tolerance, rest = document.tolerance, progress
    if before is not None:
        progress = part(progress, 0.0, 0.6)
    measured, backs = [], []
    for number, item in enumerate(chosen):
        progress(0.6 * number / len(chosen), f"Measuring {item.name}")
        found = shape_to_scan(item.shape, scan)
        measured.append(found)
        backs.append(scan_to_shapes(scan, [item.shape], reach_back(found.distance[found.valid], tolerance), tolerance))
    whole = _together(measured, backs, tolerance)
    progress(0.6, "Measuring joins")
    joins = _joins(chosen, limits)
    looks = list(views) or [("From the side and above", slanted())]
    pictures = []
    for number, (name, axes) in enumerate(looks):
        progress(0.7 + 0.25 * number / len(looks), f"Picture: {name}")
        pictures.append((name, _map(measured, tolerance, axes)))
    earlier = None
    if before is not None:
        rest = part(rest, 0.6, 1.0)
        earlier = before[0], fit_report(before[1], f"{title}, {before[0]}", views=views, limits=limits, progress=rest)
    return FitReport(
        title, (today or date.today()).isoformat(), f"Arabesque {__version__}", tolerance,
        tuple(map(_of_item, chosen, measured, backs, [tolerance] * len(chosen))), whole, joins, limits,
        _histogram(measured, tolerance), _told_of(scan_item), (*_sources(document, [scan_item, *chosen]), *files),
        tuple(pictures), tuple(notes), earlier,
    )  # fmt: skip


def project_file(path: Path | None) -> list[tuple[str, Source]]:
    """The project file among the files of a report, where it has been saved. Raises FileProblem."""
    return [("Project", source_of(path))] if path is not None and path.exists() else []


def _together(measured: Sequence[Distances], backs: Sequence[Back], tolerance: float) -> BothWays:
    areas = np.array([float(one.samples.areas.sum()) for one in measured])
    missing = float(np.average([one.missing for one in measured], weights=areas)) if areas.sum() > 0 else 1.0
    near = np.array([float(back.areas.sum()) / max(1 - back.left_out, 1e-9) for back in backs])
    other = float(np.average([back.left_out for back in backs], weights=near)) if near.sum() > 0 else 0.0
    return BothWays(figures_of(measured, tolerance), way_figures(backs, tolerance), missing, other)


def _of_item(item: AnyItem, found: Distances, back: Back, tolerance: float) -> OfItem:
    both = _together([found], [back], tolerance)
    return OfItem(
        item.name, item.kind, kind_of(item.shape).weight(item.shape), both.surface_to_scan, both.scan_to_surface,
        both.missing, both.left_out, both.verdict(tolerance),
    )  # fmt: skip


def _joins(items: Sequence[AnyItem], limits: Limits) -> tuple[OfJoin, ...]:
    rimmed = [item for item in items if can(item.shape, Rimmed)]
    names, shapes = [], []
    for item in rimmed:
        patches = item.shape.patches()
        names += [item.name if len(patches) == 1 else f"{item.name}, part {k + 1}" for k in range(len(patches))]
        shapes += list(patches)

    def told(join: Join) -> OfJoin:
        gap, angle, curvature = (float(values.max()) for values in (join.gap, join.angle, join.curvature))
        bend = curvature if np.isfinite(curvature) else None
        return OfJoin(names[join.first[0]], names[join.second[0]], join.word(limits), gap, angle, bend)

    return tuple(told(join) for join in sorted(find_joins(shapes), key=lambda join: join.rank(limits)))


def _histogram(measured: Sequence[Distances], tolerance: float) -> tuple[float, ...]:
    """Shares of the area by signed distance."""
    distances = np.concatenate([one.distance[one.valid] for one in measured])
    areas = np.concatenate([one.samples.areas[one.valid] for one in measured])
    width = tolerance / (BARS // 6 + 0.5)
    numbers = np.clip(np.rint(distances / width), -(BARS // 2), BARS // 2).astype(np.int64) + BARS // 2
    sums = np.bincount(numbers, areas, BARS)
    return tuple((sums / sums.sum()).tolist()) if sums.sum() > 0 else tuple(sums.tolist())


def _told_of(item: AnyItem) -> dict[str, Any]:
    scan: Scan = item.shape
    low, high = scan.bounds
    return {"name": item.name, "triangles": len(scan.triangles), "size": (high - low).tolist(), "noise": scan.noise}


def _sources(document: Document, items: Sequence[AnyItem]) -> list[tuple[str, Source]]:
    """The files that items came from, through what they were made from; each once."""
    found: dict[tuple[str, Source], None] = {}
    waiting, seen = list(items), set()
    while waiting:
        item = waiting.pop(0)
        if item.id in seen:
            continue
        seen.add(item.id)
        if item.origin.file is not None:
            found[("Scan" if isinstance(item.shape, Scan) else "Model", item.origin.file)] = None
        keys = [*item.origin.made_from, *(() if item.recipe is None else item.recipe.inputs)]
        waiting += [document[key] for key in keys if key in document]
    return list(found)


def _map(measured: Sequence[Distances], tolerance: float, axes: Floats) -> bytes:
    """The distance map from one side."""
    shapes = []
    for one in measured:
        samples = one.samples
        values = one.distance[samples.triangles].mean(axis=1)
        colours = distance_colours(values, np.asarray(one.valid[samples.triangles].all(axis=1)), tolerance)
        lines = tuple(samples.points[row] for row in samples.rims)
        shapes.append(Coloured(samples.points, samples.normals, samples.triangles, colours, lines))
    return picture(shapes, axes, PICTURE)
