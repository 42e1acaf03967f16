"""The way back: how far the scan's own points lie from the surfaces that they belong to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Floats, Ints, tree_of
from arabesque.checking.distance import near_points
from arabesque.checking.figures import Figures
from arabesque.checking.outliers import FAR, outliers
from arabesque.geometry import Surface, foot_points
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, rounded
from arabesque.shapes import Footed, Sampled, can, corner_areas

AGREEING_NORMALS = 0.5
"""Normals further apart than 60° do not say that a place belongs to a surface; being joined to one that does can."""
FACING = -0.3
"""Neighbours whose normals are further apart than this cosine are the two sides of a wall."""
NEIGHBOURS = 2.5
"""Of the mean distance between places: nearer ones are neighbours, where not all of the scan's points are taken."""
FAR_OFF = 40.0
"""Tolerances up to which the scan is followed from what is close to a surface, into grooves and over bosses."""
PLACES_ALONG = 60.0
"""The scan is read at steps of at least this share of the surface's size: triangles longer than that are divided."""
MOST_PLACES = 40_000
"""Over the whole scan, where its triangles are divided."""
MOST_PIECES = 40
"""In which the sides of such a triangle are cut."""


@dataclass(frozen=True, eq=False)
class Places:
    """Where a scan is read: (n, 3) points and normals, the (n,) areas that they stand for, mm², and their names."""

    points: Floats
    normals: Floats
    areas: Floats
    name: Ints

    def among(self, mask: Bools | Ints | slice) -> Places:
        """Some of them."""
        return Places(self.points[mask], self.normals[mask], self.areas[mask], self.name[mask])

    @cached_property
    def step(self) -> float:
        """Mean distance between neighbours, mm."""
        return float(np.sqrt(self.areas.mean())) if len(self.areas) else 0.0

    def pairs(self, among: Ints, asked: Bools | None = None) -> Ints:
        """(e, 2) neighbours among some of the places: close together, and not on two sides of a wall.

        asked: (n,) places of whose neighbours all are wanted, which is quicker where they are few.
        """
        if asked is not None:
            few, many = among[asked[among]], among[~asked[among]]
            reach = NEIGHBOURS * self.step
            away, _ = tree_of(self.points[few]).query(self.points[many], distance_upper_bound=reach)
            among = np.sort(np.concatenate([few, many[np.isfinite(away)]]))
        found = tree_of(self.points[among]).query_pairs(NEIGHBOURS * self.step, output_type="ndarray")
        facing = np.einsum("ec,ec->e", *(self.normals[among[found[:, k]]] for k in (0, 1)))
        pairs: Ints = among[found[facing > FACING]]
        return pairs


@dataclass(frozen=True, eq=False)
class Back:
    """What belongs to surfaces: (n,) signed distances, positive where the surface lies above the scan.

    areas: (n,) mm². apart: (n,) outliers. left_out: share of the area near by, below the surfaces, that does not
    belong to them, as the back of a wall.
    """

    distance: Floats
    areas: Floats
    apart: Bools
    left_out: float

    def figures(self, tolerance: float) -> Figures:
        """Their figures."""
        return Figures.of(self.distance, tolerance, self.areas, self.apart)


NOTHING = Back(np.zeros(0), np.zeros(0), np.zeros(0, dtype=bool), 0.0)


Ground = Any
"""What a scan's places have their feet on: a patch, or a ``Footed`` shape, which finds them by itself."""


def reading_step(scan: Scan, surfaces: Sequence[Ground]) -> float:
    """mm between places inside large triangles: the same for all surfaces that are measured together."""
    sizes = [float(np.linalg.norm(np.subtract(*surface.box))) for surface in surfaces]
    area = scan.area
    return max(min(sizes) / PLACES_ALONG, float(np.sqrt(area / MOST_PLACES)))


