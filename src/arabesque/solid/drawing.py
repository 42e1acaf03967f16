"""Drawings: curves that lie in one plane, as DXF or SVG (through ezdxf)."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FileProblem
from arabesque.files import write_text, written
from arabesque.geometry import Curve, frame_of
from arabesque.geometry.nets import flat_normal
from arabesque.units import scale_to_mm

FLAT = 1e-3
"""mm: curves that lie no further off one plane are a drawing."""
_UNITS = {"mm": 4, "cm": 5, "m": 6, "inch": 1, "foot": 2}
"""What DXF calls them (header variable $INSUNITS)."""


def drawing_frame(curves: Sequence[tuple[str, Curve]]) -> Floats:
    """The (4, 4) frame of the plane in which named curves lie, x and y as near to the axes as can be.

    Raises FileProblem, naming the curve that is furthest off, where they lie in none.
    """
    points = np.concatenate([curve.points for _, curve in curves])
    normal = flat_normal(points)
    normal = normal * np.sign(normal[np.abs(normal).argmax()])
    middle = points.mean(axis=0)
    off = [float(np.abs((curve.points - middle) @ normal).max()) for _, curve in curves]
    worst = int(np.argmax(off))
    if off[worst] > FLAT:
        raise FileProblem(
            f"'{curves[worst][0]}' lies {off[worst]:.3g} mm off the plane of all: a drawing is flat",
            "Choose curves in one plane, or write STEP or IGES",
        )
    towards = np.eye(3)[0] if abs(normal[0]) < 0.9 else np.eye(3)[1]
    return frame_of(normal * (middle @ normal), normal, towards)


def write_drawing(path: str | Path, curves: Sequence[tuple[str, Curve]], svg: bool, unit: str = "mm") -> None:
    """Write named curves as a drawing in ``unit``: exact splines in DXF, paths in SVG. Raises FileProblem."""
    if not curves:
        raise FileProblem("There is no curve to draw", "Choose curves or a sketch")
    import ezdxf  # not needed at the start of the window

    scale = scale_to_mm(unit)
    frame = drawing_frame(curves)
    document = ezdxf.new("R2010", units=_UNITS.get(unit, 0))
    space = document.modelspace()
    for name, curve in curves:
        if name not in document.layers:
            document.layers.add(_layer(name))
        flat = (curve.points - frame[:3, 3]) @ frame[:3, :3] / scale
        look = {"layer": _layer(name)}
        if curve.degree == 1 and curve.count == 2:
            space.add_line(flat[0, :2], flat[1, :2], dxfattribs=look)
            continue
        spline = space.add_spline(dxfattribs=look)
        spline.dxf.degree = curve.degree
        spline.control_points = np.column_stack([flat[:, :2], np.zeros(len(flat))])
        spline.knots = curve.knots
        if curve.weights is not None:
            spline.weights = curve.weights
    if svg:
        write_text(path, _as_svg(document))
        return
    with written(path) as beside:
        document.saveas(beside)


def _layer(name: str) -> str:
    """A name as DXF layers may have."""
    return "".join(sign if sign.isalnum() or sign in " -_" else "_" for sign in name) or "curve"


def _as_svg(document: object) -> str:
    from ezdxf.addons.drawing import Frontend, RenderContext, config, layout, svg

    backend = svg.SVGBackend()
    look = config.Configuration(
        background_policy=config.BackgroundPolicy.WHITE,
        color_policy=config.ColorPolicy.BLACK,
        max_flattening_distance=0.005,
    )
    Frontend(RenderContext(document), backend, config=look).draw_layout(document.modelspace())  # type: ignore[attr-defined]
    text: str = backend.get_string(layout.Page(0, 0, layout.Units.mm, margins=layout.Margins.all(5)))
    return text
