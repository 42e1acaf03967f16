"""Control nets of patches and curves, and where each point of them has most say."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, unit
from arabesque.geometry.knots import greville
from arabesque.shapes import Frames, Net

if TYPE_CHECKING:
    from arabesque.geometry.curve import Curve
    from arabesque.geometry.surface import Surface


def surface_net(surface: Surface) -> Net:
    """The net of a patch: its rows along u, one a column number, then those along v."""
    nu, nv = surface.points.shape[:2]
    u, v = (greville(knots, degree) for knots, degree in zip(surface.knots, surface.degree, strict=True))
    return Net(surface.points.reshape(-1, 3), *_crossed(nu, nv), nv, (u,) * nv + (v,) * nu)


def surface_frames(surface: Surface) -> Frames:
    """At the Greville abscissae (Farin, "Curves and Surfaces for CAGD", 5th edition, 2002, section 8.6)."""
    (ku, kv), (p, q) = surface.knots, surface.degree
    d = surface.on_grid(greville(ku, p), greville(kv, q), 1)
    flat = [d[k].reshape(-1, 3) for k in ((0, 0), (1, 0), (0, 1))]
    return Frames(flat[0], unit(flat[1]), unit(flat[2]), unit(np.cross(flat[1], flat[2])))


def curve_net(curve: Curve) -> Net:
    """The control polygon of a curve; its ends are its border."""
    row = np.arange(len(curve.points))
    at = (greville(curve.knots, curve.degree),)
    return Net(curve.points, (row,), (0,), Net.legs_of([row]), (row == 0) | (row == row[-1]), 1, at)


def curve_frames(curve: Curve) -> Frames:
    """At the Greville abscissae; up is square to the plane that fits the curve best, across lies in it."""
    d = curve.derivatives(greville(curve.knots, curve.degree), 1)
    along = unit(d[1])
    up = flat_normal(curve.points)
    across = unit(np.cross(up, along))
    return Frames(d[0], along, np.broadcast_to(up, along.shape), across)


def flat_normal(points: Floats) -> Floats:
    """(3,) normal of the plane that fits (n, 3) points best; of a straight row, any square to it."""
    centred = points - points.mean(axis=0)
    normal: Floats = np.linalg.svd(centred, full_matrices=len(points) < 3)[2][-1]
    return normal


def border_of(shape: tuple[int, ...]) -> Bools:
    """(nu, nv) mask of the points on the edges of a crossed net."""
    border = np.ones(shape[:2], dtype=bool)
    border[1:-1, 1:-1] = False
    return border


@lru_cache(maxsize=64)
def _crossed(nu: int, nv: int) -> tuple[tuple[Ints, ...], tuple[int, ...], Ints, Bools]:
    """Rows, their directions, the legs and the points on the border of a net of rows and columns."""
    index, border = np.arange(nu * nv).reshape(nu, nv), border_of((nu, nv)).ravel()
    rows = (*(index[:, j] for j in range(nv)), *(index[i] for i in range(nu)))
    legs = Net.legs_of(rows)
    for array in (index, legs, border):
        array.setflags(write=False)
    return rows, (0,) * nv + (1,) * nu, legs, border
