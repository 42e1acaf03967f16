"""Surfaces that curves sweep: sections along rails, and what is drawn out from a curve."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.errors import FitProblem
from arabesque.geometry import (
    Curve,
    Surface,
    basis_matrix,
    bezier_knots,
    compatible_curves,
    greville,
    reversed_curve,
    rotation_about,
)
from arabesque.scan import Scan
from arabesque.tracing.fit import clamped_rows
from arabesque.tracing.loft import is_closed

FEWEST_STATIONS, MOST_STATIONS = 5, 257
CHECKED = 4
"""Places between two stations at which a sweep is compared with one of twice as many."""
DENSE = 12
"""Places for each pole of a curve at which it is drawn out along a scan's normals."""


def sweep(sections: Sequence[Curve], rails: Sequence[Curve], tolerance: float) -> Surface:
    """The surface that one or two sections sweep along one or two rails; u runs along the sections, v along the rail.

    Along one rail the section keeps its place beside it, turned as little as the rail's bends ask for (rotation
    minimising frames: Wang, Jüttler, Zheng and Liu, "Computation of rotation minimizing frames", 2008). Along two rails
    its ends stay on both, and it is scaled with the gap between them. Two sections go over into each other. As many
    stations as ``tolerance`` mm needs. Raises FitProblem where that cannot be done.
    """
    if len(sections) not in (1, 2) or len(rails) not in (1, 2):
        raise FitProblem(f"{len(sections)} sections and {len(rails)} rails make no sweep", "Choose one or two of each")
    if any(curve.weights is not None for curve in sections):
        raise FitProblem("A rational curve is among the sections", "Fit a polynomial curve to it first")
    alike = compatible_curves(list(sections))
    rails = _alike(rails, alike[0])
    closed = all(is_closed(rail) for rail in rails)
    count = FEWEST_STATIONS
    made = _swept(alike, rails, count, closed)
    while True:
        finer = _swept(alike, rails, 2 * count - 1, closed)
        u = greville(made.knots[0], made.degree[0])
        v = np.linspace(0.0, 1.0, CHECKED * count)
        off = np.linalg.norm(made.on_grid(u, v)[0, 0] - finer.on_grid(u, v)[0, 0], axis=2)
        if off.max() <= tolerance / 10:
            return finer
        count = 2 * count - 1
        if count > MOST_STATIONS:
            raise FitProblem(
                "The rail turns too sharply for this section",
                "Split the rail at its corners, or allow a larger tolerance",
            )
        made = finer


def _alike(rails: Sequence[Curve], section: Curve) -> list[Curve]:
    """Rails that begin at the section, both run the same way."""
    place = section.points.mean(axis=0)
    found = []
    for rail in rails:
        ends = [float(np.linalg.norm(rail.points[k] - place)) for k in (0, -1)]
        found.append(rail if ends[0] <= ends[1] or is_closed(rail) else reversed_curve(rail))
    return found


def _swept(sections: Sequence[Curve], rails: Sequence[Curve], count: int, closed: bool) -> Surface:
    shares = np.linspace(0.0, 1.0, count)
    frames = _frames(rails, shares)
    first, last = frames[0], frames[-1]
    local = [_within(first, sections[0].points)]
    if len(sections) == 2:
        local.append(_within(last, sections[1].points))
    rows = []
    for share, frame in zip(shares, frames, strict=True):
        points = local[0] if len(local) == 1 else (1 - share) * local[0] + share * local[1]
        rows.append(points @ frame[:3, :3].T + frame[:3, 3])
    stack = np.array(rows)
    from scipy.interpolate import make_interp_spline  # not needed at the start of the window

    flat = stack.reshape(count, -1)
    degree = min(3, count - 1)
    if closed and np.linalg.norm(stack[0] - stack[-1], axis=1).max() < 1e-6:
        flat[-1] = flat[0]
        found = make_interp_spline(shares, flat, k=3, bc_type="periodic")
        knots, points = clamped_rows(found.t, 3, found.c)
    else:
        found = make_interp_spline(shares, flat, k=degree)
        knots, points = found.t, found.c
        points[0], points[-1] = flat[0], flat[-1]
    net = points.reshape(len(points), -1, 3).swapaxes(0, 1)
    return Surface((sections[0].degree, 3), (sections[0].knots, np.asarray(knots)), net)


def _within(frame: Floats, points: Floats) -> Floats:
    return np.asarray(np.linalg.solve(frame[:3, :3], (points - frame[:3, 3]).T).T)


