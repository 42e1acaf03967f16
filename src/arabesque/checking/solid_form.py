"""What making asks of a body: thickness of walls, draft, smallest radii, self-intersection, areas of sections."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.arrays import Floats, Ints, unit
from arabesque.checking.sections import PlaneSet, sample_sections
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane, frame_of
from arabesque.scan import BoxTree
from arabesque.shapes import Samples

LIFTED = 1e-6
"""Of the size of a shape: rays begin this far inside, clear of the triangles round where they begin."""
ASIDE = 0.01
"""Of the way to the middle of a triangle there: so far rays begin off a border, or they would run along a neighbour."""
PASSED, GRAZING = 8, 0.1
"""Triangles that a ray passes at most, and the least cosine to a triangle at which it goes out."""
DEEP = 0.02
"""mm that two triangles reach through each other before it is called crossing: chords of one edge do so by less."""
SEAM = 40
"""Samples along a face at which a seam is looked at."""
NEAR = 1e-6
"""Of the size of a section: ends of its segments that are no further apart are one."""


def wall_thickness(samples: Samples) -> Floats:
    """(n,) mm from each place of a closed body straight inwards to where it ends; infinite where nothing is met."""
    tree = BoxTree(samples.points[samples.triangles].reshape(-1, 9))
    lift = LIFTED * samples.size
    start = samples.points + ASIDE * (_middles(samples) - samples.points) - lift * samples.normals
    corners = samples.points[samples.triangles]
    out = unit(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    found, gone = np.full(len(start), np.inf), np.zeros(len(start))
    left = np.arange(len(start))
    for _ in range(PASSED):
        triangle, t = tree.first_hits(start[left] - gone[left, None] * samples.normals[left], -samples.normals[left])
        hit = triangle >= 0
        left, triangle, t = left[hit], triangle[hit], t[hit]
        gone[left] += t + lift
        # a wall ends where a ray goes out; chords that stand off their surface are passed before
        ends = -np.einsum("nc,nc->n", out[triangle], samples.normals[left]) > GRAZING
        found[left[ends]] = gone[left[ends]]
        left = left[~ends]
        if not len(left):
            break
    return found


def _middles(samples: Samples) -> Floats:
    """(n, 3) the middle of one of the triangles round each place."""
    found = samples.points.copy()
    found[samples.triangles] = samples.points[samples.triangles].mean(axis=1)[:, None]
    return found


def draft_angles(samples: Samples, direction: Floats) -> Floats:
    """(n,) degrees by which each place leans out of a mould that is drawn along a direction (3,): 90 where it looks
    along it, 0 for an upright wall, below 0 for what is undercut from there."""
    way = unit(np.asarray(direction, dtype=float)[None])[0]
    if not np.linalg.norm(way) > 0:
        raise ArabesqueError("A draft angle needs a direction", "Give one that is not 0, 0, 0")
    return np.degrees(np.arcsin(np.clip(samples.normals @ way, -1, 1)))


def smallest_radii(shape: Any, samples: Samples) -> Floats:
    """(n,) mm, the smaller of both principal radii at each place of a shape, whichever way it bends."""
    found = shape.curvatures(samples.part, samples.uv)
    most = np.nanmax(np.abs([found.largest, found.smallest]), axis=0)
    return 1 / np.maximum(most, 1e-12)


@dataclass(frozen=True)
class OfFace:
    """The range of a quantity on a face (its number), by its area: the least, what 99 % are above, the mean, the
    largest."""

    face: int
    least: float
    low: float
    mean: float
    largest: float


def by_face(values: Floats, samples: Samples) -> list[OfFace]:
    """The range of (n,) values on each face of a shape, the least first; what is infinite is left out."""
    found = []
    for face in np.unique(samples.part):
        inside = (samples.part == face) & np.isfinite(values)
        if not inside.any():
            continue
        some, weights = values[inside], samples.areas[inside]
        order = np.argsort(some)
        share = np.cumsum(weights[order])
        low = some[order][int(np.searchsorted(share, 0.01 * share[-1]))]
        mean = float(np.average(some, weights=weights)) if weights.sum() > 0 else float(some.mean())
        found.append(OfFace(int(face), float(some.min()), float(low), mean, float(some.max())))
    return sorted(found, key=lambda one: one.least)


def self_crossings(samples: Samples) -> Floats:
    """(k, 3) places at which edges of a shape's triangles pass through other ones by more than chords would."""
    corners = samples.points[samples.triangles]
    tree = BoxTree(corners.reshape(-1, 9))
    edges = np.unique(np.sort(samples.triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1), axis=0)
    start, end = samples.points[edges[:, 0]], samples.points[edges[:, 1]]
    way = end - start
    length = np.linalg.norm(way, axis=1)
    long = length > 2 * LIFTED * samples.size
    start, end, way, length = start[long], end[long], way[long], length[long]
    share = LIFTED * samples.size / length
    triangle, t = tree.first_hits(start + share[:, None] * way, way)
    hit = (triangle >= 0) & (t < 1 - 2 * share)
    if not hit.any():
        return np.zeros((0, 3))
    met = corners[triangle[hit]]
    normal = unit(np.cross(met[:, 1] - met[:, 0], met[:, 2] - met[:, 0]))
    ends = [np.einsum("nc,nc->n", one[hit] - met[:, 0], normal) for one in (start, end)]
    deep = np.minimum(*np.abs(ends)) > DEEP + 2 * _sag(samples, triangle[hit])
    places = start[hit] + (t[hit] + share[hit])[:, None] * way[hit]
    return np.asarray(places[deep])