def scan_places(
    scan: Scan, surface: Ground, reach: float, step: float, most: int | None = None, looked_at: int | None = None
) -> Places:
    """Where the scan is read for a surface: its points, and places every ``step`` mm inside triangles that are larger.

    most: at most so many of them, evenly over their order. looked_at: of the points in the box, only so many.
    """
    near = near_points(scan, surface, reach, looked_at)
    own, inside = _large_triangles(scan, near, step)
    areas = own[near]
    places = _together([Places(scan.points[near], scan.smoothed_normals[near], areas, near), inside])
    return places if most is None else thinned(places, most)


def thinned(places: Places, most: int) -> Places:
    """At most about so many places, evenly over their order: the same ones whichever surface they are read for."""
    share = -(-len(places.points) // most)
    if share <= 1:
        return places
    some = places.among(places.name % share == 0)
    return Places(some.points, some.normals, some.areas * share, some.name)


def _together(parts: Sequence[Places]) -> Places:
    columns = ([getattr(part, name) for part in parts] for name in ("points", "normals", "areas", "name"))
    return Places(*(np.concatenate(column) for column in columns))


def _large_triangles(scan: Scan, near: Ints, step: float) -> tuple[Floats, Places]:
    """(n,) area of the small triangles round each point of a scan; and places inside the large ones near some."""
    mask = np.zeros(len(scan.points), dtype=bool)
    mask[near] = True
    numbers = np.flatnonzero(mask[scan.triangles].any(axis=1))
    touching = scan.triangles[numbers]
    sides = scan.longest_sides[numbers]
    large = sides > 2 * step
    own = corner_areas(scan.points, touching[~large])
    parts = [Places(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0), np.zeros(0, dtype=np.int64))]
    pieces = np.minimum(np.ceil(sides[large] / step), MOST_PIECES).astype(int)
    for count in np.unique(pieces):
        some = numbers[large][pieces == count]
        shares = _shares(int(count))
        p, m = scan.points[scan.triangles[some]], scan.smoothed_normals[scan.triangles[some]]
        points, normals = (np.einsum("kb,tbc->tkc", shares, values).reshape(-1, 3) for values in (p, m))
        points = rounded(scan, np.repeat(some, len(shares)), points)
        whole = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / 2
        names = len(scan.points) + MOST_PIECES**2 * some[:, None] + np.arange(len(shares))
        parts.append(Places(points, normals, np.repeat(whole / len(shares), len(shares)), names.ravel()))
    return own, _together(parts)


def _shares(count: int) -> Floats:
    """(count², 3) barycentric coordinates of the middles of a triangle's parts, its sides cut in ``count``."""
    i, j = (k.ravel() for k in np.mgrid[:count, :count])
    upright, turned = i + j < count, i + j < count - 1
    a = np.concatenate([i[upright] + 1 / 3, i[turned] + 2 / 3]) / count
    b = np.concatenate([j[upright] + 1 / 3, j[turned] + 2 / 3]) / count
    return np.column_stack([1 - a - b, a, b])


def belonging(places: Places, feet: Floats, up: Floats, below: Bools, reach: float) -> Bools:
    """Which (n,) places of a scan belong to a surface.

    Those close to it whose normals agree with the side of the surface that faces the scan, and what is joined to them
    over the scan itself: the walls of a groove do, the back of a thin plate does not. feet, up: (n, 3) of the
    surface. below: (n,) foot strictly inside what shows of it.
    """
    size = np.linalg.norm(feet - places.points, axis=1)
    cosine = np.einsum("nc,nc->n", up, places.normals)
    near = below & (size <= reach)
    side = _side(cosine, size, places.areas, near)
    core = near & (side * cosine > AGREEING_NORMALS)
    if not core.any() or core.sum() == below.sum():
        return core
    among = np.flatnonzero(below)
    joined = places.pairs(among, ~core)
    n = len(below)
    graph = coo_array((np.ones(len(joined), dtype=np.int8), (joined[:, 0], joined[:, 1])), shape=(n, n))
    _, label = connected_components(graph, directed=False)
    with_core = np.zeros(n, dtype=bool)
    with_core[label[core]] = True
    return np.asarray(below & with_core[label])


