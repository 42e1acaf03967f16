"""Border lines: the four calm lines on a scan, from corner to corner, that a patch is held to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, unit
from arabesque.geometry import Curve, basis_matrix, curve_in
from arabesque.scan import Scan, Walk, enclosed, kept, lifted, walk_along_plane

PLACES = 81
"""Places along a border line."""
MOST_DETOUR = 1.6
"""Ways so much longer than the shorter one of two are the way round the back of the form."""
MOST_BOW, STEEPEST = 0.03, 0.2
"""Of the width across it: so far a calm line may bow out of the plane through its ends, or it would take in, or leave
out, more than 2 % of the area. And of its length, how long it is at least as seen along the normal."""
LARGEST_AREA = 6.0
"""Of the area that straight sides span: what is enclosed and larger has leaked through a gap."""
CALMING = 1e-7
SAME_PLACE = 1e-6
FEW_PLACES = 5
"""Up to so many places are the hand's: the side runs smoothly through them; more are a line that is there."""
STATIONS = 25
"""Places on such a side between which it is walked over the scan."""
AROUND_OPEN = 0.25
"""Of the longest line: so far round lines that enclose nothing a scan is looked at."""
AROUND = 3
"""Rings of triangles round what border lines enclose, so that nothing at the lines lies at a rim."""


@dataclass(frozen=True, eq=False)
class BorderLine:
    """One side: (PLACES, 3) places on the scan at even steps, ends included, and the triangles that it runs through.

    whole: false where a part runs over an opening, straight. curve: what the side is exactly, where that is given.
    """

    points: Floats
    triangles: Ints
    whole: bool = True
    curve: Curve | None = None

    @cached_property
    def length(self) -> float:
        """mm."""
        return float(np.linalg.norm(np.diff(self.points, axis=0), axis=1).sum())


def even_steps(points: Floats, count: int = PLACES) -> Floats:
    """(count, 3) places at even steps along a polyline of (n, 3) points."""
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    wanted = np.linspace(0.0, along[-1], count)
    return np.column_stack([np.interp(wanted, along, points[:, c]) for c in range(3)])


Through = Sequence[Floats | Curve | None]
"""For each side what it goes through: places, a curve that it is exactly, or nothing."""
ALL_CALM: Through = (None,) * 4


def border_lines(corners: Floats, scan: Scan, through: Through = ALL_CALM) -> list[BorderLine]:
    """The sides from each of the (4, 3) corners to the next.

    Each is the cut of the scan with the plane through its two corners and the mean of their normals; but where that
    bows away from the straight line between them, as seen along the mean normal of all four, it is the cut with the
    plane along that normal: what was clicked is what lies between straight lines. Where it comes to an opening it goes
    straight over to where the scan goes on. through: for each side (n, 3) places that it goes
    through instead, in order: a few, as pulled by the hand, or many, along a line that is there; or a curve between
    its corners.
    """
    found = []
    plan = unit(scan.closest(corners).normals.sum(axis=0)[None])[0]
    for k, along in enumerate(through):
        ends = corners[k], corners[(k + 1) % 4]
        if isinstance(along, Curve):
            line = border_line(*ends, scan, even_steps(along.guides()[0].points)[1:-1])
            found.append(replace(line, curve=along))
        else:
            given = along if along is not None and len(along) else None
            # as wide as the sides beside it are long
            width = (np.linalg.norm(corners[k - 1] - ends[0]) + np.linalg.norm(corners[(k + 2) % 4] - ends[1])) / 2
            found.append(border_line(*ends, scan, given, plan if given is None else None, float(width)))
    return found


def bow_of(lines: Sequence[Floats], scan: Scan) -> float:
    """Return the share of the straight quadrangle between four corners by which border lines, (n, 3) each, run out
    of it, below 0 where they run into it, as seen along the mean normal of the corners."""
    corners = np.array([line[0] for line in lines])
    plan = unit(scan.closest(corners).normals.sum(axis=0)[None])[0]
    around = np.concatenate([line[:-1] for line in lines])
    whole, straight = (_area_along(plan, polygon) for polygon in (around, corners))
    return (whole - straight) / straight if straight > 0 else 0.0


def _area_along(normal: Floats, polygon: Floats) -> float:
    """mm² inside a closed polygon (n, 3), as seen along a normal (3,)."""
    return 0.5 * abs(float(np.cross(polygon, np.roll(polygon, -1, axis=0)).sum(axis=0) @ normal))


