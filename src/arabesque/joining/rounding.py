"""Rounded edges: the surface that a rolling ball leaves between two that cross, or a fairer one in its place."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.errors import ArabesqueError
from arabesque.geometry import Edge, Rim, Surface, carried_on, greville
from arabesque.joining.ball import Rolling, Touching
from arabesque.joining.blend import blend
from arabesque.joining.border import BlendSide, Ways, refined
from arabesque.joining.collocation import between, through
from arabesque.joining.crossing import Crossing, crossings
from arabesque.joining.extending_borders import facing
from arabesque.scan import Scan

DEGREE, FIRST_SPANS, MOST_SPANS = 3, 4, 256
NEAR, CLOSE = 5e-4, 2e-6
"""mm, how near a circular round comes to the ball; and of its size, how near others come to the contacts."""
WIDEST = np.radians(170.0)
"""A circular section that turns further cannot be one arc."""
CONTACTS = 65
NEARLY, FURTHER = 0.5, (1.2, 2.0, 4.0)
"""Of the smaller surface: the widest gap over which an edge is rounded; of the gap, how far edges are carried on."""
ARC, ACROSS, STEP = 9, 33, 0.12
"""Places along each arc and along the edge at which a scan is asked for its radius, and the step from one radius that
is tried to the next, as a logarithm."""
FINEST, MOST = 0.5, 0.6
"""Of the scan's edges, the smallest radius that is tried, and of the length of an edge the largest."""
BESIDE_SCAN = 0.12
"""Of its radius: so near to the scan an arc lies on average that says something of it."""
SEEN, UNSURE, MIDDLE = 0.3, 0.35, 0.08
"""The share of stations that have to show a round; of a radius, how unsure it may be; and of the way, how far round its
middle stations are read."""


class Section(Enum):
    """What a round is across; the value is its words."""

    CIRCLE = "circular"
    CURVATURE = "in curvature (G2)"
    CHANGE = "in its change (G3)"


@dataclass(frozen=True, eq=False)
class Round:
    """surface: u runs across, from the contact with the first surface to that with the second, v along the edge.

    touching: balls along it. part: from which share of the edge to which. off: mm, how far a circular one is from the
    ball at most. turned: degrees, at most, between its tangent planes and those of the surfaces where it touches.
    """

    surface: Surface
    touching: Touching
    part: tuple[float, float]
    off: float
    turned: float


def rolling(one: Surface, two: Surface, near: Floats, sides: tuple[int, int]) -> Rolling:
    """A ball for the edge of two surfaces that passes nearest to a place (3,).

    Where they nearly meet, the edges that face each other are carried on until they cross; the ball touches what was
    there before. Raises ArabesqueError where they have no edge.
    """
    one, two = one.whole, two.whole
    domains = one.domain, two.domain
    lines = crossings(one, two)
    if not lines:
        one, two, lines = _carried_on(one, two)
    return Rolling(one, two, _nearest(lines, near), sides, domains)


def _carried_on(one: Surface, two: Surface) -> tuple[Surface, Surface, tuple[Crossing, ...]]:
    """Two surfaces that nearly meet, with the edges that face each other carried on until they cross, and where."""
    (number, gap), (other, back) = facing(one, two), facing(two, one)
    first, second = Edge(number), Edge(other)
    gap = min(gap, back)
    size = min(float(np.linalg.norm(np.ptp(surface.points.reshape(-1, 3), axis=0))) for surface in (one, two))
    if 0 < gap <= NEARLY * size:
        for far in FURTHER:
            longer = carried_on(one, first, far * gap), carried_on(two, second, far * gap)
            for pair in ((one, longer[1]), (longer[0], two), longer):
                lines = crossings(*pair)
                if lines:
                    return *pair, lines
    raise ArabesqueError(
        f"The surfaces do not cross, so there is no edge to round: {gap:.3g} mm are between them",
        "Extend one of them first",
    )


def _nearest(lines: tuple[Crossing, ...], near: Floats) -> Crossing:
    return min(lines, key=lambda line: float(np.linalg.norm(line.points - near, axis=1).min()))


def radius_along(radii: tuple[float, float, float]) -> Callable[[Floats], Floats]:
    """A length that runs through three at the start, in the middle and at the end of an edge."""
    if len(set(radii)) == 1:
        return lambda t: np.full(np.shape(t), radii[0])
    terms = np.polyfit([0.0, 0.5, 1.0], radii, 2)
    return lambda t: np.asarray(np.polyval(terms, t))


