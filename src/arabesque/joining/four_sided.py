"""A patch with natural edges over an opening with four borders: it goes on in each as asked."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.fitting.between_sides import Beyond, fair_between
from arabesque.geometry import Edge, Surface, coons_net, greville, section_bends, uniform_knots
from arabesque.joining.border import BlendSide, Leaving, Space, common_basis, refined
from arabesque.joining.collocation import apart, between, through
from arabesque.joining.filling import Filled
from arabesque.joining.ring import ring_of
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

DEGREE = 5
"""At least, along both ways: curvature at both ends of a row takes six control points."""
CLOSE = 2e-5
"""mm: so near borders are followed by rows that are fewer than their own, or where they have none."""
SPANS = 1, 2, 3, 4, 5, 6, 8, 10, 12, 16, 20, 26, 32
TURNED, BENT = 0.01, 0.004
"""Degrees and share of curvature: with less the patch is taken as it is."""
FINEST, MOST_POINTS = 4, 900
"""So often spans are divided until neighbours are met so, and up to so many control points."""
FLAT = 100.0
"""Of the patch's size: a radius from which a border counts as flat."""
LOOKED_AT = 65
"""Places along a border at which it is seen how it is met."""


def fill_four(
    sides: Sequence[BlendSide], scan: Scan | None = None, tolerance: float = 0.2, progress: Progress = silent
) -> Filled:
    """The patch between four borders, given in any order and way, with G0 to G2 to each.

    scan: what it lies on inside, within the tolerance, mm. As few spans are used as meet the neighbours; borders with
    rows of their own are kept exactly. Raises ArabesqueError for borders that are no ring, FitProblem where there is no
    scan below.
    """
    one, two, three, four = ring_of(sides)
    around = one, two, three.backwards(), four.backwards()
    bases = [_basis(around[k::2]) for k in (0, 1)]
    beyond = [Beyond(min(side.side.order, 2), _reader(side)) for side in around]
    best, made, turned, bent = np.inf, None, 0.0, 0.0
    for number in range(FINEST + 1):
        progress(number / (FINEST + 1), "Laying a patch between four borders")
        tried = fair_between(_start(around, bases), beyond, scan, tolerance)
        met = [met_along(tried, edge, side) for edge, side in zip(Edge, beyond, strict=True)]
        off = [max(turned / TURNED, bent / BENT) for turned, bent in met]
        if max(off) < best:
            best, made, turned, bent = max(off), tried, *(max(values) for values in zip(*met, strict=True))
        # what misses along u is met by more rows along u
        bases = [(p, refined(knots) if max(off[axis::2]) > 1 else knots) for axis, (p, knots) in enumerate(bases)]
        if best <= 1 or np.prod([len(knots) - p - 1 for p, knots in bases]) > MOST_POINTS:
            break
    if made is None:  # none of the figures is a number
        raise ArabesqueError("The borders make no patch", "Choose borders that meet at an angle at their ends")
    t = np.linspace(0, 1, LOOKED_AT)
    gap = max(
        float(np.linalg.norm(_along(made, edge, t)[1] - side.places(t), axis=1).max())
        for edge, side in zip(Edge, around, strict=True)
    )
    corners = np.array([side.places(np.zeros(1))[0] for side in (one, two, three, four)])
    return Filled(made, gap, turned, bent, corners)


def _basis(sides: Sequence[Leaving]) -> tuple[int, Floats]:
    """Degree and knots along two borders that face each other: their own, or lighter ones that follow them closely."""
    least: Space = (DEGREE, np.zeros(0), np.zeros(0, dtype=np.int64))
    degree, knots, held = common_basis([least, *(side.space for side in sides)])
    for spans in SPANS:
        light = uniform_knots(DEGREE, spans)
        if held and len(light) - DEGREE >= len(knots) - degree:
            return degree, knots
        at, wanted = between(DEGREE, light), greville(light, DEGREE)
        off = [apart(through(side.places(wanted), DEGREE, light), DEGREE, light, at, side.places(at)) for side in sides]
        if np.max(off) <= CLOSE:
            break
    return DEGREE, light


def _start(sides: Sequence[Leaving], bases: Sequence[tuple[int, Floats]]) -> Surface:
    """The patch after Coons between borders whose corners are drawn together."""
    (p, u), (q, v) = bases
    low, right, high, left = (
        through(side.places(greville(knots, degree)), degree, knots)
        for side, (degree, knots) in zip(sides, (bases[0], bases[1], bases[0], bases[1]), strict=True)
    )
    for one, i, two, k in ((low, 0, left, 0), (low, -1, right, 0), (high, 0, left, -1), (high, -1, right, -1)):
        one[i] = two[k] = (one[i] + two[k]) / 2
    net = coons_net(low, high, left, right, greville(u, p), greville(v, q))
    return Surface((p, q), (u, v), net)


def _reader(side: Leaving) -> Callable[[Floats], tuple[Floats, Floats]]:
    """What a border asks of the patch along it."""

    def read(t: Floats) -> tuple[Floats, Floats]:
        rim, s = side.side.rim, side.shares(t)
        d = rim.surface.derivatives(rim.places(s), 3)
        normals = rim.surface.normals(rim.places(s))
        ways = np.broadcast_to(rim.ways(s), (len(t), 2))
        along = d[1, 0] * ways[:, :1] + d[0, 1] * ways[:, 1:]
        return normals, section_bends(d, np.cross(normals, along))[0]

    return read


def met_along(surface: Surface, edge: Edge, beyond: Beyond) -> tuple[float, float]:
    """How a patch meets what lies beyond an edge: degrees, and share of the border's largest curvature, at most."""
    t = np.linspace(0, 1, LOOKED_AT)
    uv, _ = _along(surface, edge, t)
    d = surface.derivatives(uv, 3)
    normals, bends = beyond.read(t)
    turned = bent = 0.0
    if beyond.order >= 1:
        cosine = np.abs(np.einsum("nc,nc->n", surface.normals(uv), normals))
        turned = float(np.degrees(np.arccos(np.clip(cosine, -1, 1))).max())
    if beyond.order >= 2:
        own_normals = surface.normals(uv)
        side = np.sign(np.einsum("nc,nc->n", own_normals, normals))
        own = side * section_bends(d, np.cross(own_normals, d[1, 0] if edge.side[0] == 1 else d[0, 1]))[0]
        size = float(np.linalg.norm(np.ptp(surface.points.reshape(-1, 3), axis=0)))
        bent = float(np.abs(own - bends).max() / max(np.abs(bends).max(), 1 / (FLAT * size)))
    return turned, bent


def _along(surface: Surface, edge: Edge, t: Floats) -> tuple[Floats, Floats]:
    """(n, 2) parameters and (n, 3) places of an edge at shares of it, in the direction of its parameter."""
    # edges go round: the last two run against their parameter
    uv = surface.rims()[edge].places(t if edge in (Edge.V_LOW, Edge.U_HIGH) else 1 - t)
    return uv, surface.at(uv)
