"""Trimmed faces, built in the kernel from loops in the parameters of their surface. Runs only inside the worker."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepLib import BRepLib
from OCP.collections import Array1_double, Array1_gp_Pnt2d, Array1_int
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Pnt2d
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopoDS import TopoDS

from arabesque.solid.stored import together

NEAR = 1e-7
"""mm: how near the lines in space come to those in parameters."""


def faces(record: dict[str, Any], surface_of: Any) -> Any:
    """A face, or several as one compound, of a record of a surface and of the loops of each part that shows.

    surface_of: makes the kernel's own surface of a record.
    """
    surface = surface_of(record["surface"])
    return together([_face(surface, loops) for loops in record["parts"]])


def _face(surface: Any, loops: list[Any]) -> Any:
    making = BRepBuilderAPI_MakeFace(surface, _wire(surface, loops[0]), True)
    for hole in loops[1:]:
        making.Add(_wire(surface, hole))
    BRepLib.BuildCurves3d_s(making.Face(), NEAR)
    fixing = ShapeFix_Face(making.Face())
    fixing.FixOrientation()  # which way loops run is not told
    fixing.Perform()
    face = TopoDS.Face(fixing.Face())
    BRepLib.SameParameter_s(face, NEAR, True)
    return face


def _wire(surface: Any, loop: list[Any]) -> Any:
    making = BRepBuilderAPI_MakeWire()
    for degree, knots, points in loop:
        making.Add(BRepBuilderAPI_MakeEdge(_flat(degree, knots, points), surface).Edge())
    return making.Wire()


def _flat(degree: int, knots: Any, points: Any) -> Any:
    """The kernel's curve in the parameters of a surface."""
    poles = Array1_gp_Pnt2d(1, len(points))
    for number, (u, v) in enumerate(points, start=1):
        poles.SetValue(number, gp_Pnt2d(float(u), float(v)))
    values, counts = np.unique(knots, return_counts=True)
    steps, times = Array1_double(1, len(values)), Array1_int(1, len(values))
    for number, (value, count) in enumerate(zip(values, counts, strict=True), start=1):
        steps.SetValue(number, float(value))
        times.SetValue(number, int(count))
    return Geom2d_BSplineCurve(poles, steps, times, int(degree), False)
