"""Edits that scans bring with them: merging, and moving all that stands beside them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from arabesque.arrays import Floats
from arabesque.mending import Preparing
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.item import Item, Origin, new_id
from arabesque.reading import Regions
from arabesque.scan import Scan

AnyItem = Item[Any]


def merged_scans(document: Document, items: list[AnyItem], scan: Scan) -> Change:
    """Several scans as one, which is the reference; they stay, hidden."""
    names = " and ".join(item.name for item in items)
    for item in items:
        document = document.changed(item.id, look=replace(item.look, visible=False))
    origin = Origin(tuple(item.id for item in items), "merged")
    made = Item(new_id(), document.free_name("Merged scan"), scan, origin)
    return Change(f"{names} merged", replace(document.with_item(made), reference=made.id), made.id)


def prepared(
    document: Document,
    item: AnyItem,
    scan: Scan,
    words: str,
    motion: Floats | None = None,
    step: Preparing | None = None,
) -> Change:
    """What was made of a scan, beside it or in its place. motion: (4, 4) of it; step: that does it again."""
    put, item_id = document.prepared(item.id, scan, words, motion, step)
    return Change(f"{item.name}: {words}", put, item_id)


def others_moved(document: Document, matrix: Floats) -> Document:
    """The document with everything but scans (and what lies on them) moved, notes and distances too.

    Where something follows its mirror image, the twin planes move with it.
    """
    if any(item.ties.twin is not None or "plane" in (item.recipe.uses if item.recipe else ()) for item in document):
        layers = (replace(one, plane=one.plane.moved(matrix)) if one.plane else one for one in document.layers)
        document = replace(document, plane=document.plane.moved(matrix), layers=tuple(layers))
    for item in list(document):
        if not isinstance(item.shape, Scan | Regions):
            document = document.with_shape(item.id, item.shape.moved(matrix))
            if item.recipe is not None:
                again = replace(document[item.id], recipe=item.recipe.moved(matrix), made_of=item.made_of)
                document = document.with_item(again)
    notes = tuple(note.moved(matrix) for note in document.notes)
    return replace(document, notes=notes, measures=tuple(one.moved(matrix) for one in document.measures))