def _side(cosine: Floats, size: Floats, areas: Floats, near: Bools) -> float:
    """1 where the normals of the nearer sheet of the scan agree with the surface's, -1 where it runs the other way."""
    found = []
    for sign in (1.0, -1.0):
        mask = near & (sign * cosine > AGREEING_NORMALS)
        weight = areas[mask].sum()
        found.append((weight, float(areas[mask] @ size[mask] / weight) if weight > 0 else np.inf))
    (ahead, close), (behind, other) = found
    if ahead < 0.1 * behind:
        return -1.0
    if behind < 0.1 * ahead:
        return 1.0
    return 1.0 if close <= other else -1.0


def scan_to_shapes(
    scan: Scan,
    shapes: Sequence[Sampled],
    reach: float,
    tolerance: float,
    most: int | None = None,
    progress: Progress = silent,
) -> Back:
    """Signed distances from a scan to the patches of the shapes that it belongs to (``belonging``).

    Of several patches the nearest counts. Positive: the patch lies above the scan, as in the other direction. reach:
    mm, how far the scan may lie from a patch to belong to it by itself. ``most`` limits the number of places, over
    all patches. What lies on a part that a face's trim takes away belongs to nothing.
    """
    surfaces: list[Ground] = [one for shape in shapes for one in ((shape,) if can(shape, Footed) else shape.patches())]
    if not surfaces:
        return NOTHING
    far, step = max(reach, FAR_OFF * tolerance), reading_step(scan, surfaces)
    read = [scan_places(scan, surface, far, step) for surface in surfaces]
    if most is not None:
        share = max(1, most // max(1, len(surfaces)))
        largest = max((len(places.points) for places in read), default=0)
        read = [thinned(places, max(1, share * len(places.points) // max(1, largest))) for places in read]
    found: list[tuple[Places, Floats, Bools]] = []
    left_out = near_by = 0.0
    for number, (surface, places) in enumerate(zip(surfaces, read, strict=True)):
        progress(number / len(surfaces), "Measuring from the scan to the surface")
        if not len(places.points):
            continue
        feet, normals, below = _feet(surface, places.points)
        mine = belonging(places, feet, normals, below, reach)
        gap = feet - places.points
        size = np.linalg.norm(gap, axis=1)
        signed = np.where(np.einsum("nc,nc->n", gap, places.normals) < 0, -size, size)
        close = below & (size <= reach)
        near_by += float(places.areas[close].sum())
        left_out += float(places.areas[close & ~mine].sum())
        found.append((places, signed, mine))
    if not found:
        return NOTHING
    places = _together([one[0] for one in found])
    signed, mine = (np.concatenate([one[k] for one in found]) for k in (1, 2))
    chosen = np.flatnonzero(mine) if len(found) == 1 else _nearest_only(places.name, np.abs(signed), mine)
    places, signed = places.among(chosen), signed[chosen]
    apart = np.zeros(len(signed), dtype=bool)
    far = np.abs(signed) > FAR * tolerance
    if far.any():
        pairs = places.pairs(np.arange(len(signed)), far)
        apart = outliers(signed, places.areas, places.points, pairs, tolerance)
    return Back(signed, places.areas, apart, left_out / near_by if near_by > 0 else 0.0)


def _feet(ground: Ground, places: Floats) -> tuple[Floats, Floats, Bools]:
    if not isinstance(ground, Surface):
        return ground.feet(places)
    feet = foot_points(ground, places)
    return feet.points, ground.normals(feet.uv), feet.inside & ground.shows(feet.uv)


def _nearest_only(name: Ints, size: Floats, mine: Bools) -> Ints:
    """Of places that were read for several patches the rows nearest to one, where they belong to that one.

    A place whose nearest foot is on a border, or on a part that was trimmed away, belongs to nothing further off.
    """
    order = np.lexsort((~mine, size, name))
    first = np.ones(len(order), dtype=bool)
    first[1:] = name[order][1:] != name[order][:-1]
    nearest = np.sort(order[first])
    chosen: Ints = nearest[mine[nearest]]
    return chosen
