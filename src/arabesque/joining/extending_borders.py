"""Borders moved outwards: of trimmed faces, of several patches at once, and until they pass something."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, unit, way_along
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import (
    Edge,
    Face,
    Manner,
    Rim,
    Surface,
    Trim,
    carried_on,
    extended,
    foot_points,
    moved_by,
    step_of,
    steps_along,
)
from arabesque.joining.border import outward_ways
from arabesque.joining.cutting import reaching
from arabesque.joining.pieces import pieces_of
from arabesque.progress import Progress, silent

READ, STEPS = 129, 8
"""Places along a border, and steps in which each goes out along the surface."""
AMPLE = 2.0
"""Times the length: how far the surface is carried on where a border would leave it."""
ALONG = 0.2
"""Cosine: a neighbour that leaves a border more aslant is not followed where the border ends."""
MEETS = 0.002
"""Of the size of all: ends of edges that are nearer to each other are one corner."""
FURTHEST, GROWS = 4.0, 1.5
"""Of the patch's size: how far it is moved at most to pass something; and how lengths grow until it does."""
HALF_WAY = 12
"""Lengths that are tried until about half of the work is done."""
ASIDE = 0.01
"""Of the way to it: a place further aside of what is to be passed does not face it."""


def extended_face(face: Face, borders: Sequence[int], length: float, manner: Manner = Manner.CURVED) -> Face:
    """A trimmed face with some of its ``rims`` moved out by ``length`` mm along the surface, or back below 0.

    At their ends the neighbouring borders run straight on. Where the surface itself ends, it goes on first. Raises
    InvalidShape where nothing would be left.
    """
    if length == 0 or not borders:
        return face
    rims = face.rims()
    if not all(0 <= number < len(rims) for number in borders):
        raise ArabesqueError("A border that was extended is there no more", "Undo that, or make it free")
    bare = _wide_enough(face, [rims[number] for number in borders], length, manner)
    strips = [_strip(bare, rims, number, borders, length) for number in borders]
    lines = [rim.uv for rim in rims] + [line for strip in strips for line in strip.lines]
    pieces = pieces_of(bare, lines)
    inside = np.array([piece.inside for piece in pieces.pieces])
    shown, added = face.shows(inside), np.zeros(len(inside), dtype=bool)
    for strip in strips:
        added |= strip.area.contains(inside)
    return pieces.kept(shown | added if length > 0 else shown & ~added)


class _Strip(NamedTuple):
    """What a border sweeps over: lines round it, (n, 2) in parameters, and the area itself."""

    lines: list[Floats]
    area: Trim


def _wide_enough(face: Face, rims: Sequence[Rim], length: float, manner: Manner) -> Surface:
    """The surface of a face, carried on where borders would leave it."""
    bare = face.whole
    t = np.linspace(0, 1, READ)
    low, high = np.array(bare.domain).T
    for edge in Edge if length > 0 else ():
        axis, at_end = edge.side
        for rim in rims:
            uv = rim.places(t)
            there = uv + AMPLE * steps_along(bare, uv, length * outward_ways(bare, rim, t))
            if (there[:, axis] > high[axis]).any() if at_end else (there[:, axis] < low[axis]).any():
                bare = carried_on(bare, edge, AMPLE * length, manner)
                break
    return bare


def _walked(surface: Surface, uv: Floats, ways: Floats, lengths: Floats) -> Floats:
    """(n, 2) where one comes to who goes straight on along a surface by (n,) mm: the midpoint rule."""
    step = (lengths / STEPS)[:, None]
    for _ in range(STEPS):
        half = uv + steps_along(surface, uv, ways * step / 2)
        normals = surface.normals(half)
        ways = unit(ways - np.einsum("nc,nc->n", ways, normals)[:, None] * normals)
        uv = uv + steps_along(surface, half, ways * step)
    return uv


