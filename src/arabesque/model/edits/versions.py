"""Edits of parked versions: earlier states of an item that are kept aside."""

from __future__ import annotations

from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.item import Item, Version

AnyItem = Item[Any]


def parked(document: Document, item: AnyItem) -> Change:
    """The item as it is kept aside as a version."""
    taken = {version.name for version in item.versions}
    name = next(f"version {n}" for n in range(1, len(taken) + 2) if f"version {n}" not in taken)
    versions = (*item.versions, Version(name, item.shape, item.ties))
    return Change(f"{item.name}: {name} parked", document.changed(item.id, versions=versions))


def brought_back(document: Document, item: AnyItem, number: int) -> Change:
    """A parked version in the item's place; what stood there is parked instead. Raises ArabesqueError without one."""
    if not 0 <= number < len(item.versions):
        raise ArabesqueError(f"{item.name} has no parked version", "Park one first: Shift+P")
    version = item.versions[number]
    aside = Version(version.name, item.shape, item.ties)
    versions = (*item.versions[:number], aside, *item.versions[number + 1 :])
    back = document.changed(
        item.id, shape=version.shape, ties=version.ties, versions=versions, recipe=None, made_of=(), trouble=""
    )
    twin = version.ties.twin
    shape = version.shape
    if isinstance(shape, Surface) and twin != item.ties.twin:
        back = back.with_twin(item.id, twin)
    elif twin is not None and isinstance(shape, Surface) and not twin.holds(shape, back.plane_of(item)):
        back = back.tied_again(item.id, twin)  # the twin plane has moved since
    return Change(f"{item.name}: {version.name} brought back", back, item.id)