def _frames(rails: Sequence[Curve], shares: Floats) -> list[Floats]:
    """(4, 4) frames at shares of the rails' lengths; of two rails the x axis is as long as the gap between them."""
    places, ways = zip(*(_along(rail, shares) for rail in rails), strict=True)
    if len(rails) == 1:
        return _least_turning(places[0], ways[0])
    made = []
    for p, q, a, b in zip(places[0], places[1], *ways, strict=True):
        across = q - p
        width = float(np.linalg.norm(across))
        if width < 1e-9:
            raise FitProblem("The rails meet", "Trim them back before they do")
        x = across / width
        way = unit((a + b)[None])[0]
        z = unit((way - (way @ x) * x)[None])[0]
        frame = np.eye(4)
        frame[:3, :3] = width * np.column_stack([x, np.cross(z, x), z])
        frame[:3, 3] = p
        made.append(frame)
    return made


def _along(rail: Curve, shares: Floats) -> tuple[Floats, Floats]:
    """Places and unit directions at shares of a rail's length."""
    dense = np.linspace(*rail.domain, 400 * rail.spans + 1)
    points = rail.at(dense)
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    t = np.interp(shares * length[-1], length, dense)
    d = rail.derivatives(t, 1)
    return d[0], unit(d[1])


def _least_turning(places: Floats, ways: Floats) -> list[Floats]:
    """Frames by double reflection; over a closed rail what is left of a turn is spread evenly."""
    x = unit(np.cross(ways[0], np.eye(3)[np.abs(ways[0]).argmin()])[None])[0]
    axes = [x]
    for k in range(len(places) - 1):
        one = places[k + 1] - places[k]
        size = one @ one
        if size > 0:
            mirrored = axes[-1] - 2 / size * (one @ axes[-1]) * one
            way = ways[k] - 2 / size * (one @ ways[k]) * one
        else:
            mirrored, way = axes[-1], ways[k]
        two = ways[k + 1] - way
        size = two @ two
        axes.append(mirrored if size < 1e-24 else mirrored - 2 / size * (two @ mirrored) * two)
    closed = np.linalg.norm(places[0] - places[-1]) < 1e-6
    turn = 0.0
    if closed:
        y = np.cross(ways[0], axes[0])
        turn = float(np.degrees(np.arctan2(axes[-1] @ y, axes[-1] @ axes[0])))
    made = []
    for k, (place, way, axis) in enumerate(zip(places, ways, axes, strict=True)):
        axis = unit((axis - (axis @ way) * way)[None])[0]
        back = rotation_about(way, -turn * k / (len(places) - 1)) if turn else np.eye(3)
        axis = back[:3, :3] @ axis
        frame = np.eye(4)
        frame[:3, :3] = np.column_stack([axis, np.cross(way, axis), way])
        frame[:3, 3] = place
        made.append(frame)
    return made


def draw_out(
    curve: Curve,
    lengths: tuple[float, float],
    direction: Floats | None = None,
    scan: Scan | None = None,
    angle: float = 0.0,
) -> Surface:
    """The ruled surface from a curve to both sides: ``lengths`` mm ahead and back; u runs along the curve.

    direction: the way it is drawn; without one the scan's normals. angle: degrees by which it leans from that to the
    left of the curve, seen along it. Raises FitProblem for no length, or nothing to go by.
    """
    ahead, back = lengths
    if not (np.isfinite([ahead, back]).all() and ahead + back > 0):
        raise FitProblem("A drawn out surface needs a length", "Give more than 0 mm to one side")
    if direction is None and scan is None:
        raise FitProblem("There is no scan whose normals show the way", "Give a direction")
    ways = _ways_out(curve, direction, scan, angle)
    rows = np.array([curve.points - back * ways, curve.points + ahead * ways])
    weights = None if curve.weights is None else np.repeat(curve.weights[:, None], 2, axis=1)
    return Surface((curve.degree, 1), (curve.knots, bezier_knots(1)), rows.swapaxes(0, 1), weights)


def _ways_out(curve: Curve, direction: Floats | None, scan: Scan | None, angle: float) -> Floats:
    """(n, 3) for each pole how it moves for each mm: exact for one direction, else the nearest in the same basis."""
    if direction is not None and angle == 0.0:
        return np.tile(unit(np.asarray(direction, dtype=float)[None]), (curve.count, 1))
    t = np.linspace(*curve.domain, DENSE * curve.count)
    places, tangents = curve.derivatives(t, 1)
    if direction is not None:
        ways = np.tile(unit(np.asarray(direction, dtype=float)[None]), (len(t), 1))
    else:
        assert scan is not None
        ways = unit(scan.closest(places).normals)
    along = unit(tangents)
    ways = unit(ways - np.einsum("nc,nc->n", ways, along)[:, None] * along) if direction is None else ways
    if angle:
        left = unit(np.cross(ways, along))
        lean = np.radians(angle)
        ways = np.cos(lean) * ways + np.sin(lean) * left
    basis = basis_matrix(curve.knots, curve.degree, t, 0)
    if curve.weights is not None:
        basis = basis * curve.weights
        basis = basis / basis.sum(axis=1, keepdims=True)
    found = np.linalg.lstsq(basis, ways, rcond=1e-10)[0]
    if is_closed(curve):
        found[0] = found[-1] = (found[0] + found[-1]) / 2
    return np.asarray(found)
