"""Edits that bring in what files of other systems hold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from arabesque.errors import FileProblem
from arabesque.files import Source
from arabesque.geometry import Curve, Face, Surface
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.item import Item, Origin, new_id
from arabesque.solid import Body, Model, shown_part


def curves_in(document: Document, curves: Sequence[tuple[str, Curve]], file: Source) -> Change:
    """Named curves of a file as items."""
    for name, curve in curves:
        item = Item(new_id(), document.free_name(name or file.stem), curve, Origin(words=file.name, file=file))
        document = document.with_item(item)
    return Change(f"{len(curves)} curves from {file.name}", document, said=f"{len(curves)} curves came in")


def bodies_in(document: Document, bodies: Sequence[Body], file: Source) -> Change:
    """The bodies of a STEP file as items, the first selected; raises FileProblem when there are none."""
    if not bodies:
        raise FileProblem(f"{file.name} holds no body", "Export a solid or surfaces to it")
    made = [Item(new_id(), "", body, Origin(words=file.name, file=file)) for body in bodies]
    for item in made:
        document = document.with_item(replace(item, name=document.free_name(file.stem)))
    said = f"{len(made)} {'body' if len(made) == 1 else 'bodies'} came in from {file.name}"
    return Change(f"{len(made)} bodies from {file.name}", document, made[0].id, said=said)


def brought_in(document: Document, model: Model, file: Source) -> Change:
    """The faces and curves of a STEP or IGES file as items; raises FileProblem when there are none."""
    shapes: list[tuple[str, Surface | Curve]] = [(name, shown_part(surface)) for name, surface in model.faces]
    shapes += model.curves
    if not shapes:
        why = f": {model.skipped[0][1]}" if model.skipped else ""
        raise FileProblem(f"{file.name} holds nothing that can be used{why}", "Export surfaces or a body to it")
    for name, shape in shapes:
        words = f"{file.name}, trimmed in its file" if isinstance(shape, Face) else file.name
        title = document.free_name(name or file.stem)
        document = document.with_item(Item(new_id(), title, shape, Origin(words=words, file=file)))
    said = [f"{len(shapes)} shapes came in from {file.name}"]
    trimmed = sum(isinstance(shape, Face) for _, shape in shapes)
    if trimmed:
        said.append(f"{trimmed} are trimmed there and come in whole, with the trim as a line")
    if model.skipped:
        said.append(f"{len(model.skipped)} could not be used: {model.skipped[0][1]}")
    return Change(f"{len(shapes)} shapes from {file.name}", document, said="; ".join(said))
