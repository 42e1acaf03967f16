"""The net of a cage without its places: faces of four points, sharp edges, corners; and what follows from them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from numba import njit
from numpy.typing import ArrayLike

from arabesque.arrays import Bools, Floats, Ints, frozen_array
from arabesque.errors import InvalidShape

if TYPE_CHECKING:
    from arabesque.cages.beyond import Beyond
    from arabesque.cages.tiles import Tiles

T = TypeVar("T")
CURE = "Take the last step back, or mend the net where it came from"
SMOOTH, DART, CREASE, CORNER = range(4)
"""What a point is: inside a smooth part, where one sharp edge ends, on a sharp line, held in place."""


class CageProblem(InvalidShape):
    """A net of quads that cannot stand, or an edit that would lead to one."""


Half = TypeVar("Half", int, Ints)


@dataclass(frozen=True, eq=False)
class Quads:
    """Faces of four points each that make a surface.

    faces: (n, 4) indices of points, counter-clockwise seen from outside. sharp: (k, 2) pairs of points whose edge is
    sharp. corners: (c,) points that stay where they are, sharp in every direction. count: number of points, each on
    some face. bent: (b, 2) pairs of points whose edge is border and across which the surface bends as the rows behind
    it do: whole sides, see ``beyond.whole_sides``; other edges are left out.

    Half-edge 4 f + i runs along side i of face f, from its point i to the next; nothing of that is stored.
    Raises CageProblem for faces with a point twice, edges with more than two faces or faces that look to opposite
    sides, points where two fans of faces touch, and points on no face.
    """

    faces: Ints
    sharp: Ints
    corners: Ints
    count: int
    bent: Ints = field(default_factory=lambda: np.empty((0, 2), dtype=np.int64))

    def __post_init__(self) -> None:
        faces = frozen_array(self.faces, (None, 4), np.int64, what="Faces of the cage", below=self.count)
        object.__setattr__(self, "faces", faces)
        if not len(faces):
            raise CageProblem("A cage needs at least one face", "Leave it out, or lay a face first")
        sharp = np.sort(np.asarray(self.sharp, dtype=np.int64).reshape(-1, 2), axis=1)
        sharp = np.unique(sharp, axis=0) if len(sharp) else sharp
        corners = np.unique(np.asarray(self.corners, dtype=np.int64))
        object.__setattr__(
            self, "sharp", frozen_array(sharp, (None, 2), np.int64, what="Sharp edges", below=self.count)
        )
        object.__setattr__(self, "corners", frozen_array(corners, (None,), np.int64, what="Corners", below=self.count))
        _check(self)
        bent = np.sort(np.asarray(self.bent, dtype=np.int64).reshape(-1, 2), axis=1)
        if len(bent):
            from arabesque.cages.beyond import whole_sides  # which reads quads

            bent = whole_sides(self, np.unique(bent, axis=0))
        object.__setattr__(self, "bent", frozen_array(bent, (None, 2), np.int64, what="Bent edges", below=self.count))

    @classmethod
    def of(cls, faces: ArrayLike, sharp: ArrayLike = (), corners: ArrayLike = ()) -> Quads:
        """Quads over the points 0 to the largest that is named."""
        array = np.asarray(faces, dtype=np.int64).reshape(-1, 4)
        count = int(array.max()) + 1 if len(array) else 0
        return cls(array, np.asarray(sharp, np.int64).reshape(-1, 2), np.asarray(corners, np.int64).ravel(), count)

    # half-edges

    @cached_property
    def starts(self) -> Ints:
        """(4 n,) the point that each half-edge leaves."""
        return self.faces.ravel()

    @cached_property
    def ends(self) -> Ints:
        """(4 n,) the point that each half-edge reaches."""
        return np.roll(self.faces, -1, axis=1).ravel()

    @cached_property
    def twins(self) -> Ints:
        """(4 n,) the half-edge that runs the other way along the same edge; -1 on the border."""
        return twins_of(self.faces, self.count)

    @cached_property
    def _numbered(self) -> tuple[Ints, Ints]:
        low, high = np.minimum(self.starts, self.ends), np.maximum(self.starts, self.ends)
        first = np.flatnonzero((self.twins < 0) | (self.twins > np.arange(len(self.twins))))
        keys = low[first] * self.count + high[first]
        order = np.argsort(keys)
        number = np.empty(len(self.starts), dtype=np.int64)
        number[first[order]] = np.arange(len(first))
        later = np.flatnonzero((self.twins >= 0) & (self.twins < np.arange(len(self.twins))))
        number[later] = number[self.twins[later]]
        return np.column_stack(np.divmod(keys[order], self.count)), number

    @property
    def edges(self) -> Ints:
        """(e, 2) the edges, lower point first, in rising order."""
        return self._numbered[0]

    @property
    def edge_of(self) -> Ints:
        """(4 n,) the number of each half-edge's edge."""
        return self._numbered[1]

    @cached_property
    def border(self) -> Bools:
        """(4 n,) true for half-edges with no face beyond."""
        return self.twins < 0

    @cached_property
    def is_sharp(self) -> Bools:
        """(4 n,) true for half-edges of sharp edges; the border is not among them unless it was named."""
        return self.sharp_edges[self.edge_of]

    @cached_property
    def sharp_edges(self) -> Bools:
        """(e,) true for sharp edges."""
        return self.named(self.sharp)

    def named(self, pairs: Ints) -> Bools:
        """(e,) true for edges among (k, 2) pairs of points, the lower first."""
        if not len(pairs):
            return np.zeros(len(self.edges), dtype=bool)
        keys = self.edges[:, 0] * self.count + self.edges[:, 1]
        return np.isin(keys, pairs[:, 0] * self.count + pairs[:, 1])

    def numbers(self, pairs: Ints) -> Ints:
        """(k,) the numbers of the edges between (k, 2) points that have one."""
        keys = self.edges[:, 0] * self.count + self.edges[:, 1]
        return np.searchsorted(keys, pairs.min(axis=1) * self.count + pairs.max(axis=1))

    @cached_property
    def cut(self) -> Bools:
        """(4 n,) true where the surface is not smooth across: border and sharp edges."""
        return self.border | self.is_sharp

    @cached_property
    def valence(self) -> Ints:
        """(count,) how many faces meet at each point."""
        return np.bincount(self.starts, minlength=self.count)

    @cached_property
    def on_border(self) -> Bools:
        """(count,) true for points on the border."""
        found = np.zeros(self.count, dtype=bool)
        found[self.starts[self.border]] = found[self.ends[self.border]] = True
        return found

    @cached_property
    def cuts(self) -> Ints:
        """(count,) how many edges at each point are cut."""
        edges = self.edges[self.edge_cut]
        return np.bincount(edges.ravel(), minlength=self.count)

    @cached_property
    def edge_cut(self) -> Bools:
        """(e,) as ``cut``, edge by edge."""
        found = np.zeros(len(self.edges), dtype=bool)
        found[self.edge_of[self.cut]] = True
        return found

    @cached_property
    def held(self) -> Bools:
        """(count,) points that stay where they are: named corners, and points of the border with one face only."""
        held = self.on_border & (self.valence == 1)
        held[self.corners] = True
        return held

    @cached_property
    def kinds(self) -> Ints:
        """(count,) SMOOTH, DART, CREASE or CORNER."""
        return np.where(self.held, CORNER, np.minimum(self.cuts, CORNER)).astype(np.int64)

    @cached_property
    def irregular(self) -> Bools:
        """(count,) points where rows of faces do not go straight on: inside by other than four faces, on the border
        by other than two (one at a corner)."""
        inside = ~self.on_border & (self.valence != 4)
        rim = self.on_border & (self.valence > 2)
        return inside | rim

    @cached_property
    def outgoing(self) -> Ints:
        """(count,) a half-edge that leaves each point: on the border the one from which all others follow, turning
        counter-clockwise."""
        found = np.full(self.count, -1)
        found[self.starts] = np.arange(len(self.starts))
        found[self.starts[self.border]] = np.flatnonzero(self.border)
        return found

    @cached_property
    def _kept(self) -> dict[str, Any]:
        return {}

    def kept(self, name: str, make: Callable[[], T]) -> T:
        """What follows from the net alone, made once under a name."""
        if name not in self._kept:
            self._kept[name] = make()
        return self._kept[name]

    @property
    def beyond(self) -> Beyond | None:
        """The net with a row of faces beyond its bent borders; None where no border is bent."""
        from arabesque.cages.beyond import add_beyond  # which reads quads

        return self.kept("beyond", lambda: add_beyond(self)) if len(self.bent) else None

    @cached_property
    def bends(self) -> Bools:
        """(4 n,) true for half-edges of bent border."""
        return self.border & self.named(self.bent)[self.edge_of]

    def tiles(self, depth: int) -> Tiles:
        """The limit surface as bicubic tiles, down to 2^-depth of a face."""
        from arabesque.cages.tiles import make_tiles  # which divides quads

        return self.kept(f"tiles {depth}", lambda: make_tiles(self, depth))

    @cached_property
    def rows(self) -> tuple[tuple[Ints, ...], tuple[int, ...], Ints]:
        """The rows of the net as points, which of two ways each runs, and (k, 2) neighbours in them."""
        from arabesque.cages.rows import net_rows  # which walks over quads
        from arabesque.shapes import Net

        rows, along = net_rows(self)
        return rows, along, Net.legs_of(rows)

    @cached_property
    def flipped(self) -> Quads:
        """The faces seen from the other side; those of a face's points stay first."""
        made = Quads(self.faces[:, [0, 3, 2, 1]], self.sharp, self.corners, self.count, self.bent)
        made.__dict__["flipped"] = self
        return made

    def around(self, point: int) -> Ints:
        """The half-edges that leave a point, counter-clockwise; on the border beginning there."""
        first = int(self.outgoing[point])
        found, h = [first], first
        while True:
            h = int(self.twins[before(h)])
            if h < 0 or h == first:
                return np.array(found)
            found.append(h)

    def fan(self, half: int) -> tuple[list[int], bool]:
        """The half-edges that leave a point between the cuts about one of them, counter-clockwise from a cut on, and
        whether there is none: then all of them."""
        first = half
        while not self.cut[first]:
            first = after(int(self.twins[first]))
            if first == half:
                break
        found, h = [first], first
        while True:
            back = before(h)
            if self.cut[back]:
                break
            h = int(self.twins[back])
            if h == first:
                break
            found.append(h)
        return found, not bool(self.cut[first])

    def half_edge(self, start: int, end: int) -> int:
        """The half-edge from one point to another; -1 where there is none."""
        found = np.flatnonzero((self.starts == start) & (self.ends == end))
        return int(found[0]) if len(found) else -1

    def borders(self) -> list[Ints]:
        """Each border as its half-edges in order, the surface to their left."""
        after = {int(self.starts[h]): int(h) for h in np.flatnonzero(self.border)}
        found = []
        while after:
            h = next(iter(after.values()))
            ring = []
            while h >= 0:
                ring.append(h)
                del after[int(self.starts[h])]
                h = after.get(int(self.ends[h]), -1)
            found.append(np.array(ring))
        return found