def _strip(surface: Surface, rims: Sequence[Rim], number: int, moved: Sequence[int], length: float) -> _Strip:
    rim = rims[number]
    # the places of the border itself, so that it vanishes between the face and the strip
    own = rim.uv
    # as many places as the border has, so that it is as fine as that
    count = max(READ, len(own))
    t = np.linspace(0, 1, count)
    out = outward_ways(surface, rim, t)
    outer = _walked(surface, rim.places(t), out, np.full(count, length))
    if np.array_equal(rim.uv[0], rim.uv[-1]):
        outer[-1] = outer[0]
        return _Strip([outer], Trim((outer[:-1], own[:-1])))
    if length < 0:
        ahead = unit(np.array([outer[0] - outer[1], outer[-1] - outer[-2]])) * np.linalg.norm(np.ptp(own, axis=0))
        outer = np.vstack([outer[0] + ahead[0], outer, outer[-1] + ahead[1]])
        return _Strip([outer], Trim((np.vstack([own, outer[::-1]]),)))
    ends, beside = own[[0, -1]], []
    for end, k in ((0, 0), (1, -1)):
        beside.append(_beside(surface, rims, number, end, moved, out[k], length))
        outer = _within(outer, ends[end], beside[end])
    line = np.vstack([beside[0], outer, beside[1]])
    sides = [np.array([ends[end], beside[end]]) for end in (0, 1)]
    return _Strip([line, *sides], Trim((np.vstack([own, line[::-1]]),)))


def _beside(
    surface: Surface, rims: Sequence[Rim], number: int, end: int, moved: Sequence[int], out: Floats, length: float
) -> Floats:
    """(2,) where an end of a border comes to: on along its neighbour, or where both cross if that moves too."""
    at = np.array([float(end)])
    start = rims[number].places(at)
    corner = surface.at(start)[0]

    def walked(way: Floats, by: float) -> Floats:
        return np.asarray(_walked(surface, start, way[None], np.array([by]))[0])

    for other, rim in enumerate(rims):
        for share in (0.0, 1.0):
            here = np.array([share])
            if other == number or np.linalg.norm(surface.at(rim.places(here))[0] - corner) > MEETS * length:
                continue
            if other in moved:
                way = out + outward_ways(surface, rim, here)[0]
                size = float(way @ out)
                return walked(
                    unit(way[None])[0], length * float(np.linalg.norm(way)) / size if size > ALONG else length
                )
            d = surface.derivatives(rim.places(here), 1)
            run = rim.ways(here)[0] * (1 if share else -1)
            step = d[1, 0, 0] * run[0] + d[0, 1, 0] * run[1]
            slant = float(unit(step[None])[0] @ out)
            if slant > ALONG and rim.straight:
                # an edge of the patch, or one along its rows, goes on as that
                shares = np.linspace(0, 2 * length / (slant * np.linalg.norm(step)), READ)
                line = start + shares[:, None] * run
                along = way_along(surface.at(line))
                return np.array([np.interp(length / slant, along, column) for column in line.T])
            if slant > ALONG:
                return walked(unit(step[None])[0], length / slant)
    return walked(out, length)


