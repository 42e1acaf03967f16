"""Edits that make surfaces meet."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.fitting import Together, fit_together
from arabesque.geometry import Edge, Face, Manner, Seam, Surface, TwinKind
from arabesque.joining import Ways, extended_chain, half_way
from arabesque.model.document import Document
from arabesque.model.edits.change import Change
from arabesque.model.edits.items import derived, derived_again, derived_in_place, reshaped
from arabesque.model.item import Item
from arabesque.model.rebuild import given, ingredients
from arabesque.progress import Progress, silent
from arabesque.recipes import INSIDE, BorderOf, MatchedEdge, MatchedTo, RecastFace, Recipe
from arabesque.scan import Scan

AnyItem = Item[Any]
HELD_ROWS = {Seam.SEATED: 1, Seam.SMOOTH: 2, Seam.EVEN: 4}
"""Rows of control points beside the twin plane that a seam is made of."""
LEAST_REACH, REACH = 0.5, 5.0
"""mm, and tolerances, up to which edges of neighbours are one."""


def matched(
    document: Document,
    item: AnyItem,
    edge: int,
    to: BorderOf,
    rows: int = 0,
    ways: Ways = Ways.ROWS,
    meet: bool = False,
) -> Change:
    """An edge of a patch brought to a border of something else, in which it goes on from then on.

    rows: so many rows of control points at least take part. meet: the other patch comes half way; it is free from then
    on. Edges that were matched before stay so. Raises ArabesqueError where it cannot be, or for a trimmed border.
    """
    if not isinstance(item.shape, Surface) or isinstance(item.shape, Face):
        raise ArabesqueError(f"{item.name} has no edge that can be moved", "Recast it first, or match the other one")
    if to.of == item.id:
        raise ArabesqueError("A patch cannot go on in itself", "Choose the border of another one")
    before = item.recipe if isinstance(item.recipe, MatchedTo) else MatchedTo(item.shape, (), ways)
    kept = tuple(one for one in before.edges if one.edge != int(edge))
    recipe = replace(before, edges=(*kept, MatchedEdge(int(edge), to, rows)), ways=ways)
    if meet:
        other = document[to.of]
        document = with_inputs(document, {to.of: coming_half_way(other.shape, other.name, item.shape, edge, to, ways)})
    shape = recipe.build(given(document, recipe))
    return derived_again(document, document[item.id], "edge matched", shape, recipe, ingredients(document, recipe))


def coming_half_way(other: Any, name: str, surface: Surface, edge: int, to: BorderOf, ways: Ways) -> Surface:
    """The shape that an edge is matched to, with its own edge half way to that; raises ArabesqueError, which says its
    name, where that cannot be."""
    if not isinstance(other, Surface) or isinstance(other, Face) or to.rim == INSIDE:
        raise ArabesqueError(f"{name} has no edge that could come half way", "Let it stay where it is")
    return half_way(surface, edge, other, to.rim, to.order, ways)


def with_inputs(document: Document, inputs: Mapping[str, Surface]) -> Document:
    """The document with other shapes of what something is made from, by their ids; those that followed something are
    free from then on."""
    for key, shape in inputs.items():
        document = reshaped(document, document[key], "changed", shape).document
    return document


def blended(
    document: Document,
    inputs: Mapping[str, Surface],
    words: str,
    name: str,
    shape: Surface,
    recipe: Recipe,
    again: AnyItem | None = None,
) -> Change:
    """A blend or a match with the patches that it stands on changed: ``inputs`` are their new shapes, by their ids.

    again: what is made otherwise, or None for a new blend.
    """
    document = with_inputs(document, inputs)
    made_of = ingredients(document, recipe)
    if again is not None:
        return derived_again(document, document[again.id], words, shape, recipe, made_of)
    return derived(document, words, name, shape, recipe, made_of)


def _held_by_plane(item: AnyItem, edge: int) -> bool:
    """True for an edge on the twin plane, and for both across it of a patch that spans it."""
    twin, (axis, at_end) = item.ties.twin, Edge(edge).side
    if twin is None or twin.axis != axis or twin.kind is TwinKind.BESIDE:
        return False
    return twin.kind is TwinKind.SPANS or twin.at_end == at_end


def recast(document: Document, parts: Sequence[tuple[Surface, RecastFace, tuple[object, ...]]]) -> Change:
    """Patches that stand for the faces that they were recast from, which are hidden from then on.

    parts: of each its shape, its recipe, and what that made of some values.
    """
    some = [(recipe.of, shape, recipe, made_of) for shape, recipe, made_of in parts]
    change = derived_in_place(document, "recast", some)
    several = len(parts[0][1].stands_for)
    return replace(change, label=f"{several} patches recast as one") if several > 1 else change


def chain_extended(document: Document, edges: Sequence[tuple[AnyItem, int]], length: float, manner: Manner) -> Change:
    """Edges of patches moved out together by ``length`` mm, or back below 0: corners that they share stay shared.

    Patches that followed something are free from then on. Raises ArabesqueError for trimmed borders, and for edges that
    the twin plane holds.
    """
    for item, edge in edges:
        if not isinstance(item.shape, Surface) or isinstance(item.shape, Face):
            raise ArabesqueError(f"{item.name} has no edge that can be moved with others", "Extend it by itself")
        if _held_by_plane(item, edge):
            raise ArabesqueError(f"The twin plane holds this edge of {item.name}", "Move it alone, or let the twin go")
    keys = list(dict.fromkeys(item.id for item, _ in edges))
    numbers = [(keys.index(item.id), edge) for item, edge in edges]
    made = extended_chain([document[key].shape for key in keys], numbers, length, manner)
    put = with_inputs(document, dict(zip(keys, made, strict=True)))
    return Change(f"{len(edges)} edges moved {length:+.3g} mm", put)


def together(
    document: Document, items: Sequence[AnyItem], scan: Scan | None, order: int, progress: Progress = silent
) -> Together:
    """Neighbouring patches fitted to a scan once more, with G0 to G2 over the edges that they share; their outer edges
    stay, and so does what makes a seam on the twin plane smooth. Raises ArabesqueError where that cannot be."""
    surfaces: list[Surface] = []
    held: dict[tuple[int, int], int] = {}
    for number, item in enumerate(items):
        if not isinstance(item.shape, Surface) or isinstance(item.shape, Face):
            raise ArabesqueError(f"{item.name} is no patch with natural edges", "Recast it first")
        surfaces.append(item.shape)
        twin = item.ties.twin
        if twin is not None and twin.kind is TwinKind.ENDS:
            edge = next(edge for edge in Edge if edge.side == (twin.axis, twin.at_end))
            held[number, int(edge)] = HELD_ROWS[twin.seam]
    reach = max(LEAST_REACH, REACH * document.tolerance)
    return fit_together(surfaces, scan, document.tolerance, order, reach, held, progress)


def fitted_together(document: Document, items: Sequence[AnyItem], made: Together, order: int) -> Change:
    """The patches as they were fitted together; those that followed something are free from then on."""
    for item, surface in zip(items, made.surfaces, strict=True):
        document = reshaped(document, document[item.id], "fitted together", surface).document
    return Change(f"{len(items)} patches fitted together, G{order}", document)
