"""Edits of one patch that need no pointer: degrees, and its parts."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.geometry import LARGEST_DEGREE, Surface, lower_degree, split_surface
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.item import Item, Origin, Ties, new_id


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
