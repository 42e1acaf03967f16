"""Where the net of a patch turns with the form, and the part of it that ends there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import Evenness
from arabesque.geometry import Surface, greville

PLACES = 41


@dataclass(frozen=True, eq=False)
class Turn:
    """A line of a patch at which its rows turn.

    axis: the direction of the rows, 0 for u and 1 for v. at: the parameter of the line on it. degrees: by how much.
    line: (n, 3) mm. corners: (4, 3) of the larger part beside it, in the order of the patch's corners; new_side: the
    number of its side that lies on the line.
    """

    axis: int
    at: float
    degrees: float
    line: Floats
    corners: Floats
    new_side: int

    def as_record(self) -> dict[str, object]:
        """Plain values for a report."""
        return {"along": "uv"[self.axis], "at": self.at, "bend": self.degrees}


def turn_of(surface: Surface, net: Evenness) -> Turn:
    """Where the rows of a patch turn most."""
    axis, number = net.bend_along, net.bend_at[net.bend_along]
    at = float(greville(surface.knots[axis], surface.degree[axis])[number])
    low, high = surface.domain[axis]
    across = np.linspace(*surface.domain[1 - axis], PLACES)

    def line_at(value: float) -> Floats:
        here = np.array([value])
        grid = surface.on_grid(*((here, across) if axis == 0 else (across, here)))[0, 0]
        return np.asarray(grid.reshape(-1, 3))

    line = line_at(at)
    before, after = (float(np.linalg.norm(line - line_at(end), axis=1).mean()) for end in (low, high))
    keeps_low = before >= after
    p = surface.points
    corners = np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]])
    moved = ((1, 2) if keeps_low else (0, 3)) if axis == 0 else ((3, 2) if keeps_low else (0, 1))
    corners[list(moved)] = line[[0, -1]]
    new_side = (1 if keeps_low else 3) if axis == 0 else (2 if keeps_low else 0)
    return Turn(axis, at, net.bend, line, corners, new_side)
