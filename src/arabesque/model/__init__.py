"""The document and its items, undo and redo, and the project file."""

from arabesque.model.document import Document, Item, Layer, Look, Shape, new_id
from arabesque.model.history import History, Milestone, Step
from arabesque.model.journal import Journal, Leftover, discard, leftovers, recover
from arabesque.model.moving import moved_shape, others_moved
from arabesque.model.rescue import Rescued, rescue_project
from arabesque.model.store import SUFFIX, DamagedProject, Project, load_project, save_project

__all__ = [
    "SUFFIX",
    "DamagedProject",
    "Document",
    "History",
    "Item",
    "Journal",
    "Layer",
    "Leftover",
    "Look",
    "Milestone",
    "Project",
    "Rescued",
    "Shape",
    "Step",
    "discard",
    "leftovers",
    "load_project",
    "moved_shape",
    "new_id",
    "others_moved",
    "recover",
    "rescue_project",
    "save_project",
]
