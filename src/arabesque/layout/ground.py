"""What a layout stands on: a light stand-in, its field, the rectangles of its rows. Other counts use it again."""

from __future__ import annotations

import time
from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, unit
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.layout.field import CrossField, Held, cross_field
from arabesque.layout.fine import FineQuads, fine_quads
from arabesque.layout.guides import NO_GUIDES, Guides, RowsHere, closer_at, steps_along
from arabesque.layout.integer_map import MapProblem, integer_map
from arabesque.layout.irregular import with_moves
from arabesque.layout.proxy import TRIANGLES, euler_number, parted, proxy_along
from arabesque.layout.quantise import Learned
from arabesque.layout.seams import cut_open
from arabesque.layout.sharp_lines import fans_along, sides_along
from arabesque.layout.sizing import conformal_sizes
from arabesque.layout.walls import Walls, find_walls
from arabesque.mending import Fill, cut_by_plane, fill, openings, oriented, reduce_triangles, uncrowded
from arabesque.progress import Progress, part, saying, silent
from arabesque.scan import Scan, examine, kept

SMALL_OPENING = 0.06
"""Of the scan's diagonal: openings no wider are faults of the scan, over which a layout goes on."""
SPLINTER = 0.004
HEAVY, LIGHT = 300_000, 150_000
"""Triangles from which on a scan is reduced before it is closed and cut, and to how many."""
MOST_WRONG = 0.002
"""Of a scan's triangles: so few that look the wrong way are left out."""
FINE = 8000
PREPARING = "Preparing a light stand-in"
NEAR = 2.0
"""Edges of the stand-in within which a curve lies on it."""
BRUSHED = 20.0
"""How much more arcs count where rows are asked for."""
BLUNTINGS, BLUNT_RINGS, BLUNT_ROUNDS = 6, 2, 3
FEWEST, MOST = 3, 8
"""Faces at a point inside that can be worked with (common practice)."""


class Detail(Enum):
    """How much small forms count: what the rows follow."""

    CALM = "calm"
    BALANCED = "balanced"
    FAITHFUL = "faithful"


SMOOTH = {Detail.CALM: 8.0, Detail.BALANCED: 1.0, Detail.FAITHFUL: 0.25}


@dataclass(frozen=True)
class Try:
    """How much smoother the field, finer the rows and heavier the stand-in are than at first, whether rows are closer
    where irregular points crowd, and in how many rounds the stand-in is calmed."""

    smoother: float = 1.0
    finer: float = 1.0
    heavier: float = 1.0
    crowded: bool = True
    calmed: int = 0


TRIES = (
    Try(crowded=False), Try(finer=2.0), Try(finer=6.0, calmed=2), Try(20.0, 6.0, calmed=2), Try(20.0, 6.0),
    Try(4.0, 1.5, 1.5), Try(20.0, 6.0, 1.5, calmed=2), Try(1.0, 6.0, 2.5), Try(100.0, 2.0, 0.7), Try(100.0, 3.0, 1.5),
    Try(20.0, 1.5, crowded=False),
)  # fmt: skip
"""One after the other, until rows come out whole; most forms are done with the first."""


@dataclass(frozen=True, eq=False)
class Ground:
    """proxy, field, fine and walls of a scan, or of its half above the plane. asked: how many rows each arc of the
    walls should have, as to the others, and how much it counts. learned: from counts made;
    grows with each. seconds: of each stage. tries: how many were made."""

    scan: Scan
    proxy: Scan
    field: CrossField
    fine: FineQuads
    walls: Walls
    asked: tuple[Floats, Floats]
    seconds: dict[str, float]
    tries: int
    learned: Learned


def ground_of(
    scan: Scan,
    detail: Detail = Detail.BALANCED,
    plane: Plane | None = None,
    close: bool = False,
    guides: Guides = NO_GUIDES,
    progress: Progress = silent,
) -> Ground:
    """The rows of a layout at their finest.

    plane: only what is above it, with rows along it. close: openings inside are gone over, too, not only the small
    ones. guides: what rows follow beside the form. Raises MapProblem with what is known when no try comes out whole.
    """
    began = time.monotonic()
    progress(0.0, PREPARING)
    whole = form_of(scan, plane, close, saying(progress, PREPARING))
    guides = guides if plane is None else guides.above(plane)
    proxies: dict[float, tuple[Scan, Ints]] = {}
    problem: ArabesqueError | None = None
    for number, one in enumerate(TRIES):
        steps = part(progress, 0.05 if number == 0 else 1 - 0.35 / number, 1 - 0.35 / (number + 1))
        if one.heavier not in proxies:
            proxies[one.heavier] = proxy_along(
                whole, guides.sharp, round(one.heavier * TRIANGLES), saying(part(steps, 0.0, 0.3), PREPARING)
            )
        seconds = {"stand-in": time.monotonic() - began}
        try:
            proxy, lines = proxies[one.heavier]
            proxy = _calmed(proxy, np.setdiff1d(np.arange(len(proxy.points)), lines), one.calmed)
            smooth, rows = SMOOTH[detail] * one.smoother, (FINE * one.finer, one.crowded)
            return _tried(scan, proxy, lines, smooth, rows, guides, seconds, number + 1, steps)
        except ArabesqueError as fault:
            problem = fault
    assert problem is not None
    raise MapProblem(problem.cause, problem.cure)


