"""Lines that a scan has with something else: where a surface cuts it, projections, and lines at a distance."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats, tree_of, unit
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.geometry import Curve, Elementary, Plane, Surface, feet_along, foot_points
from arabesque.geometry.nets import flat_normal
from arabesque.reading import distances_to
from arabesque.scan import Scan, rounded_places, walk_ahead
from arabesque.shapes import Sampled
from arabesque.tracing.cuts import CutLine, level_lines

READ = 200
"""Places at which a curve is projected or set off."""
REACH = 3.0
"""Edges of triangles: points of the scan further off a patch than that and its offset are not looked at."""


def surface_cuts(scan: Scan, shape: Sampled, offset: float = 0.0) -> list[CutLine]:
    """The lines in which a surface cuts a scan, or the surface set off by ``offset`` mm along its normal.

    True shapes cut as far as they go on, patches where they are; the longest first. Raises ArabesqueError where
    nothing is cut.
    """
    heights = np.full(len(scan.points), np.inf)
    patches = shape.patches()
    whole = patches[0] if len(patches) == 1 and isinstance(patches[0], Elementary) else None
    if whole is not None:
        heights = distances_to(whole, scan.points) - offset
    else:
        margin = abs(offset) + REACH * _edge(scan)
        for patch in patches:
            low, high = patch.box
            near = np.flatnonzero(((scan.points > low - margin) & (scan.points < high + margin)).all(axis=1))
            if not len(near):
                continue
            feet = foot_points(patch, scan.points[near])
            away = scan.points[near] - feet.points
            signed = np.einsum("nc,nc->n", away, patch.normals(feet.uv))
            far = np.linalg.norm(away, axis=1)
            # beside the border the foot is no foot of a perpendicular
            good = (feet.inside | (np.abs(signed) > 0.999 * far)) & patch.shows(feet.uv) & (far <= margin)
            better = good & (np.abs(signed - offset) < np.abs(heights[near]))
            heights[near[better]] = signed[better] - offset
    used = np.isfinite(heights)[scan.triangles].all(axis=1)
    lines = level_lines(scan.points, scan.triangles[used], np.where(np.isfinite(heights), heights, 1.0))
    if not lines:
        raise ArabesqueError("The surface does not cut the scan", "Give an offset, or extend it through the scan")
    return [CutLine(points, closed, _plane_of(points)) for points, closed in lines]


def projected(curve: Curve, onto: Scan | Surface, direction: Floats | None = None) -> Floats:
    """(READ, 3) places of a curve brought onto a scan or a patch: along a direction, or to the closest ones.

    A direction is looked along both ways; the nearer hit counts. Raises ArabesqueError, saying how much, where a part
    finds nothing.
    """
    places = curve.at(np.linspace(*curve.domain, READ))
    if isinstance(onto, Scan):
        if direction is None:
            closest = onto.closest(places)
            return np.where(closest.on_border[:, None], closest.points, rounded_places(onto, closest))
        found = _along(onto, places, unit(np.asarray(direction, dtype=float)))
    elif direction is None:
        return foot_points(onto, places).points
    else:
        feet = feet_along(onto, places, unit(np.asarray(direction, dtype=float)))
        found = np.where(feet.inside[:, None], feet.points, np.nan)
    missed = int(np.isnan(found[:, 0]).sum())
    if missed:
        raise ArabesqueError(
            f"{100 * missed / len(places):.0f} % of the curve finds nothing that way", "Choose another direction"
        )
    return found


def set_off(curve: Curve, scan: Scan, distance: float) -> Floats:
    """(n, 3) places ``distance`` mm beside a curve on a scan, measured over the scan: to its left, or right below 0.

    From each place straight over the scan, square to the curve. Where ways cross, as inside a tight bend, the places
    that came too near to the curve are left out. Raises FitProblem where the scan ends first everywhere.
    """
    t = np.linspace(*curve.domain, READ)
    places, ways = curve.derivatives(t, 1)
    closest = scan.closest(places)
    found = []
    for k in range(READ):
        up = closest.normals[k]
        side = np.sign(distance) * np.cross(up, unit(ways[k][None])[0])
        there, _, _, arrived = walk_ahead(
            scan, (closest.points[k], int(closest.triangle[k])), unit(side[None])[0], up, abs(distance)
        )
        if arrived:
            found.append(there)
    if len(found) < 4:
        raise FitProblem("The scan ends before that distance", "Give a smaller one, or the other side")
    made = np.array(found)
    dense = curve.at(np.linspace(*curve.domain, 4 * READ))
    away, _ = tree_of(dense).query(made)
    kept = made[away > 0.8 * min(abs(distance), float(np.median(away)))]
    if len(kept) < 4:
        raise FitProblem("The line would cross itself all along", "Give a smaller distance")
    return kept


def _edge(scan: Scan) -> float:
    sides = scan.points[scan.triangles[:2000, 1]] - scan.points[scan.triangles[:2000, 0]]
    return float(np.median(np.linalg.norm(sides, axis=1)))


def _plane_of(points: Floats) -> Plane:
    """The plane that lies nearest to a line."""
    return Plane.through(points.mean(axis=0), flat_normal(points))


def _along(scan: Scan, places: Floats, way: Floats) -> Floats:
    """The nearer of the first hits both ways; NaN for none."""
    best, found = np.full(len(places), np.inf), np.full((len(places), 3), np.nan)
    start = places - 1e-6 * way
    for sign in (1.0, -1.0):
        triangle, t = scan.tree.first_hits(start if sign > 0 else places, np.tile(sign * way, (len(places), 1)))
        hit = (triangle >= 0) & (t < best)
        best[hit] = t[hit]
        found[hit] = (start if sign > 0 else places)[hit] + t[hit, None] * sign * way
    return found


def line_near(lines: Sequence[CutLine], place: Floats) -> CutLine:
    """The line that passes nearest to a (3,) place."""
    return min(lines, key=lambda line: float(np.linalg.norm(line.points - place, axis=1).min()))