def round_edge(
    ball: Rolling,
    radii: tuple[float, float, float],
    section: Section = Section.CIRCLE,
    chord: bool = False,
    pull: float = 1.0,
) -> Round:
    """The surface between the contacts of a rolling ball.

    Circular: arcs as rational quadratics (Piegl and Tiller, "The NURBS Book", 7.3) with control points that are splines
    along the edge. Else a blend of the contacts that goes on in both surfaces in curvature, or in its change; pull: how
    far it follows their form. Raises ArabesqueError where the ball finds no place.
    """
    size = radius_along(radii)
    if min(radii) > 0 and size(np.linspace(0, 1, 65)).min() <= 0:
        raise ArabesqueError("The radii differ so much that one would be below 0", "Bring them nearer each other")
    part = ball.reach(size, chord)

    def touching(t: Floats) -> Touching:
        return ball.at(part[0] + t * (part[1] - part[0]), size, chord)

    made = touching(np.linspace(0, 1, CONTACTS))
    if section is Section.CIRCLE:
        surface, off = _arcs(touching)
    else:
        order = 2 if section is Section.CURVATURE else 3
        sides = [BlendSide(_contact(ball, made, which), order, (0.0, 1.0), (pull, pull, pull)) for which in (0, 1)]
        surface, off = blend(sides[0], sides[1], Ways.SQUARE, close=CLOSE).surface, 0.0
        if np.linalg.norm(surface.at(np.array([[0.0, 0.0]]))[0] - made.at_one[0]) > NEAR:
            surface = surface.reversed(1)
    return Round(surface, made, part, off, _turned(ball, surface, touching))


def _arcs(touching: Callable[[Floats], Touching]) -> tuple[Surface, float]:
    """The circular round as a rational surface, and how far it is from the balls."""
    knots = np.concatenate([np.zeros(DEGREE + 1), np.arange(1, FIRST_SPANS) / FIRST_SPANS, np.ones(DEGREE + 1)])
    while True:
        points = through(np.swapaxes(_homogeneous(touching(greville(knots, DEGREE))), 0, 1), DEGREE, knots)
        points = np.swapaxes(points, 0, 1)
        weights = points[..., 3]
        surface = Surface((2, DEGREE), (np.repeat([0.0, 1.0], 3), knots), points[..., :3] / weights[..., None], weights)
        t = between(DEGREE, knots)
        balls = touching(t)
        on = surface.on_grid(np.linspace(0, 1, ARC), t)[0, 0]
        off = float(np.abs(np.linalg.norm(on - balls.centres, axis=-1) - balls.radius).max())
        for row, wanted in ((0, balls.at_one), (-1, balls.at_two)):
            off = max(off, float(np.linalg.norm(on[row] - wanted, axis=1).max()))
        if off <= NEAR or len(knots) > MOST_SPANS:
            return surface, off
        knots = refined(knots)


def _homogeneous(made: Touching) -> Floats:
    """(3, n, 4) control points of the arcs from the first contact to the second, times their weights."""
    if made.opening.max() > WIDEST:
        raise ArabesqueError("The ball would turn by more than half round the edge", "Choose a section in curvature")
    one, two = unit(made.at_one - made.centres), unit(made.at_two - made.centres)
    cosine = np.einsum("nc,nc->n", one, two)
    corner = made.centres + (made.radius / (1 + cosine))[:, None] * (one + two)
    weight = np.cos(made.opening / 2)[:, None]
    full = np.ones((len(weight), 1))
    return np.array(
        [np.hstack([made.at_one, full]), np.hstack([corner * weight, weight]), np.hstack([made.at_two, full])]
    )


