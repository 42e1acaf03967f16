"""Lines along which a surface is cut: by another surface, by a curve brought onto it, by the border of a neighbour."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.errors import DoNotMeet, InvalidShape
from arabesque.geometry import (
    Curve,
    Edge,
    Elementary,
    ElementaryKind,
    Manner,
    Rim,
    Surface,
    extended,
    feet_along,
    foot_points,
)
from arabesque.joining.crossing import crossings
from arabesque.joining.pieces import Pieces, pieces_of

READ = 513
"""Places at which a curve is brought onto a surface."""
PAST = 1.02
"""Of the size of what is cut: how far a plane is taken to go on."""
SEAM = 0.5
"""Of a domain: a line that leaps so far has crossed the seam of a surface that closes there."""
OFF = 1e-6
"""mm: so near the edge of a surface a foot is on it."""


@dataclass(frozen=True, eq=False)
class Cutter:
    """What a surface is cut by.

    shape: a surface; a curve, which is brought onto it along ``direction`` (3,), or to the closest places; or a border
    of another shape, brought to the closest places. further: mm by which it goes on at its ends. A plane goes on as
    far as it has to.
    """

    shape: Surface | Curve | Rim
    direction: Floats | None = None
    further: float = 0.0


def cut_apart(surface: Surface, cutters: list[Cutter]) -> Pieces:
    """The pieces into which cutters part what shows of a surface; see ``pieces_of``."""
    return pieces_of(surface, [line for cutter in cutters for line in cut_lines(surface, cutter)])


def cut_lines(surface: Surface, cutter: Cutter) -> list[Floats]:
    """(n, 2) lines in the parameters of a surface along which a cutter cuts it; raises InvalidShape where it does not
    meet it, saying how far it is away."""
    if isinstance(cutter.shape, Surface):
        other = reaching(cutter.shape, surface, cutter.further)
        found = [line.one for line in crossings(surface.whole, other)]
        if not found:
            raise DoNotMeet(*_apart(surface, other))
        return found
    places = _places(cutter)
    if cutter.direction is None:
        feet = foot_points(surface.whole, places)
        touching = feet.inside | (np.linalg.norm(feet.points - places, axis=1) < OFF)
    else:
        feet = feet_along(surface.whole, places, unit(np.asarray(cutter.direction, dtype=float)[None])[0])
        touching = feet.inside
    low, high = np.array(surface.domain).T
    # from one side of a seam to the other it is no step of the line
    leaps = (np.abs(np.diff(feet.uv, axis=0)) > SEAM * (high - low)).any(axis=1)
    part = np.cumsum(np.concatenate([[0], leaps | (np.diff(touching.astype(int)) != 0)]))
    runs = [np.flatnonzero(part == k)[[0, -1]] + [0, 1] for k in np.unique(part[touching])]
    found = [_to_edges(surface, feet.uv, int(start), int(end)) for start, end in runs if end - start > 1]
    if not found:
        raise InvalidShape("The line does not come onto the surface", "Choose another direction, or another line")
    return found


def reaching(cutter: Surface, surface: Surface, further: float = 0.0) -> Surface:
    """A cutter as far as it goes on: a plane past all that is cut, another one by so many mm beyond each edge."""
    cutter = cutter.whole
    if isinstance(cutter, Elementary):
        return _wider(cutter, surface, further)
    if further > 0:
        manner = Manner.NATURAL if cutter.weights is not None else Manner.CURVED
        for edge in Edge:
            try:
                cutter = extended(cutter, *edge.side, further, manner, light=False)
            except InvalidShape:
                continue  # an edge that is a point, or a patch that closes there, has nowhere to go on to
    return cutter


def _wider(cutter: Elementary, surface: Surface, further: float) -> Elementary:
    if cutter.kind is not ElementaryKind.PLANE:
        return cutter.extended(v=(further, further)) if further > 0 else cutter
    low, high = surface.whole.box
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    flat = (corners - cutter.origin) @ cutter.frame[:3, :2]
    bounds = []
    for k in (0, 1):
        middle, reach = (flat[:, k].min() + flat[:, k].max()) / 2, PAST * float(np.linalg.norm(high - low)) / 2
        bounds.append((min(cutter.bounds[k][0], middle - reach), max(cutter.bounds[k][1], middle + reach)))
    return Elementary.make(cutter.kind, cutter.frame, (), (bounds[0], bounds[1]))


def _places(cutter: Cutter) -> Floats:
    """(n, 3) along a curve or a border, going on straight at its ends."""
    shape, t = cutter.shape, np.linspace(0.0, 1.0, READ)
    if isinstance(shape, Rim):
        places = np.asarray(shape.surface.at(shape.places(t)))
    else:
        assert isinstance(shape, Curve)
        places = shape.at(shape.domain[0] + t * (shape.domain[1] - shape.domain[0]))
    if cutter.further > 0 and np.linalg.norm(places[0] - places[-1]) > OFF:
        ends = unit(np.array([places[0] - places[1], places[-1] - places[-2]]))
        steps = np.linspace(0.0, cutter.further, 9)[1:, None]
        places = np.concatenate([places[0] + steps[::-1] * ends[0], places, places[-1] + steps * ends[1]])
    return places


def _to_edges(surface: Surface, uv: Floats, start: int, end: int) -> Floats:
    """A run of places inside, carried on to the edge of the domain where the curve goes on beyond it."""
    line = uv[start:end]
    low, high = np.array(surface.domain).T
    if start > 0:
        line = np.vstack([onto_edge(line[0], line[0] - line[1], low, high), line])
    if end < len(uv):
        line = np.vstack([line, onto_edge(line[-1], line[-1] - line[-2], low, high)])
    return line


def onto_edge(place: Floats, way: Floats, low: Floats, high: Floats) -> Floats:
    """Where a way (2,) leaves a domain, from a place inside."""
    with np.errstate(divide="ignore", invalid="ignore"):
        shares = np.where(way > 0, (high - place) / way, np.where(way < 0, (low - place) / way, np.inf))
    k = int(shares.argmin())
    found: Floats = place + shares[k] * way
    found[k] = high[k] if way[k] > 0 else low[k]
    return found


def _apart(one: Surface, two: Surface) -> tuple[float, tuple[Floats, Floats]]:
    """The least distance between two surfaces, mm, as their samples and the feet of these tell, and where it is."""
    u, v = (np.linspace(*ends, 41) for ends in one.domain)
    places = one.on_grid(u, v)[0, 0].reshape(-1, 3)
    feet = foot_points(two, places).points
    away = np.linalg.norm(feet - places, axis=1)
    nearest = int(away.argmin())
    return float(away[nearest]), (places[nearest], feet[nearest])
