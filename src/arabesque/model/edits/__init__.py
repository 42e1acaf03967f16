"""Edits of a document that need neither a window nor a pointer: each makes the new document and the words for it."""

from arabesque.model.edits import items, patches, scans, twins, versions
from arabesque.model.edits.change import Change

__all__ = ["Change", "items", "patches", "scans", "twins", "versions"]