def _sag(samples: Samples, triangle: Ints) -> Floats:
    """(k,) mm that some triangles stand off the surface at most: a quarter of a side times the turn of its normals."""
    some = samples.triangles[triangle]
    turn = [np.linalg.norm(samples.normals[some[:, k]] - samples.normals[some[:, k - 1]], axis=1) for k in range(3)]
    side = [np.linalg.norm(samples.points[some[:, k]] - samples.points[some[:, k - 1]], axis=1) for k in range(3)]
    return np.asarray(np.max(np.multiply(turn, side), axis=0) / 4)


@dataclass(frozen=True, eq=False)
class FilledSection:
    """A plane through a body. area: mm². triangles: (k, 3, 3) that fill it. outlines: (m, 3) closed lines round it."""

    area: float
    triangles: Floats
    outlines: tuple[Floats, ...]


def planes_through(samples: Samples, way: Floats, count: int) -> list[Plane]:
    """Planes square to a direction (3,), evenly through a shape, none at its ends."""
    plane = Plane(way)
    heights = plane.height(samples.points)
    low, high = float(heights.min()), float(heights.max())
    return [Plane(way, low + (k + 0.5) / count * (high - low)) for k in range(count)]


def filled_sections(samples: Samples, planes: Sequence[Plane]) -> list[FilledSection]:
    """The areas that planes cut out of a closed body."""
    cuts = sample_sections(samples, PlaneSet(tuple(planes)))
    return [_filled(cuts.segments[cuts.plane == number], plane) for number, plane in enumerate(planes)]


def _filled(segments: Floats, plane: Plane) -> FilledSection:
    import shapely  # a tenth of a second at the start of the window

    frame = frame_of(plane.origin, plane.normal)
    flat = (segments - frame[:3, 3]) @ frame[:3, :2]
    if not len(flat):
        return FilledSection(0.0, np.zeros((0, 3, 3)), ())
    grid = NEAR * float(np.ptp(flat.reshape(-1, 2), axis=0).max())
    # borders of neighbouring faces are sampled alike to a hair: they are drawn onto each other
    drawn = shapely.set_precision(shapely.linestrings(flat), 10 * grid)
    lines = shapely.unary_union([*drawn, *_bridges(shapely.line_merge(shapely.unary_union(drawn)))])
    pieces = list(shapely.get_parts(shapely.polygonize([lines])))
    outer = _odd(pieces)
    triangles, outlines = [], []
    for polygon in outer:
        made = shapely.get_parts(shapely.constrained_delaunay_triangles(polygon))
        triangles += [np.array(one.exterior.coords)[:3] for one in made]
        outlines += [np.array(ring.coords) for ring in (polygon.exterior, *polygon.interiors)]

    def lifted(places: Floats) -> Floats:
        return np.asarray(places @ frame[:3, :2].T + frame[:3, 3])

    filled = lifted(np.array(triangles).reshape(-1, 3, 2)) if triangles else np.zeros((0, 3, 3))
    return FilledSection(sum(one.area for one in outer), filled, tuple(lifted(line) for line in outlines))


def _bridges(lines: Any) -> list[Any]:
    """Short lines between the open ends of others, each with the nearest one: neighbouring faces lie apart by what
    their chords stand off."""
    import shapely

    runs = [np.array(one.coords) for one in shapely.get_parts(lines)]
    ends = np.array([run[k] for run in runs if not np.array_equal(run[0], run[-1]) for k in (0, -1)])
    if len(ends) < 2:
        return []
    found, left = [], list(range(len(ends)))
    apart = np.linalg.norm(ends[:, None] - ends[None], axis=2)
    np.fill_diagonal(apart, np.inf)
    while len(left) > 1:
        some = apart[np.ix_(left, left)]
        one, other = (left[int(k)] for k in np.unravel_index(int(some.argmin()), some.shape))
        found.append(shapely.LineString(ends[[one, other]]))
        left = [k for k in left if k not in (one, other)]
    return found


def _odd(pieces: Sequence[Any]) -> list[Any]:
    """Of the areas between lines, those inside an odd number of outlines, counted from outside."""
    import shapely

    whole = [shapely.Polygon(piece.exterior) for piece in pieces]
    found = []
    for piece in pieces:
        place = piece.representative_point()
        if sum(bool(outline.contains(place)) for outline in whole) % 2:
            found.append(piece)
    return found


def least_place(values: Floats, samples: Samples) -> tuple[float, Floats] | None:
    """The least of (n,) values, and where it is; None where all are infinite."""
    least = int(values.argmin())
    return (float(values[least]), samples.points[least]) if np.isfinite(values[least]) else None


def seam_angle(shape: Any, plane: Plane) -> float:
    """Degrees by which a shape and its mirror image bend at most where borders of its faces lie on the plane: twice
    what its normals there lean out of the plane; 0 where no border does."""
    samples = shape.sampler(SEAM).read(shape)
    on = [row[np.abs(plane.height(samples.points[row])) < NEAR * samples.size] for row in samples.rims]
    some = np.unique(np.concatenate(on)) if on else np.zeros(0, dtype=np.int64)
    leans = np.abs(samples.normals[some] @ plane.normal)
    # faces in the plane itself are no skin that goes on over it
    leans = leans[leans < 1 - NEAR]
    return 2 * float(np.degrees(np.arcsin(leans.max(initial=0.0))))
