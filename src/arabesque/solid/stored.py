"""The kernel's shapes as bytes, and back. Runs only inside the worker."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from OCP.BinTools import BinTools
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.collections import List_TopoDS_Shape
from OCP.gp import gp_Trsf
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shape

from arabesque.arrays import Bytes, Floats
from arabesque.errors import KernelProblem


def stored(shape: Any) -> Bytes:
    """A shape bit by bit, (n,)."""
    file = io.BytesIO()
    BinTools.Write_s(shape, file)
    return np.frombuffer(file.getvalue(), dtype=np.uint8)


def restored(brep: Bytes, motion: Floats) -> Any:
    """The shape of ``stored`` after a (4, 4) motion, which may mirror it; raises KernelProblem for damaged bytes."""
    shape = TopoDS_Shape()
    BinTools.Read_s(shape, io.BytesIO(brep.tobytes()))
    if shape.IsNull():
        raise KernelProblem("A body is damaged", "Take a step back, or make it again")
    if np.array_equal(motion, np.eye(4)):
        return shape
    moved = gp_Trsf()
    moved.SetValues(*map(float, motion[:3].ravel()))
    return BRepBuilderAPI_Transform(shape, moved, True).Shape()


def together(shapes: Sequence[Any]) -> Any:
    """Several shapes as one; one alone as it is."""
    if len(shapes) == 1:
        return shapes[0]
    several, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(several)
    for one in shapes:
        builder.Add(several, one)
    return several


def parts(shape: Any, kind: Any) -> Iterator[Any]:
    """The parts of a kind in a shape."""
    explorer = TopExp_Explorer(shape, kind)
    while explorer.More():
        yield explorer.Current()
        explorer.Next()


def listed(shapes: Any) -> List_TopoDS_Shape:
    """Shapes as the kernel's operations take them."""
    found = List_TopoDS_Shape()
    for shape in shapes:
        found.Append(shape)
    return found
