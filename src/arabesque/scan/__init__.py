"""The triangle mesh: read it, measure it, ask what lies closest."""

from arabesque.scan.cleaning import compact, weld
from arabesque.scan.curvature import ScanCurvature, scan_curvature
from arabesque.scan.files import MESH_SUFFIXES, read_scan, ready_to_fit, write_scan
from arabesque.scan.lighten import coarse_stand_in
from arabesque.scan.mesh import Closest, Scan
from arabesque.scan.topology import (
    Health,
    edge_length,
    examine,
    kept,
    neighbours,
    pieces,
    rims,
    ring_length,
    triangle_graph,
)
from arabesque.scan.tree import BoxTree

__all__ = [
    "Health",
    "edge_length",
    "examine",
    "kept",
    "neighbours",
    "pieces",
    "rims",
    "ring_length",
    "triangle_graph",
    "MESH_SUFFIXES",
    "BoxTree",
    "Closest",
    "Scan",
    "ScanCurvature",
    "coarse_stand_in",
    "compact",
    "read_scan",
    "ready_to_fit",
    "scan_curvature",
    "weld",
    "write_scan",
]
