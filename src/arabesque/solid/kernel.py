"""What the B-rep kernel does for Arabesque. Runs only inside the worker process.

Arguments and results are plain values (numbers, strings, arrays), so that
nothing of the kernel crosses the process border.
"""

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve2d
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_NurbsConvert
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeSphere
from OCP.BRepTools import BRepTools, BRepTools_WireExplorer
from OCP.collections import Array1_double, Array1_gp_Pnt, Array1_int, Array2_double, Array2_gp_Pnt, Sequence_TDF_Label
from OCP.Geom import (
    Geom_BSplineCurve,
    Geom_BSplineSurface,
    Geom_ConicalSurface,
    Geom_CylindricalSurface,
    Geom_Plane,
    Geom_RectangularTrimmedSurface,
    Geom_SphericalSurface,
    Geom_ToroidalSurface,
    Geom_TrimmedCurve,
)
from OCP.GeomAbs import GeomAbs_Line
from OCP.GeomConvert import GeomConvert
from OCP.gp import gp_Ax2, gp_Ax3, gp_Dir, gp_Pnt
from OCP.IFSelect import IFSelect_RetDone
from OCP.IGESCAFControl import IGESCAFControl_Reader
from OCP.Message import Message, Message_Gravity
from OCP.Standard import (
    Standard_ConstructionError,
    Standard_DomainError,
    Standard_Failure,
    Standard_NoSuchObject,
    Standard_NullObject,
    Standard_OutOfRange,
)
from OCP.StdFail import StdFail_NotDone
from OCP.STEPCAFControl import STEPCAFControl_Reader
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Controller, STEPControl_Reader, STEPControl_Writer
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_REVERSED, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS
from OCP.XCAFDoc import XCAFDoc_DocumentTool

from arabesque.errors import ArabesqueError, FileProblem, KernelProblem
from arabesque.geometry import LARGEST_DEGREE
from arabesque.solid import shells, trimmed
from arabesque.solid.stored import restored
from arabesque.solid.true_faces import Turned, true_face

PLACES_PER_EDGE = 97
KERNEL_ERRORS = (
    Standard_ConstructionError, Standard_DomainError, Standard_Failure, Standard_NoSuchObject, Standard_NullObject,
    Standard_OutOfRange, StdFail_NotDone, StopIteration,
)  # fmt: skip
"""What the kernel raises for shapes that it cannot take: its errors have no common root."""
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


def true_surface(record: dict[str, Any]) -> Any:
    """The kernel's own plane, cylinder, cone, sphere or torus for a record of kind, frame and sizes."""
    frame = record["frame"]
    place, axis, towards = (map(float, column) for column in (frame[:3, 3], frame[:3, 2], frame[:3, 0]))
    axes = gp_Ax3(gp_Pnt(*place), gp_Dir(*axis), gp_Dir(*towards))
    sizes = record["sizes"]
    if record["of"] == "cone":
        return Geom_ConicalSurface(axes, sizes[1], sizes[0])
    kinds = {
        "plane": Geom_Plane,
        "cylinder": Geom_CylindricalSurface,
        "sphere": Geom_SphericalSurface,
        "torus": Geom_ToroidalSurface,
    }
    return kinds[record["of"]](axes, *sizes)


def _bounds(record: dict[str, Any]) -> tuple[float, float, float, float]:
    """What is shown of a true shape, in the kernel's parameters: along a cone it counts on the slant."""
    (u0, u1), (v0, v1) = record["bounds"]
    slant = np.cos(record["sizes"][1]) if record["of"] == "cone" else 1.0
    return u0, u1, v0 / slant, v1 / slant


