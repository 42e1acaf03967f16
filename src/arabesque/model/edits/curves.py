"""Edits that bring curves in: several at once, and what stands on them in the same step; and curves cut apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from arabesque.arrays import Bools
from arabesque.geometry import Curve, Patchwork, parts_of_curve
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.item import Item, Origin, new_id
from arabesque.model.rebuild import ingredients
from arabesque.recipes import LoftThrough, Recipe
from arabesque.scan import Scan, border_rings
from arabesque.tracing import Crossing, OutwardLoft, curve_along, cuts_of

FEWEST = 8
"""Places: shorter rings are holes of a few triangles."""


def traced(
    document: Document, made: Sequence[tuple[Recipe, Curve]], name: str = "Section", through: OutwardLoft | None = None
) -> Change:
    """Derived curves in one step, and the loft through them where there is one; what is last is chosen."""
    keys: list[str] = []
    for recipe, curve in made:
        item = Item(new_id(), document.free_name(name), curve, recipe=recipe, made_of=ingredients(document, recipe))
        document, keys = document.with_item(item), [*keys, item.id]
    label = f"{len(made)} {name.lower()}s" if len(made) != 1 else f"1 {name.lower()}"
    if through is None:
        return Change(f"{label} traced", document, keys[-1])
    change = lofted(document, [keys[k] for k in through.order], through)
    return replace(change, label=f"{label} traced and lofted")


def lofted(document: Document, keys: Sequence[str], made: OutwardLoft, guides: Sequence[str] = ()) -> Change:
    """A loft through curves, in its own order already, as their derived item."""
    recipe = LoftThrough.by(keys, made.way, guides)
    item = Item(
        new_id(), document.free_name("Loft"), made.surface, recipe=recipe, made_of=ingredients(document, recipe)
    )
    return Change(f"loft through {len(keys)} curves", document.with_item(item), item.id)


def split_at(document: Document, items: Sequence[Item[Curve]], crossings: Sequence[Crossing]) -> Change:
    """Curves cut at their crossings with each other, exactly; each keeps its first part, the others are new."""
    parts = 0
    for item, cuts in zip(items, cuts_of([item.shape for item in items], crossings), strict=True):
        if len(cuts):
            document = _parted(document, item, parts_of_curve(item.shape, cuts))
            parts += len(cuts)
    count = len(crossings)
    said = f"{count} crossing{'' if count == 1 else 's'}, {parts} cut{'' if parts == 1 else 's'}"
    return Change(f"curves split at {count} crossings", document, said=said)


def split_here(document: Document, item: Item[Curve], at: float) -> Change:
    """One curve cut in two at a parameter."""
    return Change(f"{item.name}: split", _parted(document, item, parts_of_curve(item.shape, np.array([at]))), item.id)


def joined(document: Document, item: Item[Curve], other: Item[Curve], made: Curve, words: str) -> Change:
    """One curve in place of two."""
    put = document.with_shape(item.id, made).without(other.id)
    return Change(f"{item.name}: joined with {other.name}, {words}", put, item.id)


def apart(document: Document, item: Item[Patchwork]) -> Change:
    """The patches of a network as items of their own; they no longer follow its curves."""
    for patch in item.shape.surfaces:
        one = Item(
            new_id(), document.free_name("Patch"), patch, Origin((item.id,), "apart"), look=item.look, layer=item.layer
        )
        document = document.with_item(one)
    return Change(f"{item.name} taken apart", document.without(item.id))


def bordered(document: Document, scan: Scan, mask: Bools) -> Change:
    """The rings round some triangles of a scan as curves, within the tolerance."""
    rings = [ring for ring in border_rings(scan, mask) if len(ring) > FEWEST]
    for ring in rings:
        curve = curve_along(ring, True, None, document.tolerance).curve
        item = Item(
            new_id(), document.free_name("Border"), curve, Origin((document.reference or "",), "what was marked")
        )
        document = document.with_item(item)
    return Change(f"{len(rings)} borders of what was marked", document, item.id if rings else None)


def _parted(document: Document, item: Item[Any], parts: Sequence[Curve]) -> Document:
    document = document.with_item(replace(item, shape=parts[0], recipe=None, made_of=(), trouble=""))
    for part in parts[1:]:
        one = Item(
            new_id(), document.free_name(item.name), part, Origin((item.id,), "split"), look=item.look, layer=item.layer
        )
        document = document.with_item(one)
    return document
