"""Patches with a crease inside as two, one on each side of it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.geometry import Edge, Face, Surface, split_surface
from arabesque.joining.border import BlendSide
from arabesque.joining.match import match_edge
from arabesque.joining.pieces import pieces_of
from arabesque.joining.recast import Recast, recast

LEAST = 15.0
"""Degrees: what turns less is no crease."""
ALONG, LINES, WINDOW = 129, 49, 5
"""Places along each line across a crease, such lines, and over how many steps a soft one turns."""
TIMES = 3.0
"""How much more a crease turns than as much of the patch elsewhere."""
MOST = 0.9
"""Of the lines that have to show it."""
BESIDE = 1e-6
"""Of a span: so far beside a knot both sides are looked at."""
DEGREE, DENSE = 4, 129
"""Of the line through a soft crease, and its places."""


@dataclass(frozen=True, eq=False)
class Crease:
    """Where a patch turns sharply, all across. line: (k, 2) in its parameters. angle: degrees, how far it turns there.
    axis: the parameter that runs across it. at: that parameter where the crease is a knot line, else None."""

    line: Floats
    angle: float
    axis: int
    at: float | None = None


def crease_of(surface: Surface) -> Crease:
    """The sharpest crease that runs all across a patch: a knot line where its tangent planes break, or a narrow bend.

    Raises ArabesqueError where there is none.
    """
    if isinstance(surface, Face):
        raise ArabesqueError("A trimmed face is not divided at a crease", "Recast it first")
    found = [one for axis in (0, 1) for one in (_sharp(surface, axis), _soft(surface, axis)) if one is not None]
    if not found:
        raise ArabesqueError(
            f"There is no crease: nowhere does the patch turn by {LEAST:g}° on a narrow strip all across",
            "Split it where you want the edge",
        )
    exact = [one for one in found if one.at is not None]
    return max(exact or found, key=lambda one: one.angle)


def recast_at_crease(
    surface: Surface,
    degree: tuple[int, int] = (3, 3),
    spans: tuple[int, int] | None = None,
    near: float = 0.01,
) -> tuple[Recast, Recast]:
    """Two patches in the place of one with a crease inside, that share their edge along it.

    At a knot line they are the patch's own parts, exactly, unless spans are given. Else see ``recast``; the second is
    matched to the edge of the first there. Raises ArabesqueError where there is no crease.
    """
    crease = crease_of(surface)
    if crease.at is not None:
        parts: tuple[Surface, ...] = split_surface(surface, crease.axis, crease.at)
        if spans is None:
            one, two = (Recast(part, 0.0, 0.0, _corners(part)) for part in parts)
            return one, two
    else:
        pieces = pieces_of(surface, [crease.line])
        if len(pieces.pieces) != 2:
            raise ArabesqueError("The crease does not part the patch in two", "Split it where you want the edge")
        order = np.argsort([piece.inside[crease.axis] for piece in pieces.pieces])
        parts = tuple(pieces.kept([int(k)]) for k in order)
    one, two = (recast(part, degree, spans, near) for part in parts)
    t, shares = np.linspace(0, 1, DENSE), np.linspace(0, 1, len(crease.line))
    places = surface.at(np.column_stack([np.interp(t, shares, column) for column in crease.line.T]))
    first, second = (_edge_along(made.surface, places) for made in (one, two))
    matched = match_edge(two.surface, second, BlendSide(one.surface.rims()[first], 0))
    return one, replace(two, surface=matched.surface)


def _sharp(surface: Surface, axis: int) -> Crease | None:
    """The knot line at which tangent planes break most."""
    knots, counts = np.unique(surface.knots[axis], return_counts=True)
    other = np.linspace(*surface.domain[1 - axis], LINES)
    best = None
    for k in range(1, len(knots) - 1):
        if counts[k] < surface.degree[axis]:
            continue
        sides = [knots[k] - BESIDE * (knots[k] - knots[k - 1]), knots[k] + BESIDE * (knots[k + 1] - knots[k])]
        normals = [surface.normals(_placed(np.full(LINES, at), other, axis)) for at in sides]
        angle = float(np.degrees(np.median(_angles(*normals))))
        if angle >= LEAST and (best is None or angle > best.angle):
            line = _placed(np.full(2, knots[k]), np.array(surface.domain[1 - axis]), axis)
            best = Crease(line, angle, axis, float(knots[k]))
    return best


def _soft(surface: Surface, axis: int) -> Crease | None:
    """The narrow strip in which a patch turns most, if it does so all across."""
    along, other = np.linspace(*surface.domain[axis], ALONG), np.linspace(*surface.domain[1 - axis], LINES)
    uv = _placed(np.tile(along, LINES), np.repeat(other, ALONG), axis)
    normals = surface.normals(uv).reshape(LINES, ALONG, 3)
    turns = _angles(normals[:, :-1].reshape(-1, 3), normals[:, 1:].reshape(-1, 3)).reshape(LINES, -1)
    sums = np.cumsum(np.pad(turns, ((0, 0), (1, 0))), axis=1)
    windows = sums[:, WINDOW:] - sums[:, :-WINDOW]
    peaks = windows.argmax(axis=1)
    rows = np.arange(LINES)
    angle = windows[rows, peaks]
    rest = (turns.sum(axis=1) - angle) / (turns.shape[1] - WINDOW) * WINDOW
    shows = (np.degrees(angle) >= LEAST) & (angle >= TIMES * rest)
    if shows.mean() < MOST:
        return None
    middles = (along[:-1] + along[1:]) / 2
    centres = []
    for row, peak in zip(rows, peaks, strict=True):
        near = slice(peak, peak + WINDOW)
        centres.append(np.average(middles[near], weights=turns[row, near] + 1e-12))
    (low, high), span = surface.domain[1 - axis], surface.domain[axis]
    share = (other - low) / (high - low)
    fitted = np.polynomial.Polynomial.fit(share[shows], np.array(centres)[shows], DEGREE)
    t = np.linspace(0, 1, DENSE)
    at = np.clip(fitted(t), *span)
    if np.abs(fitted(share[shows]) - np.array(centres)[shows]).max() > 2 * WINDOW * (span[1] - span[0]) / ALONG:
        return None  # the strips of the lines do not lie beside each other
    return Crease(_placed(at, low + t * (high - low), axis), float(np.degrees(np.median(angle[shows]))), axis)


def _placed(along: Floats, other: Floats, axis: int) -> Floats:
    """(n, 2) parameters: the first along ``axis``."""
    return np.column_stack([along, other] if axis == 0 else [other, along])


def _angles(one: Floats, two: Floats) -> Floats:
    """(n,) radians between unit vectors."""
    return np.asarray(np.arctan2(np.linalg.norm(np.cross(one, two), axis=1), np.einsum("nc,nc->n", one, two)))


def _corners(surface: Surface) -> Floats:
    p = surface.points
    return np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]])


def _edge_along(surface: Surface, places: Floats) -> Edge:
    """The edge whose middle lies nearest to (n, 3) places."""
    rims = surface.rims()
    middles = [rims[edge].surface.at(rims[edge].places(np.array([0.5])))[0] for edge in Edge]
    return Edge(int(np.argmin([np.linalg.norm(places - middle, axis=1).min() for middle in middles])))
