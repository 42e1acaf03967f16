"""Openings between surfaces filled: one fair patch, trimmed at their borders, that goes on in each as asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.errors import ArabesqueError
from arabesque.fitting.fairness import fairness_matrix
from arabesque.geometry import Face, Surface, Trim, basis_matrix, uniform_knots
from arabesque.joining.border import BlendSide, Leaving
from arabesque.joining.over_plane import OverPlane, Seen
from arabesque.joining.pieces import pieces_of
from arabesque.joining.recast import recast
from arabesque.joining.ring import ring_of

DEGREE, LEAST_SPANS = 5, 4
SPANS = 10, 20, 34
"""Along the longer way, tried in turn until neighbours are met."""
GAP, TURNED, BENT = 2e-4, 0.02, 0.02
"""mm, degrees and share of curvature: within that they are."""
ALONG = 97
"""Places along each border at which it is met."""
MARGIN = 0.06
"""Of the opening: how far the patch goes on beyond it."""
PLACE, SLOPE, BEND = 1e-5, 1e-5, 1e-4
"""What counts alike: of the opening's size, of a radian, of the curvature of a circle round the opening."""
FAIR, BEYOND = 1e-6, 1e-4
"""How little fairness counts against all that, and beyond the border against inside: there it only keeps quiet."""
QUADRATURE = 48
GUIDED, GUIDES = 0.1, 4000
"""Of the tolerance: what a place of the scan counts as, against the borders; and how many of them are used."""
LOOKED_AT = 201


@dataclass(frozen=True, eq=False)
class Filled:
    """face: trimmed at the borders, or a patch whose edges lie on them. gap: mm, turned: degrees, bent: of the larger
    curvature, at most, between it and the neighbours along borders that ask for that; corners: (k, 3) where borders
    meet."""

    face: Surface
    gap: float
    turned: float
    bent: float
    corners: Floats


