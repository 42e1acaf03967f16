"""How a measured patch looks: triangles with distances, and its edges. Whoever draws keeps what is made here."""

from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import FormKind, Grid, form_values
from arabesque.desk import theme
from arabesque.desk.view.scene import MISSING, Form, Paint, Triangles, grid_border
from arabesque.geometry import Surface, bezier_nets, span_places
from arabesque.model import Item

LIFT = 0.25
"""Patches are drawn this far (mm) before their place, so that the scan's noise does not show through."""


def patch_triangles(
    slot: str, grid: Grid, see_through: bool = False, dimmed: bool = False, surface: Surface | None = None
) -> Triangles:
    """The shaded triangles of a measured patch; with its surface, stripes on it are exact."""
    return Triangles(
        slot=slot,
        points=grid.points.reshape(-1, 3),
        normals=grid.normals.reshape(-1, 3),
        triangles=grid.triangles,
        colour=theme.now().porcelain,
        values=np.where(grid.valid, grid.distance, MISSING).ravel(),
        paint=Paint.DISTANCE,
        see_through=see_through,
        dimmed=dimmed,
        lift=LIFT,
        glossy=True,
        form=None if surface is None else _form(surface, grid),
    )


def _form(surface: Surface, grid: Grid) -> Form:
    u, v = (span_places(k, at) for k, at in zip(surface.knots, (grid.u, grid.v), strict=True))
    places = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2)
    return Form(bezier_nets(surface), places)


def form_of(surface: Surface, grid: Grid, kind: FormKind) -> Floats:
    """(r, s) curvature of a patch on its measured grid."""
    return form_values(surface, grid.u, grid.v, kind)


def form_triangles(slot: str, grid: Grid, surface: Surface, kind: FormKind, dimmed: bool) -> Triangles:
    """The triangles of a measured patch in the colours of its curvature."""
    values = form_of(surface, grid, kind).ravel()
    return replace(patch_triangles(slot, grid, False, dimmed), values=values, paint=Paint.CURVATURE, glossy=False)


def patch_edges(grid: Grid) -> Floats:
    """The border of a measured patch, a closed ring of points."""
    return grid_border(grid.points)


def size_of(items: list[Item]) -> float:
    """Diagonal of the box round the control points of some surfaces, mm."""
    points = [item.shape.points.reshape(-1, 3) for item in items if isinstance(item.shape, Surface)]
    return float(np.linalg.norm(np.ptp(np.concatenate(points), axis=0))) if points else 100.0
