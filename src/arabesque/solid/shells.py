"""Shells and solids of patches that share edges, built in the kernel piece by piece. Runs only inside the worker."""

from __future__ import annotations

from typing import Any

from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.collections import IndexedDataMap_TopoDS_Shape_List_TopoDS_Shape_TopTools_ShapeMapHasher as EdgeMap
from OCP.Geom2d import Geom2d_Line
from OCP.gp import gp_Dir2d, gp_Pnt, gp_Pnt2d
from OCP.GProp import GProp_GProps
from OCP.ShapeAnalysis import ShapeAnalysis_ShapeTolerance
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shell, TopoDS_Solid, TopoDS_Vertex, TopoDS_Wire

from arabesque.solid.stored import together

MEETING = 1e-5
"""mm: patches of one shape share their control points along borders; rounding leaves so much between them at most."""
SHARED = 1e-7
"""mm: tolerance of the shared edges and corners."""


def sharing_edges(faces: list[Any]) -> Any:
    """Faces whose borders coincide as shells that share their edges; each face by itself where that is not valid."""
    sewing = BRepBuilderAPI_Sewing(MEETING)
    for face in faces:
        sewing.Add(face)
    sewing.Perform()
    made = sewing.SewedShape()
    sound = made is not None and not made.IsNull() and BRepCheck_Analyzer(made).IsValid()
    return made if sound else together(faces)


def shell(record: dict[str, Any], surface_of: Any, curve_of: Any) -> Any:
    """A shell, or where it is closed and ``solid`` is asked for a solid, of a record of a ``cages.Skin``.

    surface_of, curve_of: make the kernel's own of records. Edges and corners are shared, with straight lines in the
    parameters of both faces; nothing is sewn.
    """
    builder = BRep_Builder()
    vertices = []
    for place in record["corners"]:
        vertex = TopoDS_Vertex()
        builder.MakeVertex(vertex, gp_Pnt(*map(float, place)), SHARED)
        vertices.append(vertex)
    surfaces = [surface_of(one) for one in record["surfaces"]]
    edges = []
    for (start, end), curve, (low, high) in zip(record["edges"], record["curves"], record["spans"], strict=True):
        edge = TopoDS_Edge()
        builder.MakeEdge(edge, curve_of(curve), SHARED)
        builder.Add(edge, vertices[start])
        builder.Add(edge, TopoDS.Vertex(vertices[end].Reversed()))
        builder.Range(edge, float(low), float(high))
        edges.append(edge)
    wires = [TopoDS_Wire() for _ in surfaces]
    for wire in wires:
        builder.MakeWire(wire)
    flats: dict[int, list[tuple[Any, int]]] = {}
    for (number, _, edge), line, turned in zip(record["uses"], record["flat"], record["turned"], strict=True):
        builder.Add(wires[number], edges[edge].Reversed() if turned else edges[edge])
        u, v, du, dv = map(float, line)
        flats.setdefault(int(edge), []).append((Geom2d_Line(gp_Pnt2d(u, v), gp_Dir2d(du, dv)), int(number)))
    nowhere = TopLoc_Location()
    for edge, lines in flats.items():
        low, high = map(float, record["spans"][edge])
        if len(lines) == 2 and lines[0][1] == lines[1][1]:
            # a patch that meets itself: both lines belong to one edge of one surface
            forward = [line for (line, _), turned in zip(lines, _turns(record, edge), strict=True) if not turned]
            backward = [line for (line, _), turned in zip(lines, _turns(record, edge), strict=True) if turned]
            builder.UpdateEdge(edges[edge], forward[0], backward[0], surfaces[lines[0][1]], nowhere, SHARED)
            builder.Range(edges[edge], surfaces[lines[0][1]], nowhere, low, high)
            continue
        for line, number in lines:
            builder.UpdateEdge(edges[edge], line, surfaces[number], nowhere, SHARED)
            builder.Range(edges[edge], surfaces[number], nowhere, low, high)
    made = TopoDS_Shell()
    builder.MakeShell(made)
    for surface, wire in zip(surfaces, wires, strict=True):
        face = TopoDS_Face()
        builder.MakeFace(face, surface, nowhere, SHARED)
        wire.Closed(True)
        builder.Add(face, wire)
        builder.Add(made, face)
    made.Closed(bool(record["closed"]))
    if not (record["closed"] and record["solid"]):
        return made
    solid = TopoDS_Solid()
    builder.MakeSolid(solid)
    builder.Add(solid, made)
    BRepLib.OrientClosedSolid_s(solid)
    return solid


def _turns(record: dict[str, Any], edge: int) -> list[bool]:
    return [bool(turned) for (_, _, one), turned in zip(record["uses"], record["turned"], strict=True) if one == edge]


def facts(shape: Any) -> dict[str, Any]:
    """Whether a shape is valid, its number of faces and of edges with one face only, area mm², volume mm³ (of a closed
    one; by the kernel), and the largest tolerance of an edge, mm."""
    faces, free, count = 0, 0, EdgeMap()
    TopExp.MapShapesAndAncestors_s(shape, TopAbs_EDGE, TopAbs_FACE, count)
    for k in range(1, count.Extent() + 1):
        edge = TopoDS.Edge(count.FindKey(k))
        if not BRep_Tool.Degenerated_s(edge) and count.FindFromIndex(k).Size() < 2:
            seam = any(BRep_Tool.IsClosed_s(edge, TopoDS.Face(face)) for face in count.FindFromIndex(k))
            free += not seam
    explorer = TopExp_Explorer(shape, TopAbs_FACE)
    while explorer.More():
        faces += 1
        explorer.Next()
    volume, area = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, volume, 1e-6, True)
    BRepGProp.SurfaceProperties_s(shape, area, 1e-6)
    return {
        "valid": bool(BRepCheck_Analyzer(shape).IsValid()),
        "faces": faces,
        "free_edges": int(free),
        "area": float(area.Mass()),
        "volume": float(volume.Mass()) if not free else 0.0,
        "tolerance": float(ShapeAnalysis_ShapeTolerance().Tolerance(shape, 1, TopAbs_EDGE)),
        "solid": shape.ShapeType().name == "TopAbs_SOLID",
    }
