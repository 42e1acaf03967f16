"""A whole preparation in one go: what the headless command does."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from arabesque.arrays import Floats, enclosed
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane, angle_and_shift
from arabesque.mending.calming import calm
from arabesque.mending.even import even_triangles
from arabesque.mending.filling import Fill, fill
from arabesque.mending.mirroring import Side, make_symmetric
from arabesque.mending.openings import openings
from arabesque.mending.reducing import reduce_triangles
from arabesque.mending.tidying import tidy
from arabesque.progress import Progress, part, silent
from arabesque.reading import find_symmetry_plane, lay_plane, nearest_axis
from arabesque.scan import Scan, examine

MOST_PLACES = 200_000


@dataclass(frozen=True)
class Recipe:
    """What is to be done, in this order; None leaves a step out. Lengths in mm.

    tidy: drop loose pieces, calm spikes, turn triangles the same way.
    symmetric: "auto" (find the plane, lay it on the nearest coordinate plane)
    or "x", "y", "z". fill_holes: openings up to this width are closed, but
    for the outer rim; close_rim: that too. smooth: strength (0 to 1) and
    repetitions. smooth_limit: how far calming may move a point. remesh: edge
    length. reduce: triangles.
    """

    tidy: bool = False
    symmetric: str | None = None
    fill_holes: float | None = None
    close_rim: bool = False
    fill: Fill = Fill.CURVED
    smooth: tuple[float, int] | None = None
    smooth_limit: float | None = None
    remesh: float | None = None
    reduce: int | None = None


@dataclass(frozen=True, eq=False)
class Prepared:
    """A prepared scan. motion: (4, 4) from the original's place. report: every figure, lengths in mm."""

    scan: Scan
    motion: Floats
    report: dict[str, Any] = field(default_factory=dict)


class _Mirror(NamedTuple):
    """The plane at which a scan was made symmetric, and the half it was made of."""

    plane: Plane
    side: Side


def prepare(scan: Scan, recipe: Recipe, progress: Progress = silent) -> Prepared:
    """Do what the recipe asks for; every result is checked for damage.

    All distances are to the scan as it came in, in both directions, over
    areas: from the result to the scan without what was filled in, and from
    the scan to the result. Raises ArabesqueError when a step cannot be done;
    nothing is half done then.
    """
    began = time.perf_counter()
    report: dict[str, Any] = {"before": _state(scan)}
    matrix = np.eye(4)
    now = scan
    if recipe.tidy:
        tidied = tidy(scan, progress=part(progress, 0.0, 0.1))
        now = tidied.scan
        report["tidied"] = {
            "pieces_dropped": tidied.pieces,
            "spikes_calmed": tidied.spikes,
            "triangles_turned": tidied.turned,
            "triangles_dropped": tidied.dropped,
        }
    mirror = None
    if recipe.symmetric is not None:
        now, matrix, report["symmetry"], mirror = _symmetric(now, recipe.symmetric, part(progress, 0.1, 0.35))
    sound = examine(now)
    if recipe.fill_holes is not None or recipe.close_rim:
        now, report["holes"] = _filled(now, recipe, part(progress, 0.35, 0.5))
        sound = examine(now)
    if recipe.smooth is not None:
        calmed = calm(now, *recipe.smooth, limit=recipe.smooth_limit, progress=part(progress, 0.5, 0.65))
        now = calmed.scan
        report["smoothing"] = {"rms": float(np.sqrt((calmed.moved**2).mean())), "max": float(calmed.moved.max())}
    if recipe.remesh is not None:
        now = even_triangles(now, recipe.remesh, part(progress, 0.65, 0.85))
    if recipe.reduce is not None and recipe.reduce < len(now.triangles):
        now = reduce_triangles(now, recipe.reduce, part(progress, 0.85, 0.95))
    if mirror is not None:
        # whatever was done since treats both sides alike only about: mirror once more
        now = make_symmetric(now, mirror.plane, mirror.side).scan
    progress(0.96, "Measuring the result")
    report["motion"] = matrix.tolist()
    report["turned_deg"], report["moved"] = angle_and_shift(matrix)
    came = scan if recipe.symmetric != "auto" else scan.moved(matrix)
    report["distance"] = distance_between(now, came, over_it=True)
    report["distance_back"] = distance_between(came, now)
    report["after"] = _state(now)
    report["worse"] = examine(now).worse_than(sound)
    report["seconds"] = time.perf_counter() - began
    return Prepared(now, matrix, report)


