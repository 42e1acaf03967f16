"""Edits of a document that need neither a window nor a pointer: each makes the new document and the words for it."""

from arabesque.model.edits import cages, curves, exchange, items, joining, patches, remarks, scans, twins, versions
from arabesque.model.edits.change import Change

__all__ = [
    "Change",
    "cages",
    "curves",
    "exchange",
    "items",
    "joining",
    "patches",
    "remarks",
    "scans",
    "twins",
    "versions",
]
