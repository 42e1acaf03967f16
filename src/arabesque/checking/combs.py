"""Curvature combs of curves and of lines on surfaces: teeth, sign changes, dips and unevenness."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum
from itertools import pairwise

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.checking.sections import Places
from arabesque.geometry import Curvatures, Plane, Rim, along_direction, unit
from arabesque.shapes import Lined, Rimmed, Sampled, Strands, can

SAMPLES = 61
STILL = 1e-12
"""Of the largest squared speed of lines of a patch: slower ones are points."""
FLAT = 1e-6
"""1/mm: bent less than over a radius of a kilometre, a line has no side to which it bends."""


class Flaw(Enum):
    """What a comb shows that the eye would see in the highlights."""

    SIGN = "bends to the other side"
    DIP = "dips"
    UNEVEN = "speeds up unevenly"


@dataclass(frozen=True, eq=False)
class Comb:
    """The curvature along one line.

    points: (n, 3). vectors: (n, 3) curvature vectors, 1/mm, towards the
    centre of the osculating circle. signed: (n,) curvature in the surface's
    normal direction. along: (n,) length from the start, mm. at: (n,) of the
    three flaws, True where it is.
    """

    points: Floats
    vectors: Floats
    signed: Floats
    along: Floats
    flaws: dict[Flaw, Bools]

    def mirrored(self, plane: Plane) -> Comb:
        """The comb of the mirror image of the line; what is wrong with one is wrong with the other."""
        across = self.vectors - 2 * (self.vectors @ plane.normal)[:, None] * plane.normal
        return replace(self, points=plane.mirrored(self.points), vectors=across)

    def teeth(self, scale: float) -> Floats:
        """(n, 3) ends of the teeth, ``scale`` mm² long for a curvature of 1/mm, away from the centre."""
        return self.points - scale * self.vectors

    @property
    def calm(self) -> bool:
        """True without any flaw."""
        return not any(found.any() for found in self.flaws.values())


def shape_combs(shape: Lined, lines: int = 5) -> list[Comb]:
    """Combs along the lines of a shape, and along those of its borders that are none of them.

    Curvature vector of a curve c: ((c'·c')c'' - (c'·c'')c') / |c'|⁴ (do
    Carmo, "Differential Geometry of Curves and Surfaces", 1976, section 1-5).
    """
    combs = [comb for strands in shape.lines(lines) for comb in _combs(strands)]
    if can(shape, Rimmed):
        combs += [rim_comb(rim) for rim in shape.rims() if not rim.lined]
    return combs


def rim_comb(rim: Rim) -> Comb:
    """The comb along a border of a shape."""
    # a border of two places is straight in parameters, but the surface may bend under it
    uv = rim.places(np.linspace(0, 1, SAMPLES)) if rim.straight else rim.uv
    return polyline_comb(rim.surface.at(uv), rim.surface.normals(uv))


def section_comb(shape: Sampled, places: Places) -> Floats:
    """Curvature vectors (k, 2, 3) of plane sections of a shape.

    By Meusnier's theorem the section's curvature is the normal curvature over
    the cosine between plane and surface normal (do Carmo, 1976, section 3-2).
    """
    planes = np.repeat(places.planes, 2, axis=0)
    c: Curvatures = shape.curvatures(places.part.ravel(), np.ascontiguousarray(places.uv.reshape(-1, 2)))
    up = c.normal
    along = unit(np.cross(up, planes))
    inside = up - np.einsum("nc,nc->n", up, planes)[:, None] * planes
    cosine = np.linalg.norm(inside, axis=1)
    bend = along_direction(c, along) / np.where(cosine > 1e-3, cosine, np.inf)
    return (np.nan_to_num(bend)[:, None] * unit(inside)).reshape(-1, 2, 3)


def polyline_comb(points: Floats, normals: Floats) -> Comb:
    """The comb of a polyline, such as a section of a scan; (n, 3) points with the surface's normals.

    By a circle through each three neighbours: curvature vector
    2 ((p₋ - p)/|p₋ - p|² + (p₊ - p)/|p₊ - p|²) projected across the line, halved for the two sides.
    """
    before, after = np.diff(points, axis=0)[:-1], np.diff(points, axis=0)[1:]
    lb, la = (np.linalg.norm(way, axis=1, keepdims=True) for way in (before, after))
    bend = 2 * (after / la - before / lb) / (la + lb)
    vectors = np.vstack([bend[:1], bend, bend[-1:]])
    return _measured(points[None], vectors[None], normals[None])[0]


def _combs(strands: Strands) -> list[Comb]:
    first, second = strands.first, strands.second
    speed = np.einsum("knc,knc->kn", first, first)
    turn = np.einsum("knc,knc->kn", first, second)
    # where a side has shrunk to a point, or nearly, a line has no bend of its own
    safe = np.where(speed > STILL * speed.max(initial=0.0), speed, np.nan)
    vectors = np.nan_to_num((second - first * (turn / safe)[..., None]) / safe[..., None])
    return _measured(strands.points, vectors, strands.normals)


def _measured(points: Floats, vectors: Floats, normals: Floats) -> list[Comb]:
    steps = np.linalg.norm(np.diff(points, axis=1), axis=2)
    along = np.concatenate([np.zeros((len(points), 1)), np.cumsum(steps, axis=1)], axis=1)
    signed = np.einsum("knc,knc->kn", vectors, normals)
    rows = zip(points, vectors, signed, along, strict=True)
    return [Comb(p, v, s, a, flaws_of(s, a)) for p, v, s, a in rows]


def flaws_of(signed: Floats, along: Floats) -> dict[Flaw, Bools]:
    """Sign changes, dips and unevenness of a curvature along a line.

    A dip is a place where the bend grows less and then more again, by more
    than 2 % of its range; uneven is where its slope changes direction and
    back within a tenth of the line.
    """
    n = len(signed)
    size = np.abs(signed)
    span = float(size.max()) if n else 0.0
    none = np.zeros(n, dtype=bool)
    if n < 5 or span < FLAT:
        return {flaw: none.copy() for flaw in Flaw}
    bent = size > max(FLAT, 0.01 * span)
    sign = none.copy()
    known = np.flatnonzero(bent)
    turns = np.flatnonzero(np.sign(signed[known[1:]]) != np.sign(signed[known[:-1]]))
    sign[(known[turns] + known[turns + 1]) // 2] = True
    dip = none.copy()
    inner = np.flatnonzero((size[1:-1] < size[:-2]) & (size[1:-1] <= size[2:])) + 1
    for place in inner:
        shallow = min(size[:place].max(), size[place + 1 :].max()) - size[place]
        dip[place] = shallow > 0.02 * span and not sign[max(0, place - 2) : place + 3].any()
    uneven = none.copy()
    slope = np.gradient(signed, along)
    change = np.flatnonzero(np.diff(np.sign(slope)) != 0)
    steep = float(np.abs(slope).max())
    if steep * along[-1] < 0.02 * span:  # as good as constant
        return {Flaw.SIGN: sign, Flaw.DIP: dip, Flaw.UNEVEN: uneven}
    for one, two in pairwise(change):
        near = along[two] - along[one] < 0.1 * along[-1]
        uneven[(one + two) // 2] = near and np.abs(slope[one : two + 1]).max() > 0.05 * steep
    return {Flaw.SIGN: sign, Flaw.DIP: dip, Flaw.UNEVEN: uneven}


@dataclass(frozen=True)
class Wobble:
    """Waves along a line, mm: of the surface, of the scan under it, and what the surface added.

    waves are what is left after the slow form (a polynomial of degree 4) is taken away.
    """

    surface: float
    scan: float
    added: float

    @property
    def verdict(self) -> str:
        """Where the wave comes from, in words."""
        if max(self.surface, self.scan) < 1e-3:
            return "no wave"
        if self.added < 0.5 * max(self.surface, self.scan):
            return "the wave is in the scan"
        return "the surface adds a wave" if self.surface > self.scan else "the surface calms the scan"


def wobble(heights: Floats, scan_heights: Floats, along: Floats) -> Wobble:
    """Tell whether a wave is in the scan or was added: heights of both over a common line (n,), and its length (n,)."""
    t = 2 * (along - along[0]) / max(float(along[-1] - along[0]), 1e-12) - 1
    basis = np.polynomial.legendre.legvander(t, 4)
    waves = []
    for values in (heights, scan_heights, heights - scan_heights):
        slow = basis @ np.linalg.lstsq(basis, values, rcond=None)[0]
        waves.append(float(np.sqrt(np.mean((values - slow) ** 2))))
    return Wobble(*waves)