def _within(outer: Floats, corner: Floats, end: Floats) -> Floats:
    """The places of an outer line on the side of the way from a corner to its end on which its middle lies."""
    way = end - corner
    side = way[0] * (outer[:, 1] - corner[1]) - way[1] * (outer[:, 0] - corner[0])
    return outer[side * side[len(side) // 2] > 0]


def extended_chain(
    surfaces: Sequence[Surface], edges: Sequence[tuple[int, int]], length: float, manner: Manner = Manner.NATURAL
) -> list[Surface]:
    """Patches with edges (number of the patch, ``Edge``) moved out along their form, or back below 0; corners that they
    share stay shared.

    The first moves by ``length`` mm on average, each other one by as much at the corner that it shares with one before
    it; one that shares none by the length.
    """
    size = max(float(np.linalg.norm(np.ptp(surface.points.reshape(-1, 3), axis=0))) for surface in surfaces)
    steps: list[float] = []
    for number, (owner, edge) in enumerate(edges):
        step = None
        for before, (other, beside) in enumerate(edges[:number]):
            ratio = _shared_speed((surfaces[other], beside), (surfaces[owner], edge), MEETS * size)
            if ratio is not None:
                step = steps[before] * ratio
                break
        steps.append(step_of(surfaces[owner], *Edge(edge).side, length, manner) if step is None else step)
    made = list(surfaces)
    for (owner, edge), step in zip(edges, steps, strict=True):
        made[owner] = moved_by(made[owner], *Edge(edge).side, step, manner)
    return made


def _shared_speed(one: tuple[Surface, int], two: tuple[Surface, int], reach: float) -> float | None:
    """How much faster the first patch runs across its edge than the second one, at a corner that they share."""
    ends = np.array([0.0, 1.0])
    found = []
    for surface, edge in (one, two):
        d = surface.derivatives(surface.rims()[edge].places(ends), 1)
        found.append((d[0, 0], np.linalg.norm(d[1, 0] if Edge(edge).side[0] == 0 else d[0, 1], axis=1)))
    for i in (0, 1):
        for k in (0, 1):
            if np.linalg.norm(found[0][0][i] - found[1][0][k]) <= reach and found[1][1][k] > 0:
                return float(found[0][1][i] / found[1][1][k])
    return None


def facing(surface: Surface, other: Surface) -> tuple[int, float]:
    """The number of the border of a surface that lies nearest to another one, and how far all of it is away at most,
    mm."""
    t, bare = np.linspace(0, 1, 17), other.whole
    away = []
    for rim in surface.rims():
        places = rim.surface.at(rim.places(t))
        away.append(float(np.linalg.norm(foot_points(bare, places).points - places, axis=1).max()))
    nearest = int(np.argmin(away))
    return nearest, away[nearest]


def length_past(
    surface: Surface,
    borders: Sequence[int],
    past: Surface,
    by: float,
    manner: Manner,
    progress: Progress = silent,
) -> float:
    """How far borders of a surface have to be moved out, mm, until all of them lies ``by`` mm beyond another surface.

    Places that do not face it do not count. By longer and longer lengths, then Brent's method ("Algorithms for
    minimization without derivatives", 1973, chapter 4). Raises ArabesqueError where it is never passed, InvalidShape
    for a length that is not above 0.
    """
    from scipy.optimize import brentq  # not needed at the start of the window

    if not by > 0:
        raise InvalidShape("It has to pass by a length", "Give more than 0 mm")
    other = reaching(past, surface)
    samples = surface.sampler(12).read(surface)
    height, faces = _heights(other, samples.points)
    if not faces.any():
        raise ArabesqueError(
            "What is to be passed does not lie before this edge", "Choose something that it runs up to"
        )
    side = float(np.sign(np.median(height[faces])))
    size = float(np.linalg.norm(np.ptp(samples.points, axis=0)))

    tried = 0

    def missing(length: float) -> float:
        nonlocal tried
        tried += 1
        progress(tried / (tried + HALF_WAY), "Looking how far it goes")
        places = _moved_border(surface, borders, length, manner)
        away, before = _heights(other, places)
        return by + float((side * away[before]).max()) if before.any() else np.inf

    length = by
    while not missing(length) <= 0:
        length *= GROWS
        if length > FURTHEST * size:
            raise ArabesqueError("The edge never passes it, however far it goes", "Choose another edge")
    lower = length / GROWS
    while missing(lower) <= 0 and lower > 1e-3:
        lower /= GROWS
    if not 0 < missing(lower) < np.inf:
        return length
    return float(brentq(missing, lower, length, xtol=1e-6 * size))


def _heights(other: Surface, places: Floats) -> tuple[Floats, Floats]:
    """(n,) signed distances of places from a surface, and which of them face it."""
    feet = foot_points(other, places)
    normals, away = other.normals(feet.uv), places - feet.points
    height = np.einsum("nc,nc->n", away, normals)
    aside = np.linalg.norm(away - height[:, None] * normals, axis=1)
    return height, np.asarray(feet.inside | (aside <= ASIDE * np.abs(height)))


def _moved_border(surface: Surface, borders: Sequence[int], length: float, manner: Manner) -> Floats:
    """(n, 3) places along borders after they were moved out."""
    t = np.linspace(0, 1, 33)
    if not isinstance(surface, Face):
        made = moved_borders(surface, borders, length, manner, light=False)
        rims = [made.rims()[number] for number in borders]
        return np.concatenate([rim.surface.at(rim.places(t)) for rim in rims])
    own = surface.rims()
    bare = _wide_enough(surface, [own[number] for number in borders], length, manner)
    return bare.at(np.concatenate([_strip(bare, own, number, borders, length).lines[0] for number in borders]))


def moved_borders(
    surface: Surface, borders: Sequence[int], length: float, manner: Manner, light: bool = True
) -> Surface:
    """A surface with some of its borders moved out by ``length`` mm, or back below 0: edges of a patch one after the
    other along its form, borders of a face along its surface. light: as in ``extended``."""
    if isinstance(surface, Face):
        return extended_face(surface, borders, length, manner)
    for number in borders:
        surface = extended(surface, *Edge(number).side, length, manner, light)
    return surface
