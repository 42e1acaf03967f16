"""Surfaces cut apart along lines in their parameters."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.errors import InvalidShape
from arabesque.geometry import Face, Surface, Trim

FINEST = 1e-9
"""Of a surface's size: places nearer to each other are one."""
DIGITS = 12
"""After the point: places that are one agree in so many."""
SLIVER = 1e-7
"""Of a surface's area: smaller pieces are none."""
READ = 33
FAR = 1e3
"""Of a surface's size: how far is looked where a line that ends inside would have gone on to."""

Place = tuple[float, float]


@dataclass(frozen=True, eq=False)
class Piece:
    """A part of a surface. inside: (2,) parameters of a place well within it. area: mm², about."""

    inside: Floats
    area: float
    polygon: Any = field(repr=False)


@dataclass(frozen=True, eq=False)
class Loose:
    """A line that ends inside a surface and so parts nothing. place: (3,) its end. missing: mm, about, to where it
    would have met the border or another line."""

    place: Floats
    missing: float


@dataclass(frozen=True, eq=False)
class Pieces:
    """What a surface falls into, the largest first, and the lines that end in it."""

    surface: Surface
    pieces: tuple[Piece, ...]
    loose: tuple[Loose, ...]
    _corners: frozenset[Place]
    _scale: tuple[Floats, Floats]

    def at(self, uv: Floats) -> int:
        """The number of the piece that holds a place (2,), or the nearest one's."""
        import shapely

        low, size = self._scale
        place = shapely.Point((uv - low) * size)
        return int(np.argmin([shapely.distance(piece.polygon, place) for piece in self.pieces]))

    def share(self, number: int) -> Floats:
        """(2,) where a piece lies, as shares of the domain."""
        low, high = np.array(self.surface.domain).T
        return np.asarray((self.pieces[number].inside - low) / (high - low))

    def kept(self, which: Sequence[int] | Bools) -> Face:
        """The surface with only these of its pieces; between two that stay there is no border."""
        import shapely

        low, size = self._scale
        left = [piece.polygon for piece in np.array(self.pieces, dtype=object)[which]]
        if not left:
            raise InvalidShape("Nothing of the surface would be left", "Click the pieces that are to stay")
        merged = left[0] if len(left) == 1 else shapely.union_all(left)
        rings = [
            np.array(ring.coords)[:-1]
            for polygon in shapely.get_parts(merged)
            for ring in (polygon.exterior, *polygon.interiors)
        ]
        corners = [np.flatnonzero([_known(place) in self._corners for place in ring]) for ring in rings]
        # a ring without a corner begins anywhere
        trim = Trim(tuple(_on_edges(self.surface, low + ring / size) for ring in rings), tuple(corners))
        bare = self.surface.whole
        return Face(bare.degree, bare.knots, bare.points, bare.weights, trim)


def pieces_of(surface: Surface, lines: Sequence[Floats]) -> Pieces:
    """The parts into which lines (n, 2) in its parameters cut what shows of a surface.

    The lines are crossed with each other and with the border, and the faces of the arrangement taken (de Berg et al.,
    "Computational geometry", 3rd edition, chapter 2; by the library shapely). Borders of pieces have the places of the
    lines that cut them, so two surfaces cut by one line fit each other.
    """
    import shapely  # a tenth of a second at the start of the window

    scale = low, size = _measure(surface)
    extent = float(max((high - start) * mm for (start, high), mm in zip(surface.domain, size, strict=True)))
    border, marked = _border(surface)
    flat = [shapely.LineString((line - low) * size) for line in [*border, *lines] if len(line) > 1]
    net = shapely.union_all(flat, grid_size=FINEST * extent)
    nodes = _nodes(net)
    parts, _, dangles, _ = shapely.polygonize_full([net])
    ends = [line[k] for line in lines for k in (0, -1) if not np.array_equal(line[0], line[-1])]
    corners = frozenset(place for place, count in nodes.items() if count != 2) | _nearest(net, [*marked, *ends], scale)
    polygons = shapely.get_parts(parts)
    whole = sum(polygon.area for polygon in polygons)
    found = []
    for polygon in polygons:
        inside = low + np.array(polygon.representative_point().coords[0]) / size
        if polygon.area > SLIVER * whole and surface.shows(inside[None])[0]:
            found.append(Piece(inside, float(polygon.area), polygon))
    found.sort(key=lambda piece: -piece.area)
    loose = []
    for line in shapely.get_parts(dangles):
        for run in (np.array(line.coords), np.array(line.coords)[::-1]):
            uv = (low + run[-1] / size)[None]
            if nodes[_known(run[-1])] == 1 and surface.shows(uv)[0]:
                loose.append(Loose(surface.at(uv)[0], _missing(net, run, FAR * extent)))
    return Pieces(surface, tuple(found), tuple(loose), corners, scale)


def _known(place: Floats) -> Place:
    return round(float(place[0]), DIGITS), round(float(place[1]), DIGITS)


def _measure(surface: Surface) -> tuple[Floats, Floats]:
    """(2,) where the domain begins, and mm a parameter, on average, along u and v."""
    u, v = (np.linspace(*ends, READ) for ends in surface.domain)
    d = surface.on_grid(u, v, 1)
    size = [float(np.linalg.norm(d[k], axis=-1).mean()) for k in ((1, 0), (0, 1))]
    return np.array([ends[0] for ends in surface.domain]), np.maximum(size, 1e-12)


def _border(surface: Surface) -> tuple[list[Floats], list[Floats]]:
    """Closed lines round what shows, and the corners that are known of them."""
    if not isinstance(surface, Face):
        around = [start for start, _ in surface.boundary()]
        return [np.array([*around, around[0]])], around
    loops, corners = surface.trim.loops, surface.trim.corners
    marked = [loop[k] for loop, some in zip(loops, corners, strict=True) for k in some] if corners else []
    return [np.vstack([loop, loop[:1]]) for loop in loops], marked


def _nodes(net: Any) -> dict[Place, int]:
    """How many lines of an arrangement end at each place where one does."""
    import shapely

    counts: dict[Place, int] = {}
    for part in shapely.get_parts(net):
        for place in np.array(part.coords)[[0, -1]]:
            counts[_known(place)] = counts.get(_known(place), 0) + 1
    return counts


def _nearest(net: Any, places: Sequence[Floats], scale: tuple[Floats, Floats]) -> frozenset[Place]:
    """The places of an arrangement that (2,) parameters became."""
    import shapely

    if not places:
        return frozenset()
    vertices = shapely.get_coordinates(net)
    near = shapely.STRtree(shapely.points(vertices)).nearest(shapely.points((np.array(places) - scale[0]) * scale[1]))
    return frozenset(_known(vertices[k]) for k in np.atleast_1d(near))


def _on_edges(surface: Surface, uv: Floats) -> Floats:
    """Places that the arrangement rounded off an edge of the domain brought back to it."""
    for k, (low, high) in enumerate(surface.domain):
        near = 10 * FINEST * (high - low)
        uv[np.abs(uv[:, k] - low) < near, k] = low
        uv[np.abs(uv[:, k] - high) < near, k] = high
    return uv


def _missing(net: Any, run: Floats, far: float) -> float:
    """How far straight on from the end of a line it would meet something; infinite where it meets nothing."""
    import shapely

    way = (run[-1] - run[-2]) / np.linalg.norm(run[-1] - run[-2])
    ahead = shapely.LineString([run[-1] + 1e-6 * way, run[-1] + far * way])
    hit = shapely.intersection(ahead, net)
    return float("inf") if hit.is_empty else float(shapely.distance(hit, shapely.Point(run[-1])))
