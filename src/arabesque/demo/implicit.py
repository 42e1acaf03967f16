"""Master shapes given by one equation value(x, y, z) = 0, negative inside."""

from __future__ import annotations

from abc import abstractmethod

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.demo.master import Master
from arabesque.geometry import unit
from arabesque.mending import uncrowded
from arabesque.scan import Scan

BLOCK = 8
STEP = 1e-4


class ImplicitMaster(Master):
    """A closed surface value = 0; the value is about a distance in mm near the surface.

    box: lowest and highest corner of a box round it, mm.
    """

    box: tuple[Floats, Floats]
    area: float
    """About how large the surface is, mm²."""

    @abstractmethod
    def value(self, x: Floats, y: Floats, z: Floats) -> Floats:
        """Negative inside, positive outside, for coordinates of any shape."""

    def values(self, points: Floats) -> Floats:
        """(n,) values at (n, 3) points."""
        return self.value(*points.T)

    def gradient(self, points: Floats) -> Floats:
        """(n, 3) derivatives of the value, by central differences."""
        ways = [(self.values(points + STEP * e) - self.values(points - STEP * e)) / (2 * STEP) for e in np.eye(3)]
        return np.column_stack(ways)

    def onto(self, points: Floats, steps: int = 5) -> Floats:
        """Points brought onto the surface along the gradient (Newton)."""
        for _ in range(steps):
            slope = self.gradient(points)
            points = points - (self.values(points) / np.maximum((slope * slope).sum(axis=1), 1e-12))[:, None] * slope
        return points

    def nearest(self, points: Floats) -> Floats:
        foot = self.onto(points)
        for _ in range(30):
            # slide until the way to the point is along the normal
            normal = unit(self.gradient(foot))
            away = points - foot
            foot = self.onto(foot + 0.6 * (away - np.einsum("nc,nc->n", away, normal)[:, None] * normal), 2)
        return foot

    def triangulated(self, triangles: int, rng: np.random.Generator) -> tuple[Floats, Floats, Ints]:
        # a surface net has about three quads on every two cell faces it crosses
        spacing = np.sqrt(3.0 * self.area / triangles)
        # a net may touch itself along an edge where two sheets pass one cell
        sound, _ = uncrowded(Scan(*self._net(spacing, rng)))
        points, faces = self.onto(sound.points, 3), sound.triangles
        normals = unit(self.gradient(points))
        jitter = rng.normal(scale=0.13 * spacing, size=points.shape)
        jitter -= np.einsum("nc,nc->n", jitter, normals)[:, None] * normals
        points = self.onto(points + jitter, 3)
        return points, unit(self.gradient(points)), faces

    def true_samples(self, count: int, rng: np.random.Generator) -> tuple[Floats, Floats]:
        points, _ = self._net(np.sqrt(self.area / count), rng)
        chosen = self.onto(points[rng.choice(len(points), min(count, len(points)), replace=False)])
        return chosen, unit(self.gradient(chosen))

    def _net(self, spacing: float, rng: np.random.Generator) -> tuple[Floats, Ints]:
        """Points and triangles of a surface net (Gibson, "Constrained elastic surface nets", MICCAI 1998).

        Every cell that the surface passes gets a point, in the middle of where
        its edges are crossed; every crossed edge joins the four cells round it.
        """
        low = self.box[0] - 2 * spacing * (1 + rng.random(3))
        size = np.ceil((self.box[1] + 4 * spacing - low) / (BLOCK * spacing)).astype(int)
        blocks = np.stack(np.meshgrid(*map(np.arange, size), indexing="ij"), -1).reshape(-1, 3)
        middles = low + (blocks + 0.5) * BLOCK * spacing
        blocks = blocks[np.abs(self.values(middles)) < 1.6 * BLOCK * spacing]
        count = size * BLOCK + 2
        inner = np.arange(BLOCK + 1)
        places, cells, quads = [], [], []
        for some in np.array_split(blocks, max(1, len(blocks) // 400)):
            start = some * BLOCK
            axes = [low[c] + (start[:, c, None] + inner) * spacing for c in range(3)]
            value = self.value(axes[0][:, :, None, None], axes[1][:, None, :, None], axes[2][:, None, None, :])
            for axis in range(3):
                place, cell, quad = _crossings(value, start, axis, count)
                places.append(low + place * spacing)
                cells.append(cell)
                quads.append(quad)
        place, cell, quad = np.concatenate(places), np.concatenate(cells), np.concatenate(quads)
        used, number = np.unique(cell, return_inverse=True)
        number = number.reshape(cell.shape)
        members = np.bincount(number.ravel(), minlength=len(used))
        points = np.column_stack(
            [np.bincount(number.ravel(), np.repeat(place[:, c], 4), len(used)) / members for c in range(3)]
        )
        corners = np.take_along_axis(number, quad, axis=1)
        a, b, c, d = corners.T
        return points, np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])


def _crossings(value: Floats, start: Ints, axis: int, count: Ints) -> tuple[Floats, Ints, Ints]:
    """Edges along an axis whose ends differ in sign: where (k, 3, in cells), the four cells round each, their order."""
    turned = np.moveaxis(value, axis + 1, 1)[:, :, :BLOCK, :BLOCK]
    below, above = turned[:, :-1], turned[:, 1:]
    found = np.argwhere((below < 0) != (above < 0))
    b, along, one, two = found.T
    v0, v1 = below[b, along, one, two], above[b, along, one, two]
    others = [c for c in range(3) if c != axis]
    at = np.empty((len(b), 3), dtype=np.int64)
    at[:, axis] = start[b, axis] + along
    at[:, others[0]] = start[b, others[0]] + one
    at[:, others[1]] = start[b, others[1]] + two
    place = at.astype(float)
    place[:, axis] += v0 / (v0 - v1)
    cells = []
    for first, second in ((0, 0), (1, 0), (1, 1), (0, 1)):
        cell = at + 1
        cell[:, others[0]] -= first
        cell[:, others[1]] -= second
        cells.append((cell[:, 0] * count[1] + cell[:, 1]) * count[2] + cell[:, 2])
    # counter-clockwise seen from outside: from the side where the value is positive
    outward = (v1 > v0) ^ (axis == 1)
    order = np.where(outward[:, None], [0, 1, 2, 3], [3, 2, 1, 0])
    return place, np.column_stack(cells), order


def smooth_max(a: Floats, b: Floats, radius: float) -> Floats:
    """The larger value, its edge rounded over about ``radius`` mm; exact away from it (quadratic blend)."""
    h = np.maximum(radius - np.abs(a - b), 0.0) / radius
    return np.maximum(a, b) + h * h * radius / 4


def smooth_min(a: Floats, b: Floats, radius: float) -> Floats:
    """The smaller value, its edge rounded over about ``radius`` mm."""
    return -smooth_max(-a, -b, radius)
