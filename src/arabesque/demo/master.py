"""Master shapes: invented objects whose true surface is known by equation."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from arabesque.arrays import Floats, Ints, tree_of
from arabesque.geometry import unit

NEWTON_STEPS = 8
STEP = 1e-5


@dataclass(frozen=True)
class Dent:
    """A bump pressed into the clay after it was shaped: a Gaussian along the inward normal, mm."""

    centre: tuple[float, float, float]
    radius: float
    depth: float


@dataclass(frozen=True)
class Hole:
    """A ball in which the scanner saw nothing, mm."""

    centre: tuple[float, float, float]
    radius: float


VIEWS = unit(
    np.array(
        [
            [0.0, 0, 1],
            [0.9, 0, 0.6],
            [-0.9, 0, 0.6],
            [0.2, 1, 0.45],
            [0.2, -1, 0.45],
            [-0.5, 0.9, 0.1],
            [-0.5, -0.9, 0.1],
        ]
    )
)
"""Seven places round and above, from which something lying on a table is scanned."""


class Master(ABC):
    """An object whose true surface is known.

    triangles: of its usual scan. views: (k, 3) unit directions towards the
    places from which the scanner looks at it.
    """

    name: str
    title: str
    triangles: int = 60_000
    views: Floats = VIEWS
    symmetry_plane: str | None
    dents: tuple[Dent, ...]
    holes: tuple[Hole, ...]
    corners: dict[str, Floats]
    """Named fours of places on the surface, (4, 3) mm, that make good first patches."""

    @abstractmethod
    def equations(self) -> list[str]:
        """The equations, as text for whoever wants to compute the surface elsewhere."""

    @abstractmethod
    def triangulated(self, triangles: int, rng: np.random.Generator) -> tuple[Floats, Floats, Ints]:
        """Points (n, 3) on the true surface, their outward normals, and about ``triangles`` uneven triangles."""

    @abstractmethod
    def true_samples(self, count: int, rng: np.random.Generator) -> tuple[Floats, Floats]:
        """Points (n, 3) of the true surface and their outward normals."""

    @abstractmethod
    def nearest(self, points: Floats) -> Floats:
        """(n, 3) points of the true surface closest to ``points``."""

    def distance(self, points: Floats) -> Floats:
        """(n,) unsigned distance of points to the true surface, mm."""
        return np.linalg.norm(points - self.nearest(points), axis=1)


class DiscMaster(Master):
    """A surface given by an equation over a disc of parameters (a, b), a² + b² <= reach²."""

    reach: float
    scale: tuple[float, float]
    """Rough millimetres per unit of a and of b, so that triangles come out about even."""

    @abstractmethod
    def evaluate(self, parameters: Floats) -> Floats:
        """(n, 3) points, mm, for (n, 2) parameters."""

    def triangulated(self, triangles: int, rng: np.random.Generator) -> tuple[Floats, Floats, Ints]:
        parameters, faces = self.mesh(triangles, rng)
        return self.evaluate(parameters), self.normals(parameters), faces

    def true_samples(self, count: int, rng: np.random.Generator) -> tuple[Floats, Floats]:
        parameters = rng.uniform(-1, 1, (2 * count, 2))
        parameters = parameters[np.hypot(*parameters.T) < 1][:count]
        return self.evaluate(parameters), self.normals(parameters)

    def nearest(self, points: Floats) -> Floats:
        return self.feet(points)[1]

    def tangents(self, parameters: Floats) -> tuple[Floats, Floats]:
        """Both (n, 3) parameter derivatives, by central differences."""
        steps = np.eye(2) * STEP
        first, second = (
            (self.evaluate(parameters + step) - self.evaluate(parameters - step)) / (2 * STEP) for step in steps
        )
        return first, second

    def normals(self, parameters: Floats) -> Floats:
        """(n, 3) outward unit normals."""
        a, b = self.tangents(parameters)
        return unit(np.cross(a, b))

    def mesh(self, triangles: int, rng: np.random.Generator) -> tuple[Floats, Ints]:
        """Parameters (n, 2) and about ``triangles`` uneven triangles (m, 3) over the disc."""
        from scipy.spatial import Delaunay  # see ``tree_of``

        sx, sy = self.scale
        area = np.pi * self.reach**2 * sx * sy
        spacing = np.sqrt(2 * area / triangles)
        x = np.arange(-self.reach * sx, self.reach * sx, spacing)
        y = np.arange(-self.reach * sy, self.reach * sy, spacing)
        grid = np.array(np.meshgrid(x, y)).reshape(2, -1).T
        grid += rng.normal(scale=0.22 * spacing, size=grid.shape)
        # scanners do not sample evenly: a slow warp makes triangles differ by about two in area
        phase = rng.uniform(0, 2 * np.pi, 2)
        grid += 6.0 * np.sin(grid[:, ::-1] / 19.0 + phase) + 2.5 * np.sin(grid / 8.0 + phase)
        parameters = grid / self.scale
        parameters = parameters[np.hypot(*parameters.T) < self.reach]
        simplices = Delaunay(parameters * self.scale).simplices.astype(np.int64)
        corners = parameters[simplices] * self.scale
        longest = max_edge(corners)
        return parameters, simplices[longest < 4 * spacing]

    @cached_property
    def _seeds(self) -> tuple[Floats, Any]:
        steps = np.linspace(-self.reach, self.reach, 700)
        parameters = np.array(np.meshgrid(steps, steps)).reshape(2, -1).T
        parameters = parameters[np.hypot(*parameters.T) <= self.reach]
        return parameters, tree_of(self.evaluate(parameters))

    def feet(self, points: Floats) -> tuple[Floats, Floats]:
        """Parameters (n, 2) and points (n, 3) of the true surface closest to (n, 3) ``points``."""
        seeds, tree = self._seeds
        parameters = seeds[tree.query(points)[1]]
        for _ in range(NEWTON_STEPS):
            gap = points - self.evaluate(parameters)
            a, b = self.tangents(parameters)
            aa, ab, bb = (np.einsum("nc,nc->n", s, t) for s, t in ((a, a), (a, b), (b, b)))
            ga, gb = (np.einsum("nc,nc->n", gap, t) for t in (a, b))
            det = aa * bb - ab * ab
            step = np.column_stack([bb * ga - ab * gb, aa * gb - ab * ga]) / det[:, None]
            size = np.linalg.norm(step, axis=1, keepdims=True)
            parameters = parameters + step * np.minimum(1.0, 0.02 / np.maximum(size, 1e-300))
        return parameters, self.evaluate(parameters)


def max_edge(corners: Floats) -> Floats:
    """Longest edge of each triangle, (m, 3, d) corners."""
    return np.max([np.linalg.norm(corners[:, i] - corners[:, i - 1], axis=1) for i in range(3)], axis=0)
