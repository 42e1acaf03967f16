"""Automatic layouts: a scan becomes an editable cage of quads."""

from arabesque.layout.ground import Detail, Ground, ground_of
from arabesque.layout.guides import NO_GUIDES, Calm, Guides, Moved, RowsHere
from arabesque.layout.improve import Aim, Improved, improved
from arabesque.layout.integer_map import MapProblem
from arabesque.layout.make import Layout, Wishes, lay_out, surface_folds, symmetric_error
from arabesque.layout.meeting import Border, borders_of, uncovered
from arabesque.layout.part import Part, largest_piece

__all__ = [
    "NO_GUIDES",
    "Aim",
    "Border",
    "Calm",
    "Detail",
    "Ground",
    "Guides",
    "Improved",
    "Layout",
    "MapProblem",
    "Moved",
    "Part",
    "RowsHere",
    "Wishes",
    "borders_of",
    "ground_of",
    "improved",
    "largest_piece",
    "lay_out",
    "surface_folds",
    "symmetric_error",
    "uncovered",
]
