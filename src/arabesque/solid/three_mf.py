"""3MF, the format of additive manufacturing (3MF Consortium, core specification 1.3), through its own library."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from arabesque import __version__
from arabesque.errors import FileProblem
from arabesque.scan import Scan
from arabesque.units import scale_to_mm

_UNITS = {"mm": "MilliMeter", "cm": "CentiMeter", "m": "Meter", "inch": "Inch", "foot": "Foot"}


class Printed(NamedTuple):
    """A named mesh in mm, with its colour (#rrggbb, or "" for none)."""

    name: str
    mesh: Scan
    colour: str = ""


def write_3mf(path: Path, things: Sequence[Printed], unit: str = "mm") -> None:
    """Write meshes as objects that are to be built, in a unit. Raises FileProblem where one is not closed."""
    import lib3mf

    wrapper: Any = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    model.SetUnit(getattr(lib3mf.ModelUnit, _UNITS[unit]))
    model.GetMetaDataGroup().AddMetaData("", "Application", f"Arabesque {__version__}", "xs:string", True)
    for thing in things:
        made = model.AddMeshObject()
        made.SetName(thing.name)
        places = (thing.mesh.points / scale_to_mm(unit)).tolist()
        vertices = [lib3mf.Position((lib3mf.ctypes.c_float * 3)(*place)) for place in places]
        corners = [lib3mf.Triangle((lib3mf.ctypes.c_uint32 * 3)(*three)) for three in thing.mesh.triangles.tolist()]
        made.SetGeometry(vertices, corners)
        if not made.IsManifoldAndOriented():
            raise FileProblem(f"'{thing.name}' is not closed: it cannot be printed", "Sew and cap it to a body first")
        if thing.colour:
            group = model.AddColorGroup()
            number = group.AddColor(wrapper.RGBAToColor(*(int(thing.colour[k : k + 2], 16) for k in (1, 3, 5)), 255))
            made.SetObjectLevelProperty(group.GetResourceID(), number)
        model.AddBuildItem(made, wrapper.GetIdentityTransform())
    # into memory first: where a disk is full, the library's own way to a file ends the whole process
    path.write_bytes(bytes(model.QueryWriter("3mf").WriteToBuffer()))


def read_3mf(path: str | Path) -> list[Printed]:
    """The meshes of a 3MF file, in mm. Raises FileProblem for one that cannot be read."""
    import lib3mf

    model = lib3mf.get_wrapper().CreateModel()
    try:
        model.QueryReader("3mf").ReadFromFile(str(path))
    except lib3mf.ELib3MFException as problem:
        raise FileProblem(f"{Path(path).name} cannot be read as 3MF ({problem})", "Write it again") from problem
    scale = next(
        scale_to_mm(unit) for unit, word in _UNITS.items() if getattr(lib3mf.ModelUnit, word) == model.GetUnit()
    )
    found, meshes = [], model.GetMeshObjects()
    while meshes.MoveNext():
        mesh = meshes.GetCurrentMeshObject()
        points = np.array([tuple(place.Coordinates) for place in mesh.GetVertices()], dtype=float) * scale
        triangles = np.array([tuple(three.Indices) for three in mesh.GetTriangleIndices()], dtype=np.int64)
        found.append(Printed(mesh.GetName(), Scan(points, triangles)))
    return found
