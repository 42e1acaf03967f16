"""How a measured shape looks: triangles with distances, and its borders. Whoever draws keeps what is made here."""

from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import Distances, FormKind, form_values
from arabesque.desk import theme
from arabesque.desk.view.scene import MISSING, Form, Paint, Triangles, polyline
from arabesque.geometry import Surface, bezier_nets, span_places
from arabesque.model import Item
from arabesque.shapes import Sampled, Samples, Shape

LIFT = 0.25
"""Patches are drawn this far (mm) before their place, so that the scan's noise does not show through."""


def shape_triangles(
    slot: str, measured: Distances, see_through: bool = False, dimmed: bool = False, shape: Shape | None = None
) -> Triangles:
    """The shaded triangles of a measured shape; with its shape, stripes on a patch are exact."""
    samples = measured.samples
    return Triangles(
        slot=slot,
        points=samples.points,
        normals=samples.normals,
        triangles=samples.triangles,
        colour=theme.now().porcelain,
        values=np.where(measured.valid, measured.distance, MISSING),
        paint=Paint.DISTANCE,
        see_through=see_through,
        dimmed=dimmed,
        lift=LIFT,
        glossy=True,
        form=_form(shape, samples) if isinstance(shape, Surface) else None,
    )


def _form(surface: Surface, samples: Samples) -> Form:
    u, v = (span_places(k, samples.uv[:, axis]) for axis, k in enumerate(surface.knots))
    return Form(bezier_nets(surface), np.column_stack([u, v]))


def form_of(shape: Sampled, measured: Distances, kind: FormKind) -> Floats:
    """(n,) curvature of a shape at its measured samples."""
    return form_values(shape, measured.samples, kind)


def form_triangles(slot: str, measured: Distances, shape: Sampled, kind: FormKind, dimmed: bool) -> Triangles:
    """The triangles of a measured shape in the colours of its curvature."""
    plain = shape_triangles(slot, measured, False, dimmed)
    return replace(plain, values=form_of(shape, measured, kind), paint=Paint.CURVATURE, glossy=False)


def borders(samples: Samples) -> Floats:
    """(k, 2, 3) segments along the borders of a sampled shape."""
    return np.concatenate([np.empty((0, 2, 3)), *(polyline(samples.points[rim]) for rim in samples.rims)])


def size_of(items: list[Item]) -> float:
    """Diagonal of the box round some items, mm; 100 where there is none."""
    boxes = [box for item in items if (box := item.shape.box) is not None]
    if not boxes:
        return 100.0
    low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
    return float(np.linalg.norm(high - low))
