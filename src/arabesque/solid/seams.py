"""Seams: faces that meet themselves on surfaces that do not close. Runs only inside the worker."""

from __future__ import annotations

from itertools import combinations
from typing import Any

from OCP.BRep import BRep_Tool
from OCP.Geom import Geom_BSplineSurface
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE
from OCP.TopoDS import TopoDS

from arabesque.solid.stored import parts

MOST = 0.01
"""mm: ends of a surface that are further apart are no seam that rounding has opened."""


def close_seams(shape: Any) -> None:
    """Close, in place, the spline surfaces of faces that have an edge twice though their ends lie a hair apart.

    The kernel rounds the rim of a hole by such a face. It passes its own checks, but a reader of STEP finds no second
    line for the edge on a surface that is open there, and makes an invalid face of it, of negative area. Both end rows
    go to their middle; no place moves by more than half of what they were apart.
    """
    for one in parts(shape, TopAbs_FACE):
        face = TopoDS.Face(one)
        surface = BRep_Tool.Surface_s(face)
        if not isinstance(surface, Geom_BSplineSurface) or surface.IsUClosed() or surface.IsVClosed():
            continue
        edges = list(parts(face, TopAbs_EDGE))
        if not any(first.IsSame(other) for first, other in combinations(edges, 2)):
            continue
        rows, columns = surface.NbUPoles(), surface.NbVPoles()
        ends = (
            [((i, 1), (i, columns)) for i in range(1, rows + 1)],
            [((1, j), (rows, j)) for j in range(1, columns + 1)],
        )
        for pairs in ends:
            if max(surface.Pole(*low).Distance(surface.Pole(*high)) for low, high in pairs) < MOST:
                for low, high in pairs:
                    _join(surface, low, high)


def _join(surface: Any, low: tuple[int, int], high: tuple[int, int]) -> None:
    """Two poles of a surface, and their weights, become their mean."""
    one, other = surface.Pole(*low), surface.Pole(*high)
    middle = gp_Pnt((one.X() + other.X()) / 2, (one.Y() + other.Y()) / 2, (one.Z() + other.Z()) / 2)
    weight = (surface.Weight(*low) + surface.Weight(*high)) / 2
    for at in (low, high):
        surface.SetPole(*at, middle)
        if surface.IsURational() or surface.IsVRational():
            surface.SetWeight(*at, weight)
