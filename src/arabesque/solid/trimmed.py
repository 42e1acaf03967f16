"""Trimmed faces, built in the kernel from loops in the parameters of their surface. Runs only inside the worker."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BOPTools import BOPTools_AlgoTools3D
from OCP.BRepAlgoAPI import BRepAlgoAPI_Splitter
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepLib import BRepLib
from OCP.collections import Array1_double, Array1_gp_Pnt2d, Array1_int
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Pnt, gp_Pnt2d
from OCP.IntTools import IntTools_Context
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopAbs import TopAbs_FACE
from OCP.TopoDS import TopoDS

from arabesque.errors import KernelProblem
from arabesque.geometry import Trim
from arabesque.solid.stored import listed, parts, together

NEAR = 1e-7
"""mm: how near the lines in space come to those in parameters."""
ALONG = 33
"""Places along each curve of a loop, by which it is told what lies inside."""


def faces(record: dict[str, Any], surface_of: Any) -> Any:
    """A face, or several as one compound, of a record of a surface and of the loops of each part that shows.

    surface_of: makes the kernel's own surface of a record.
    """
    surface = surface_of(record["surface"])
    return together([face for loops in record["parts"] for face in _faces(surface, loops)])


def _faces(surface: Any, loops: list[Any]) -> list[Any]:
    """What loops leave of a surface, one part of it."""
    curves = [[_flat(*one) for one in loop] for loop in loops]
    inner = [curve for loop in curves for curve in loop if not _on_bounds(curve, surface)]
    if inner and len(inner) < sum(map(len, curves)) and _comes_together(surface):
        return _cut_out(surface, curves, inner)
    return [_face(surface, curves)]


def _comes_together(surface: Any) -> bool:
    """True for a surface that is closed, or one of whose borders is one place: its borders are no free ones."""
    if surface.IsUClosed() or surface.IsVClosed():
        return True
    u0, u1, v0, v1 = surface.Bounds()
    us, vs = np.linspace(u0, u1, 5).tolist(), np.linspace(v0, v1, 5).tolist()
    for border in ([(u, v) for v in vs] for u in (u0, u1)), ([(u, v) for u in us] for v in (v0, v1)):
        for line in border:
            places = [surface.Value(u, v) for u, v in line]
            if max(places[0].Distance(place) for place in places) < NEAR:
                return True
    return False


def _on_bounds(curve: Any, surface: Any) -> bool:
    """True for a curve that runs along a bound of the parameters."""
    u0, u1, v0, v1 = surface.Bounds()
    places = np.array([(pole.X(), pole.Y()) for pole in map(curve.Pole, range(1, curve.NbPoles() + 1))])
    near = 1e-9 * np.array([u1 - u0, v1 - v0])
    bounds = ((0, u0), (0, u1), (1, v0), (1, v1))
    return any(bool((np.abs(places[:, axis] - at) < near[axis]).all()) for axis, at in bounds)


def _cut_out(surface: Any, curves: list[list[Any]], inner: list[Any]) -> list[Any]:
    """The whole face, with its seam and its poles as the kernel makes them, split by the curves inside; what lies
    inside the loops is kept.

    Built from the loops alone, a seam would be two free borders, and a pole one without length.
    """
    whole = BRepBuilderAPI_MakeFace(surface, NEAR).Face()
    edges = [BRepBuilderAPI_MakeEdge(curve, surface).Edge() for curve in inner]
    for edge in edges:
        BRepLib.BuildCurves3d_s(edge, NEAR)
    splitting = BRepAlgoAPI_Splitter()
    splitting.SetArguments(listed([whole]))
    splitting.SetTools(listed(edges))
    splitting.Build()
    inside = Trim(tuple(np.concatenate([_places(curve) for curve in loop]) for loop in curves)).contains
    found = []
    for piece in parts(splitting.Shape(), TopAbs_FACE):
        face, place, uv = TopoDS.Face(piece), gp_Pnt(), gp_Pnt2d()
        if BOPTools_AlgoTools3D.PointInFace_s(face, place, uv, IntTools_Context()):
            continue
        if inside(np.array([[uv.X(), uv.Y()]]))[0]:
            BRepLib.SameParameter_s(face, NEAR, True)
            found.append(face)
    if not found:
        raise KernelProblem("A trimmed face could not be built", "Untrim it, and trim it again")
    return found


def _places(curve: Any) -> Any:
    """(n, 2) places along a curve in the parameters, without its end."""
    at = np.linspace(curve.FirstParameter(), curve.LastParameter(), ALONG, endpoint=False)
    return np.array([(place.X(), place.Y()) for place in (curve.Value(float(t)) for t in at)])


def _face(surface: Any, loops: list[list[Any]]) -> Any:
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
    for curve in loop:
        making.Add(BRepBuilderAPI_MakeEdge(curve, surface).Edge())
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
