"""What the B-rep kernel does for Arabesque. Runs only inside the worker process.

Arguments and results are plain values (numbers, strings, arrays), so that
nothing of the kernel crosses the process border.
"""

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from OCP.APIHeaderSection import APIHeaderSection_MakeHeader
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve2d
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_NurbsConvert
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepTools import BRepTools_WireExplorer
from OCP.collections import Array1_double, Array1_int, Array2_double, Array2_gp_Pnt, Sequence_TDF_Label
from OCP.Geom import Geom_BSplineSurface
from OCP.gp import gp_Pnt
from OCP.IFSelect import IFSelect_RetDone
from OCP.Interface import Interface_Static
from OCP.Message import Message, Message_Gravity
from OCP.STEPCAFControl import STEPCAFControl_Reader, STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Controller
from OCP.TCollection import TCollection_ExtendedString, TCollection_HAsciiString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_FACE, TopAbs_REVERSED, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS
from OCP.XCAFDoc import XCAFDoc_DocumentTool

from arabesque import __version__
from arabesque.errors import ArabesqueError, FileProblem, KernelProblem

PLACES_PER_EDGE = 33
SURFACE_TOLERANCE = 1e-7


def prepare() -> None:
    """Silence the kernel's own messages: they would go to the terminal's standard output."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
    for printer in Message.DefaultMessenger_s().Printers():
        printer.SetTraceLevel(Message_Gravity.Message_Fail)


def spline_surface(record: dict[str, Any]) -> Geom_BSplineSurface:
    """The kernel's surface for a record of degree, knots, points and weights (or None)."""
    points, weights = record["points"], record["weights"]
    poles = Array2_gp_Pnt(1, points.shape[0], 1, points.shape[1])
    factors = Array2_double(1, points.shape[0], 1, points.shape[1])
    for (i, j), weight in np.ndenumerate(np.ones(points.shape[:2]) if weights is None else weights):
        poles.SetValue(i + 1, j + 1, gp_Pnt(*map(float, points[i, j])))
        factors.SetValue(i + 1, j + 1, float(weight))
    knots, multiplicities = [], []
    for vector in record["knots"]:
        values, counts = np.unique(vector, return_counts=True)
        knots.append(_array1(Array1_double, map(float, values), len(values)))
        multiplicities.append(_array1(Array1_int, map(int, counts), len(counts)))
    return Geom_BSplineSurface(poles, factors, *knots, *multiplicities, *record["degree"], False, False)


def _array1(kind: Any, values: Any, count: int) -> Any:
    array = kind(1, count)
    for i, value in enumerate(values, start=1):
        array.SetValue(i, value)
    return array


def surface_record(surface: Geom_BSplineSurface) -> dict[str, Any]:
    """Degree, knots, points and weights (or None) of the kernel's surface."""
    if surface.IsUPeriodic():
        surface.SetUNotPeriodic()
    if surface.IsVPeriodic():
        surface.SetVNotPeriodic()
    nu, nv = surface.NbUPoles(), surface.NbVPoles()
    poles = [[surface.Pole(i, j) for j in range(1, nv + 1)] for i in range(1, nu + 1)]
    points = np.array([[(p.X(), p.Y(), p.Z()) for p in row] for row in poles])
    weights = None
    if surface.IsURational() or surface.IsVRational():
        weights = np.array([[surface.Weight(i, j) for j in range(1, nv + 1)] for i in range(1, nu + 1)])
    knots = (
        np.repeat(*_knots(surface.NbUKnots(), surface.UKnot, surface.UMultiplicity)),
        np.repeat(*_knots(surface.NbVKnots(), surface.VKnot, surface.VMultiplicity)),
    )
    return {"degree": (surface.UDegree(), surface.VDegree()), "knots": knots, "points": points, "weights": weights}


def _knots(count: int, knot: Any, multiplicity: Any) -> tuple[list[float], list[int]]:
    return [knot(i) for i in range(1, count + 1)], [multiplicity(i) for i in range(1, count + 1)]


def evaluate(record: dict[str, Any], uv: Any) -> Any:
    """(3, 3, n, 3) derivatives up to order 2 at (n, 2) parameters, by the kernel itself."""
    surface = spline_surface(record)
    orders = [(0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2)]
    result = np.zeros((3, 3, len(uv), 3))
    for n, (u, v) in enumerate(uv):
        for k, m in orders:
            if k or m:
                d = surface.DN(float(u), float(v), k, m)
            else:
                d = surface.Value(float(u), float(v))
            result[k, m, n] = d.X(), d.Y(), d.Z()
    return result