def border_line(
    start: Floats,
    end: Floats,
    scan: Scan,
    through: Floats | None = None,
    plan: Floats | None = None,
    width: float = np.inf,
) -> BorderLine:
    """One side, from a (3,) corner to the next: see ``border_lines``. plan: (3,) the normal along which it is straight
    where it would bow by too much of a ``width``, mm."""
    calm = _border_line(start, end, scan, through, None)
    if plan is None:
        return calm
    aside = np.cross(plan, end - start)
    reach = float(np.linalg.norm(end - start))
    if np.linalg.norm(aside) < STEEPEST * reach:
        return calm  # seen along the normal its ends are one place
    bow = float(np.abs((calm.points - start) @ unit(aside[None])[0]).max())
    if bow <= MOST_BOW * min(reach, width):
        return calm
    straight = _border_line(start, end, scan, through, plan)
    return straight if straight.whole and straight.length < MOST_DETOUR * calm.length else calm


def _border_line(start: Floats, end: Floats, scan: Scan, through: Floats | None, up: Floats | None) -> BorderLine:
    if through is None:
        stations = np.array([start, end])
    elif len(through) <= FEW_PLACES:
        stations = _bowed(np.vstack([start, through, end]))
    else:
        stations = even_steps(np.vstack([start, through, end]), PLACES)
    closest = scan.closest(stations)
    ways, triangles, whole = [], [], True
    for k in range(len(stations) - 1):
        ends = [(closest.points[i], int(closest.triangle[i])) for i in (k, k + 1)]
        upright = closest.normals[k] + closest.normals[k + 1] if up is None else up
        way, under, arrived = _side(scan, ends[0], ends[1], upright)
        ways.append(way)
        triangles.append(under)
        whole = whole and arrived
    along_a_line = through is not None and len(through) > FEW_PLACES
    points = even_steps(stations) if along_a_line else lifted(scan, even_steps(np.concatenate(ways)))
    points[0], points[-1] = start, end
    return BorderLine(points, np.concatenate(triangles), whole)


def _bowed(places: Floats) -> Floats:
    """(STATIONS, 3) places on the smooth curve through (n, 3) places, by chord length."""
    from scipy.interpolate import make_interp_spline  # not needed at the start of the window

    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1))])
    curve = make_interp_spline(along, places, k=min(3, len(places) - 1))
    return np.asarray(curve(np.linspace(0.0, along[-1], STATIONS)))


def _side(scan: Scan, start: tuple[Floats, int], end: tuple[Floats, int], up: Floats) -> tuple[Floats, Ints, bool]:
    chord = end[0] - start[0]
    normal = unit(np.cross(chord, up))
    ahead = walk_along_plane(scan, start, end, normal)
    if ahead.arrived and ahead.length < MOST_DETOUR * np.linalg.norm(chord):
        return ahead.points, ahead.triangles, True
    behind = walk_along_plane(scan, start, end, normal, backward=True)
    ways = [way for way in (ahead, behind) if way.arrived]
    if ways:
        way = min(ways, key=lambda one: one.length)
        return way.points, way.triangles, True
    back = walk_along_plane(scan, end, start, normal)
    one, two = _before_the_gap(ahead, back)
    return np.concatenate([one, two[::-1]]), np.concatenate([ahead.triangles, back.triangles]), False