def spline_curve(record: dict[str, Any]) -> Geom_BSplineCurve:
    """The kernel's curve for a record of degree, knots, points and weights (or None)."""
    points, weights = record["points"], record["weights"]
    poles = _array1(Array1_gp_Pnt, (gp_Pnt(*map(float, p)) for p in points), len(points))
    given = np.ones(len(points)) if weights is None else weights
    factors = _array1(Array1_double, map(float, given), len(points))
    values, counts = np.unique(record["knots"], return_counts=True)
    knots = _array1(Array1_double, map(float, values), len(values))
    multiplicities = _array1(Array1_int, map(int, counts), len(counts))
    return Geom_BSplineCurve(poles, factors, knots, multiplicities, record["degree"], False)


def curve_record(curve: Geom_BSplineCurve) -> dict[str, Any]:
    """Degree, knots, points and weights (or None) of the kernel's curve."""
    _check_degree(curve.Degree())
    if curve.IsPeriodic():
        curve.SetNotPeriodic()
    count = curve.NbPoles()
    points = np.array([(p.X(), p.Y(), p.Z()) for p in (curve.Pole(i) for i in range(1, count + 1))])
    weights = np.array([curve.Weight(i) for i in range(1, count + 1)]) if curve.IsRational() else None
    knots = np.repeat(*_knots(curve.NbKnots(), curve.Knot, curve.Multiplicity))
    return {"degree": curve.Degree(), "knots": knots, "points": points, "weights": weights}


def _check_degree(degree: int) -> None:
    if degree > LARGEST_DEGREE:
        raise ArabesqueError(f"degree {degree} is above {LARGEST_DEGREE}", "Export it with a lower degree")


def _array1(kind: Any, values: Any, count: int) -> Any:
    array = kind(1, count)
    for i, value in enumerate(values, start=1):
        array.SetValue(i, value)
    return array


def surface_record(surface: Geom_BSplineSurface) -> dict[str, Any]:
    """Degree, knots, points and weights (or None) of the kernel's surface."""
    _check_degree(max(surface.UDegree(), surface.VDegree()))
    if surface.IsUPeriodic():
        surface.SetUNotPeriodic()
    if surface.IsVPeriodic():
        surface.SetVNotPeriodic()
    if not _is_clamped(surface):
        surface.Segment(*surface.Bounds())
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


def _is_clamped(surface: Geom_BSplineSurface) -> bool:
    u, v = surface.UDegree() + 1, surface.VDegree() + 1
    ends_u = surface.UMultiplicity(1), surface.UMultiplicity(surface.NbUKnots())
    ends_v = surface.VMultiplicity(1), surface.VMultiplicity(surface.NbVKnots())
    return ends_u == (u, u) and ends_v == (v, v)


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


def shape_of(name: str, record: dict[str, Any]) -> Any:
    """A face or an edge, valid."""
    if record.get("of") == "body":
        return restored(record["brep"], record["motion"])
    if record.get("of") == "shell":
        return _checked_shell(name, record)
    if record.get("of") == "trimmed":
        return _checked_faces(name, record)
    if record.get("of") == "patchwork":
        faces = [shape_of(f"{name} {number}", one) for number, one in enumerate(record["patches"], 1)]
        return shells.sharing_edges(faces)
    if "of" in record:
        made = BRepBuilderAPI_MakeFace(true_surface(record), *_bounds(record), SURFACE_TOLERANCE)
        what = "face"
    elif record["points"].ndim == 3:
        made = BRepBuilderAPI_MakeFace(spline_surface(record), SURFACE_TOLERANCE)
        what = "face"
    else:
        made = BRepBuilderAPI_MakeEdge(spline_curve(record))
        what = "edge"
    if not made.IsDone() or not BRepCheck_Analyzer(made.Shape()).IsValid():
        raise KernelProblem(f"'{name}' does not make a valid {what}", "Look for folded or collapsed control rows in it")
    return made.Shape()


def _checked_faces(name: str, record: dict[str, Any]) -> Any:
    made = trimmed.faces(record, spline_surface)
    if not BRepCheck_Analyzer(made).IsValid():
        raise KernelProblem(f"'{name}' does not make a valid face", "Look whether its trim crosses itself")
    return made


