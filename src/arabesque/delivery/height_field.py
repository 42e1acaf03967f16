"""A shape as a mill sees it along its spindle: heights over a grid, and what a ball cutter makes of them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.delivery.milling_kernel import dilated
from arabesque.delivery.whole import Whole
from arabesque.errors import ArabesqueError
from arabesque.geometry import apply, frame_of
from arabesque.scan import BoxTree

MOST_CELLS = 1_500_000
NOTHING = -np.inf
"""The height where a ray meets nothing."""


@dataclass(frozen=True, eq=False)
class HeightField:
    """Heights over a square grid. frame: (4, 4), whose z axis is the spindle's, from the work towards the machine.
    start: (2,) mm of the first place; cell: mm between places. heights: (nx, ny) mm, -inf over nothing."""

    frame: Floats
    start: Floats
    cell: float
    heights: Floats

    @property
    def x(self) -> Floats:
        """(nx,) mm."""
        return np.asarray(self.start[0] + self.cell * np.arange(self.heights.shape[0]))

    @property
    def y(self) -> Floats:
        """(ny,) mm."""
        return np.asarray(self.start[1] + self.cell * np.arange(self.heights.shape[1]))

    def local(self, points: Floats) -> Floats:
        """(n, 3) points in the frame."""
        return np.asarray((points - self.frame[:3, 3]) @ self.frame[:3, :3])

    def world(self, places: Floats) -> Floats:
        """(n, 3) places of the frame in space."""
        return apply(self.frame, places)


def frame_along(way: Floats) -> Floats:
    """(4, 4) at the origin with its z axis along a direction (3,), x as near to the world's as can be."""
    towards = np.eye(3)[0] if abs(way[0]) < 0.9 else np.eye(3)[1]
    return frame_of(np.zeros(3), way, towards)


def height_field(whole: Whole, way: Floats, cell: float, margin: float) -> HeightField:
    """How high the uppermost place of a shape lies along a direction (3,), every ``cell`` mm, with a margin round it.

    Raises ArabesqueError where the grid would have millions of places.
    """
    frame = frame_along(way)
    corners = (whole.triangles - frame[:3, 3]) @ frame[:3, :3]
    flat = corners.reshape(-1, 3)
    low, high = flat.min(axis=0), flat.max(axis=0)
    start = low[:2] - margin
    nx, ny = (int(np.ceil((high[k] - low[k] + 2 * margin) / cell)) + 1 for k in (0, 1))
    if nx * ny > MOST_CELLS:
        raise ArabesqueError(f"A grid of {cell:g} mm would have {nx * ny:,} places here", "Choose a coarser one")
    x, y = np.meshgrid(start[0] + cell * np.arange(nx), start[1] + cell * np.arange(ny), indexing="ij")
    above = high[2] + 1.0
    origins = np.column_stack([x.ravel(), y.ravel(), np.full(x.size, above)])
    triangle, t = BoxTree(corners.reshape(-1, 9)).first_hits(origins, np.tile([0.0, 0.0, -1.0], (x.size, 1)))
    return HeightField(frame, start, cell, np.where(triangle >= 0, above - t, NOTHING).reshape(nx, ny))


def with_margin(field: HeightField, margin: float) -> HeightField:
    """The field with so many mm more of nothing round it."""
    more = int(np.ceil(margin / field.cell))
    heights = np.pad(field.heights, more, constant_values=NOTHING)
    return replace(field, start=field.start - more * field.cell, heights=heights)


def ball(radius: float, cell: float) -> Floats:
    """(k, k) how far a ball of that radius stands over its lowest place, mm; infinite beside it."""
    reach = int(np.floor(radius / cell))
    steps = cell * np.arange(-reach, reach + 1)
    square = radius**2 - steps[:, None] ** 2 - steps[None] ** 2
    return np.asarray(np.where(square >= 0, radius - np.sqrt(np.maximum(square, 0.0)), np.inf))


def tip_heights(field: HeightField, radius: float) -> HeightField:
    """How low the tip of a ball cutter may come over each place without a cut into the form: the inverse offset, a
    grey dilation by the ball (Haralick, Sternberg and Zhuang, "Image analysis using mathematical morphology", IEEE
    PAMI 9, 1987)."""
    return replace(field, heights=dilated(field.heights, ball(radius, field.cell)))


def floored(field: HeightField, floor: float) -> HeightField:
    """The field with nothing lower than the bed on which the work lies."""
    return replace(field, heights=np.maximum(field.heights, floor))
