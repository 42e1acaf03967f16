"""How a measured patch looks: triangles with distances, and its edges."""

from functools import lru_cache

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import Grid
from arabesque.desk import theme
from arabesque.desk.view.scene import MISSING, Paint, Triangles, grid_border, grid_triangles

LIFT = 0.25
"""Patches are drawn this far (mm) before their place, so that the scan's noise does not show through."""


@lru_cache(maxsize=256)
def patch_triangles(slot: str, grid: Grid, see_through: bool = False, dimmed: bool = False) -> Triangles:
    """The shaded triangles of a measured patch."""
    rows, columns = grid.points.shape[:2]
    return Triangles(
        slot=slot,
        points=grid.points.reshape(-1, 3),
        normals=grid.normals.reshape(-1, 3),
        triangles=grid_triangles(rows, columns),
        colour=theme.now().porcelain,
        values=np.where(grid.valid, grid.distance, MISSING).ravel(),
        paint=Paint.DISTANCE,
        see_through=see_through,
        dimmed=dimmed,
        lift=LIFT,
        glossy=True,
    )


def patch_edges(grid: Grid) -> Floats:
    """The border of a measured patch, a closed ring of points."""
    return grid_border(grid.points)