def _checked_shell(name: str, record: dict[str, Any]) -> Any:
    made = shells.shell(record, spline_surface, spline_curve)
    if not BRepCheck_Analyzer(made).IsValid():
        raise KernelProblem(f"'{name}' does not make a valid body", "Look for folded faces in it")
    return made


def body_facts(path: str) -> list[dict[str, Any]]:
    """What the bodies of a STEP file are: see ``shells.facts``, one record a free shape."""
    reader = STEPControl_Reader()
    if reader.ReadFile(path) != IFSelect_RetDone or not reader.TransferRoots():
        raise FileProblem(f"{Path(path).name} cannot be read as STEP", "Export it again from its source")
    return [shells.facts(reader.Shape(k)) for k in range(1, reader.NbShapes() + 1)]


def read_model(path: str, kind: str) -> dict[str, list[dict[str, Any]]]:
    """Every face and free curve of a STEP or IGES file, in millimetres.

    kind: "STEP" or "IGES". Returns faces (name, surface record, loops of
    (n, 2) parameters, reversed), curves (name, curve record) and skipped
    (name, why). Analytic shapes are converted to splines exactly.
    """
    reader = STEPCAFControl_Reader() if kind == "STEP" else IGESCAFControl_Reader()
    reader.SetNameMode(True)
    name = Path(path).name
    if reader.ReadFile(path) != IFSelect_RetDone:
        raise FileProblem(f"{name} cannot be read as {kind}", "Export it again from its source")
    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    if not reader.Transfer(document):
        raise FileProblem(f"{name} holds no shapes that can be read", "Export it again from its source")
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    labels = Sequence_TDF_Label()
    shapes.GetFreeShapes(labels)
    found: dict[str, list[dict[str, Any]]] = {"faces": [], "curves": [], "skipped": []}
    for i in range(1, labels.Length() + 1):
        label = labels.Value(i)
        title = TDataStd_Name()
        given = title.Get().ToExtString() if label.FindAttribute(TDataStd_Name.GetID_s(), title) else ""
        shape = shapes.GetShape_s(label)
        for number, face in enumerate(_faces(shape), start=1):
            _keep(found, "faces", given if number == 1 else f"{given} {number}", face_record, face)
        for number, edge in enumerate(_free_edges(shape), start=1):
            _keep(found, "curves", given if number == 1 else f"{given} {number}", _edge_record, edge)
    if not any(found.values()):
        raise FileProblem(f"{name} holds no faces and no curves", "Export surfaces, curves or a body to it")
    return found


def _keep(found: dict[str, list[dict[str, Any]]], where: str, name: str, make: Any, shape: Any) -> None:
    """Put the record of a shape where it belongs, or among those that were skipped."""
    try:
        found[where].append({"name": name, **make(shape)})
    except ArabesqueError as problem:
        found["skipped"].append({"name": name, "why": problem.cause})
    except KERNEL_ERRORS as problem:  # one bad shape does not cost the others
        words = str(problem)
        why = "It has no bounds" if "infinite" in words.lower() else f"The kernel cannot convert it ({words})"
        found["skipped"].append({"name": name, "why": why})


def _edge_record(edge: Any) -> dict[str, Any]:
    converted = TopoDS.Edge(BRepBuilderAPI_NurbsConvert(edge, True).Shape())
    first, last = BRep_Tool.Range_s(converted)
    curve = BRep_Tool.Curve_s(converted, first, last)
    if curve is None:
        raise ArabesqueError("A curve has no shape in space", "Export it again as a spline curve")
    spline = GeomConvert.CurveToBSplineCurve_s(Geom_TrimmedCurve(curve, first, last))
    return {"curve": curve_record(spline)}


def _free_edges(shape: Any) -> Iterator[Any]:
    explorer = TopExp_Explorer(shape, TopAbs_EDGE, TopAbs_FACE)
    while explorer.More():
        yield TopoDS.Edge(explorer.Current())
        explorer.Next()


def _faces(shape: Any) -> Iterator[Any]:
    explorer = TopExp_Explorer(shape, TopAbs_FACE)
    while explorer.More():
        yield TopoDS.Face(explorer.Current())
        explorer.Next()


