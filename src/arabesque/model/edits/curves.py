"""Edits that bring curves in: several at once, and what stands on them in the same step."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from arabesque.geometry import Curve, Surface
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.item import Item, new_id
from arabesque.model.rebuild import ingredients
from arabesque.recipes import LoftThrough, Recipe
from arabesque.tracing import LoftWay, outward_loft


def traced(
    document: Document, made: Sequence[tuple[Recipe, Curve]], name: str = "Section", way: LoftWay | None = None
) -> Change:
    """Derived curves in one step, and the loft through them where ``way`` says how it runs; what is last is chosen."""
    keys: list[str] = []
    for recipe, curve in made:
        item = Item(new_id(), document.free_name(name), curve, recipe=recipe, made_of=ingredients(document, recipe))
        document, keys = document.with_item(item), [*keys, item.id]
    label = f"{len(made)} {name.lower()}s" if len(made) != 1 else f"1 {name.lower()}"
    if way is None:
        return Change(f"{label} traced", document, keys[-1])
    curves = [curve for _, curve in made]
    order, surface = outward_loft(curves, way, document.reference_scan)
    if order[0]:
        way = replace(way, before=way.after, after=way.before)
    change = lofted(document, [keys[k] for k in order], way, surface)
    return replace(change, label=f"{label} traced and lofted")


def lofted(document: Document, keys: Sequence[str], way: LoftWay, surface: Surface) -> Change:
    """A loft through curves, as their derived item."""
    recipe = LoftThrough(tuple(keys), way.degree, way.closed, way.before, way.after)
    item = Item(new_id(), document.free_name("Loft"), surface, recipe=recipe, made_of=ingredients(document, recipe))
    return Change(f"loft through {len(keys)} curves", document.with_item(item), item.id)
