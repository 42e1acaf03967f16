"""What making asks of a body: smallest radii, self-intersection, areas of sections. Walls and draft: see ``walls``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.arrays import Floats, Ints, tree_of, unit
from arabesque.checking.sections import Places, PlaneSet, sample_sections, section_places
from arabesque.geometry import Plane, frame_of
from arabesque.scan import BoxTree
from arabesque.shapes import Samples

LIFTED = 1e-6
"""Of the size of a shape: what is this near is one place, and rays begin this far off."""
NEWTON = 6
"""Steps from a chord to the surface."""
POLE, TIP = 1e-6, 0.6
"""Of the largest area element: where a parametrization has come together. And of the radius far from it, the one near
it that says that it goes to nothing."""
DEEP = 0.02
"""mm that two triangles reach through each other before it is called crossing: chords of one edge do so by less."""
SEAM = 40
"""Samples along a face at which a seam is looked at."""
ON_PLACES = 1e-9
"""Of the size of a shape: a plane this near to one of its places runs through it."""
BETWEEN, ASTRAY = 4, 0.05
"""Pieces of a section in each triangle, and of the size of a shape how far one may lie from its chord."""
NEAR = 1e-6
"""Of the size of a section: ends of its segments that are no further apart are one."""


def smallest_radii(shape: Any, samples: Samples) -> Floats:
    """Return the (n,) mm of the smaller of both principal radii at each place of a shape, whichever way it bends.

    Infinite where the parameters come together: at the pole of a ball no radius can be read, and at the tip of a cone
    there is none. What goes to nothing towards such a tip is left out as well: it is a corner, not a radius.
    """
    found = shape.curvatures(samples.part, samples.uv)
    most = np.max(np.abs([found.largest, found.smallest]), axis=0)
    radii = 1 / np.maximum(np.where(np.isfinite(most), most, 0.0), 1e-12)
    for number, surface in enumerate(shape.patches()):
        some = np.flatnonzero(samples.part == number)
        d = surface.derivatives(samples.uv[some], 1)
        area = np.linalg.norm(np.cross(d[1, 0], d[0, 1]), axis=1)
        poles = area < POLE * area.max(initial=0.0)
        if not poles.any():
            continue
        radii[some[poles]] = np.inf
        away = tree_of(samples.points[some[poles]]).query(samples.points[some])[0]
        reach = away.max(initial=0.0)
        near, far = ((away > low * reach) & (away <= high * reach) & ~poles for low, high in ((0, 0.3), (0.6, 1)))
        # a cone's radius falls with the distance from its tip; a ball's stays
        if near.any() and far.any() and np.median(radii[some[near]]) < TIP * np.median(radii[some[far]]):
            radii[some[away < reach / 2]] = np.inf
    return radii


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


def filled_sections(samples: Samples, planes: Sequence[Plane], shape: Any = None) -> list[FilledSection]:
    """Return the areas that planes cut out of a closed body.

    shape : the ``shapes.Sampled`` whose samples they are. With it the outlines lie on its surface; by triangles alone a
    round section is an inscribed polygon.
    """
    clear = [_clear_of_places(plane, samples) for plane in planes]
    cuts = sample_sections(samples, PlaneSet(tuple(clear)))
    segments, of = cuts.segments, cuts.plane
    if shape is not None and len(segments):
        places = section_places(samples, PlaneSet(tuple(clear)))
        segments, of = _rounded(places, of, shape.patches(), clear, samples.size)
    return [_filled(segments[of == number], plane) for number, plane in enumerate(clear)]


def _clear_of_places(plane: Plane, samples: Samples) -> Plane:
    """A plane moved by a hair, towards the middle, where it runs through places of the shape: along a seam or a border
    a cut belongs to both sides or to none, and the inside would be taken for the outside."""
    heights = plane.height(samples.points)
    if not len(heights) or np.abs(heights).min() > ON_PLACES * samples.size:
        return plane
    way = 1.0 if np.median(heights) >= 0 else -1.0
    return Plane(plane.normal, plane.offset + way * LIFTED * samples.size)


def _rounded(
    places: Places, of: Ints, surfaces: Sequence[Any], planes: Sequence[Plane], size: float
) -> tuple[Floats, Ints]:
    """(k, 2, 3) segments of sections and their planes, with their ends, and places between them, on the surfaces.

    A place goes to where the surface crosses the plane by Newton's method along the steepest way there.
    """
    shares = np.linspace(0, 1, BETWEEN + 1)
    uv = places.uv[:, :1] * (1 - shares[:, None]) + places.uv[:, 1:] * shares[:, None]
    chord = places.points[:, :1] * (1 - shares[:, None]) + places.points[:, 1:] * shares[:, None]
    part = np.repeat(places.part[:, 0], len(shares))
    normals = np.array([plane.normal for plane in planes])[of].repeat(len(shares), axis=0)
    offsets = np.array([plane.offset for plane in planes])[of].repeat(len(shares))
    flat, found = uv.reshape(-1, 2), chord.reshape(-1, 3).copy()
    for number in np.unique(part):
        some = np.flatnonzero(part == number)
        surface, at = surfaces[number], flat[some]
        low, high = (np.array([bounds[k] for bounds in surface.domain]) for k in (0, 1))
        for _ in range(NEWTON):
            d = surface.derivatives(at, 1)
            height = np.einsum("nc,nc->n", d[0, 0], normals[some]) - offsets[some]
            slope = np.stack([np.einsum("nc,nc->n", one, normals[some]) for one in (d[1, 0], d[0, 1])], axis=1)
            length = np.maximum((slope**2).sum(axis=1), 1e-300)
            at = np.clip(at - (height / length)[:, None] * slope, low, high)
        there = surface.at(at)
        height = np.einsum("nc,nc->n", there, normals[some]) - offsets[some]
        moved = np.linalg.norm(there - found[some], axis=1)
        good = (np.abs(height) < LIFTED * size) & (moved < ASTRAY * size)
        found[some[good]] = there[good]
    lines = found.reshape(len(of), -1, 3)
    segments = np.stack([lines[:, :-1], lines[:, 1:]], axis=2).reshape(-1, 2, 3)
    return segments, of.repeat(BETWEEN)


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
    least = int(np.where(np.isnan(values), np.inf, values).argmin())
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
