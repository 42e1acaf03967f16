"""What is printed and milled: the surface of one closed thing, whatever kind of shape it is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from arabesque.arrays import Floats, enclosed, unit
from arabesque.cages import Cage
from arabesque.cages.mesh import cage_triangles
from arabesque.errors import ArabesqueError
from arabesque.scan import Scan, examine
from arabesque.shapes import Sampled, Samples, Shape, can
from arabesque.solid import Body

ALONG = 60
"""Samples along a face."""
CHORD = 0.05
"""mm that triangles of a cage stand off it."""


@dataclass(frozen=True, eq=False)
class Whole:
    """The surface of a shape. closed: without a border. volume: mm³, where it is closed."""

    samples: Samples
    closed: bool
    volume: float

    @property
    def triangles(self) -> Floats:
        """(m, 3, 3) corners."""
        return self.samples.points[self.samples.triangles]


def whole_of(shape: Shape | Any) -> Whole:
    """The surface of a body, cage, patch or scan. Raises ArabesqueError for what has none."""
    if isinstance(shape, Body):
        return Whole(shape.sampler(ALONG).read(shape), shape.told.closed, shape.told.volume)
    if isinstance(shape, Cage):
        return _of_mesh(Scan(*cage_triangles(shape, CHORD)))
    if isinstance(shape, Scan):
        return _of_mesh(shape)
    if not can(shape, Sampled):
        raise ArabesqueError("There is no surface in this", "Choose a body, a cage, patches or a scan")
    return Whole(shape.sampler(ALONG).read(shape), False, 0.0)


def _of_mesh(mesh: Scan) -> Whole:
    """Each triangle with corners of its own: what counts is how it looks, not how the form would round its edges."""
    count = mesh.triangles.size
    triangles = np.arange(count).reshape(-1, 3)
    normals = np.repeat(unit(mesh.area_vectors), 3, axis=0)
    part, uv = np.zeros(count, dtype=np.int64), np.zeros((count, 2))
    samples = Samples(mesh.points[mesh.triangles].reshape(-1, 3), normals, triangles, part, uv)
    closed = examine(mesh).watertight
    return Whole(samples, closed, enclosed(mesh.points, mesh.triangles) if closed else 0.0)


def direction(way: Floats | Sequence[float]) -> Floats:
    """(3,) of length 1. Raises ArabesqueError for one of length 0."""
    given = np.asarray(way, dtype=float)
    if given.shape != (3,) or not np.linalg.norm(given) > 0:
        raise ArabesqueError("A direction of length 0 leads nowhere", "Give three numbers that are not all 0")
    return np.asarray(unit(given[None])[0])