def distance_between(changed: Scan, original: Scan, over_it: bool = False) -> dict[str, float]:
    """How far a scan stands from another, mm, over its area.

    over_it: leave out what has nothing of the other below it (its closest
    place is a rim), such as a filled opening, and tell its share as "new_share".
    """
    closest = original.closest(_places(changed))
    away = closest.distance
    figures = {}
    if over_it:
        figures["new_share"] = float(closest.on_border.mean())
        away = away[~closest.on_border] if not closest.on_border.all() else away
    return {
        "rms": float(np.sqrt((away**2).mean())),
        "p95": float(np.percentile(away, 95)),
        "p99": float(np.percentile(away, 99)),
        "max": float(away.max()),
        **figures,
    }


def _places(scan: Scan) -> Floats:
    """(n, 3) places spread evenly over the area of a scan: as many as it has triangles, within limits.

    Osada, Funkhouser, Chazelle and Dobkin, "Shape distributions", ACM Transactions on Graphics 21, 2002, section 3.1.
    """
    rng = np.random.default_rng(0)
    area = np.cumsum(scan.areas)
    count = int(np.clip(2 * len(scan.triangles), 20_000, MOST_PLACES))
    which = np.searchsorted(area, (np.arange(count) + rng.random(count)) * area[-1] / count)
    a, b, c = (scan.points[scan.triangles[np.minimum(which, len(area) - 1), i]] for i in range(3))
    root, along = np.sqrt(rng.random((count, 1))), rng.random((count, 1))
    return np.asarray((1 - root) * a + root * (1 - along) * b + root * along * c)


def _symmetric(scan: Scan, how: str, progress: Progress) -> tuple[Scan, Floats, dict[str, Any], _Mirror]:
    matrix = np.eye(4)
    found: dict[str, Any] = {}
    if how == "auto":
        symmetry = find_symmetry_plane(scan, part(progress, 0.0, 0.7))
        axis = nearest_axis(symmetry.plane)
        matrix = lay_plane(symmetry.plane, axis)
        scan = scan.moved(matrix)
        found = {
            "normal": symmetry.plane.normal.tolist(),
            "offset": symmetry.plane.offset,
            "spread": symmetry.spread,
            "share": symmetry.share,
        }
    elif how in ("x", "y", "z"):
        axis = "xyz".index(how)
    else:
        raise ArabesqueError(f"'{how}' names no symmetry plane", "Use auto, x, y or z")
    result = make_symmetric(scan, Plane.coordinate(axis), progress=part(progress, 0.7, 1.0))
    found |= {"plane": f"{'xyz'[axis]} = 0", "kept": result.kept.value, "why": result.why}
    for name, state in (("positive_half", result.above), ("negative_half", result.below)):
        found[name] = state._asdict()
    return result.scan, matrix, found, _Mirror(Plane.coordinate(axis), result.kept)


def _filled(scan: Scan, recipe: Recipe, progress: Progress) -> tuple[Scan, dict[str, Any]]:
    widest = recipe.fill_holes
    if widest is not None and not widest > 0:
        raise ArabesqueError("Openings of width 0 need no filling", "Give the largest width to fill, for example 20")
    found = openings(scan)
    chosen = [o for o in found if (recipe.close_rim if o.outer else widest is not None and o.width <= widest)]
    filled = fill(scan, chosen, recipe.fill, progress).scan if chosen else scan
    return filled, {
        "found": len(found),
        "filled": len(chosen),
        "left": [{"width": o.width, "outer": o.outer} for o in found if o not in chosen],
        "filled_widths": [o.width for o in chosen],
    }


def _state(scan: Scan) -> dict[str, Any]:
    health = examine(scan)
    low, high = scan.bounds
    return {
        "points": len(scan.points),
        "triangles": health.triangles,
        "pieces": health.pieces,
        "openings": len(openings(scan)),
        "open_edges": health.open_edges,
        "crowded_edges": health.crowded_edges,
        "flipped_edges": health.flipped_edges,
        "flat_triangles": health.flat,
        "watertight": health.watertight,
        "area_mm2": health.area,
        # of the closed shape; with openings, only a measure of comparison
        "volume_mm3": enclosed(scan.points, scan.triangles),
        "noise": scan.noise,
        "size": (high - low).tolist(),
    }
