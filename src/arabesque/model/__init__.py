"""The document and its items, undo and redo, and the project file."""

from arabesque.model.document import Document, Item, Look, Shape, new_id
from arabesque.model.history import History, Step
from arabesque.model.store import SUFFIX, load_project, save_project

__all__ = [
    "SUFFIX",
    "Document",
    "History",
    "Item",
    "Look",
    "Shape",
    "Step",
    "load_project",
    "new_id",
    "save_project",
]
