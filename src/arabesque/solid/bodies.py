"""Bodies in the kernel: sewn of faces, put together, cut, and what they are. Runs only inside the worker."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeSolid, BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakeFilling
from OCP.collections import IndexedDataMap_TopoDS_Shape_List_TopoDS_Shape_TopTools_ShapeMapHasher as EdgeMap
from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAbs import GeomAbs_C0, GeomAbs_C1
from OCP.GProp import GProp_GProps
from OCP.IFSelect import IFSelect_RetDone
from OCP.ShapeAnalysis import ShapeAnalysis_FreeBounds, ShapeAnalysis_ShapeTolerance
from OCP.ShapeCustom import ShapeCustom, ShapeCustom_RestrictionParameters
from OCP.ShapeFix import ShapeFix_Shape
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_OUT, TopAbs_SHELL, TopAbs_WIRE
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Shell

from arabesque.errors import ArabesqueError, FileProblem, KernelProblem
from arabesque.geometry import LARGEST_DEGREE
from arabesque.solid import kernel
from arabesque.solid.booleans import NONE, merged, put_together
from arabesque.solid.seams import close_seams
from arabesque.solid.solids import CLEAR, NOTHING, inside, place_inside, solid_of, volume_of
from arabesque.solid.stored import parts, stored, together

ALONG = 33
"""Places along a free border."""
EXACT, AREA_EXACT = 2e-8, 1e-4
"""Relative accuracy that volumes and areas are asked for."""
NEAR, MOST_SPANS = 1e-4, 200
"""mm, how near faces are seen whose degree is too high, and of how many pieces."""


def sewn(
    named: list[tuple[str, dict[str, Any]]], tolerance: float, cap: bool = False, merge: bool = False
) -> dict[str, Any]:
    """The body of named faces and patches whose borders lie within a tolerance, mm, of each other; a solid where it is
    closed. cap: openings get a face first. merge: faces of one surface become one."""
    made = _sewn([kernel.shape_of(name, record) for name, record in named], tolerance)
    caps = _caps(made) if cap else []
    if caps:
        made = _sewn([made, *caps], tolerance)
    loose = list(_loose(made))
    # a face that closes in itself, as a ball's, is a skin
    skins = [_shell(face) for face in loose if not _free(face)]
    open_faces = [face for face in loose if _free(face)]
    solids = [_solid(TopoDS.Shell(shell)) for shell in (*parts(made, TopAbs_SHELL), *skins)]
    whole = together([*_with_hollows(solids), *open_faces])
    return body(merged(whole) if merge else whole)


def rounded(one: dict[str, Any], places: Any, size: float, chamfer: bool, end: float) -> dict[str, Any]:
    """A body with the edges nearest to (k, 3) places rounded with a radius that goes evenly to another one at their
    ends, or cut off by a length, mm; what goes on smoothly from such an edge is taken along."""
    shape = solid_of(one)
    making = BRepFilletAPI_MakeChamfer(shape) if chamfer else BRepFilletAPI_MakeFillet(shape)
    edges = [TopoDS.Edge(edge) for edge in parts(shape, TopAbs_EDGE)]
    edges = [edge for edge in edges if not BRep_Tool.Degenerated_s(edge)]
    lines = [_places(edge) for edge in edges]
    for place in places:
        nearest = int(np.argmin([np.linalg.norm(line - place, axis=1).min() for line in lines]))
        if not making.Contour(edges[nearest]):
            making.Add(*((size,) if chamfer or end == size else (size, end)), edges[nearest])
    words = "cut off" if chamfer else "rounded"
    failed = KernelProblem(f"The edge cannot be {words} by {size:g} mm", "Give a smaller size, or choose fewer edges")
    try:
        making.Build()
    except kernel.KERNEL_ERRORS as problem:
        raise failed from problem
    if not making.IsDone():
        raise failed
    return sound(making.Shape(), [one], failed)


def combined(how: str, one: dict[str, Any], others: list[dict[str, Any]]) -> dict[str, Any]:
    """A body with others cut from it, added to it, or kept in common with it ("cut", "add", "common"); faces of one
    surface are merged."""
    words = {"common": "The bodies have nothing in common", "cut": "Nothing of the body would be left"}
    tools = [solid_of(other) for other in others]
    return sound(put_together(how, solid_of(one), tools, words.get(how, NONE)), [one, *others])


def sound(shape: Any, sources: Sequence[dict[str, Any]], failed: KernelProblem | None = None) -> dict[str, Any]:
    """A shape as plain values, mended where it is not valid. Raises ``failed``, or a reason, where that does not do and
    the records of what it was made of are valid."""
    close_seams(shape)
    told = body(shape)
    if told["valid"]:
        return told
    mending = ShapeFix_Shape(shape)
    mending.Perform()
    try:
        mended = body(mending.Shape())
    except kernel.KERNEL_ERRORS:
        mended = None  # what was mended has faces without extent: it is none
    lost = mended is None or (told["closed"] and not (mended["closed"] and mended["volume"] > NOTHING))
    kept = told if mended is None or lost else mended
    if not kept["valid"] and all(BRepCheck_Analyzer(solid_of(one)).IsValid() for one in sources):
        raise failed or KernelProblem("The kernel makes no valid body of this", "Move what it is made with a little")
    return kept


def made(solid: dict[str, Any]) -> dict[str, Any]:
    """What a true shape or a profile bounds."""
    return body(solid_of(solid))


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
    """Faces over the closed free borders of a shape: flat where they are, else the thin plate that the kernel lays."""
    closed = ShapeAnalysis_FreeBounds(shape, False, True, False).GetClosedWires()
    found = []
    for wire in () if closed is None or closed.IsNull() else parts(closed, TopAbs_WIRE):
        making = BRepBuilderAPI_MakeFace(TopoDS.Wire(wire), True)
        found.append(making.Face() if making.IsDone() else _plate(wire))
    return [face for face in found if face is not None]


def _plate(wire: Any) -> Any:
    """A face over a closed border that is not flat; None where the kernel makes none."""
    filling = BRepOffsetAPI_MakeFilling()
    for edge in parts(wire, TopAbs_EDGE):
        filling.Add(TopoDS.Edge(edge), GeomAbs_C0, True)
    try:
        filling.Build()
    except kernel.KERNEL_ERRORS:
        return None  # the border stays free, and is drawn
    return filling.Shape() if filling.IsDone() else None


def bodies_of(path: str) -> list[dict[str, Any]]:
    """Every free shape of a STEP file as a body."""
    reader = STEPControl_Reader()
    if reader.ReadFile(path) != IFSelect_RetDone or not reader.TransferRoots():
        raise FileProblem(f"{path} cannot be read as STEP", "Export it again from its source")
    return [body(reader.Shape(k)) for k in range(1, reader.NbShapes() + 1)]


def body(shape: Any) -> dict[str, Any]:
    """A shape as plain values: its bytes, the records of its faces, and what it is; see ``solid.Body``."""
    faces = [{"name": "", **_face(TopoDS.Face(face))} for face in parts(shape, TopAbs_FACE)]
    edges = [TopoDS.Edge(edge) for edge in _free(shape)]
    volume, area = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, volume, EXACT, True)
    BRepGProp.SurfaceProperties_s(shape, area, AREA_EXACT)
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
        "valid": bool(BRepCheck_Analyzer(shape, True, True).IsValid()),
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
        return kernel.face_record(TopoDS.Face(next(parts(lower, TopAbs_FACE))))


def _shell(face: Any) -> Any:
    """A closed shell of one face."""
    shell, builder = TopoDS_Shell(), BRep_Builder()
    builder.MakeShell(shell)
    builder.Add(shell, face)
    shell.Closed(True)
    return shell


def _solid(shell: Any) -> Any:
    """A solid of a closed shell, looking outwards; an open one stays."""
    if not BRep_Tool.IsClosed_s(shell):
        return shell
    solid = BRepBuilderAPI_MakeSolid(shell).Solid()
    # its faces themselves look outwards: rounding goes by these, not by how the solid takes them
    far = BRepClass3d_SolidClassifier(solid)
    far.PerformInfinitePoint(CLEAR)
    return solid if far.State() == TopAbs_OUT else BRepBuilderAPI_MakeSolid(TopoDS.Shell(shell.Reversed())).Solid()


def _with_hollows(solids: list[Any]) -> list[Any]:
    """Solids of which those that lie inside an odd number of others are hollows of the smallest of these."""
    whole = [one for one in solids if one.ShapeType().name == "TopAbs_SOLID"]
    if len(whole) < 2:
        return solids
    left = [one for one in solids if not any(one.IsSame(other) for other in whole)]
    whole.sort(key=volume_of, reverse=True)
    made: list[tuple[Any, list[Any]]] = []
    around: list[list[int]] = []
    for number, solid in enumerate(whole):
        place = place_inside(solid)
        around.append([k for k in range(number) if place is not None and inside(whole[k], place)])
        made.append((solid, []))
        if len(around[number]) % 2:
            made[around[number][-1]][1].append(solid)
    for number, (solid, hollows) in enumerate(made):
        if len(around[number]) % 2 == 0:
            volume = volume_of(solid) - sum(map(volume_of, hollows))
            left.append(put_together("cut", solid, hollows, volume=volume) if hollows else solid)
    return left


def _loose(shape: Any) -> Iterator[Any]:
    """Faces that belong to no shell."""
    explorer = TopExp_Explorer(shape, TopAbs_FACE, TopAbs_SHELL)
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
