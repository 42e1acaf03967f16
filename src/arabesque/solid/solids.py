"""Solids of records: stored bodies, true shapes, profiles pushed and turned. Runs only inside the worker."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.Bnd import Bnd_Box
from OCP.BOPAlgo import BOPAlgo_Tools
from OCP.BOPTools import BOPTools_AlgoTools3D
from OCP.BRep import BRep_Tool
from OCP.BRepAlgoAPI import BRepAlgoAPI_Splitter
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeVertex
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeRevol,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.gp import gp_Ax1, gp_Ax2, gp_Circ, gp_Dir, gp_Pnt, gp_Pnt2d, gp_Trsf, gp_Vec
from OCP.GProp import GProp_GProps
from OCP.IntTools import IntTools_Context
from OCP.TopAbs import TopAbs_FACE, TopAbs_IN, TopAbs_SOLID, TopAbs_VERTEX, TopAbs_WIRE
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Compound

from arabesque.errors import KernelProblem
from arabesque.solid import kernel
from arabesque.solid.stored import listed, parts, restored, together

FULL = 2 * np.pi - 1e-9
NOTHING = 1e-6
"""mm³"""
CLEAR = 1e-6
"""mm: a place this near to a skin lies on it."""
TRIES = 400
"""Places at which is looked for one inside."""
NEAR = 1e-5
"""mm: how near the lowest place of a pushed profile is to where it starts."""


def solid_of(record: dict[str, Any]) -> Any:
    """The kernel's shape of a stored body, the solid that a closed true shape bounds, or what a profile encloses."""
    makes = {"body": _body, "pushed": _pushed, "turned": _turned}
    return makes.get(record["of"], _primitive)(record)


def solid_pieces(shape: Any) -> list[Any]:
    """The solids of a shape that have a volume."""
    return [piece for piece in parts(shape, TopAbs_SOLID) if abs(volume_of(piece)) > NOTHING]


def volume_of(shape: Any) -> float:
    """mm³ of a shape."""
    inside = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, inside)
    return float(inside.Mass())


def ends_of(shape: Any) -> Any:
    """(2, 3) lowest and highest corner of the box round a shape."""
    box = Bnd_Box()
    BRepBndLib.AddOptimal_s(shape, box, False, False)
    return np.array([(corner.X(), corner.Y(), corner.Z()) for corner in (box.CornerMin(), box.CornerMax())])


def inside(shape: Any, place: Any) -> bool:
    """True where a place (3,) lies inside one of the solids of a shape."""
    return any(
        BRepClass3d_SolidClassifier(piece, gp_Pnt(*map(float, place)), CLEAR).State() == TopAbs_IN
        for piece in parts(shape, TopAbs_SOLID)
    )


def place_inside(piece: Any) -> Any:
    """(3,) of some place well inside a solid; None where none is found."""
    ends = ends_of(piece)
    rng = np.random.default_rng(0)
    for share in [np.full(3, 0.5), *rng.random((TRIES, 3))]:
        place = ends[0] + share * (ends[1] - ends[0])
        if inside(piece, place):
            return place
    return None


def nearest_faces(shape: Any, places: Any) -> list[Any]:
    """The faces of a shape nearest to (k, 3) places, each once."""
    faces = [TopoDS.Face(face) for face in parts(shape, TopAbs_FACE)]
    found: list[Any] = []
    for place in places:
        vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*map(float, place))).Vertex()
        nearest = min(faces, key=lambda face: BRepExtrema_DistShapeShape(vertex, face).Value())
        if not any(nearest.IsSame(one) for one in found):
            found.append(nearest)
    return found


def _body(record: dict[str, Any]) -> Any:
    return restored(record["brep"], record["motion"])


def _primitive(record: dict[str, Any]) -> Any:
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


