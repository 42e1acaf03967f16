"""Curvature of patches as colours: mean, Gaussian, largest, and hollow islands in a form that should bulge."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Floats
from arabesque.geometry import Curvatures
from arabesque.shapes import Sampled, Samples

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


def form_values(shape: Sampled, samples: Samples, kind: FormKind) -> Floats:
    """(n,) a curvature at a shape's samples, 1/mm; positive where the shape is hollow, seen along its normal.

    Gaussian curvature is shown as its root with its sign, so that it too is
    one over a length; islands are the most hollow curvature where it is hollow.
    """
    c: Curvatures = shape.curvatures(samples.part, samples.uv)
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
    return np.nan_to_num(values)


def hollow_islands(samples: Samples, values: Floats, mostly: float = 0.5) -> list[Island]:
    """The hollow places of a shape that bulges for the most part, the deepest first; none where it is hollow itself.

    values: (n,) as of ``form_values`` with ISLANDS. mostly: the share of the
    samples that may be hollow.
    """
    hollow: Bools = values > FLAT
    if not len(hollow) or hollow.mean() > mostly:
        return []
    legs = samples.pairs
    legs = legs[hollow[legs].all(axis=1)]
    joined = csr_array((np.ones(len(legs), dtype=bool), legs.T), shape=(len(hollow), len(hollow)))
    labels = connected_components(joined, directed=False)[1]
    areas = _areas(samples)
    found = []
    for number in np.unique(labels[hollow]):
        inside = np.flatnonzero(hollow & (labels == number))
        deepest = inside[values[inside].argmax()]
        place, normal = samples.points[deepest], samples.normals[deepest]
        found.append(Island(place, normal, float(values[deepest]), float(areas[inside].sum())))
    return sorted(found, key=lambda island: -island.curvature)


def _areas(samples: Samples) -> Floats:
    """(n,) share of the surface that each sample stands for, mm²: a third of the triangles round it."""
    a, b, c = np.swapaxes(samples.points[samples.triangles], 0, 1)
    thirds = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 6
    areas: Floats = np.bincount(samples.triangles.ravel(), np.repeat(thirds, 3), len(samples.points)).astype(float)
    return areas
