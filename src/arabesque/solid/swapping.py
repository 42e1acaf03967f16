"""A face of a body exchanged for other surfaces, to which the walls round it run. Runs only inside the worker."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BOPAlgo import BOPAlgo_MakerVolume
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepTools import BRepTools
from OCP.collections import IndexedDataMap_TopoDS_Shape_List_TopoDS_Shape_TopTools_ShapeMapHasher as EdgeMap
from OCP.Geom import Geom_BSplineSurface
from OCP.GeomAbs import GeomAbs_Cone, GeomAbs_Cylinder, GeomAbs_Plane
from OCP.GeomConvert import GeomConvert
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_SOLID
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS

from arabesque.errors import KernelProblem
from arabesque.geometry import Manner, Surface, extended
from arabesque.solid import kernel
from arabesque.solid.bodies import sound
from arabesque.solid.booleans import put_together
from arabesque.solid.solids import ends_of, inside, nearest_faces, place_inside, solid_of, volume_of
from arabesque.solid.stored import parts

PAST = 0.2
"""Of the reach: walls go on so much further than they have to."""
LITTLE = 1e-9
"""Of the volume of a body: cells smaller than this are none."""


def swapped(one: dict[str, Any], place: Any, sheets: list[tuple[str, dict[str, Any]]]) -> dict[str, Any]:
    """A body whose face nearest to (3,) is exchanged for sheets, named faces: the faces round it run on, or end, there.

    What lies between the old face and the sheets, walled by its neighbours carried on, is added to the body, or taken
    away where it lies inside.
    """
    solid = solid_of(one)
    (old,) = nearest_faces(solid, [place])
    new = [kernel.shape_of(name, sheet) for name, sheet in sheets]
    far = max(float(np.abs(ends_of(sheet) - ends_of(old).mean(axis=0)).max()) for sheet in new)
    gap = max(BRepExtrema_DistShapeShape(old, sheet).Value() for sheet in new)
    reach = (1 + PAST) * max(gap + float(np.linalg.norm(np.ptp(ends_of(old), axis=0))), far)
    making = BOPAlgo_MakerVolume()
    for shape in (old, *new, *(_carried_on(face, reach) for face in _beside(solid, old))):
        making.AddArgument(shape)
    making.SetIntersect(True)
    making.Perform()
    failed = KernelProblem(
        "The walls do not meet the new face", "Let it reach past the body on all sides, and look whether it folds"
    )
    if making.HasErrors():
        raise failed
    cells = [cell for cell in parts(making.Shape(), TopAbs_SOLID) if volume_of(cell) > LITTLE * volume_of(solid)]
    cells = [cell for cell in cells if _has(cell, making, [old]) and _has(cell, making, new)]
    if not cells:
        raise failed
    made = solid
    for cell in cells:
        at = place_inside(cell)
        taken = at is not None and inside(solid, at)
        made = put_together("cut" if taken else "add", made, [cell], "Nothing of the body would be left")
    told = sound(made, [one], failed)
    if not told["closed"]:
        raise failed
    return told


def _has(cell: Any, making: Any, sources: list[Any]) -> bool:
    """True where a cell has a part of one of some shapes among its faces."""
    found = []
    for source in sources:
        for face in parts(source, TopAbs_FACE):
            pieces = list(making.Modified(face))
            found += pieces or [face]
    return any(face.IsSame(one) for face in parts(cell, TopAbs_FACE) for one in found)


def _beside(solid: Any, face: Any) -> list[Any]:
    """The faces that share an edge with one."""
    edges = EdgeMap()
    found: list[Any] = []
    TopExp.MapShapesAndAncestors_s(solid, TopAbs_EDGE, TopAbs_FACE, edges)
    for edge in parts(face, TopAbs_EDGE):
        for other in edges.FindFromKey(edge):
            if not other.IsSame(face) and not any(other.IsSame(one) for one in found):
                found.append(TopoDS.Face(other))
    return found


def _carried_on(face: Any, reach: float) -> Any:
    """The surface of a face, so many mm further than the face on all sides."""
    adaptor, surface = BRepAdaptor_Surface(face), BRep_Tool.Surface_s(face)
    u0, u1, v0, v1 = BRepTools.UVBounds_s(face)
    kind = adaptor.GetType()
    if kind == GeomAbs_Plane:
        return _made(surface, (u0 - reach, u1 + reach, v0 - reach, v1 + reach))
    if kind == GeomAbs_Cylinder:
        return _made(surface, (u0, u1, v0 - reach, v1 + reach))
    if kind == GeomAbs_Cone:
        cone = adaptor.Cone()
        tip = -cone.RefRadius() / np.sin(cone.SemiAngle())
        low, high = (max(v0 - reach, tip), v1 + reach) if tip < v0 else (v0 - reach, min(v1 + reach, tip))
        return _made(surface, (u0, u1, low, high))
    if not isinstance(surface, Geom_BSplineSurface):
        if surface.IsUPeriodic() or surface.IsVPeriodic():
            return _made(surface, (u0, u1, v0, v1))
        surface = GeomConvert.SurfaceToBSplineSurface_s(surface)
    record = kernel.surface_record(surface)
    wide = Surface(**record)
    for axis in (0, 1):
        own_form = wide.degree[axis] == 1 or wide.weights is not None  # a rational one goes on in no other way
        manner = Manner.NATURAL if own_form else Manner.STRAIGHT
        for at_end in (False, True):
            wide = extended(wide, axis, at_end, reach, manner)
    made = {"degree": wide.degree, "knots": wide.knots, "points": wide.points, "weights": wide.weights}
    return kernel.shape_of("wall", made)


def _made(surface: Any, bounds: tuple[float, float, float, float]) -> Any:
    return BRepBuilderAPI_MakeFace(surface, *map(float, bounds), kernel.SURFACE_TOLERANCE).Face()