def _pushed(record: dict[str, Any]) -> Any:
    way, low = record["way"], record["low"]
    shift = gp_Trsf()
    shift.SetTranslation(gp_Vec(*map(float, low * way)))
    base = _flat(record["profile"]).Moved(TopLoc_Location(shift))
    made = BRepPrimAPI_MakePrism(base, gp_Vec(*map(float, (record["high"] - low) * way))).Shape()
    if not record["up_to"]:
        return made
    stops = [kernel.shape_of(name, one) for name, one in record["up_to"]]
    splitting = BRepAlgoAPI_Splitter()
    splitting.SetArguments(listed([made]))
    splitting.SetTools(listed(stops))
    splitting.Build()
    pieces = list(parts(splitting.Shape(), TopAbs_SOLID))
    if len(pieces) < 2:
        raise KernelProblem(
            "The profile does not run into the surface, or past its border", "Let the surface reach further"
        )
    start = _lowest(base, way)
    return together([piece for piece in pieces if _lowest(piece, way) < start + NEAR])


def _lowest(shape: Any, way: Any) -> float:
    """mm along a direction at which the corners of a shape begin."""
    return min(_along(TopoDS.Vertex(corner), way) for corner in parts(shape, TopAbs_VERTEX))


def _along(corner: Any, way: Any) -> float:
    place = BRep_Tool.Pnt_s(corner)
    return float(np.array([place.X(), place.Y(), place.Z()]) @ way)


def _turned(record: dict[str, Any]) -> Any:
    axis = gp_Ax1(gp_Pnt(*map(float, record["at"])), gp_Dir(*map(float, record["axis"])))
    return BRepPrimAPI_MakeRevol(_flat(record["profile"]), axis, float(np.radians(record["angle"]))).Shape()


def _flat(profile: list[dict[str, Any]]) -> Any:
    """The flat faces that closed edges enclose, those inside others as their holes."""
    wires = TopoDS_Compound()
    edges = together([_edge(one) for one in profile])
    failed = KernelProblem("The profile encloses no flat area", "Look whether it is closed, flat, and crosses itself")
    if BOPAlgo_Tools.EdgesToWires_s(edges, wires, False, 1e-6) or wires.IsNull():
        raise failed
    areas = _enclosed(wires)
    if not areas:
        raise failed
    outlines = [together(_enclosed(wire)) for wire in parts(wires, TopAbs_WIRE)]
    # what lies inside an even number of outlines is outside
    return together([area for area in areas if sum(_holds(outline, area) for outline in outlines) % 2])


def _enclosed(wires: Any) -> list[Any]:
    """The flat faces between wires."""
    faces = TopoDS_Compound()
    found = BOPAlgo_Tools.WiresToFaces_s(wires, faces, 1e-6)
    return [TopoDS.Face(face) for face in parts(faces, TopAbs_FACE)] if found else []


def _holds(outline: Any, area: Any) -> bool:
    """True where an area lies inside an outline of its plane."""
    place, uv = gp_Pnt(), gp_Pnt2d()
    if BOPTools_AlgoTools3D.PointInFace_s(area, place, uv, IntTools_Context()):
        raise KernelProblem("The profile encloses no flat area", "Look whether it is closed, flat, and crosses itself")
    inside = BRepExtrema_DistShapeShape(BRepBuilderAPI_MakeVertex(place).Vertex(), outline)
    return bool(inside.Value() < NEAR)


def _edge(record: dict[str, Any]) -> Any:
    if record.get("of") == "line":
        return BRepBuilderAPI_MakeEdge(*(gp_Pnt(*map(float, end)) for end in record["ends"])).Edge()
    if record.get("of") == "arc":
        centre, normal = gp_Pnt(*map(float, record["centre"])), gp_Dir(*map(float, record["normal"]))
        start, end = record["ends"]
        towards = gp_Dir(*map(float, start - record["centre"]))
        circle = gp_Circ(gp_Ax2(centre, normal, towards), record["radius"])
        if np.linalg.norm(start - end) < NEAR:
            return BRepBuilderAPI_MakeEdge(circle).Edge()
        return BRepBuilderAPI_MakeEdge(circle, *(gp_Pnt(*map(float, one)) for one in (start, end))).Edge()
    return kernel.shape_of("profile", record)
