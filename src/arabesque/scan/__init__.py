"""The triangle mesh: read it, measure it, ask what lies closest."""

from arabesque.scan.cleaning import compact, weld
from arabesque.scan.files import MESH_SUFFIXES, read_scan, ready_to_fit, write_scan
from arabesque.scan.mesh import Closest, Scan
from arabesque.scan.tree import BoxTree

__all__ = [
    "MESH_SUFFIXES",
    "BoxTree",
    "Closest",
    "Scan",
    "compact",
    "read_scan",
    "ready_to_fit",
    "weld",
    "write_scan",
]
