"""Bodies in the kernel: sewn of faces, put together, cut, and what they are. Runs only inside the worker."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeSolid, BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.collections import IndexedDataMap_TopoDS_Shape_List_TopoDS_Shape_TopTools_ShapeMapHasher as EdgeMap
from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher, List_TopoDS_Shape
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAbs import GeomAbs_C1
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.IFSelect import IFSelect_RetDone
from OCP.ShapeAnalysis import ShapeAnalysis_FreeBounds, ShapeAnalysis_ShapeTolerance
from OCP.ShapeCustom import ShapeCustom, ShapeCustom_RestrictionParameters
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_SHELL, TopAbs_WIRE
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS

from arabesque.errors import ArabesqueError, FileProblem, KernelProblem
from arabesque.geometry import LARGEST_DEGREE
from arabesque.solid import kernel
from arabesque.solid.stored import restored, stored, together

ALONG = 33
"""Places along a free border."""
EXACT = 1e-9
"""Relative accuracy that volumes and areas are asked for."""
NEAR, MOST_SPANS = 1e-4, 200
"""mm, how near faces are seen whose degree is too high, and of how many pieces."""
FULL = 2 * np.pi - 1e-9
HOW = {"cut": BRepAlgoAPI_Cut, "add": BRepAlgoAPI_Fuse, "common": BRepAlgoAPI_Common}


def sewn(parts: list[tuple[str, dict[str, Any]]], tolerance: float, cap: bool = False) -> dict[str, Any]:
    """The body of named faces and patches whose borders lie within a tolerance, mm, of each other; a solid where it is
    closed. cap: flat openings get a face first."""
    made = _sewn([kernel.shape_of(name, record) for name, record in parts], tolerance)
    caps = _caps(made) if cap else []
    if caps:
        made = _sewn([made, *caps], tolerance)
    solids = [_solid(TopoDS.Shell(shell)) for shell in _parts(made, TopAbs_SHELL)]
    return body(together([*solids, *_loose(made)]))


def rounded(one: dict[str, Any], places: Any, size: float, chamfer: bool) -> dict[str, Any]:
    """A body with the edges nearest to (k, 3) places rounded with a radius, or cut off by a length, mm; what goes on
    smoothly from such an edge is taken along."""
    shape = solid_of(one)
    making = BRepFilletAPI_MakeChamfer(shape) if chamfer else BRepFilletAPI_MakeFillet(shape)
    edges = [TopoDS.Edge(edge) for edge in _parts(shape, TopAbs_EDGE)]
    edges = [edge for edge in edges if not BRep_Tool.Degenerated_s(edge)]
    lines = [_places(edge) for edge in edges]
    for place in places:
        nearest = int(np.argmin([np.linalg.norm(line - place, axis=1).min() for line in lines]))
        if not making.Contour(edges[nearest]):
            making.Add(size, edges[nearest])
    words = "cut off" if chamfer else "rounded"
    failed = KernelProblem(f"The edge cannot be {words} by {size:g} mm", "Give a smaller size, or choose fewer edges")
    try:
        making.Build()
    except kernel.KERNEL_ERRORS as problem:
        raise failed from problem
    if not making.IsDone():
        raise failed
    return body(making.Shape())


def repeated(one: dict[str, Any], motions: Any) -> dict[str, Any]:
    """A body and its copies after (k, 4, 4) motions, as one shape of several solids; those that touch are fused."""
    shapes = [solid_of({**one, "motion": motion @ one["motion"]}) for motion in motions]
    first, others = List_TopoDS_Shape(), List_TopoDS_Shape()
    first.Append(shapes[0])
    for shape in shapes[1:]:
        others.Append(shape)
    if len(shapes) == 1:
        return body(shapes[0])
    return _puttogether(BRepAlgoAPI_Fuse(), first, others, "Nothing came of it")


def combined(how: str, one: dict[str, Any], others: list[dict[str, Any]]) -> dict[str, Any]:
    """A body with others cut from it, added to it, or kept in common with it ("cut", "add", "common"); faces of one
    surface are merged."""
    target, tools = List_TopoDS_Shape(), List_TopoDS_Shape()
    target.Append(solid_of(one))
    for other in others:
        tools.Append(solid_of(other))
    words = {"common": "The bodies have nothing in common", "cut": "Nothing of the body would be left"}
    return _puttogether(HOW[how](), target, tools, words.get(how, "Nothing came of it"))


def _puttogether(doing: Any, target: Any, tools: Any, nothing: str) -> dict[str, Any]:
    doing.SetArguments(target)
    doing.SetTools(tools)
    doing.SetRunParallel(True)
    doing.Build()
    if not doing.IsDone():
        raise KernelProblem("The bodies could not be put together", "Move one of them a little, or check both")
    merging = ShapeUpgrade_UnifySameDomain(doing.Shape(), True, True, False)
    merging.Build()
    made = merging.Shape()
    if not any(True for _ in _parts(made, TopAbs_FACE)):
        raise KernelProblem(nothing, "Move one of them")
    return body(made)


def _sewn(shapes: Sequence[Any], tolerance: float) -> Any:
    sewing = BRepBuilderAPI_Sewing(tolerance)
    for shape in shapes:
        sewing.Add(shape)
    sewing.Perform()
    made = sewing.SewedShape()
    if made is None or made.IsNull():
        raise KernelProblem("The faces could not be sewn", "Allow a larger tolerance, or leave the smallest ones out")
    return made


def _caps(shape: Any) -> list[Any]:
    """Faces over the flat ones among the closed free borders of a shape."""
    closed = ShapeAnalysis_FreeBounds(shape, False, True, False).GetClosedWires()
    found = []
    for wire in () if closed is None or closed.IsNull() else _parts(closed, TopAbs_WIRE):
        making = BRepBuilderAPI_MakeFace(TopoDS.Wire(wire), True)
        if making.IsDone():
            found.append(making.Face())
    return found


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
    faces = [{"name": "", **_face(TopoDS.Face(face))} for face in _parts(shape, TopAbs_FACE)]
    edges = [TopoDS.Edge(edge) for edge in _free(shape)]
    volume, area = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, volume, EXACT, True)
    BRepGProp.SurfaceProperties_s(shape, area, EXACT)
    closed = not edges and bool(faces)
    centre = (volume if closed else area).CentreOfMass()
    every = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher()
    TopExp.MapShapes_s(shape, TopAbs_EDGE, every)
    lengths = [
        GCPnts_AbscissaPoint.Length_s(BRepAdaptor_Curve(edge))
        for edge in (TopoDS.Edge(every.FindKey(k)) for k in range(1, every.Extent() + 1))
        if not BRep_Tool.Degenerated_s(edge)
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


def _face(face: Any) -> dict[str, Any]:
    """The record of a face; one whose degree is too high for us is seen through a spline near to it."""
    try:
        return kernel.face_record(face)
    except ArabesqueError:
        limits = ShapeCustom_RestrictionParameters()
        lower = ShapeCustom.BSplineRestriction_s(
            face, NEAR, NEAR, LARGEST_DEGREE, MOST_SPANS, GeomAbs_C1, GeomAbs_C1, True, False, limits
        )
        return kernel.face_record(TopoDS.Face(next(_parts(lower, TopAbs_FACE))))


def _solid(shell: Any) -> Any:
    """A solid of a closed shell, looking outwards; an open one stays."""
    if not BRep_Tool.IsClosed_s(shell):
        return shell
    solid = BRepBuilderAPI_MakeSolid(shell).Solid()
    inside = GProp_GProps()
    BRepGProp.VolumeProperties_s(solid, inside)
    # its faces themselves look outwards: rounding goes by these, not by how the solid takes them
    return solid if inside.Mass() > 0 else BRepBuilderAPI_MakeSolid(TopoDS.Shell(shell.Reversed())).Solid()


def _loose(shape: Any) -> Iterator[Any]:
    """Faces that belong to no shell."""
    explorer = TopExp_Explorer(shape, TopAbs_FACE, TopAbs_SHELL)
    while explorer.More():
        yield explorer.Current()
        explorer.Next()


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
        if faces.Size() > 1 or BRep_Tool.Degenerated_s(edge):
            continue
        if not any(BRep_Tool.IsClosed_s(edge, TopoDS.Face(face)) for face in faces):
            found.append(edge)
    return found


def _places(edge: Any) -> Any:
    """(ALONG, 3) along an edge."""
    curve = BRepAdaptor_Curve(edge)
    t = np.linspace(curve.FirstParameter(), curve.LastParameter(), ALONG)
    return np.array([(p.X(), p.Y(), p.Z()) for p in (curve.Value(float(one)) for one in t)])