def after(half: Half) -> Half:
    """The next half-edge round the same face, of one or of many."""
    return half - half % 4 + (half + 1) % 4


def before(half: Half) -> Half:
    """The half-edge before it round the same face, of one or of many."""
    return half - half % 4 + (half + 3) % 4


@njit(cache=True, nogil=True)
def twins_of(faces: Ints, count: int) -> Ints:
    """(4 n,) the half-edge that runs the other way along the same edge; -1 where there is none."""
    n = len(faces)
    # half-edges in the order of the points that they leave
    first = np.zeros(count + 1, dtype=np.int64)
    for f in range(n):
        for i in range(4):
            first[faces[f, i] + 1] += 1
    for point in range(count):
        first[point + 1] += first[point]
    leaving = np.empty(4 * n, dtype=np.int64)
    filled = first[:-1].copy()
    for f in range(n):
        for i in range(4):
            leaving[filled[faces[f, i]]] = 4 * f + i
            filled[faces[f, i]] += 1
    twins = np.full(4 * n, -1, dtype=np.int64)
    for f in range(n):
        for i in range(4):
            start, end = faces[f, i], faces[f, (i + 1) % 4]
            for k in range(first[end], first[end + 1]):
                h = leaving[k]
                if faces[h // 4, (h % 4 + 1) % 4] == start:
                    twins[4 * f + i] = h
                    break
    return twins


def _check(quads: Quads) -> None:
    faces = quads.faces
    ordered = np.sort(faces, axis=1)
    if (ordered[:, 1:] == ordered[:, :-1]).any():
        raise CageProblem("A face would have the same point twice", CURE)
    keys = np.sort(quads.starts * quads.count + quads.ends)
    if (keys[1:] == keys[:-1]).any():
        raise CageProblem("An edge would have more than two faces, or faces that look to opposite sides", CURE)
    if not (np.bincount(quads.starts, minlength=quads.count) > 0).all():
        raise CageProblem("A point would lie on no face", CURE)
    if (fan_sizes(quads.outgoing, quads.twins) != quads.valence).any():
        raise CageProblem("Two parts would touch in one point only", CURE)
    if len(quads.sharp) != np.count_nonzero(quads.sharp_edges):
        raise CageProblem("A sharp edge is named where there is no edge", "Name edges of the faces only")


@njit(cache=True, nogil=True)
def fan_sizes(outgoing: Ints, twins: Ints) -> Ints:
    """(count,) how many faces follow each other round each point, from its outgoing half-edge on."""
    sizes = np.zeros(len(outgoing), dtype=np.int64)
    for point in range(len(outgoing)):
        first = outgoing[point]
        h = first
        while h >= 0:
            sizes[point] += 1
            h = twins[h - h % 4 + (h + 3) % 4]
            if h == first:
                break
    return sizes


@njit(cache=True, nogil=True)
def sectors(twins: Ints, cut: Bools) -> Ints:
    """(4 n,) how many faces there are between the cuts round the point that each half-edge leaves.

    Of a point without cuts all its faces; 0 where an edge that is not cut has no face beyond.
    """
    sizes = np.zeros(len(twins), dtype=np.int64)
    for start in range(len(twins)):
        size, h, whole = 1, start, False
        while True:  # counter-clockwise
            back = h - h % 4 + (h + 3) % 4
            if cut[back]:
                break
            h = twins[back]
            if h < 0:
                size = 0
                break
            if h == start:
                whole = True
                break
            size += 1
        h = start
        while size > 0 and not whole and not cut[h]:  # clockwise
            h = twins[h]
            if h < 0:
                size = 0
                break
            h = h - h % 4 + (h + 1) % 4
            size += 1
        sizes[start] = size
    return sizes


def compacted(points: Floats, faces: Ints, sharp: Ints, corners: Ints, bent: Ints) -> tuple[Floats, Quads, Ints]:
    """Points that some face uses, the quads over them, and (count,) the old number of each."""
    used, new = numbered_anew(faces, len(points))
    kept_sharp = _existing(new[np.asarray(sharp, np.int64).reshape(-1, 2)], new[faces], len(used))
    kept_bent = _existing(new[np.asarray(bent, np.int64).reshape(-1, 2)], new[faces], len(used))
    kept_corners = new[np.asarray(corners, np.int64)]
    quads = Quads(new[faces], kept_sharp, kept_corners[kept_corners >= 0], len(used), kept_bent)
    return points[used], quads, used


def numbered_anew(faces: Ints, count: int) -> tuple[Ints, Ints]:
    """Which of ``count`` points faces use, in rising order, and (count,) the number of each among them, else -1."""
    named = np.zeros(count, dtype=bool)
    named[faces] = True
    used = np.flatnonzero(named)
    new = np.full(count, -1)
    new[used] = np.arange(len(used))
    return used, new


def _existing(sharp: Ints, faces: Ints, count: int) -> Ints:
    """Those sharp edges that faces still have."""
    if not len(sharp):
        return sharp
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2)
    keys = ends.min(axis=1) * count + ends.max(axis=1)
    sharp = np.sort(sharp, axis=1)
    there = (sharp >= 0).all(axis=1) & np.isin(sharp[:, 0] * count + sharp[:, 1], keys)
    return sharp[there]
