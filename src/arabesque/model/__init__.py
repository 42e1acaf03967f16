"""The document and its items, undo and redo, and the project file."""

from arabesque.model import edits
from arabesque.model.document import Document, Layer
from arabesque.model.edits import Change
from arabesque.model.history import History, Milestone, Step
from arabesque.model.item import Item, Look, Origin, Ties, Version, new_id
from arabesque.model.journal import Journal, Leftover, Recovered, discard, leftovers, recover, unreadable
from arabesque.model.kinds import KINDS, Kind, kind_of
from arabesque.model.rebuild import any_stale, given, rebuilt, settled, stale
from arabesque.model.remarks import Measure, Note
from arabesque.model.rescue import Rescued, rescue_project
from arabesque.model.store import SUFFIX, DamagedProject, Project, load_project, save_project
from arabesque.model.work import Work

__all__ = [
    "KINDS",
    "SUFFIX",
    "Change",
    "DamagedProject",
    "Document",
    "History",
    "Item",
    "Journal",
    "Kind",
    "Layer",
    "Leftover",
    "Look",
    "Measure",
    "Milestone",
    "Note",
    "Origin",
    "Project",
    "Recovered",
    "Rescued",
    "Step",
    "Ties",
    "Version",
    "Work",
    "any_stale",
    "discard",
    "edits",
    "given",
    "kind_of",
    "leftovers",
    "load_project",
    "new_id",
    "rebuilt",
    "recover",
    "rescue_project",
    "save_project",
    "settled",
    "stale",
    "unreadable",
]