def _before_the_gap(ahead: Walk, back: Walk) -> tuple[Floats, Floats]:
    """The two ways from the ends, each cut where it comes closest to the other."""
    steps = max(1, len(ahead.points) // 400), max(1, len(back.points) // 400)
    one, two = ahead.points[:: steps[0]], back.points[:: steps[1]]
    apart = np.linalg.norm(one[:, None] - two[None], axis=2)
    i, k = np.unravel_index(int(apart.argmin()), apart.shape)
    return one[: i + 1], two[: k + 1]


@dataclass(frozen=True, eq=False)
class Enclosed:
    """The part of a scan that border lines enclose.

    scan: that part with a little round it. inside: (m,) of its triangles, those that the lines enclose or run over.
    """

    scan: Scan
    inside: Bools


def enclosed_part(lines: Sequence[BorderLine], scan: Scan) -> Enclosed | None:
    """What border lines enclose that go round counter-clockwise, reached over the scan itself: never the back of a
    thin wall. None where they enclose no part of the scan, as where one runs along a rim."""
    inside = area_inside(lines, scan)
    if inside is None:
        return None
    mask = np.zeros(len(scan.triangles), dtype=bool)
    mask[inside] = True
    near = inside
    for _ in range(AROUND):
        near = scan.across[near].ravel()
        near = near[near >= 0]
        mask[near] = True
    within = np.zeros(len(scan.triangles), dtype=bool)
    within[inside] = True
    return Enclosed(kept(scan, mask), within[mask])


def part_near(lines: Sequence[BorderLine], scan: Scan) -> Scan:
    """The part of a scan in the box round border lines and a share of their length more; the scan where that is none
    of it."""
    places = np.concatenate([line.points for line in lines])
    more = AROUND_OPEN * max(line.length for line in lines)
    middles = scan.points[scan.triangles[:, 0]]
    near = np.all((middles > places.min(axis=0) - more) & (middles < places.max(axis=0) + more), axis=1)
    return kept(scan, near) if near.any() else scan


def area_inside(lines: Sequence[BorderLine], scan: Scan) -> Ints | None:
    """The triangles inside border lines, those under the lines among them; None where there is a gap."""
    walls = np.concatenate([line.triangles for line in lines])
    corners = np.array([line.points[0] for line in lines])
    spanned = 0.5 * float(np.linalg.norm(np.cross(corners[2] - corners[0], corners[3] - corners[1])))
    longest = max(line.length for line in lines)
    seeds = []
    for line in lines:
        middles = scan.points[scan.triangles[line.triangles]].mean(axis=1)
        places = np.abs(np.linspace(0, 1, len(middles)) * (PLACES - 1)).astype(int)
        ahead = line.points[np.minimum(places + 1, PLACES - 1)] - line.points[np.maximum(places - 1, 0)]
        inward = np.cross(scan.area_vectors[line.triangles], ahead)
        beside = scan.across[line.triangles]
        centres = scan.points[scan.triangles[beside]].mean(axis=2)
        # a neighbour well inside, away from the ends of the side, where walls of two sides run together
        side = np.einsum("nkc,nc->nk", centres - middles[:, None], inward) > 0
        middle = (places > PLACES // 8) & (places < PLACES - PLACES // 8)
        seeds.append(beside[side & (beside >= 0) & middle[:, None]])
    return enclosed(scan, walls, np.concatenate(seeds), LARGEST_AREA * max(spanned, (longest / 4) ** 2))


@dataclass(frozen=True, eq=False)
class FittedBorder:
    """A border line as a curve, its ends exact. misses: (PLACES,) mm off the curve, square to it."""

    curve: Curve
    misses: Floats

    def within(self, tolerance: float) -> bool:
        """True when all but small dents keep the tolerance."""
        return bool(np.percentile(self.misses, 97) <= tolerance)


def fitted_border(points: Floats, degree: int, knots: Floats, tolerance: float) -> FittedBorder:
    """The curve of least squares through (n, 3) places by chord length, ends fixed, dents weighted away.

    Chord length parameters keep its rows even (Piegl and Tiller, "The NURBS Book", section 9.4).
    """
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    along = knots[0] + (knots[-1] - knots[0]) * along / along[-1]
    basis = basis_matrix(knots, degree, along, 0)
    count = basis.shape[1]
    ends = points[[0, -1]]
    control = np.linspace(ends[0], ends[1], count)
    weight = np.ones(len(points))
    misses = np.zeros(len(points))
    for _ in range(4):
        if count > 2:
            inner = basis[:, 1:-1]
            right = points - basis[:, [0, -1]] @ ends
            whole = inner.T @ (weight[:, None] * inner)
            whole[np.diag_indices_from(whole)] += CALMING * whole.trace()
            straight = np.linspace(ends[0], ends[1], count)[1:-1]
            pulled = inner.T @ (weight[:, None] * (right - inner @ straight))
            control[1:-1] = straight + np.linalg.solve(whole, pulled)
        gap = points - basis @ control
        tangent = unit(basis_matrix(knots, degree, along, 1) @ control)
        gap -= np.einsum("nc,nc->n", gap, tangent)[:, None] * tangent
        misses = np.linalg.norm(gap, axis=1)
        bound = max(3 * tolerance, 4.685 * 1.4826 * float(np.median(misses)))
        if misses.max() < tolerance:
            break
        weight = np.where(misses < bound, (1 - (misses / bound) ** 2) ** 2, 0.0) + 1e-6
    return FittedBorder(Curve(degree, knots, control), misses)


def exact_border(curve: Curve, degree: int, knots: Floats) -> FittedBorder:
    """A curve in a spline space that holds it, or with misses without end in one that does not."""
    same = curve_in(curve, degree, knots)
    if same is not None:
        return FittedBorder(same, np.zeros(PLACES))
    ends = np.linspace(curve.points[0], curve.points[-1], len(knots) - degree - 1)
    return FittedBorder(Curve(degree, knots, ends), np.full(PLACES, np.inf))


def at_curve_ends(corners: Floats, through: Through) -> tuple[Floats, list[Floats | Curve | None]]:
    """The (4, 3) corners at the ends of the curves that sides are, and what the sides go through.

    Of two curves that do not meet in their corner the second is followed only closely.
    """
    placed, found = corners.copy(), list(through)
    settled = [False] * 4
    for k, along in enumerate(through):
        if not isinstance(along, Curve):
            continue
        ends = {k: along.points[0], (k + 1) % 4: along.points[-1]}
        if any(settled[i] and np.linalg.norm(placed[i] - end) > SAME_PLACE for i, end in ends.items()):
            found[k] = along.guides()[0].points
            continue
        for i, end in ends.items():
            placed[i] = placed[i] if settled[i] else end
            settled[i] = True
        # to the last bit, also where a neighbour settled the corner
        points = along.points.copy()
        points[[0, -1]] = placed[k], placed[(k + 1) % 4]
        found[k] = along.with_points(points)
    return placed, found
