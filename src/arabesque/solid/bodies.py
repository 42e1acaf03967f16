"""Bodies in the kernel: sewn of faces, put together, cut, and what they are. Runs only inside the worker."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeSolid, BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.collections import IndexedDataMap_TopoDS_Shape_List_TopoDS_Shape_TopTools_ShapeMapHasher as EdgeMap
from OCP.collections import List_TopoDS_Shape
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.IFSelect import IFSelect_RetDone
from OCP.ShapeAnalysis import ShapeAnalysis_ShapeTolerance
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_SHELL
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Compound

from arabesque.errors import FileProblem, KernelProblem
from arabesque.solid import kernel
from arabesque.solid.stored import restored, stored

ALONG = 33
"""Places along a free border."""
EXACT = 1e-9
"""Relative accuracy that volumes and areas are asked for."""
FULL = 2 * np.pi - 1e-9
HOW = {"cut": BRepAlgoAPI_Cut, "add": BRepAlgoAPI_Fuse, "common": BRepAlgoAPI_Common}


def sewn(parts: list[tuple[str, dict[str, Any]]], tolerance: float) -> dict[str, Any]:
    """The body of named faces and patches whose borders lie within a tolerance, mm, of each other; a solid where it is
    closed."""
    sewing = BRepBuilderAPI_Sewing(tolerance)
    for name, record in parts:
        sewing.Add(kernel.shape_of(name, record))
    sewing.Perform()
    made = sewing.SewedShape()
    if made is None or made.IsNull():
        raise KernelProblem("The faces could not be sewn", "Allow a larger tolerance, or leave the smallest ones out")
    solids = [_solid(TopoDS.Shell(shell)) for shell in _parts(made, TopAbs_SHELL)]
    return body(_together([*solids, *_loose(made)]))


def combined(how: str, one: dict[str, Any], others: list[dict[str, Any]]) -> dict[str, Any]:
    """A body with others cut from it, added to it, or kept in common with it ("cut", "add", "common"); faces of one
    surface are merged."""
    target, tools = List_TopoDS_Shape(), List_TopoDS_Shape()
    target.Append(solid_of(one))
    for other in others:
        tools.Append(solid_of(other))
    doing = HOW[how]()
    doing.SetArguments(target)
    doing.SetTools(tools)
    doing.Build()
    if not doing.IsDone():
        raise KernelProblem("The bodies could not be put together", "Move one of them a little, or check both")
    merging = ShapeUpgrade_UnifySameDomain(doing.Shape(), True, True, False)
    merging.Build()
    made = merging.Shape()
    if not any(True for _ in _parts(made, TopAbs_FACE)):
        words = {"common": "The bodies have nothing in common", "cut": "Nothing of the body would be left"}
        raise KernelProblem(words.get(how, "Nothing came of it"), "Move one of them")
    return body(made)


def bodies_of(path: str) -> list[dict[str, Any]]:
    """Every free shape of a STEP file as a body."""
    reader = STEPControl_Reader()
    if reader.ReadFile(path) != IFSelect_RetDone or not reader.TransferRoots():
        raise FileProblem(f"{path} cannot be read as STEP", "Export it again from its source")
    return [body(reader.Shape(k)) for k in range(1, reader.NbShapes() + 1)]


def solid_of(record: dict[str, Any]) -> Any:
    """The kernel's shape of a stored body, or the solid that a closed true shape bounds."""
    if record["of"] == "body":
        return restored(record["brep"], record["motion"])
    frame, (u, v) = record["frame"], record["bounds"]
    if record["of"] == "plane" or u[1] - u[0] < FULL:
        raise KernelProblem(f"A {record['of']} that is not closed bounds no solid", "Show all of it, or sew it")
    sizes, (low, high) = record["sizes"], v
    place, axis, towards = frame[:3, 3], frame[:3, 2], frame[:3, 0]
    base = place + low * axis if record["of"] in ("cylinder", "cone") else place
    axes = gp_Ax2(gp_Pnt(*map(float, base)), gp_Dir(*map(float, axis)), gp_Dir(*map(float, towards)))
    if record["of"] == "cylinder":
        return BRepPrimAPI_MakeCylinder(axes, sizes[0], high - low).Shape()
    if record["of"] == "cone":
        ends = [sizes[0] + at * np.tan(sizes[1]) for at in (low, high)]
        return BRepPrimAPI_MakeCone(axes, *map(float, ends), high - low).Shape()
    if record["of"] == "sphere":
        return BRepPrimAPI_MakeSphere(axes, sizes[0]).Shape()
    return BRepPrimAPI_MakeTorus(axes, *map(float, sizes)).Shape()


