"""Curves and relief meshes laid on a surface: along geodesics from a place, as paper is smoothed down."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, Ints, frozen_array, unit
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Curve, Face, Surface, Trim, foot_points
from arabesque.scan import Scan
from arabesque.shapes import Sampled

STEPS = 24
"""Steps of a way over the surface."""
BEHIND = 0.05
"""Of a step: what stays further behind runs over a border."""
CLOSED = 1e-6
"""mm between the ends of a closed curve."""
READ = 64
"""Places in each span of a curve that is wrapped."""


@dataclass(frozen=True, eq=False)
class Laid:
    """How something flat is laid on a surface.

    place: (3,) where its origin comes to lie. up: (3,) towards which its y looks. size: factor of all of it. bulge:
    factor of its heights besides. Raises InvalidShape for no size.
    """

    place: Floats
    up: Floats
    size: float = 1.0
    bulge: float = 1.0

    def __post_init__(self) -> None:
        for name in ("place", "up"):
            object.__setattr__(self, name, frozen_array(getattr(self, name), (3,), np.float64, what="Place"))
        if not self.size > 0:
            raise InvalidShape("Something is laid in a size above 0", "Give another size")


def wrapped_places(shape: Sampled, laid: Laid, flat: Floats) -> tuple[Floats, Floats, Ints, Floats]:
    """Where (n, 2) flat places, mm, come to lie: (n, 3) places, (n, 3) normals, the part of each and its (n, 2)
    parameters.

    Each goes as far from the origin as it is from it in the plane, straight over the surface, in the direction that it
    has in the plane (the exponential map; Schmidt, Grimm and Wyvill, "Interactive decal compositing with discrete
    exponential maps", SIGGRAPH 2006). Raises ArabesqueError where it would run over a border of the surface.
    """
    patches = list(shape.patches())
    start, normal, _, _ = _onto(patches, laid.place[None])
    up = laid.up - (laid.up @ normal[0]) * normal[0]
    if np.linalg.norm(up) < 1e-9:
        up = np.eye(3)[int(np.abs(normal[0]).argmin())]
        up = up - (up @ normal[0]) * normal[0]
    y = up / np.linalg.norm(up)
    x = np.cross(y, normal[0])
    ways = laid.size * (flat[:, :1] * x + flat[:, 1:] * y)
    lengths = np.linalg.norm(ways, axis=1)
    ways = unit(ways)
    places, normals = np.tile(start, (len(flat), 1)), np.tile(normal, (len(flat), 1))
    part: Ints = np.zeros(len(flat), dtype=np.int64)
    uv: Floats = np.zeros((len(flat), 2))
    beside = 0.0
    for _ in range(STEPS):
        ahead = places + (lengths / STEPS)[:, None] * ways
        places, normals, part, uv = _onto(patches, ahead)
        # a foot on a border stays behind
        away = ahead - places
        aside = away - np.einsum("nc,nc->n", away, normals)[:, None] * normals
        beside = max(beside, float(np.linalg.norm(aside, axis=1).max(initial=0.0)))
        ways = unit(ways - np.einsum("nc,nc->n", ways, normals)[:, None] * normals)
    if beside > BEHIND * float(lengths.max(initial=0.0)) / STEPS:
        raise ArabesqueError("It would run over a border of the surface", "Make it smaller, or place it elsewhere")
    return places, normals, part, uv


def wrapped_line(shape: Sampled, laid: Laid, curve: Curve) -> tuple[Floats, bool]:
    """(n, 3) places along a flat curve (its x and y) laid on a surface, and whether it is closed; then the first is
    not repeated."""
    drawn, closed = _drawn(curve)
    places, *_ = wrapped_places(shape, laid, drawn)
    return places, closed


def _drawn(curve: Curve) -> tuple[Floats, bool]:
    """(n, 2) places along a flat curve, and whether it is closed; then the first is not repeated."""
    drawn = curve.at(np.linspace(*curve.domain, READ * curve.spans + 1))
    closed = bool(np.linalg.norm(drawn[0] - drawn[-1]) < CLOSED)
    return drawn[: -1 if closed else None, :2], closed


def wrapped_mesh(shape: Sampled, laid: Laid, relief: Scan) -> Scan:
    """A relief (heights z over x and y) laid on a surface: its lowest height lies on it."""
    heights = (relief.points[:, 2] - relief.points[:, 2].min()) * laid.size * laid.bulge
    places, normals, *_ = wrapped_places(shape, laid, relief.points[:, :2])
    return Scan(places + heights[:, None] * normals, relief.triangles)


def raised_face(shape: Sampled, laid: Laid, outlines: Sequence[Curve]) -> Face:
    """The part of a patch that flat closed curves enclose when they are laid on it.

    Raises ArabesqueError where they are open, or run over several patches.
    """
    loops, parts = [], set()
    for curve in outlines:
        drawn, closed = _drawn(curve)
        if not closed:
            raise ArabesqueError("An open curve encloses nothing that could be raised", "Close it, or lay the curve")
        _, _, part, uv = wrapped_places(shape, laid, drawn)
        loops.append(uv)
        parts |= set(map(int, part))
    if len(parts) != 1:
        raise ArabesqueError("It lies on several patches", "Make them one, or place it on one of them")
    surface: Surface = list(shape.patches())[parts.pop()]
    return Face(surface.degree, surface.knots, surface.points, surface.weights, Trim(tuple(loops)))


def _onto(patches: Sequence[Surface], places: Floats) -> tuple[Floats, Floats, Ints, Floats]:
    """The nearest place on some patches of each of (n, 3), with its normal, part and parameters."""
    best = np.full(len(places), np.inf)
    found, normals = np.zeros_like(places), np.zeros_like(places)
    part: Ints = np.zeros(len(places), dtype=np.int64)
    uv: Floats = np.zeros((len(places), 2))
    for number, patch in enumerate(patches):
        low, high = patch.box
        near = np.flatnonzero((np.maximum(np.maximum(low - places, places - high), 0) ** 2).sum(axis=1) < best**2)
        if not len(near):
            continue
        feet = foot_points(patch, places[near])
        away = np.linalg.norm(feet.points - places[near], axis=1)
        closer = away < best[near]
        chosen = near[closer]
        best[chosen], found[chosen] = away[closer], feet.points[closer]
        normals[chosen], part[chosen], uv[chosen] = patch.normals(feet.uv[closer]), number, feet.uv[closer]
    return found, normals, part, uv