def fill(sides: Sequence[BlendSide], guides: Floats | None = None, tolerance: float = 0.2) -> Filled:
    """The fair patch over an opening, whose borders are given in any order and way.

    It is a spline over the plane that lies nearest to the borders. Its height there, slope (G1), and second derivatives
    (G2) are those of the neighbours, in least squares whose weights leave the change of curvature to the rest (energy
    of third derivatives: Moreton and Sequin 1992). guides: (n, 3) places, of the scan or of curves within, that it
    passes within the tolerance, mm. Raises ArabesqueError for borders that are no ring, or too steep for a plane.
    """
    ring = ring_of(sides)
    t = np.linspace(0, 1, ALONG)
    plane = OverPlane.of(
        np.concatenate([side.places(t) for side in ring]), np.concatenate([s.normals(t) for s in ring])
    )
    heights = [plane.seen(side, t) for side in ring]
    flat = np.concatenate([seen.at[:-1] for seen in heights])
    low, high = flat.min(axis=0), flat.max(axis=0)
    size = float((high - low).max())
    low, high = low - MARGIN * size, high + MARGIN * size
    spans = high - low
    asked = []
    for side, seen in zip(ring, heights, strict=True):
        for orders, values in seen.derivatives.items():
            if sum(orders) <= min(side.side.order, 2):
                scale = (PLACE * size, SLOPE, BEND / size)[sum(orders)]
                asked.append(_Asked((seen.at - low) / spans, orders, values / scale, scale))
    trim = _trim(heights, low, spans)
    if guides is not None and len(guides):
        at, height = plane.flat(guides)
        uv = (at - low) / spans
        inside = ((uv > 0) & (uv < 1)).all(axis=1)
        inside[inside] = trim.contains(uv[inside])
        step = max(1, int(inside.sum()) // GUIDES)
        scale = GUIDED * tolerance
        asked.append(_Asked(uv[inside][::step], (0, 0), height[inside][::step] / scale, scale))
    for most in SPANS:
        counts = [max(LEAST_SPANS, round(most * span / max(spans))) for span in spans]
        knots = uniform_knots(DEGREE, counts[0]), uniform_knots(DEGREE, counts[1])
        sheet = plane.sheet(DEGREE, knots, low, spans)
        height = _fairest(asked, sheet, trim, spans)
        bare = sheet.with_points(sheet.points.reshape(-1, 3) + height[:, None] * plane.normal)
        face = Face(bare.degree, bare.knots, bare.points, None, trim)
        made = _told(face, ring, heights, low, spans)
        if made.gap <= GAP and made.turned <= TURNED and made.bent <= BENT:
            break
    return made


@dataclass(frozen=True, eq=False)
class _Asked:
    """A derivative of the height that is to have (n,) values, of ``scale``, at (n, 2) parameters."""

    uv: Floats
    orders: tuple[int, int]
    values: Floats
    scale: float


def _fairest(asked: Sequence[_Asked], sheet: Surface, trim: Trim, spans: Floats) -> Floats:
    """(n,) heights of control points that do as asked, and change their bend as little as may be inside the trim."""
    parts = [_rows(sheet.knots, one.uv, one.orders, spans) / one.scale for one in asked]
    a, b = np.concatenate(parts), np.concatenate([one.values for one in asked])
    normal = a.T @ a
    for energy, share in ((_change_inside(sheet.knots, trim, spans), FAIR), (fairness_matrix(sheet), FAIR * BEYOND)):
        normal += share * np.trace(normal) / max(np.trace(energy), 1e-300) * energy
    return np.asarray(np.linalg.solve(normal, a.T @ b))


def _rows(knots: Sequence[Floats], uv: Floats, order: tuple[int, int], spans: Floats) -> Floats:
    """(n, nu nv) values of the tensor product basis, differentiated by mm."""
    u, v = (basis_matrix(k, DEGREE, np.ascontiguousarray(uv[:, axis]), order[axis]) for axis, k in enumerate(knots))
    scale = spans[0] ** order[0] * spans[1] ** order[1]
    return np.asarray((u[:, :, None] * v[:, None, :]).reshape(len(uv), -1) / scale)


def _change_inside(knots: Sequence[Floats], trim: Trim, spans: Floats) -> Floats:
    """(n, n) energy of third derivatives over the inside of a trim, by its values at places of an even grid."""
    steps = (np.arange(QUADRATURE) + 0.5) / QUADRATURE
    grid = np.stack(np.meshgrid(steps, steps, indexing="ij"), axis=-1).reshape(-1, 2)
    at = grid[trim.contains(grid)]
    total = np.zeros((1, 1))
    for (i, j), times in (((3, 0), 1.0), ((2, 1), 3.0), ((1, 2), 3.0), ((0, 3), 1.0)):
        rows = _rows(knots, at, (i, j), spans)
        total = total + times * rows.T @ rows
    return total


def _trim(heights: Sequence[Seen], low: Floats, spans: Floats) -> Trim:
    """The loop round the opening; between two borders whose ends are apart it runs straight."""
    places: list[Floats] = []
    corners = []
    for seen in heights:
        uv = (seen.at - low) / spans
        if places and np.linalg.norm(places[-1][-1] - uv[0]) < 1e-9:
            uv = uv[1:]
            corners.append(sum(map(len, places)) - 1)
        else:
            corners.append(sum(map(len, places)))
            if places:
                corners.append(corners[-1] - 1)
        places.append(uv)
    loop = np.concatenate(places)
    if np.linalg.norm(loop[0] - loop[-1]) < 1e-9:
        loop = loop[:-1]
    else:
        corners.append(len(loop) - 1)
    return Trim((loop,), (np.unique(np.array(corners, dtype=np.int64)),))


def divided(filled: Filled, near: float = 0.002) -> tuple[Surface, ...]:
    """The fill as four-sided patches with natural edges that come ``near``, mm: over four borders one, else one at each
    corner, from the middles of both borders there to a place in the middle of all."""
    face, count = filled.face, len(filled.corners)
    if not isinstance(face, Face):
        return (face,)
    (loop,) = face.trim.loops
    if count < 3:
        raise ArabesqueError("Four-sided patches need three borders or more", "Fill it by one trimmed patch")
    if count == 4:
        return (recast(face, (DEGREE, DEGREE), near=near, places=list(filled.corners)).surface,)
    # borders are met at so many places each, so that the middle one of each is half way
    starts = np.array([int(np.linalg.norm(face.at(loop) - corner, axis=1).argmin()) for corner in filled.corners])
    halves = (starts + (ALONG - 1) // 2) % len(loop)
    centre = loop[starts].mean(axis=0)
    pieces = pieces_of(face, [np.array([centre, loop[k]]) for k in halves])
    found = []
    for k, start in enumerate(starts):
        inside = (centre + loop[start]) / 2
        corners = np.array([centre, loop[halves[k - 1]], loop[start], loop[halves[k]]])
        piece = pieces.kept([pieces.at(inside)])
        found.append(recast(piece, (DEGREE, DEGREE), near=near, places=list(face.at(corners))).surface)
    return tuple(found)


def _told(face: Face, ring: Sequence[Leaving], heights: Sequence[Seen], low: Floats, spans: Floats) -> Filled:
    """With how it meets its neighbours at places between those at which it was asked to."""
    from scipy.interpolate import CubicSpline  # see ``tree_of``

    gap = turned = bent = 0.0
    t = np.linspace(0, 1, LOOKED_AT)
    corners = []
    for side, seen in zip(ring, heights, strict=True):
        uv = (CubicSpline(np.linspace(0, 1, ALONG), seen.at)(t) - low) / spans
        places, normals = side.places(t), side.normals(t)
        corners.append(places[0])
        gap = max(gap, float(np.linalg.norm(face.at(uv) - places, axis=1).max()))
        if side.side.order >= 1:
            cosine = np.abs(np.einsum("nc,nc->n", face.normals(uv), normals))
            turned = max(turned, float(np.degrees(np.arccos(np.clip(cosine, -1, 1))).max()))
        if side.side.order >= 2:
            rim = side.side.rim
            own, theirs = (_bends(s, at, normals) for s, at in ((face, uv), (rim.surface, rim.places(side.shares(t)))))
            scale = np.maximum(np.abs(theirs).max(), 1.0 / (100 * _size(face)))
            bent = max(bent, float(np.abs(own - theirs).max() / scale))
    return Filled(face, gap, turned, bent, np.array(corners))


def _size(face: Surface) -> float:
    """Diagonal of its control points, mm."""
    return float(np.linalg.norm(np.ptp(face.points.reshape(-1, 3), axis=0)))


def _bends(surface: Surface, uv: Floats, normals: Floats) -> Floats:
    """(n, 2) principal curvatures, signed by (n, 3) normals, 1/mm, in falling order."""
    d = surface.derivatives(uv, 2)
    up = unit(np.cross(d[1, 0], d[0, 1]))
    up *= np.sign(np.einsum("nc,nc->n", up, normals))[:, None]
    e, f, g = (np.einsum("nc,nc->n", a, b) for a, b in ((d[1, 0], d[1, 0]), (d[1, 0], d[0, 1]), (d[0, 1], d[0, 1])))
    h, i, j = (np.einsum("nc,nc->n", a, up) for a in (d[2, 0], d[1, 1], d[0, 2]))
    area = e * g - f * f
    mean, gauss = (e * j - 2 * f * i + g * h) / (2 * area), (h * j - i * i) / area
    root = np.sqrt(np.maximum(mean * mean - gauss, 0.0))
    return np.column_stack([mean + root, mean - root])
