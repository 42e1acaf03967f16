"""Edits of cages; a cage that is its own mirror image is edited on both sides."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages import Cage
from arabesque.cages.both_sides import Work, on_both_sides, whole
from arabesque.cages.edits import halved, merged, mirror_and_weld, seat
from arabesque.cages.edits.join import on_plane
from arabesque.errors import ArabesqueError
from arabesque.geometry import Twin, TwinKind
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.edits.items import derived
from arabesque.model.item import Item, Ties
from arabesque.recipes import Recipe


def is_tied(item: Item[Cage]) -> bool:
    """True for a cage that is its own mirror image and stays so."""
    return item.ties.twin is not None and item.ties.twin.kind is TwinKind.SPANS


def reworked(document: Document, item: Item[Cage], faces: Ints, work: Work) -> Cage:
    """What an edit about some faces makes of a cage; of a tied one on both sides alike."""
    if is_tied(item):
        return on_both_sides(item.shape, document.plane_of(item), faces, work)
    return work(item.shape, whole(item.shape))


def edited(document: Document, item: Item[Cage], words: str, faces: Ints, work: Work) -> Change:
    """The document with a cage edited about some faces. words: what was done."""
    made = reworked(document, item, faces, work)
    return Change(f"{item.name}: {words}", document.with_shape(item.id, made), item.id)


def mirrored_whole(document: Document, item: Item[Cage], reach: float, upper: bool) -> Change:
    """A half as a whole: its border within ``reach`` mm of the twin plane seated there, welded to its image, tied.

    upper: of a cage that runs along the plane already, the half on the side that the plane's normal shows to is kept.
    """
    plane, cage = document.plane_of(item), item.shape
    if (plane.height(cage.limit) > reach).any() and (plane.height(cage.limit) < -reach).any():
        cage = halved(seat_inside(cage, document, item, reach), plane, upper)
    made = mirror_and_weld(seat(cage, plane, reach), plane)
    put = document.with_item(replace(item, shape=made, recipe=None, made_of=(), trouble="", ties=Ties()))
    return Change(f"{item.name}: welded to its mirror image", put.with_twin(item.id, Twin(TwinKind.SPANS)), item.id)


def seat_inside(cage: Cage, document: Document, item: Item[Cage], reach: float) -> Cage:
    """A cage across the plane with its points within reach put on it, so that it can be halved there."""
    plane = document.plane_of(item)
    near = np.abs(plane.height(cage.points)) <= reach
    points = cage.points.copy()
    points[near] = on_plane(plane, points[near])
    return cage.with_points(points)


def tied(document: Document, item: Item[Cage]) -> Change:
    """A cage that is alike on both sides of the twin plane, but for a little, made so exactly and kept so."""
    return Change(f"{item.name}: tied across the plane", document.with_twin(item.id, Twin(TwinKind.SPANS)), item.id)


def laid_out(
    document: Document, label: str, name: str, shape: Cage, recipe: Recipe, made_of: tuple[object, ...]
) -> Change:
    """A new derived cage that is alike on both sides of the twin plane, tied across it, selected."""
    change = derived(document, label, name, shape, recipe, made_of)
    assert change.select is not None
    return replace(change, document=change.document.with_twin(change.select, Twin(TwinKind.SPANS)))


def let_go(document: Document, item: Item[Cage]) -> Change:
    """The two sides no longer follow each other."""
    return Change(f"{item.name}: twin let go", document.with_twin(item.id, None), item.id)


def put_together(document: Document, items: Sequence[Item[Cage]]) -> Change:
    """Several cages as one, not welded yet; it takes the place of the first."""
    if len(items) < 2:
        raise ArabesqueError("One cage alone is selected", "Ctrl-click another one in the view or in the Outline")
    first, others = items[0], items[1:]
    made = merged([item.shape for item in items])
    put = document.with_twin(first.id, None).with_shape(first.id, made)
    for other in others:
        put = put.without(other.id)
    return Change(f"{len(items)} cages put together", put, first.id)
