"""The patches of a cage with the edges that they share: what a shell or a solid is built from."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages.blocks import side_halves
from arabesque.cages.cage import Cage
from arabesque.cages.conversion import Converted
from arabesque.geometry import Surface


@dataclass(frozen=True, eq=False)
class Skin:
    """Faces over patches, joined along edges.

    corners: (c, 3) where edges end, and points: (c,) the cage's points there. surfaces: one a face. edges: (e, 2)
    corners at their start and end; sharp: (e,). lines: (e, 2) the surface and side (an ``Edge``) along whose line each
    edge runs, rising; spans: (e, 2) from which to which parameter. uses: (u, 3) surface, side, edge; ways: (u, 2) the
    parameters along the surface's side at the start and the end of the edge; they come in order round each surface,
    u = 0 first. turned: (u,) true where the edge runs against the way round. closed: no edge has one face only.
    """

    corners: Floats
    points: Ints
    surfaces: tuple[Surface, ...]
    edges: Ints
    sharp: Bools
    lines: Ints
    spans: Floats
    uses: Ints
    ways: Floats
    turned: Bools
    closed: bool


def skin_of(cage: Cage, converted: Converted) -> Skin:
    """The faces and shared edges of a converted cage; edges end wherever a patch has a corner."""
    quads, blocks = cage.quads, converted.blocks
    is_corner = np.zeros(quads.count, dtype=bool)
    for block in blocks:
        for side in range(4):
            is_corner[quads.starts[side_halves(block, side)[0]]] = True
    places: dict[int, Floats] = {}
    known: dict[tuple[int, int], tuple[int, bool]] = {}
    edges: list[tuple[int, int]] = []
    sharp, lines, spans, uses, ways, turned = [], [], [], [], [], []
    count: dict[int, int] = {}
    for number, (block, surface) in enumerate(zip(blocks, converted.surfaces, strict=True)):
        for side in range(4):
            halves = side_halves(block, side)
            size = len(halves)
            cuts = [k for k in range(size) if k == 0 or is_corner[quads.starts[halves[k]]]]
            for first, last in zip(cuts, [*cuts[1:], size], strict=True):
                start, end = int(quads.starts[halves[first]]), int(quads.ends[halves[last - 1]])
                # sides 2 and 3 run against their parameter
                along = (first, last) if side < 2 else (size - first, size - last)
                begun = known.get((int(quads.twins[halves[last - 1]]), last - first))
                if begun is None:
                    edge = len(edges)
                    known[int(halves[first]), last - first] = edge, side >= 2
                    rising = along if side < 2 else along[::-1]
                    edges.append((start, end) if side < 2 else (end, start))
                    sharp.append(bool(quads.is_sharp[halves[first]]))
                    lines.append((number, side))
                    spans.append(rising)
                    ways.append(rising)
                    turned.append(side >= 2)
                    for point, at in zip(edges[-1], rising, strict=True):
                        places.setdefault(point, _at(surface, side, at))
                else:
                    # the same edge, met from the other side: it runs there against the way it ran here
                    edge, was_turned = begun
                    turned.append(not was_turned)
                    ways.append(along if was_turned else along[::-1])
                uses.append((number, side, edge))
                count[edge] = count.get(edge, 0) + 1
    order = sorted(places)
    index = {point: k for k, point in enumerate(order)}
    return Skin(
        np.array([places[point] for point in order]),
        np.array(order),
        converted.surfaces,
        np.array([(index[a], index[b]) for a, b in edges]),
        np.array(sharp),
        np.array(lines),
        np.array(spans, dtype=float),
        np.array(uses),
        np.array(ways, dtype=float),
        np.array(turned),
        min(count.values()) == 2,
    )


def _at(surface: Surface, side: int, along: float) -> Floats:
    (_, u1), (_, v1) = surface.domain
    uv = ((along, 0.0), (u1, along), (along, v1), (0.0, along))[side]
    return surface.at([uv])[0]


def side_places(surface: Surface, side: int, along: Floats) -> Floats:
    """(n, 2) parameters of places along a side of a patch, by its own parameter there."""
    (_, u1), (_, v1) = surface.domain
    fixed = np.full(len(along), (0.0, u1, v1, 0.0)[side])
    return np.column_stack([along, fixed] if side in (0, 2) else [fixed, along])
