"""Lines of shapes as seen from one side, with what hides them. Runs only inside the worker."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.GCPnts import GCPnts_QuasiUniformDeflection
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.HLRAlgo import HLRAlgo_Projector
from OCP.HLRBRep import HLRBRep_PolyAlgo, HLRBRep_PolyHLRToShape
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopoDS import TopoDS

from arabesque.solid.kernel import shape_of
from arabesque.solid.stored import parts, together

ANGLE = 0.2
"""Radians that triangles turn at most from one to the next."""
SHARE = 2e-4
"""Of the size of everything: chords of the triangles, and of the lines."""


def seen_lines(items: list[tuple[str, dict[str, Any]]], axes: Any, size: float) -> dict[str, list[Any]]:
    """Lines of named shapes in the plane of a view: (n, 2) each, mm along its right and up.

    axes: (3, 3) rows right, up, towards the eye. size: of everything, mm. Sharp edges and outlines that are seen stand
    under "outline", smooth borders under "smooth", what is hidden of the first under "hidden". By the polygonal way:
    the exact one takes hundreds of times as long.
    """
    chord = SHARE * size
    shape = together([shape_of(name, record) for name, record in items])
    BRepMesh_IncrementalMesh(shape, chord, False, ANGLE, True)
    eye, right = gp_Dir(*map(float, axes[2])), gp_Dir(*map(float, axes[0]))
    algorithm = HLRBRep_PolyAlgo()
    algorithm.Load(shape)
    algorithm.Projector(HLRAlgo_Projector(gp_Ax2(gp_Pnt(0, 0, 0), eye, right)))
    algorithm.Update()
    found = HLRBRep_PolyHLRToShape()
    found.Update(algorithm)
    kinds = {
        "outline": (found.VCompound, found.OutLineVCompound),
        "smooth": (found.Rg1LineVCompound, found.RgNLineVCompound),
        "hidden": (found.HCompound, found.OutLineHCompound),
    }
    return {
        kind: [line for make in makers if (made := make()) is not None for line in _lines(made, chord)]
        for kind, makers in kinds.items()
    }


def _lines(shape: Any, chord: float) -> list[Any]:
    lines = []
    for edge in parts(shape, TopAbs_EDGE):
        curve = BRepAdaptor_Curve(TopoDS.Edge(edge))
        run = GCPnts_QuasiUniformDeflection(curve, chord)
        places = [run.Value(k) for k in range(1, run.NbPoints() + 1)]
        lines.append(np.array([[place.X(), place.Y()] for place in places]))
    return lines
