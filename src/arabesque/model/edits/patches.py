"""Edits of one patch that need no pointer: degrees, and its parts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.fitting import Growth
from arabesque.geometry import LARGEST_DEGREE, Curve, Surface, lower_degree, split_surface
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.edits.items import derived
from arabesque.model.item import Item, Origin, Ties, new_id
from arabesque.model.rebuild import ingredients
from arabesque.recipes import PatchOnScan, Side


def degree_raised(document: Document, item: Item[Surface], u: int, v: int) -> Change:
    """The degree raised along u or v; the shape stays exactly."""
    p, q = item.shape.degree
    if p + u > LARGEST_DEGREE or q + v > LARGEST_DEGREE:
        raise ArabesqueError(f"Degree {LARGEST_DEGREE} is the highest", "Fit the patch again, or split it")
    raised = item.shape.elevated(u, v)
    return Change(f"{item.name}: degree {degree_words(raised)}", document.with_shape(item.id, raised))


def degree_lowered(document: Document, item: Item[Surface], axis: int) -> Change:
    """The degree lowered along one direction, and how far that moved the patch."""
    lowered = lower_degree(item.shape, axis)
    words = f"degree {degree_words(lowered.surface)}"
    said = f"{words.capitalize()}: the patch moved by at most {lowered.error:.3g} mm"
    return Change(f"{item.name}: {words}", document.with_shape(item.id, lowered.surface), said=said)


def degree_words(surface: Surface) -> str:
    """Both degrees of a patch."""
    return f"{surface.degree[0]} x {surface.degree[1]}"


def grown(document: Document, growth: Growth) -> Change:
    """A grown area as a derived patch; a side that was pulled up to a patch lies on that one's edge."""
    one, two, three, four = (_side(document, places) for places in growth.through)
    recipe = PatchOnScan(growth.corners, growth.surface.degree, sides=(one, two, three, four))
    label = f"patch of {growth.surface.count} points grown"
    return derived(document, label, "Patch", growth.surface, recipe, ingredients(document, recipe))


def all_grown(document: Document, growths: Sequence[Growth]) -> Change:
    """Several grown areas in one step, the first ones first: later ones may lie beside them."""
    for growth in growths:
        change = grown(document, growth)
        document = change.document
    words = "1 patch" if len(growths) == 1 else f"{len(growths)} patches"
    return Change(f"{words} suggested and taken", document, change.select)


def _side(document: Document, along: Floats | Curve | None) -> Side:
    if along is None:
        return Side()
    places = along.guides()[0].points if isinstance(along, Curve) else along
    for item in document:
        if isinstance(item.shape, Surface) and any(_meets(line.points, places) for line in item.shape.guides()):
            return Side(on=item.id, at=places[len(places) // 2])
    return Side(through=places)


def _meets(line: Floats, places: Floats) -> bool:
    step = float(np.linalg.norm(np.diff(line, axis=0), axis=1).max())
    return bool(np.linalg.norm(line[:, None] - places[None], axis=2).min(axis=0).max() < step)


def split_at(document: Document, item: Item[Any], axis: int, at: float, words: str) -> Change:
    """Two patches in place of one, cut at a parameter along u (axis 0) or v (axis 1).

    A part no longer spans the twin plane, nor ends there where the whole did: twins and pins are let go.
    """
    one, two = split_surface(item.shape, axis, at)
    left = replace(item, ties=Ties(), shape=one, recipe=None, made_of=(), trouble="")
    origin = Origin((item.id,), "split")
    right = Item(new_id(), document.free_name(item.name), two, origin, look=item.look, layer=item.layer)
    said = "" if item.ties.twin is None else f"{item.name} no longer follows a mirror image"
    put = document.with_twin(item.id, None).with_item(left).with_item(right)
    return Change(f"{item.name}: split {words}", put, said=said)
