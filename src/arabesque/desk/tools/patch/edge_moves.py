"""Edges, corners and borders that are moved: what is taken, which way it goes out, and what becomes of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.tools.on_patches import NEAR, edge_points, edge_under
from arabesque.desk.tools.patch.picked_border import border_line
from arabesque.desk.view.pointer import Pointer
from arabesque.geometry import Edge, Face, Manner, Surface, TwinKind, extended, over_quadrangle, parameter_step, unit
from arabesque.joining import moved_borders, outward_ways
from arabesque.model import Document, Item, edits


@dataclass(frozen=True)
class Grip:
    """An ``Edge``, the corner between an edge and the next one, or a border of a trimmed face by its number."""

    number: int
    corner: bool = False
    trimmed: bool = False

    @property
    def words(self) -> str:
        """Its name."""
        if self.trimmed:
            return f"border {self.number + 1}"
        edges = ("low v", "high u", "high v", "low u")
        corners = ("low u, low v", "high u, low v", "high u, high v", "low u, high v")
        return f"corner {corners[self.number]}" if self.corner else f"edge {edges[self.number]}"


def corners_of(surface: Surface) -> Floats:
    """(4, 3) corners of a patch, each after the ``Edge`` that leads to it."""
    p = surface.points
    return np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]])


def grip_under(item: Item, pointer: Pointer) -> Grip | None:
    """The corner or edge of a patch, or the border of a trimmed face, under the pointer."""
    surface = item.shape
    assert isinstance(surface, Surface)
    if isinstance(surface, Face):
        away = [pointer.to_line(border_line(rim)) for rim in surface.rims()]
        nearest = int(np.argmin(away))
        return Grip(nearest, trimmed=True) if away[nearest] < NEAR else None
    for number, corner in enumerate(corners_of(surface)):
        if pointer.near(corner, NEAR + 2):
            return Grip(number, corner=True)
    found = edge_under([item], pointer)
    return None if found is None else Grip(found[1])


def line_of(surface: Surface, grip: Grip) -> Floats:
    """(n, 3) along an edge or a border."""
    return border_line(surface.rims()[grip.number]) if grip.trimmed else edge_points(surface, grip.number)


def moved_together(
    document: Document, item: Item, grip: Grip, more: Sequence[tuple[str, int]], length: float, manner: Manner
) -> Document:
    """The document with an edge, or a border of a trimmed face, and others moved out together by ``length`` mm."""
    if grip.trimmed:
        numbers = [grip.number, *(number for key, number in more if key == item.id)]
        assert isinstance(item.shape, Surface)
        return document.with_shape(item.id, moved_borders(item.shape, numbers, length, manner))
    edges = [(item, grip.number), *((document[key], number) for key, number in more)]
    return edits.joining.chain_extended(document, edges, length, manner).document


def outward(surface: Surface, grip: Grip, anchor: Floats) -> list[Floats]:
    """Unit vectors along which a grip that is held at a place (3,) moves outwards: one for an edge, along u and along v
    for a corner."""
    (u0, u1), (v0, v1) = surface.domain
    if grip.trimmed:
        rim, line = surface.rims()[grip.number], line_of(surface, grip)
        share = int(np.linalg.norm(line - anchor, axis=1).argmin()) / (len(line) - 1)
        return [outward_ways(surface, rim, np.array([share]))[0]]
    if grip.corner:
        u, v = ((u0, v0), (u1, v0), (u1, v1), (u0, v1))[grip.number]
        d = surface.derivatives([[u, v]], 1)
        return [unit(d[1, 0, 0]) * (1 if u == u1 else -1), unit(d[0, 1, 0]) * (1 if v == v1 else -1)]
    axis, at_end = Edge(grip.number).side
    start, end = surface.boundary()[grip.number]
    d = surface.derivatives([(start + end) / 2], 1)
    return [unit(d[1, 0, 0] if axis == 0 else d[0, 1, 0]) * (1 if at_end else -1)]


def moved_grip(item: Item, grip: Grip, first: float, second: float, manner: Manner) -> Surface:
    """The patch with an edge moved across by ``first`` mm, or a corner along u and v by ``first`` and ``second``.

    Of a patch that spans the twin plane, the opposite edge or corner moves too.
    """
    surface = item.shape
    assert isinstance(surface, Surface)
    spans = item.ties.twin is not None and item.ties.twin.kind is TwinKind.SPANS
    if not grip.corner:
        axis, at_end = Edge(grip.number).side
        made = extended(surface, axis, at_end, first, manner)
        if spans and item.ties.twin is not None and item.ties.twin.axis == axis:
            made = extended(made, axis, not at_end, first, manner)
        return made
    (u0, u1), (v0, v1) = surface.domain
    corners = np.array([(u0, v0), (u1, v0), (u1, v1), (u0, v1)])
    moved = {grip.number}
    if spans and item.ties.twin is not None:
        moved.add({0: (1, 0, 3, 2), 1: (3, 2, 1, 0)}[item.ties.twin.axis][grip.number])
    for number in moved:
        u, v = corners[number]
        for axis, length, other in ((0, first, v), (1, second, u)):
            at_end = corners[number][axis] == surface.domain[axis][1]
            step = parameter_step(surface, axis, bool(at_end), float(other), length)
            corners[number, axis] += step if at_end else -step
    return over_quadrangle(surface, corners)[0]


def on_plane(item: Item, grip: Grip) -> bool:
    """True where a grip lies on the twin plane, on which the patch ends."""
    assert item.ties.twin is not None
    touched = (grip.number, (grip.number - 1) % 4) if grip.corner else (grip.number,)
    return any(Edge(edge).side == (item.ties.twin.axis, item.ties.twin.at_end) for edge in touched)