def write_step(path: str, items: list[tuple[str, dict[str, Any]]]) -> int:
    """Write named surfaces as faces to a STEP file in millimetres; returns how many.

    Every face is checked before anything is written.
    """
    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    for name, record in items:
        face = BRepBuilderAPI_MakeFace(spline_surface(record), SURFACE_TOLERANCE)
        if not face.IsDone() or not BRepCheck_Analyzer(face.Face()).IsValid():
            raise KernelProblem(
                f"'{name}' does not make a valid face", "Look for folded or collapsed control rows in it"
            )
        label = shapes.AddShape(face.Face(), False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name, True))
    STEPControl_Controller.Init_s()
    writer = STEPCAFControl_Writer()
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    Interface_Static.SetCVal_s("write.step.schema", "AP214IS")
    writer.SetNameMode(True)
    if not writer.Transfer(document, STEPControl_AsIs):
        raise KernelProblem("The surfaces could not be turned into STEP", "Export them one by one to find the cause")
    _sign(writer)
    if writer.Write(path) != IFSelect_RetDone:
        raise FileProblem(f"{path} cannot be written", "Choose another place, or make room on the disk")
    return len(items)


def _sign(writer: STEPCAFControl_Writer) -> None:
    """Say in the file's header what wrote it."""
    header = APIHeaderSection_MakeHeader(writer.ChangeWriter().Model())
    program = TCollection_HAsciiString(f"Arabesque {__version__}")
    nobody = TCollection_HAsciiString("")
    header.SetName(TCollection_HAsciiString("Patches"))
    header.SetAuthorValue(1, nobody)
    header.SetOrganizationValue(1, nobody)
    header.SetPreprocessorVersion(program)
    header.SetOriginatingSystem(program)
    header.SetDescriptionValue(1, TCollection_HAsciiString("Surfaces in millimetres"))


def read_step(path: str) -> list[dict[str, Any]]:
    """Every face of a STEP file, in millimetres.

    Returns a record each: name, surface record, loops (list of (n, 2)
    parameter polygons) and reversed (the face looks against Su x Sv).
    Analytic faces are converted to splines exactly.
    """
    reader = STEPCAFControl_Reader()
    reader.SetNameMode(True)
    name = Path(path).name
    if reader.ReadFile(path) != IFSelect_RetDone:
        raise FileProblem(f"{name} cannot be read as STEP", "Export it again from its source")
    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    if not reader.Transfer(document):
        raise FileProblem(f"{name} holds no shapes that can be read", "Export it again from its source")
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    labels = Sequence_TDF_Label()
    shapes.GetFreeShapes(labels)
    faces = []
    for i in range(1, labels.Length() + 1):
        label = labels.Value(i)
        title = TDataStd_Name()
        given = title.Get().ToExtString() if label.FindAttribute(TDataStd_Name.GetID_s(), title) else ""
        shape = shapes.GetShape_s(label)
        for number, face in enumerate(_faces(shape), start=1):
            faces.append({"name": given if number == 1 else f"{given} {number}", **_face_record(face)})
    if not faces:
        raise FileProblem(f"{name} holds no faces", "Export surfaces or a body to it")
    return faces


def _faces(shape: Any) -> Iterator[Any]:
    explorer = TopExp_Explorer(shape, TopAbs_FACE)
    while explorer.More():
        yield TopoDS.Face(explorer.Current())
        explorer.Next()


def _face_record(face: Any) -> dict[str, Any]:
    converted = next(_faces(BRepBuilderAPI_NurbsConvert(face, True).Shape()))
    surface = BRep_Tool.Surface_s(converted)
    if not isinstance(surface, Geom_BSplineSurface):
        raise ArabesqueError("A face cannot be turned into a spline", "Export it again as a spline surface")
    return {
        "surface": surface_record(surface),
        "loops": [_loop(wire, converted) for wire in _wires(converted)],
        "reversed": converted.Orientation() == TopAbs_REVERSED,
    }


def _wires(face: Any) -> Iterator[Any]:
    explorer = TopExp_Explorer(face, TopAbs_WIRE)
    while explorer.More():
        yield TopoDS.Wire(explorer.Current())
        explorer.Next()


def _loop(wire: Any, face: Any) -> Any:
    """Polygon of the wire in the face's parameters, (n, 2)."""
    places = []
    edges = BRepTools_WireExplorer(wire, face)
    while edges.More():
        edge = edges.Current()
        curve = BRepAdaptor_Curve2d(edge, face)
        t = np.linspace(curve.FirstParameter(), curve.LastParameter(), PLACES_PER_EDGE)
        if edge.Orientation() == TopAbs_REVERSED:
            t = t[::-1]
        places += [(p.X(), p.Y()) for p in map(curve.Value, map(float, t[:-1]))]
        edges.Next()
    return np.array(places).reshape(-1, 2)
