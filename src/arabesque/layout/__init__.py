"""Automatic layouts: a scan becomes an editable cage of quads."""

from arabesque.layout.ground import Detail, Ground, ground_of
from arabesque.layout.integer_map import MapProblem
from arabesque.layout.make import Layout, Wishes, lay_out, surface_folds, symmetric_error

__all__ = [
    "Detail",
    "Ground",
    "Layout",
    "MapProblem",
    "Wishes",
    "ground_of",
    "lay_out",
    "surface_folds",
    "symmetric_error",
]
