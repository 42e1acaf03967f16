"""Patches set off so that they meet at the edges of a skin: their borders run where both offsets cross."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats, unit
from arabesque.errors import ArabesqueError
from arabesque.geometry import Face, Rim, Surface
from arabesque.joining.border import nearest_shares
from arabesque.joining.skin import Border, Meeting, Skin
from arabesque.joining.surface_through import surface_through

ALONG = 65
"""Places along a border at which the crossing of both offsets is found."""
ROUNDS = 12
MET = 1e-7
"""mm"""
STEP = 1e-6
"""Of the domain, for slopes of offsets."""
CORNER = 1e-6
"""mm: ends of borders that are one corner."""


def mitred(skin: Skin, number: int, by: float, near: float) -> Surface:
    """A part of a skin set off by ``by`` mm along its normals, within ``near`` mm, as far as the offsets of those that
    it meets at an edge: longer where that bulges, shorter where it is hollow.

    Each place goes to the true offset of its own surface, carried on as the same polynomials; where borders cross is
    found by Newton's method, and parameters between are shared out as in a Coons patch (Coons 1967). Raises
    ArabesqueError for trimmed parts, borders that are not shared whole, and edges too sharp for the length.
    """
    part, sharp = skin.parts[number], {m.one[1]: m for m in skin.meetings if m.one[0] == number and m.sharp}
    rims = part.rims()
    if isinstance(part, Face) or len(rims) != 4 or not all(rim.straight for rim in rims):
        raise ArabesqueError("A trimmed or closed part meets another at an edge", "Recast it, or round that edge first")
    if not all(meeting.whole for meeting in sharp.values()):
        raise ArabesqueError("Parts meet at an edge that they do not share whole", "Split the longer one there")
    whole = part.whole
    corners = _corners(skin, number, sharp, by)
    shifts = {k: _along_border(skin, rim, sharp.get(k), by, corners) for k, rim in enumerate(rims)}
    (u0, u1), (v0, v1) = whole.domain
    sides = _by_side(rims, shifts, whole)

    def form(u: Floats, v: Floats) -> Floats:
        grid = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1)
        a, b = ((grid[..., 0] - u0) / (u1 - u0))[..., None], ((grid[..., 1] - v0) / (v1 - v0))[..., None]
        low_u, high_u = (_read(sides[0][k], (v - v0) / (v1 - v0))[None] for k in (0, 1))
        low_v, high_v = (_read(sides[1][k], (u - u0) / (u1 - u0))[:, None] for k in (0, 1))
        c = [[_read(sides[0][k], np.array([float(j)]))[None] for j in (0, 1)] for k in (0, 1)]
        shift = (1 - a) * low_u + a * high_u + (1 - b) * low_v + b * high_v
        shift = shift - ((1 - a) * ((1 - b) * c[0][0] + b * c[0][1]) + a * ((1 - b) * c[1][0] + b * c[1][1]))
        places = (grid + shift).reshape(-1, 2)
        return _offset(whole, places, by).reshape((*grid.shape[:2], 3))

    return surface_through(whole, form, near)[0]


def _offset(surface: Surface, uv: Floats, by: float) -> Floats:
    """(n, 3) places set off, beyond the domain too."""
    d = surface.derivatives(uv, 1)
    return np.asarray(d[0, 0] + by * unit(np.cross(d[1, 0], d[0, 1])))


def _crossed(surfaces: Sequence[Surface], starts: Sequence[Floats], by: float, at: Floats, way: Floats) -> list[Floats]:
    """Parameters (n, 2) on each of two or three surfaces at which all their offsets meet; for two, in planes through
    (n, 3) places square to (n, 3) ways. Newton's method."""
    uv = np.concatenate(starts, axis=1)
    count = len(surfaces)
    sizes = [np.ptp(np.array(surface.domain), axis=1) for surface in surfaces]

    def places(values: Floats) -> list[Floats]:
        return [_offset(surface, values[:, 2 * k : 2 * k + 2], by) for k, surface in enumerate(surfaces)]

    def lacking(values: Floats) -> Floats:
        found = places(values)
        rows = [found[0] - other for other in found[1:]]
        if count == 2:
            rows.append(np.einsum("nc,nc->n", found[0] - at, way)[:, None])
        return np.concatenate(rows, axis=1)

    for _ in range(ROUNDS):
        now = lacking(uv)
        if np.abs(now).max() < MET:
            return [uv[:, 2 * k : 2 * k + 2] for k in range(count)]
        slopes = []
        for column in range(2 * count):
            step = STEP * sizes[column // 2][column % 2]
            moved = uv.copy()
            moved[:, column] += step
            slopes.append((lacking(moved) - now) / step)
        try:
            uv = uv - np.linalg.solve(np.stack(slopes, axis=2), now[..., None])[..., 0]
        except np.linalg.LinAlgError:
            break
    place = ", ".join(f"{value:.1f}" for value in at[0])
    raise ArabesqueError(
        f"Set off by {abs(by):.3g} mm, the sides do not meet at the edge near {place}", "Give less, or round that edge"
    )


def _corners(skin: Skin, number: int, sharp: dict[int, Meeting], by: float) -> list[tuple[Floats, Floats]]:
    """Corners of a part at which two of its borders are sharp: (3,) where it is, and (2,) its parameters when all three
    offsets meet."""
    part, found = skin.parts[number], []
    rims = part.rims()
    ends = [(k, end, rims[k].surface.at(rims[k].places(np.array([float(end)])))[0]) for k in sharp for end in (0, 1)]
    for a, (k, end, place) in enumerate(ends):
        for m, _, other in ends[a + 1 :]:
            if m == k or np.linalg.norm(place - other) > CORNER:
                continue
            beside = [sharp[k].other, sharp[m].other]
            if beside[0][0] == beside[1][0]:
                continue
            surfaces = [part.whole, *(skin.parts[one].whole for one, _ in beside)]
            starts = [rims[k].places(np.array([float(end)]))]
            starts += [_beside(skin, one, place[None]) for one in beside]
            uv = _crossed(surfaces, starts, by, place[None], np.zeros((1, 3)))[0][0]
            found.append((place, uv))
    return found


def _beside(skin: Skin, border: Border, places: Floats) -> Floats:
    """(n, 2) parameters of places on the border of another part."""
    rim = skin.parts[border[0]].rims()[border[1]]
    return np.asarray(rim.places(nearest_shares(rim, places)))


def _along_border(
    skin: Skin, rim: Rim, meeting: Meeting | None, by: float, corners: Sequence[tuple[Floats, Floats]]
) -> Floats:
    """(ALONG, 2) how far the parameters of a border move: to where both offsets cross, and with its corners."""
    t = np.linspace(0, 1, ALONG)
    uv = np.asarray(rim.places(t))
    at = rim.surface.at(uv)
    moved = [next((end for place, end in corners if np.linalg.norm(place - at[k]) <= CORNER), None) for k in (0, -1)]
    if meeting is None:
        # a border that stays goes along with its ends; see ``mitred`` for those that a sharp one moves
        first, last = (np.zeros(2) if end is None else end - uv[k] for k, end in zip((0, -1), moved, strict=True))
        return (1 - t)[:, None] * first + t[:, None] * last
    surface = skin.parts[meeting.one[0]].whole
    d = surface.derivatives(uv, 1)
    ways = np.broadcast_to(rim.ways(t), (ALONG, 2))
    way = unit(d[1, 0] * ways[:, :1] + d[0, 1] * ways[:, 1:])
    # where a corner moves along the border, the places of the border share that out
    pulls = [0.0 if end is None else float((_offset(surface, end[None], by)[0] - at[k]) @ way[k])
             for k, end in zip((0, -1), moved, strict=True)]  # fmt: skip
    shifted = at + ((1 - t) * pulls[0] + t * pulls[1])[:, None] * way
    other = skin.parts[meeting.other[0]].whole
    starts = [uv, _beside(skin, meeting.other, at)]
    found = _crossed([surface, other], starts, by, shifted, way)[0]
    for k, end in zip((0, -1), moved, strict=True):
        if end is not None:
            found[k] = end
    return np.asarray(found - uv)


def _by_side(rims: Sequence[Rim], shifts: dict[int, Floats], whole: Surface) -> list[list[Floats]]:
    """Of both axes the shifts of the border at the low and the high end, along the other axis; those of borders that
    stay go along with what moves their ends."""
    sides: list[list[Floats]] = [[np.zeros((ALONG, 2))] * 2, [np.zeros((ALONG, 2))] * 2]
    given = [[False, False], [False, False]]
    for k, rim in enumerate(rims):
        start, end = rim.uv[0], rim.uv[-1]
        across = int(abs(end[0] - start[0]) > abs(end[1] - start[1]))
        at_end = int(abs(start[across] - whole.domain[across][1]) < abs(start[across] - whole.domain[across][0]))
        line = shifts[k] if end[1 - across] > start[1 - across] else shifts[k][::-1]
        sides[across][at_end] = line
        given[across][at_end] = bool(np.abs(line).max() > 0)
    t = np.linspace(0, 1, ALONG)[:, None]
    for axis in (0, 1):
        for end in (0, 1):
            line = sides[axis][end]
            # the corners of this border, as the two borders across it have them
            for share, k in ((1 - t, 0), (t, -1)):
                there = sides[1 - axis][0 if k == 0 else 1][0 if end == 0 else -1]
                if not given[axis][end] or (np.abs(line[k] - there).max() > 0 and np.abs(there).max() > 0):
                    line = line + share * (there - line[k])
            sides[axis][end] = line
    return sides


def _read(line: Floats, share: Floats) -> Floats:
    """(n, 2) of (ALONG, 2) values at shares of the way."""
    from scipy.interpolate import make_interp_spline  # a fifth of a second at the start of the window

    return np.asarray(make_interp_spline(np.linspace(0, 1, ALONG), line, 3)(share))
