"""The triangle mesh: read it, measure it, ask what lies closest."""

from arabesque.scan.calmed_normals import calmed_normals, sharp_pairs
from arabesque.scan.cleaning import compact, weld
from arabesque.scan.curvature import ScanCurvature, calming_rounds, scan_curvature
from arabesque.scan.facets import lifted, on_form, rounded, rounded_places
from arabesque.scan.files import MESH_SUFFIXES, read_scan, ready_to_fit, write_mesh, write_scan
from arabesque.scan.lighten import coarse_stand_in
from arabesque.scan.mesh import Closest, Scan, pair_graph
from arabesque.scan.topology import (
    Health,
    border_rings,
    examine,
    kept,
    pieces,
    rims,
    ring_length,
    sides_of,
    turning,
)
from arabesque.scan.tree import BoxTree
from arabesque.scan.walking import Walk, enclosed, walk_ahead, walk_along_plane

__all__ = [
    "MESH_SUFFIXES",
    "BoxTree",
    "Closest",
    "Health",
    "Scan",
    "ScanCurvature",
    "Walk",
    "border_rings",
    "calmed_normals",
    "calming_rounds",
    "coarse_stand_in",
    "compact",
    "enclosed",
    "examine",
    "kept",
    "lifted",
    "on_form",
    "pair_graph",
    "pieces",
    "read_scan",
    "ready_to_fit",
    "rims",
    "ring_length",
    "rounded",
    "rounded_places",
    "scan_curvature",
    "sharp_pairs",
    "sides_of",
    "turning",
    "walk_ahead",
    "walk_along_plane",
    "weld",
    "write_mesh",
    "write_scan",
]