def face_record(face: Any) -> dict[str, Any]:
    """A face as a spline surface, the loops of what shows of it with the numbers of their corners, and whether it looks
    to the other side than its surface."""
    known = true_face(face)
    if known is not None:
        made, turned, other_side = known
        loops = [_loop(wire, face, turned) for wire in _wires(face)]
        return {
            "surface": {"degree": made.degree, "knots": made.knots, "points": made.points, "weights": made.weights},
            "loops": [places for places, _ in loops],
            "corners": [corners for _, corners in loops],
            "reversed": (face.Orientation() == TopAbs_REVERSED) != other_side,
        }
    converted, surface = face, BRep_Tool.Surface_s(face)
    if isinstance(surface, Geom_Plane):
        # its parameters stay as they are, so that nothing else has to be converted
        bounds = BRepTools.UVBounds_s(face)
        surface = GeomConvert.SurfaceToBSplineSurface_s(Geom_RectangularTrimmedSurface(surface, *bounds))
    elif not isinstance(surface, Geom_BSplineSurface):
        converted = next(_faces(BRepBuilderAPI_NurbsConvert(face, True).Shape()))
        surface = BRep_Tool.Surface_s(converted)
    if not isinstance(surface, Geom_BSplineSurface):
        raise ArabesqueError("A face cannot be turned into a spline", "Export it again as a spline surface")
    loops = [_loop(wire, converted) for wire in _wires(converted)]
    return {
        "surface": surface_record(surface),
        "loops": [places for places, _ in loops],
        "corners": [corners for _, corners in loops],
        "reversed": converted.Orientation() == TopAbs_REVERSED,
    }


def _wires(face: Any) -> Iterator[Any]:
    explorer = TopExp_Explorer(face, TopAbs_WIRE)
    while explorer.More():
        yield TopoDS.Wire(explorer.Current())
        explorer.Next()


def _loop(wire: Any, face: Any, turned: Turned | None = None) -> tuple[Any, Any]:
    """Polygon of the wire in the face's parameters, (n, 2), or what ``turned`` makes of them, and the numbers of its
    places at which edges begin."""
    places: list[tuple[float, float]] = []
    starts = []
    edges = BRepTools_WireExplorer(wire, face)
    while edges.More():
        edge = edges.Current()
        curve = BRepAdaptor_Curve2d(edge, face)
        count = 2 if curve.GetType() == GeomAbs_Line and (turned is None or _is_level(curve)) else PLACES_PER_EDGE
        t = np.linspace(curve.FirstParameter(), curve.LastParameter(), count)
        if edge.Orientation() == TopAbs_REVERSED:
            t = t[::-1]
        starts.append(len(places))
        places += [(p.X(), p.Y()) for p in map(curve.Value, map(float, t[:-1]))]
        edges.Next()
    corners = starts if len(starts) > 1 else []
    found = np.array(places).reshape(-1, 2)
    return found if turned is None else turned(found), np.array(corners, dtype=np.int64)


def _is_level(line: Any) -> bool:
    """True for a line along u or v."""
    way = line.Line().Direction()
    return bool(min(abs(way.X()), abs(way.Y())) < 1e-9)


def write_primitives(path: str, solids: list[tuple[str, float, tuple[float, float, float]]]) -> int:
    """Write exact solids to a STEP file: ("ball", radius, centre) or ("rod", radius, base); rods are 30 mm high."""
    STEPControl_Controller.Init_s()
    writer = STEPControl_Writer()
    for kind, radius, place in solids:
        axes = gp_Ax2(gp_Pnt(*place), gp_Dir(0, 0, 1))
        made = BRepPrimAPI_MakeSphere(axes, radius) if kind == "ball" else BRepPrimAPI_MakeCylinder(axes, radius, 30.0)
        writer.Transfer(made.Shape(), STEPControl_AsIs)
    writer.Write(path)
    return len(solids)
