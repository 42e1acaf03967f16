"""Edits of items and layers: names, looks, layers, references."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.files import Source
from arabesque.model.document import Document, Layer
from arabesque.model.edits.change import Change
from arabesque.model.item import Item, Origin, new_id
from arabesque.recipes import Recipe
from arabesque.shapes import Shape

AnyItem = Item[Any]


def renamed(document: Document, item: AnyItem, name: str) -> Change | None:
    """An item with another name; None for an empty or equal one, which changes nothing."""
    name = name.strip()
    if not name or name == item.name:
        return None
    return Change(f"{item.name} renamed to {name}", document.changed(item.id, name=name))


def shown(document: Document, item: AnyItem, visible: bool) -> Change:
    """An item shown or hidden."""
    return _looks(document, item, "shown" if visible else "hidden", visible=visible)


def dimmed(document: Document, item: AnyItem, dim: bool) -> Change:
    """An item dimmed, or shown in full again."""
    return _looks(document, item, "dimmed" if dim else "shown in full", dimmed=dim)


def seen_through(document: Document, item: AnyItem, through: bool) -> Change:
    """An item made see-through or solid."""
    return _looks(document, item, "made see-through" if through else "made solid", see_through=through)


def _looks(document: Document, item: AnyItem, word: str, **look: bool) -> Change:
    return Change(f"{item.name} {word}", document.changed(item.id, look=replace(item.look, **look)))


def on_new_layer(document: Document, item: AnyItem) -> Change:
    """An item on a layer of its own."""
    layer = document.new_layer()
    put = document.with_layer(layer).changed(item.id, layer=layer.id)
    return Change(f"{item.name} put on {layer.name}", put)


def on_layer(document: Document, item: AnyItem, layer_id: str | None) -> Change:
    """An item on another layer, or on none; a patch with a twin is tied to the plane that then holds for it."""
    put = document.changed(item.id, layer=layer_id)
    if item.ties.twin is not None and put.plane_of(item) is not document.plane_of(item):
        put = put.tied_again(item.id, item.ties.twin)
    return Change(f"{item.name} put on another layer", put)


def like(document: Document, source: AnyItem, others: Sequence[AnyItem]) -> Change:
    """Items on the layer of another one, whose colour they have from it, seen as it is, and named after it; raises
    ArabesqueError where there are none."""
    if not others:
        raise ArabesqueError("There is nothing that could be made like it", "Select several: the first is copied from")
    for item in others:
        put = on_layer(document, document[item.id], source.layer).document
        document = put.changed(item.id, look=source.look, name=put.free_name(source.name))
    return Change(f"{len(others)} made like {source.name}", document, source.id)


def layer_changed(document: Document, layer: Layer, words: str) -> Change:
    """A layer in place of the one with its id."""
    return Change(f"{layer.name} {words}", document.with_layer(layer))


def layer_removed(document: Document, layer: Layer) -> Change:
    """A layer gone; its items stay."""
    return Change(f"{layer.name} removed", document.without_layer(layer.id))


def deleted(document: Document, item: AnyItem) -> Change:
    """An item gone, with its parked versions; what was made from it stays."""
    return Change(f"{item.name} deleted", document.without(item.id))


def referred_to(document: Document, item: AnyItem) -> Change:
    """Fits and checks refer to another scan."""
    return Change(f"{item.name} is the reference scan", replace(document, reference=item.id))


def with_tolerance(document: Document, tolerance: float) -> Change:
    """Another tolerance, mm; raises ArabesqueError when it is not possible."""
    return Change(f"tolerance {tolerance:g} mm", document.with_tolerance(tolerance))


def added(
    document: Document,
    label: str,
    name: str,
    shape: Shape,
    made_from: tuple[str, ...] = (),
    words: str = "",
    file: Source | None = None,
) -> Change:
    """A new item at the end, selected."""
    item = Item(new_id(), document.free_name(name), shape, Origin(made_from, words, file=file))
    return Change(label, document.with_item(item), item.id)


def derived(
    document: Document, label: str, name: str, shape: Shape, recipe: Recipe, made_of: tuple[object, ...]
) -> Change:
    """A new derived item at the end, selected, with the shape that its recipe made of some values."""
    item = Item(new_id(), document.free_name(name), shape, recipe=recipe, made_of=made_of)
    return Change(label, document.with_item(item), item.id)


def derived_in_place(
    document: Document, word: str, parts: Sequence[tuple[str, Shape, Recipe, tuple[object, ...]]]
) -> Change:
    """New derived items that stand for others, which are hidden from then on.

    parts: of each the id of the one it stands for, its shape, its recipe, and what that made of some values. word: what
    was done, for the names and the history. The first is selected.
    """
    made: list[AnyItem] = []
    names = " and ".join(dict.fromkeys(document[of].name for of, *_ in parts))
    for of, shape, recipe, made_of in parts:
        source = document[of]
        name = document.free_name(f"{source.name} {word}")
        item = Item(new_id(), name, shape, layer=source.layer, recipe=recipe, made_of=made_of)
        document = _seen(document, (of, *recipe.stands_for), False).with_item(item)
        made.append(item)
    return Change(f"{names} {word}", document, made[0].id)


def standing_for(
    document: Document, word: str, name: str, shape: Shape, recipe: Recipe, made_of: tuple[object, ...]
) -> Change:
    """A new derived item, selected, in the place of all that its recipe stands for, which is hidden from then on;
    on the layer of the first.

    word: what was done, for the history.
    """
    layer = document[recipe.stands_for[0]].layer if recipe.stands_for else None
    item = Item(new_id(), document.free_name(name), shape, layer=layer, recipe=recipe, made_of=made_of)
    names = [document[key].name for key in recipe.stands_for]
    some = (" and ".join(names) or item.name) if len(names) < 4 else f"{len(names)} items"
    return Change(f"{some} {word}", _seen(document, recipe.stands_for, False).with_item(item), item.id)


def derived_and_cut(
    document: Document,
    label: str,
    name: str,
    made: tuple[str, Shape, Recipe, tuple[object, ...]],
    parts: Sequence[tuple[str, Shape, Recipe, tuple[object, ...]]],
) -> Change:
    """A new derived item, whose id, shape, recipe and values are ``made``; what it cuts as in ``derived_in_place``."""
    key, shape, recipe, made_of = made
    item = Item(key, document.free_name(name), shape, recipe=recipe, made_of=made_of)
    document = document.with_item(item)
    cut = derived_in_place(document, "cut", parts).document if parts else document
    return Change(label, cut, key)


def derived_again(
    document: Document, item: AnyItem, words: str, shape: Shape, recipe: Recipe, made_of: tuple[object, ...]
) -> Change:
    """A derived item made otherwise: another recipe, and what it made of some values. words: what was done.

    What it stands for from now on is hidden, and what it no longer does shows again.
    """
    before = () if item.recipe is None else item.recipe.stands_for
    document = _seen(document, [key for key in before if key not in recipe.stands_for and key in document], True)
    document = _seen(document, [key for key in recipe.stands_for if key not in before], False)
    put = document.with_shape(item.id, shape)
    again = replace(put[item.id], recipe=recipe, made_of=made_of)
    return Change(f"{item.name}: {words}", put.with_item(again), item.id)


def reshaped(document: Document, item: AnyItem, words: str, shape: Shape) -> Change:
    """An item with another shape; a derived one is free from then on. words: what was done."""
    return Change(f"{item.name}: {words}", document.with_shape(item.id, shape), item.id)


def stood_down(document: Document, item: AnyItem) -> Change | None:
    """What an item stands for shows again, and the item goes; None for one that stands for nothing."""
    sources = [] if item.recipe is None else [key for key in item.recipe.stands_for if key in document]
    if not sources:
        return None
    put = _seen(document.without(item.id), sources, True)
    return Change(f"{item.name} taken back to {' and '.join(document[key].name for key in sources)}", put, sources[0])


def _seen(document: Document, keys: Iterable[str], visible: bool) -> Document:
    """The document with some items shown, or hidden."""
    for key in dict.fromkeys(keys):
        document = document.changed(key, look=replace(document[key].look, visible=visible))
    return document


def made_free(document: Document, item: AnyItem) -> Change | None:
    """A derived item that keeps its shape and no longer follows; None for one that is free already."""
    if item.recipe is None:
        return None
    free = document.changed(item.id, recipe=None, made_of=(), trouble="")
    return Change(f"{item.name} made free", free, said=f"{item.name} keeps its shape and no longer follows")


def duplicated(document: Document, item: AnyItem) -> Change:
    """A copy of an item, selected; what cannot change is shared. Its versions stay with the first one."""
    origin = replace(item.origin, made_from=(item.id,))
    copy = replace(item, id=new_id(), name=document.free_name(item.name), origin=origin, versions=())
    put = document.with_item(copy)
    if document.images_of(item):
        put = put.with_image(copy.id, 0 if item.ties.twin is None else item.ties.twin.axis)
    return Change(f"{item.name} duplicated", put, copy.id)