def body(shape: Any) -> dict[str, Any]:
    """A shape as plain values: its bytes, the records of its faces, and what it is; see ``solid.Body``."""
    faces = [{"name": "", **kernel.face_record(face)} for face in _parts(shape, TopAbs_FACE)]
    edges = [TopoDS.Edge(edge) for edge in _free(shape)]
    volume, area = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, volume, EXACT, True)
    BRepGProp.SurfaceProperties_s(shape, area, EXACT)
    closed = not edges and bool(faces)
    centre = (volume if closed else area).CentreOfMass()
    lengths = [
        GCPnts_AbscissaPoint.Length_s(BRepAdaptor_Curve(TopoDS.Edge(edge)))
        for edge in _parts(shape, TopAbs_EDGE)
        if not BRep_Tool.Degenerated_s(TopoDS.Edge(edge))
    ]
    return {
        "brep": stored(shape),
        "faces": faces,
        "valid": bool(BRepCheck_Analyzer(shape).IsValid()),
        "closed": closed,
        "volume": float(volume.Mass()) if closed else 0.0,
        "area": float(area.Mass()),
        "centre": np.array([centre.X(), centre.Y(), centre.Z()]),
        "gap": float(ShapeAnalysis_ShapeTolerance().Tolerance(shape, 1, TopAbs_EDGE)),
        "shortest": float(min(lengths, default=0.0)),
        "free": [_places(edge) for edge in edges],
    }


def _solid(shell: Any) -> Any:
    """A solid of a closed shell, looking outwards; an open one stays."""
    if not BRep_Tool.IsClosed_s(shell):
        return shell
    solid = BRepBuilderAPI_MakeSolid(shell).Solid()
    BRepLib.OrientClosedSolid_s(solid)
    return solid


def _loose(shape: Any) -> Iterator[Any]:
    """Faces that belong to no shell."""
    explorer = TopExp_Explorer(shape, TopAbs_FACE, TopAbs_SHELL)
    while explorer.More():
        yield explorer.Current()
        explorer.Next()


def _together(shapes: Sequence[Any]) -> Any:
    if len(shapes) == 1:
        return shapes[0]
    several, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(several)
    for one in shapes:
        builder.Add(several, one)
    return several


def _parts(shape: Any, kind: Any) -> Iterator[Any]:
    explorer = TopExp_Explorer(shape, kind)
    while explorer.More():
        yield explorer.Current()
        explorer.Next()


def _free(shape: Any) -> list[Any]:
    """Edges with one face only; a seam of a face has it twice."""
    found, count = [], EdgeMap()
    TopExp.MapShapesAndAncestors_s(shape, TopAbs_EDGE, TopAbs_FACE, count)
    for k in range(1, count.Extent() + 1):
        edge = TopoDS.Edge(count.FindKey(k))
        faces = count.FindFromIndex(k)
        seam = any(BRep_Tool.IsClosed_s(edge, TopoDS.Face(face)) for face in faces)
        if faces.Size() < 2 and not seam and not BRep_Tool.Degenerated_s(edge):
            found.append(edge)
    return found


def _places(edge: Any) -> Any:
    """(ALONG, 3) along an edge."""
    curve = BRepAdaptor_Curve(edge)
    t = np.linspace(curve.FirstParameter(), curve.LastParameter(), ALONG)
    return np.array([(p.X(), p.Y(), p.Z()) for p in (curve.Value(float(one)) for one in t)])
