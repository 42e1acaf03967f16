"""Edits of how a patch follows its mirror image at the twin plane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Curve,
    Edge,
    Face,
    Seam,
    Surface,
    Twin,
    TwinKind,
    crossing_axis,
    joined_with_image,
    nearest_twin,
    symmetric_curve,
    symmetric_from,
)
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.item import Item, Origin
from arabesque.recipes import Mirror

Patch = Item[Surface]


def tied_across(document: Document, item: Patch) -> Change:
    """The patch is its own mirror image: edits on either side go to both."""
    axis = crossing_axis(item.shape, document.plane_of(item))
    return _tied(document, item, Twin(TwinKind.SPANS, axis), "tied across the plane")


def seated(document: Document, item: Patch, seam: Seam) -> Change:
    """The edge nearest to the twin plane is seated on it; the mirror image goes on from there."""
    nearest = nearest_twin(item.shape, document.plane_of(item), np.inf)
    return _tied(document, item, replace(nearest, seam=seam), f"seated on the plane, {seam.value}")


SEAMS = (Seam.SEATED, Seam.SMOOTH, Seam.SMOOTH, Seam.EVEN)
"""By the continuity that the patch and its image are to meet with."""


def edge_seated(document: Document, item: Patch, edge: int, order: int) -> Change:
    """An ``Edge`` of a patch brought to the twin plane, where it meets its image with G0 to G3.

    Raises ArabesqueError for a trimmed face, and where another edge lies nearer to the plane.
    """
    if isinstance(item.shape, Face):
        raise ArabesqueError("A trimmed border cannot be seated", "Recast it first")
    plane, (axis, at_end) = document.plane_of(item), Edge(edge).side
    ends = item.shape.rims()[edge]
    away = float(np.abs(plane.height(ends.surface.at(ends.places(np.linspace(0, 1, 17))))).max())
    other = item.shape.rims()[(edge + 2) % 4]
    beyond = float(np.abs(plane.height(other.surface.at(other.places(np.linspace(0, 1, 17))))).min())
    if away > beyond:
        raise ArabesqueError("Another edge lies nearer to the twin plane", "Choose that one")
    return _tied(
        document, item, Twin(TwinKind.ENDS, axis, at_end, SEAMS[order]), f"edge matched to the plane, G{order}"
    )


def mirrored_live(document: Document, item: Item[Any]) -> Change:
    """The mirror image of anything stands beside the plane, and follows."""
    if isinstance(item.shape, Surface):
        return _tied(document, item, Twin(TwinKind.BESIDE), "mirrored live")
    return Change(f"{item.name}: mirrored live", document.with_image(item.id))


def all_mirrored(document: Document, items: Sequence[Item[Any]]) -> Change:
    """The mirror images of all of them stand beside the plane, and follow.

    What has an edge within the tolerance of the plane is seated there. What has an image, is one, or lies across the
    plane stays; raises ArabesqueError where nothing is left.
    """
    put, count = document, 0
    for item in items:
        if document.images_of(item) or isinstance(item.recipe, Mirror) or item.ties.twin is not None:
            continue
        kind = TwinKind.BESIDE
        if isinstance(item.shape, Surface):
            kind = nearest_twin(item.shape, document.plane_of(item), document.tolerance).kind
        if kind is not TwinKind.SPANS:
            seat = kind is TwinKind.ENDS
            put = (seated(put, put[item.id], Seam.SMOOTH) if seat else mirrored_live(put, put[item.id])).document
            count += 1
    if not count:
        raise ArabesqueError("None of these can have a mirror image that it has not", "Select others")
    return Change(f"{count} items mirrored live", put)


def let_go(document: Document, item: Patch) -> Change:
    """The patch stands alone again."""
    return Change(f"{item.name}: twin let go", document.with_twin(item.id, None))


def image_freed(document: Document, item: Patch) -> Change:
    """The live mirror image becomes a patch of its own."""
    images = document.images_of(item)
    if not images:
        raise ArabesqueError("The patch has no mirror image", "Mirror it live, or seat an edge on the plane")
    origin = Origin((item.id,), "mirror image")
    freed = document.changed(images[0].id, recipe=None, made_of=(), trouble="", origin=origin)
    return Change(f"{item.name}: mirror image made a patch", freed.tied_again(item.id, None))


def made_symmetric(document: Document, item: Item[Any], from_end: bool) -> Change:
    """One half of a patch or curve replaced by the mirror image of the other.

    from_end: take the half on the side that the plane's normal shows to.
    """
    plane, shape = document.plane_of(item), item.shape
    if isinstance(shape, Curve):
        ends = plane.height(shape.points[[0, -1]])
        curve = symmetric_curve(shape, plane, from_end == bool(ends[1] > ends[0]))
        return Change(f"{item.name}: made symmetric", document.with_shape(item.id, curve))
    if not isinstance(shape, Surface):
        raise ArabesqueError("No patch or curve is selected", "Click one in the view or in the Outline")
    axis = crossing_axis(shape, plane)
    rows = np.swapaxes(shape.points, 0, axis)
    high = bool(plane.height(rows[-1]).mean() > plane.height(rows[0]).mean())
    even = symmetric_from(shape, plane, axis, from_end == high)
    tied = document.with_twin(item.id, None).with_shape(item.id, even)
    tied = tied.with_twin(item.id, Twin(TwinKind.SPANS, axis))
    side = "far" if from_end else "near"
    said = _moved(shape, tied, item.id)
    return Change(f"{item.name}: made symmetric from the {side} half", tied, said=said)


def joined(document: Document, item: Patch) -> Change:
    """One patch of a half and its mirror image."""
    twin = item.ties.twin
    if twin is None or twin.kind is not TwinKind.ENDS:
        raise ArabesqueError("The patch does not end on the twin plane", "Seat an edge on the plane first")
    whole = joined_with_image(item.shape, document.plane_of(item), twin)
    put = document.with_twin(item.id, None).with_shape(item.id, whole)
    put = put.with_twin(item.id, Twin(TwinKind.SPANS, twin.axis))
    return Change(f"{item.name}: joined with its mirror image", put)


def _tied(document: Document, item: Patch, twin: Twin, words: str) -> Change:
    put = document.with_twin(item.id, twin)
    return Change(f"{item.name}: {words}", put, said=_moved(item.shape, put, item.id))


def _moved(before: Surface, document: Document, item_id: str) -> str:
    after = document[item_id].shape
    if after.points.shape != before.points.shape:
        return "Tied exactly, with rows added"
    moved = float(np.linalg.norm(after.points - before.points, axis=2).max())
    return f"Tied exactly; control points moved by at most {moved:.3g} mm"
