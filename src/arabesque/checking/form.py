"""Curvature of patches as colours: mean, Gaussian, largest, and hollow islands in a form that should bulge."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np
from scipy import ndimage

from arabesque.arrays import Bools, Floats
from arabesque.geometry import Surface, surface_curvature

FLAT = 1e-5
"""1/mm: a hollow gentler than over a radius of 100 m is flat."""


class FormKind(Enum):
    """Which curvature is shown; the value is its words, and the words at both ends of its scale."""

    MEAN = ("mean", ("bulging", "hollow"))
    GAUSSIAN = ("Gaussian", ("saddle", "dome or bowl"))
    LARGEST = ("most hollow", ("bulging", "hollow"))
    SMALLEST = ("most bulging", ("bulging", "hollow"))
    ISLANDS = ("hollow islands", ("", "hollow"))


@dataclass(frozen=True, eq=False)
class Island:
    """A hollow place in a patch: its deepest point, the curvature there, 1/mm, and its area, mm²."""

    place: Floats
    normal: Floats
    curvature: float
    area: float


def form_values(surface: Surface, u: Floats, v: Floats, kind: FormKind) -> Floats:
    """(r, s) a curvature on a parameter grid, 1/mm; positive where the surface is hollow, seen along its normal.

    Gaussian curvature is shown as its root with its sign, so that it too is
    one over a length; islands are the most hollow curvature where it is hollow.
    """
    uv = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2)
    c = surface_curvature(surface, uv)
    if kind is FormKind.MEAN:
        values = c.mean
    elif kind is FormKind.GAUSSIAN:
        values = np.sign(c.gaussian) * np.sqrt(np.abs(c.gaussian))
    elif kind is FormKind.SMALLEST:
        values = c.smallest
    elif kind is FormKind.LARGEST:
        values = c.largest
    else:
        values = np.where(c.largest > FLAT, c.largest, 0.0)
    return np.nan_to_num(values).reshape(len(u), len(v))


def hollow_islands(points: Floats, normals: Floats, values: Floats, mostly: float = 0.5) -> list[Island]:
    """The hollow places of a patch that bulges for the most part, the deepest first; none where it is hollow itself.

    points, normals: (r, s, 3). values: (r, s) as of ``form_values`` with
    ISLANDS. mostly: the share of the patch that may be hollow.
    """
    hollow: Bools = values > FLAT
    if hollow.mean() > mostly:
        return []
    labels, count = ndimage.label(hollow)
    cells = _areas(points)
    found = []
    for number in range(1, count + 1):
        inside = labels == number
        deepest = np.unravel_index(np.where(inside, values, -np.inf).argmax(), values.shape)
        found.append(Island(points[deepest], normals[deepest], float(values[deepest]), float(cells[inside].sum())))
    return sorted(found, key=lambda island: -island.curvature)


def _areas(points: Floats) -> Floats:
    """(r, s) share of the surface that each grid point stands for, mm²."""
    along = np.gradient(points, axis=0)
    across = np.gradient(points, axis=1)
    areas: Floats = np.linalg.norm(np.cross(along, across), axis=2)
    return areas
