"""Edits of how the selected patch follows its mirror image at the twin plane."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Curve,
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
from arabesque.model import Document, Item, new_id


def _chosen(session: Session) -> tuple[Item, Surface]:
    item = session.surface_item
    if item is None or not isinstance(item.shape, Surface):
        raise ArabesqueError("No patch is selected", "Click a patch in the view or in the Outline")
    return item, item.shape


def tie_across(session: Session) -> None:
    """Let the patch be its own mirror image: edits on either side go to both."""
    item, surface = _chosen(session)
    _put(session, item, Twin(TwinKind.SPANS, crossing_axis(surface, session.document.plane_of(item))))


def seat(session: Session, seam: Seam) -> None:
    """Seat the edge nearest to the twin plane on it; the mirror image goes on from there."""
    item, surface = _chosen(session)
    nearest = nearest_twin(surface, session.document.plane_of(item), np.inf)
    _put(session, item, replace(nearest, seam=seam))


def mirror_live(session: Session) -> None:
    """Show the mirror image beside the plane, and let it follow."""
    item, _ = _chosen(session)
    _put(session, item, Twin(TwinKind.BESIDE))


def let_go(session: Session) -> None:
    """Let the patch stand alone again."""
    item, _ = _chosen(session)
    session.commit(f"{item.name}: twin let go", session.document.with_twin(item.id, None))


def free_image(session: Session) -> None:
    """Make the live mirror image a patch of its own."""
    item, _ = _chosen(session)
    image = session.document.image_of(item)
    if image is None:
        raise ArabesqueError("The patch has no mirror image", "Mirror it live, or seat an edge on the plane")
    name = session.document.free_name(f"{item.name} mirrored")
    made = replace(image, id=new_id(), name=name, twin=None, made_from=(item.id,))
    document = session.document.with_twin(item.id, None).with_item(made)
    session.commit(f"{item.name}: mirror image made a patch", document)


def make_symmetric(session: Session, from_end: bool) -> None:
    """Replace one half of the selected patch or curve by the mirror image of the other.

    from_end: take the half on the side that the plane's normal shows to.
    """
    item = session.selection
    if item is None or not isinstance(item.shape, Surface | Curve):
        raise ArabesqueError("No patch or curve is selected", "Click one in the view or in the Outline")
    plane, shape = session.document.plane_of(item), item.shape
    side = "far" if from_end else "near"
    if isinstance(shape, Curve):
        high = bool(plane.height(shape.points[[0, -1]])[1] > plane.height(shape.points[[0, -1]])[0])
        made = symmetric_curve(shape, plane, from_end == high)
        session.commit(f"{item.name}: made symmetric", session.document.with_shape(item.id, made))
        return
    axis = crossing_axis(shape, plane)
    rows = np.swapaxes(shape.points, 0, axis)
    high = bool(plane.height(rows[-1]).mean() > plane.height(rows[0]).mean())
    even = symmetric_from(shape, plane, axis, from_end == high)
    free = session.document.with_twin(item.id, None).with_shape(item.id, even)
    tied = free.with_twin(item.id, Twin(TwinKind.SPANS, axis))
    session.commit(f"{item.name}: made symmetric from the {side} half", tied)
    _tell_moved(session, shape, tied, item.id)


def join_image(session: Session) -> None:
    """Make one patch of the selected half and its mirror image."""
    item, surface = _chosen(session)
    if item.twin is None or item.twin.kind is not TwinKind.ENDS:
        raise ArabesqueError("The patch does not end on the twin plane", "Seat an edge on the plane first")
    whole = joined_with_image(surface, session.document.plane_of(item), item.twin)
    document = session.document.with_twin(item.id, None).with_shape(item.id, whole)
    document = document.with_twin(item.id, Twin(TwinKind.SPANS, item.twin.axis))
    session.commit(f"{item.name}: joined with its mirror image", document)


def _put(session: Session, item: Item, twin: Twin) -> None:
    before = item.shape
    document = session.document.with_twin(item.id, twin)
    words = {
        TwinKind.SPANS: "tied across the plane",
        TwinKind.ENDS: f"seated on the plane, {twin.seam.value}",
        TwinKind.BESIDE: "mirrored live",
    }
    session.commit(f"{item.name}: {words[twin.kind]}", document)
    if isinstance(before, Surface):
        _tell_moved(session, before, document, item.id)


def _tell_moved(session: Session, before: Surface, document: Document, item_id: str) -> None:
    after = document[item_id].shape
    assert isinstance(after, Surface)
    moved = float(np.linalg.norm(after.points - before.points, axis=2).max())
    session.told.emit(f"Tied exactly; control points moved by at most {moved:.3g} mm", False)
