"""Files for other systems, written by the kernel, and bodies as triangles. Runs only inside the worker."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.APIHeaderSection import APIHeaderSection_MakeHeader
from OCP.BRep import BRep_Tool
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.IFSelect import IFSelect_RetDone
from OCP.IGESCAFControl import IGESCAFControl_Writer
from OCP.IGESControl import IGESControl_Controller
from OCP.Interface import Interface_Static
from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Controller
from OCP.TCollection import TCollection_ExtendedString, TCollection_HAsciiString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_FACE, TopAbs_REVERSED
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS
from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_DocumentTool

from arabesque import __version__
from arabesque.errors import FileProblem, KernelProblem
from arabesque.solid.kernel import shape_of
from arabesque.solid.stored import parts, restored

UNITS = {"mm": "MM", "cm": "CM", "m": "M", "inch": "INCH"}
NOT_WRITTEN = "The file cannot be written"
ANGLE = 0.3
"""Radians that triangles of a body turn at most from one to the next."""


def write_step(
    path: str,
    items: list[tuple[str, dict[str, Any]]],
    unit: str = "mm",
    schema: str = "AP214IS",
    tags: list[tuple[str, str]] | None = None,
    chord: float = 0.0,
) -> int:
    """Write named surfaces and curves to a STEP file of a schema, in a unit; returns how many.

    tags: layer and colour (#rrggbb) of each, or "" for none. chord: mm, of triangles that are written beside the exact
    shapes; 0 for none. Every shape is checked before anything is written.
    """
    document = _document_of(items, tags, chord)
    STEPControl_Controller.Init_s()
    writer = STEPCAFControl_Writer()
    Interface_Static.SetCVal_s("write.step.unit", UNITS[unit])
    Interface_Static.SetCVal_s("write.step.schema", schema)
    Interface_Static.SetCVal_s("write.step.tessellated", "On" if chord else "Off")
    writer.SetNameMode(True)
    writer.SetColorMode(True)
    writer.SetLayerMode(True)
    if not writer.Transfer(document, STEPControl_AsIs):
        raise KernelProblem("The surfaces could not be turned into STEP", "Export them one by one to find the cause")
    _sign(writer)
    if writer.Write(path) != IFSelect_RetDone:
        raise FileProblem(NOT_WRITTEN, "Choose another place, or make room on the disk")
    return len(items)


def write_iges(
    path: str,
    items: list[tuple[str, dict[str, Any]]],
    unit: str = "mm",
    tags: list[tuple[str, str]] | None = None,
) -> int:
    """Write named surfaces and curves to an IGES 5.3 file, in a unit; returns how many. tags: as for STEP."""
    document = _document_of(items, tags)
    IGESControl_Controller.Init_s()
    Interface_Static.SetCVal_s("write.iges.unit", UNITS[unit])
    Interface_Static.SetCVal_s("write.iges.header.product", f"Arabesque {__version__}")
    Interface_Static.SetCVal_s("write.iges.header.author", "")
    Interface_Static.SetCVal_s("write.iges.header.company", "")
    writer = IGESCAFControl_Writer()
    writer.SetNameMode(True)
    writer.SetColorMode(True)
    writer.SetLayerMode(True)
    if not writer.Transfer(document):
        raise KernelProblem("The surfaces could not be turned into IGES", "Export them one by one to find the cause")
    writer.ComputeModel()
    if not writer.Write(path):
        raise FileProblem(NOT_WRITTEN, "Choose another place, or make room on the disk")
    return len(items)


def _document_of(
    items: list[tuple[str, dict[str, Any]]], tags: list[tuple[str, str]] | None, chord: float = 0.0
) -> TDocStd_Document:
    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    layers = XCAFDoc_DocumentTool.LayerTool_s(document.Main())
    colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    for number, (name, record) in enumerate(items):
        shape = shape_of(name, record)
        if chord:
            BRepMesh_IncrementalMesh(shape, chord, False, ANGLE, True)
        label = shapes.AddShape(shape, False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name, True))
        layer, colour = tags[number] if tags else ("", "")
        if layer:
            layers.SetLayer(label, TCollection_ExtendedString(layer, True))
        if colour:
            red, green, blue = (int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5))
            colours.SetColor(label, Quantity_Color(red, green, blue, Quantity_TOC_sRGB), XCAFDoc_ColorGen)
    return document


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
    header.SetDescriptionValue(1, TCollection_HAsciiString("Surfaces"))


def body_mesh(record: dict[str, Any], chord: float) -> tuple[Any, Any, Any]:
    """Triangles of a body that stand off it by at most ``chord`` mm: (n, 3) points, (m, 3) triangles, outwards, and
    (n,) on which face; places that faces share stand there once for each."""
    shape = restored(record["brep"], record["motion"])
    BRepMesh_IncrementalMesh(shape, chord, False, ANGLE, True)
    points: list[Any] = []
    triangles: list[Any] = []
    part: list[Any] = []
    count = 0
    for number, face in enumerate(parts(shape, TopAbs_FACE)):
        place = TopLoc_Location()
        mesh = BRep_Tool.Triangulation_s(TopoDS.Face(face), place)
        if mesh is None:
            raise KernelProblem("A face of the body could not be made triangles", "Allow a larger chord tolerance")
        move = place.Transformation()
        nodes = [mesh.Node(k).Transformed(move) for k in range(1, mesh.NbNodes() + 1)]
        points.append(np.array([[node.X(), node.Y(), node.Z()] for node in nodes]))
        corners = (
            np.array([mesh.Triangle(k).Get() for k in range(1, mesh.NbTriangles() + 1)], dtype=np.int64) - 1 + count
        )
        triangles.append(corners[:, ::-1] if face.Orientation() == TopAbs_REVERSED else corners)
        part.append(np.full(len(nodes), number))
        count += len(nodes)
    return np.concatenate(points), np.concatenate(triangles), np.concatenate(part)