def form_of(scan: Scan, plane: Plane | None, close: bool, progress: Progress = silent) -> Scan:
    """What is laid out: the scan with openings closed, of a twin the part above the plane.

    Raises ArabesqueError for a scan that is no sound surface.
    """
    scan = _lighter(scan)
    health = examine(scan)
    if health.crowded_edges or health.flipped_edges:
        scan = _mended(scan)
        health = examine(scan)
    if health.crowded_edges or health.flipped_edges:
        raise ArabesqueError(
            f"The scan is no sound surface: {health.crowded_edges + health.flipped_edges} edges do not join two "
            "triangles that look the same way",
            "Heal the scan first",
        )
    whole = _closed(parted(scan), close, SMALL_OPENING, part(progress, 0.0, 0.05))
    if plane is None:
        return whole
    half = cut_by_plane(whole, plane).above
    if half is None:
        raise ArabesqueError("Nothing of the scan lies above the plane", "Choose another plane")
    # what a cut leaves in a noisy scan; sections of thin parts are wider
    return _closed(half, False, SPLINTER)


def _tried(
    scan: Scan, proxy: Scan, lines: Ints, smooth: float, rows: tuple[float, bool], guides: Guides,
    seconds: dict[str, float],
    tries: int,
    progress: Progress,
) -> Ground:  # fmt: skip
    clock = time.monotonic()

    def passed(stage: str) -> None:
        nonlocal clock
        now = time.monotonic()
        seconds[stage] = now - clock
        clock = now

    progress(0.35, "Finding the ways of the rows")
    held = ways_held(proxy, guides, lines)
    field = cross_field(proxy, smooth, held)
    for _ in range(BLUNTINGS):
        sharp = (field.index > 4 - FEWEST) | (field.index < 4 - MOST)
        if not sharp.any():
            break
        # the stand-in's own spikes; the fit goes back to the scan
        proxy = _blunted(proxy, sharp)
        field = cross_field(proxy, smooth, held)
    else:
        raise MapProblem("Rows meet in a point of too few or too many quads", "Ask for a calmer layout")
    if guides.moved or guides.calm:
        field = with_moves(proxy, field, guides.moved, guides.calm, smooth, held)
    passed("field")
    progress(0.45, "Laying out the rows")
    seams = cut_open(proxy, field)
    count, crowded = rows
    size: Floats = conformal_sizes(proxy, field.index) if crowded else np.ones(len(proxy.triangles))
    size = size * np.sqrt((proxy.areas / size**2).sum() / count)
    flat = integer_map(proxy, field, seams, size, lines, part(progress, 0.45, 0.8))
    passed("rows")
    fine = fine_quads(proxy, flat)
    passed("quads")
    progress(0.85, "Parting them into rectangles")
    _check_form(fine, proxy)
    walls = find_walls(fine, fine.along(proxy.points[lines]))
    passed("rectangles")
    asked = rows_asked(fine, walls, guides.rows)
    return Ground(scan, proxy, field, fine, walls, asked, seconds, tries, Learned([]))


def rows_asked(fine: FineQuads, walls: Walls, rows: tuple[RowsHere, ...]) -> tuple[Floats, Floats]:
    """(a,) how many rows each arc should have, as to the others, and (a,) how much that counts: arcs of rectangles in
    which rows are asked for closer or wider by how much longer these would be then."""
    ratio = np.zeros(len(walls.arcs))
    for patch in walls.patches if rows else ():
        places = fine.places[patch.points]
        for grid, sides in ((places, (0, 2)), (places.transpose(1, 0, 2), (1, 3))):
            steps = np.linalg.norm(np.diff(grid, axis=0), axis=-1)
            middle = (grid[1:] + grid[:-1]) / 2
            close = closer_at(middle.reshape(-1, 3), rows).reshape(steps.shape)
            # along each line; those through the middle of a brush say as much as all together
            lines = (steps * np.exp(close / 2)).sum(axis=0) / np.maximum(steps.sum(axis=0), 1e-300)
            extreme = lines.max() if lines.max() * lines.min() > 1 else lines.min()
            wanted = np.log((extreme + lines.mean()) / 2)
            for arc in (arc for side in sides for arc, _ in patch.sides[side]):
                ratio[arc] = max(ratio[arc], wanted, key=abs)
    lengths = np.array([len(arc) - 1.0 for arc in walls.arcs])
    return lengths * np.exp(ratio), 1 + BRUSHED * np.abs(ratio)