def _contact(ball: Rolling, made: Touching, which: int) -> Rim:
    """The line along which the ball touches a surface, as a border of the part that lies away from the edge."""
    surface, uv = ball.surfaces[which], (made.one, made.two)[which]
    rim = Rim(surface, uv, at=np.linspace(0, 1, len(uv)))
    middle = np.array([0.5])
    edge = made.edge[len(uv) // 2]
    d = surface.derivatives(rim.places(middle), 1)
    inward = rim.inward(middle)[0]
    way = d[1, 0, 0] * inward[0] + d[0, 1, 0] * inward[1]
    return rim if float(way @ (d[0, 0, 0] - edge)) > 0 else Rim(surface, uv, -1.0, at=rim.at)


def _turned(ball: Rolling, surface: Surface, touching: Callable[[Floats], Touching]) -> float:
    t = np.linspace(0, 1, 2 * CONTACTS)
    made = touching(t)
    worst = 0.0
    for end, uv, other in ((0.0, made.one, ball.surfaces[0]), (1.0, made.two, ball.surfaces[1])):
        own = surface.normals(np.column_stack([np.full(len(t), end), t]))
        cosine = np.abs(np.einsum("nc,nc->n", own, other.normals(uv)))
        worst = max(worst, float(np.degrees(np.arccos(np.clip(cosine, -1, 1))).max()))
    return worst


@dataclass(frozen=True, eq=False)
class Shown:
    """The radius that a scan shows. radius: mm, the middle of those along the edge; low, high: between which the
    middle half of them lies, with what the scan leaves unsure; ends: at the start, in the middle and at the end, each
    from the stations near by. stations: (n, 2) shares of the edge's way, and the radius there, mm."""

    radius: float
    low: float
    high: float
    ends: tuple[float, float, float]
    stations: Floats


def radius_shown(ball: Rolling, scan: Scan) -> Shown:
    """Return the radius that a scan shows along an edge, read at stations.

    Arcs of many radii are laid at each station. Of one that is too large the scan's middle stands out, of one that is
    too small it lies inside; where that turns is the radius. A signed mean does not grow with noise, as a distance
    does. The radii go by the triangles of the scan, not by the length of the edge.

    Raises ArabesqueError where no ball finds a place, where the scan shows no round, and where its triangles or noise
    are too coarse for one.
    """
    t = np.linspace(0.06, 0.94, ACROSS)
    least = FINEST * scan.edge_length
    most = max(MOST * ball.length, 2 * least)
    radii = np.geomspace(least, most, 1 + int(np.ceil(np.log(most / least) / STEP)))
    out = np.full((len(radii), ACROSS), np.nan)
    slope = np.full(ACROSS, np.nan)
    shares = np.linspace(-1, 1, ARC)
    for k, radius in enumerate(radii):
        try:
            made = ball.at(t, radius_along((radius,) * 3))
        except ArabesqueError:
            continue
        fits = ball.within(made)
        if not fits.any():
            continue
        one, two = unit(made.at_one - made.centres), unit(made.at_two - made.centres)
        middle = unit(one + two)
        aside = unit(two - one)
        angle = made.opening[:, None] / 2 * shares
        ways = np.cos(angle)[..., None] * middle[:, None] + np.sin(angle)[..., None] * aside[:, None]
        places = (made.centres[:, None] + radius * ways)[fits]
        met = scan.closest(places.reshape(-1, 3)).points.reshape(places.shape)
        off = np.einsum("nac,nac->na", met - places, ways[fits])
        # the middle of an arc tells radii apart, its ends lie on the surfaces whatever it is
        weights = np.maximum(np.cos(angle[fits]) - np.cos(made.opening[fits, None] / 2), 0.0)
        away = (weights * np.linalg.norm(met - places, axis=2)).sum(axis=1) / weights.sum(axis=1)
        # a mean that is 0 by chance, far from all of the scan, says nothing
        beside = away < BESIDE_SCAN * radius + 3 * scan.noise
        out[k, np.flatnonzero(fits)[beside]] = ((weights * off).sum(axis=1) / weights.sum(axis=1))[beside]
        slope = np.where(fits, (1 / np.cos(angle[:, [-1]]) - 1).ravel(), slope)
    if not np.isfinite(out).any():
        raise ArabesqueError("No ball finds a place between the surfaces", "Extend them first")
    found = _turning(np.log(radii), out)
    known = np.isfinite(found)
    if known.sum() < SEEN * ACROSS:
        raise ArabesqueError("The scan shows no round there", "Give the radius yourself")
    at, r = t[known], np.exp(found[known])
    # chords lie inside a round, or outside a hollow one, by a quarter of an edge's square over twice the radius
    unsure = (scan.edge_length**2 / (8 * np.median(r)) + scan.noise / ARC**0.5) / np.nanmedian(slope)
    middle_r, low, high = np.median(r), *np.percentile(r, [25, 75])
    if unsure > UNSURE * middle_r:
        raise ArabesqueError(
            f"The scan is too coarse to show the round there: about {middle_r:.2g} mm, give or take {unsure:.2g}",
            "Give the radius yourself",
        )
    ends = tuple(_read_near(at, r, place) for place in (0.0, 0.5, 1.0))
    low, high = max(float(low) - unsure, 0.0), float(high) + unsure
    return Shown(float(middle_r), low, high, (ends[0], ends[1], ends[2]), np.column_stack([at, r]))


def _turning(log_radius: Floats, out: Floats) -> Floats:
    """(n,) for each column where its rising values pass through 0, between two rows; NaN where they do not.

    The last such place counts: arcs that are far too small lie in the noise of the surfaces' own edge.
    """
    found = np.full(out.shape[1], np.nan)
    for column, values in enumerate(out.T):
        there = np.flatnonzero(np.isfinite(values))
        turns = [(a, b) for a, b in pairwise(there) if values[a] < 0 <= values[b]]
        if turns:
            a, b = turns[-1]
            share = -values[a] / (values[b] - values[a])
            found[column] = log_radius[a] + share * (log_radius[b] - log_radius[a])
    return found


def _read_near(at: Floats, r: Floats, place: float) -> float:
    """mm at a share of the way, from a line through the stations of the third of the way round it."""
    near = np.abs(at - place) <= 1 / 3 if 0 < place < 1 else np.abs(at - place) <= 0.4
    if near.sum() < 4:
        return float(np.interp(place, at, r))
    if 0 < place < 1:
        near = np.abs(at - place) <= MIDDLE
        return float(np.median(r[near])) if near.any() else float(np.interp(place, at, r))
    return max(float(np.polyval(np.polyfit(at[near], r[near], 1), place)), 0.0)
