"""Surfaces set off by a length along their normals."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry import Elementary, ElementaryKind, Surface, frame_of
from arabesque.joining.surface_through import surface_through

LOOKED_AT, MOST = 24, 193
"""Places in each span, and in all each way, at which it is seen whether the length folds it."""


@dataclass(frozen=True, eq=False)
class SetOff:
    """surface. off: mm, how far it is from the true offset at most. folded: (k, 3) places of the old surface beyond
    whose radius the length goes, and longest: mm, the length on that side from which on it folds."""

    surface: Surface
    off: float
    folded: Floats
    longest: float


def set_off(surface: Surface, length: float, tolerance: float = 0.001) -> SetOff:
    """A surface whose places lie ``length`` mm along the normals of another one's, below 0 against them.

    True shapes stay true shapes. Else the rows of control points are kept where these come within ``tolerance`` mm of
    the true offset (interpolation at the Greville places: Piegl and Tiller, "Computing offsets of NURBS curves and
    surfaces", CAD 31, 1999), and spans are halved where they do not. Where 1 - length times a principal curvature is
    not above 0 the offset folds (do Carmo, "Differential geometry of curves and surfaces", 3-5, exercise 11).
    Raises InvalidShape for a length that leaves nothing of a true shape.
    """
    if not np.isfinite(length) or length == 0:
        raise InvalidShape("A surface is not set off by nothing", "Give a length, below 0 for the other side")
    folded, longest = _folds(surface, length)
    if isinstance(surface, Elementary):
        return SetOff(_true(surface, length), 0.0, folded, longest)
    made, worst = surface_through(surface, lambda u, v: _moved(surface, u, v, length), tolerance)
    return SetOff(made, worst, folded, longest)


def _true(shape: Elementary, length: float) -> Elementary:
    """A true shape set off."""
    middle = np.array([[np.mean(ends) for ends in shape.domain]])
    place, normal = shape.at(middle)[0], shape.normals(middle)[0]
    kind, frame, sizes, bounds = shape.kind, shape.frame, shape.sizes, shape.bounds
    if kind is ElementaryKind.PLANE:
        return Elementary.make(kind, frame_of(shape.origin + length * normal, shape.axis, frame[:3, 0]), sizes, bounds)
    # outwards, seen from the axis, the middle or the ring
    beside = place - shape.origin
    flat = beside - (beside @ shape.axis) * shape.axis
    out = beside if kind is ElementaryKind.SPHERE else flat
    if kind is ElementaryKind.TORUS:
        out = place - (shape.origin + sizes[0] * flat / np.linalg.norm(flat))
    grows = length if normal @ out > 0 else -length
    if kind is ElementaryKind.CONE:
        (low, high), angle = bounds[1], sizes[1]
        down = -grows * np.sin(angle)
        sizes = (sizes[0] + grows / np.cos(angle), angle)
        bounds = (bounds[0], (low + down, high + down))
    else:
        sizes = (*sizes[:-1], sizes[-1] + grows)
    if sizes[0 if kind is ElementaryKind.CONE else -1] <= 0:
        raise InvalidShape(f"So far inwards nothing is left of the {kind.value}", "Give a shorter length")
    return Elementary.make(kind, frame, sizes, bounds)


def _moved(surface: Surface, u: Floats, v: Floats, length: float) -> Floats:
    """(n, m, 3) places of the true offset on a grid."""
    d = surface.on_grid(u, v, 1)
    up = np.cross(d[1, 0], d[0, 1])
    size = np.linalg.norm(up, axis=-1, keepdims=True)
    return np.asarray(d[0, 0] + length * up / np.maximum(size, 1e-300))


def _folds(surface: Surface, length: float) -> tuple[Floats, float]:
    """(k, 3) places at which an offset folds, and the length on that side from which on it does."""
    u, v = (
        np.linspace(*ends, min(MOST, LOOKED_AT * spans + 1))
        for ends, spans in zip(surface.domain, surface.spans, strict=True)
    )
    d = surface.on_grid(u, v, 2).reshape(3, 3, -1, 3)
    up = np.cross(d[1, 0], d[0, 1])
    size = np.linalg.norm(up, axis=1)
    good = size > 1e-12 * max(float(size.max()), 1e-300)
    su, sv, suu, suv, svv, up = (x[good] for x in (d[1, 0], d[0, 1], d[2, 0], d[1, 1], d[0, 2], up))
    n = up / size[good, None]
    e, f, g = (np.einsum("nc,nc->n", a, b) for a, b in ((su, su), (su, sv), (sv, sv)))
    h, i, j = (np.einsum("nc,nc->n", a, n) for a in (suu, suv, svv))
    area = e * g - f * f
    mean, gauss = (e * j - 2 * f * i + g * h) / (2 * area), (h * j - i * i) / area
    root = np.sqrt(np.maximum(mean * mean - gauss, 0.0))
    bend = np.maximum(np.sign(length) * (mean + root), np.sign(length) * (mean - root))
    tightest = float(bend.max(initial=0.0))
    longest = 1 / tightest if tightest > 0 else np.inf
    return d[0, 0][good][np.abs(length) * bend >= 1], float(longest)