def ways_held(proxy: Scan, guides: Guides, lines: Ints) -> Held | None:
    """Triangles under curves and beside lines (e, 2), and how these run there; None for none."""
    edge = proxy.edge_length
    triangles, ways = [], []
    if len(lines):
        # all triangles that touch a line, lest an irregular point comes to lie on it
        for some, way in (fans_along(proxy, lines), sides_along(proxy, lines)):
            triangles.append(some)
            ways.append(way)
    for places in steps_along(guides.curves, edge / 2):
        closest = proxy.closest((places[1:] + places[:-1]) / 2)
        near = closest.distance < NEAR * edge
        triangles.append(closest.triangle[near])
        ways.append(unit(np.diff(places, axis=0))[near])
    if not triangles or not sum(len(one) for one in triangles):
        return None
    # the last to name a triangle decides
    some, last = np.unique(np.concatenate(triangles)[::-1], return_index=True)
    return some, np.concatenate(ways)[::-1][last]


def _blunted(proxy: Scan, sharp: Bools) -> Scan:
    """The stand-in with points round some smoothed into the middle of their neighbours."""
    graph = proxy.adjacency
    near = sharp.astype(float)
    for _ in range(BLUNT_RINGS):
        near = np.minimum(near + graph @ near, 1.0)
    return _calmed(proxy, np.flatnonzero(near > 0), BLUNT_ROUNDS)


def _calmed(proxy: Scan, which: Ints, rounds: int) -> Scan:
    """The stand-in with some points inside drawn half-way into the middle of their neighbours, in so many rounds."""
    graph, points = proxy.adjacency, proxy.points
    count = np.maximum(np.diff(graph.indptr), 1)[:, None]
    moved = np.zeros((len(points), 1))
    moved[which] = 0.5
    moved[proxy.border_edges.ravel()] = 0.0
    for _ in range(rounds):
        points = points + moved * (graph @ points / count - points)
    return Scan(points, proxy.triangles) if rounds else proxy


def _check_form(fine: FineQuads, proxy: Scan) -> None:
    """The fine quads have to be the same form as the stand-in, with no irregular points but the field's."""
    points = len(fine.places)
    edges = (len(fine.twins) + int((fine.twins < 0).sum())) // 2
    if points - edges + len(fine.faces) != euler_number(proxy):
        raise MapProblem("The rows do not cover the scan once", "Ask for a calmer layout, or heal the scan first")
    if ((fine.valence < FEWEST) & ~fine.rim).any():
        raise MapProblem("Two quads lie on each other", "Ask for a calmer layout")


def _lighter(scan: Scan) -> Scan:
    """A scan with few enough triangles to be looked over and closed quickly; itself where that cannot be."""
    if len(scan.triangles) <= HEAVY:
        return scan
    try:
        return reduce_triangles(scan, LIGHT)
    except ArabesqueError:
        return scan  # slower, and with all that it has


def _mended(scan: Scan) -> Scan:
    """The scan without triangles too many at an edge, turned to look one way, without the few that cannot."""
    single = uncrowded(scan)[0]
    turned = oriented(single)[0]
    best = min((single, turned), key=lambda one: examine(one).flipped_edges)
    n = len(best.points)
    run = best.triangles * n + np.roll(best.triangles, -1, axis=1)
    _, which, count = np.unique(run.ravel(), return_inverse=True, return_counts=True)
    good = (count[which].reshape(-1, 3) == 1).all(axis=1)
    # a band with one side only stays one, wherever it is cut
    return kept(best, good) if np.count_nonzero(~good) <= MOST_WRONG * len(good) else best


def _closed(scan: Scan, all_inside: bool, small: float, progress: Progress = silent) -> Scan:
    """The scan with its small openings, or all inside, closed."""
    found = [o for o in openings(scan) if not o.outer and (all_inside or o.width <= small * scan.diagonal)]
    return fill(scan, found, Fill.CURVED, progress).scan if found else scan
