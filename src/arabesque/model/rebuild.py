"""Rebuilding derived items: what would be built from other values than it was is built again.

No dirty flags and no signals: a document says by itself what is stale, so
undo brings back documents whose derived shapes are right already.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from graphlib import CycleError, TopologicalSorter
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.model.document import Document
from arabesque.model.item import Item
from arabesque.progress import Progress, part, silent
from arabesque.recipes import Given, Recipe

_USED: dict[str, Callable[[Document, Recipe], object]] = {
    "scan": lambda document, recipe: document.reference_scan,
    "tolerance": lambda document, recipe: document.tolerance,
    "plane": lambda document, recipe: _plane(document, recipe),
}


def ingredients(document: Document, recipe: Recipe) -> tuple[object, ...]:
    """The values that a recipe would be built from now; None for an input that is gone."""
    shapes = [document[key].shape if key in document else None for key in recipe.inputs]
    return (*shapes, *(_USED[word](document, recipe) for word in recipe.uses))


def stale(document: Document, item: Item[Any]) -> bool:
    """True for a derived item that would be built from other values than it was."""
    if item.recipe is None:
        return False
    now = ingredients(document, item.recipe)
    return len(now) != len(item.made_of) or any(
        a is not b and not (isinstance(a, float) and a == b) for a, b in zip(now, item.made_of, strict=True)
    )


def order(document: Document) -> list[str]:
    """Ids of the derived items, each after what it is made from; raises ArabesqueError for a circle."""
    graph = {item.id: item.recipe.inputs for item in document if item.recipe is not None}
    try:
        return [key for key in TopologicalSorter(graph).static_order() if key in graph]
    except CycleError as problem:
        names = [document[key].name for key in problem.args[1] if key in document]
        words = " and ".join(dict.fromkeys(names))
        raise ArabesqueError(f"{words} would be made from each other", "Make one of them free") from None


def settled(document: Document, item_id: str) -> Document:
    """The document with a derived item taken as built from what is there now."""
    item = document[item_id]
    assert item.recipe is not None
    return document.with_item(replace(item, made_of=ingredients(document, item.recipe)))


def any_stale(document: Document) -> bool:
    """True when something is to be rebuilt."""
    return any(stale(document, item) for item in document)


def rebuilt(document: Document, progress: Progress = silent, live: bool = False, kernel: Any = None) -> Document:
    """The document with every stale item built again, in order.

    An item that cannot be built keeps its last good shape and says why in
    its trouble; all others go on. live: only those whose recipes are quick
    enough for a drag. kernel: the process that makes bodies. Raises Cancelled.
    """
    if live and not any(
        item.recipe is not None and item.recipe.in_drags and stale(document, item) for item in document
    ):
        return document
    wanted = {item.id for item in document if item.recipe is not None and (item.recipe.in_drags or not live)}
    keys = [key for key in order(document) if key in wanted]
    for number, key in enumerate(keys):
        item = document[key]
        if not stale(document, item):
            continue
        recipe = item.recipe
        assert recipe is not None
        share = part(progress, number / len(keys), (number + 1) / len(keys))
        share(0.0, f"Rebuilding {item.name}")
        made_of = ingredients(document, recipe)
        gone = next((name for name in recipe.inputs if name not in document), None)
        try:
            if gone is not None:
                raise ArabesqueError("What it is made from was deleted", "Undo that, or make it free")
            shape = recipe.build(replace(given(document, recipe), kernel=kernel), share)
            # put as an edit would be: ties hold, pins stay where they can
            put = document.with_item(replace(item, recipe=None, trouble="")).with_shape(key, shape)[key]
        except ArabesqueError as problem:
            document = document.with_item(replace(item, made_of=made_of, trouble=str(problem)))
            continue
        document = document.with_item(replace(put, recipe=recipe, made_of=made_of))
    return document


def given(document: Document, recipe: Recipe) -> Given:
    """What a recipe is built from, by name."""
    shapes = {key: document[key].shape for key in recipe.inputs if key in document}
    recipes = {key: item.recipe for key, item in document.items.items()}
    return Given(shapes, document.reference_scan, document.tolerance, _plane(document, recipe), recipes=recipes)


def _plane(document: Document, recipe: Recipe) -> Plane | None:
    """The twin plane of what a recipe is made from first."""
    first = next(iter(recipe.inputs), None)
    if first is None:
        return document.plane
    return None if first not in document else document.plane_of(document[first])
