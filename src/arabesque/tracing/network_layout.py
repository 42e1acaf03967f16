"""From the meshes of a network of curves to four-sided patches: three- and five-sided ones are divided."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats
from arabesque.fitting import border_line, even_steps
from arabesque.fitting.network_space import Line, PatchLayout, Quad, SideOf
from arabesque.scan import Scan
from arabesque.tracing.meshes import DENSE, KINK, CurveMeshes, Mesh

NEAR_MIDDLE = 0.2
"""Of a side: a node so near to its middle is taken for the middle."""
PLACES_A_PART = 40

Half = tuple[int, bool]
"""Number of a piece, and True where it is run forwards."""


@dataclass(eq=False)
class _Piece:
    """A part of a line between two nodes. curve: where it comes from, -1 for a line put in to divide a mesh."""

    places: Floats
    start: int
    end: int
    curve: int
    halves: tuple[int, int] | None = None

    @property
    def length(self) -> float:
        return float(np.linalg.norm(np.diff(self.places, axis=0), axis=1).sum())


@dataclass(eq=False)
class _Builder:
    """Pieces and nodes while meshes are divided; a piece that was split knows its halves."""

    nodes: list[Floats]
    pieces: list[_Piece]
    scan: Scan | None
    follows: set[frozenset[tuple[int, int]]] = field(default_factory=set)

    def resolved(self, run: Sequence[Half]) -> list[Half]:
        """The same way over pieces as they are now."""
        found: list[Half] = []
        for number, forwards in run:
            halves = self.pieces[number].halves
            if halves is None:
                found.append((number, forwards))
            else:
                order = halves if forwards else halves[::-1]
                found += self.resolved([(k, forwards) for k in order])
        return found

    def ends(self, half: Half) -> tuple[int, int]:
        piece = self.pieces[half[0]]
        return (piece.start, piece.end) if half[1] else (piece.end, piece.start)

    def split(self, number: int, share: float) -> int:
        """A new node on a piece; its number."""
        piece = self.pieces[number]
        places = even_steps(piece.places, 2 * DENSE + 1)
        cut = int(np.clip(round(share * (len(places) - 1)), 1, len(places) - 2))
        self.nodes.append(places[cut])
        node, first = len(self.nodes) - 1, len(self.pieces)
        self.pieces.append(_Piece(even_steps(places[: cut + 1], DENSE), piece.start, node, piece.curve))
        self.pieces.append(_Piece(even_steps(places[cut:], DENSE), node, piece.end, piece.curve))
        piece.halves = (first, first + 1)
        return node

    def middle_of(self, run: Sequence[Half]) -> int:
        """The node at the middle of a side, made where there is none."""
        run = self.resolved(run)
        lengths = np.array([self.pieces[number].length for number, _ in run])
        ends = np.cumsum(lengths) / lengths.sum()
        inner = np.abs(ends[:-1] - 0.5)
        if len(inner) and inner.min() < NEAR_MIDDLE:
            return self.ends(run[int(inner.argmin())])[1]
        at = int(np.searchsorted(ends, 0.5))
        before = ends[at - 1] if at else 0.0
        share = (0.5 - before) / (ends[at] - before)
        number, forwards = run[at]
        return self.split(number, share if forwards else 1.0 - share)

    def cut_at(self, run: Sequence[Half], node: int) -> tuple[list[Half], list[Half]]:
        """A side in two at one of its nodes."""
        run = self.resolved(run)
        at = next(k for k, half in enumerate(run) if self.ends(half)[1] == node)
        return run[: at + 1], run[at + 1 :]

    def line_between(self, start: int, end: int) -> int:
        """A piece straight over the scan from node to node."""
        ends = self.nodes[start], self.nodes[end]
        if self.scan is None:
            places = np.linspace(*ends, DENSE)
        else:
            places = even_steps(border_line(*ends, self.scan).points, DENSE)
        self.pieces.append(_Piece(places, start, end, -1 - len(self.pieces)))
        return len(self.pieces) - 1


def layout_of(found: CurveMeshes, scan: Scan | None, sharp: Sequence[int] = ()) -> PatchLayout:
    """The quads that fill all meshes of three to five sides.

    A four-sided mesh is one patch. Any other is divided from its middle to the middles of its sides, one patch at each
    corner; a neighbour's side runs past such a middle. sharp: numbers of curves along which patches meet at an angle.
    """
    build = _Builder(list(found.nodes), [_Piece(arc.places, arc.start, arc.end, arc.curve) for arc in found.arcs], scan)
    sides: list[list[list[Half]]] = []
    meshes: list[int] = []
    for number, mesh in enumerate(found.filled):
        runs = [[(arc, way) for arc, way in mesh.side(k)] for k in range(mesh.sides)]
        if mesh.sides == 4:
            sides.append(runs)
            meshes.append(number)
        else:
            divided = _divided(build, mesh, runs)
            sides += divided
            meshes += [number] * len(divided)
    resolved = [[build.resolved(run) for run in quad] for quad in sides]
    return _lined(build, resolved, meshes, set(sharp))


def _divided(build: _Builder, mesh: Mesh, runs: list[list[Half]]) -> list[list[list[Half]]]:
    middles = [build.middle_of(run) for run in runs]
    centre = np.mean([build.nodes[k] for k in middles], axis=0)
    if build.scan is not None:
        centre = build.scan.closest(centre[None]).points[0]
    build.nodes.append(centre)
    inside = len(build.nodes) - 1
    spokes = [build.line_between(middle, inside) for middle in middles]
    cut = [build.cut_at(run, middle) for run, middle in zip(runs, middles, strict=True)]
    quads = []
    for k in range(mesh.sides):
        before = k - 1
        quads.append([cut[k][0], [(spokes[k], True)], [(spokes[before], False)], cut[before][1]])
    return quads


def _lined(build: _Builder, sides: list[list[list[Half]]], meshes: list[int], sharp: set[int]) -> PatchLayout:
    """Pieces that run on smoothly, or along one side, become one line."""
    used: dict[int, int] = {}
    for quad in sides:
        for run in quad:
            for number, _ in run:
                used[number] = used.get(number, 0) + 1
    partner: dict[tuple[int, bool], tuple[int, bool]] = {}

    def pair(one: tuple[int, bool], two: tuple[int, bool]) -> None:
        if one not in partner and two not in partner and one[0] != two[0]:
            partner[one], partner[two] = two, one

    # halves are named by the end at which they leave a node: (piece, True) leaves its start
    for quad in sides:
        for run in quad:
            for one, two in pairwise(run):
                pair((one[0], not one[1]), two)
    at_node: dict[int, list[tuple[int, bool]]] = {}
    for number in used:
        piece = build.pieces[number]
        at_node.setdefault(piece.start, []).append((number, True))
        at_node.setdefault(piece.end, []).append((number, False))
    for halves in at_node.values():
        for i, one in enumerate(halves):
            for two in halves[i + 1 :]:
                if build.pieces[one[0]].curve == build.pieces[two[0]].curve and _turn(build, one, two) < KINK:
                    pair(one, two)
    lines: list[Line] = []
    where: dict[int, tuple[int, int, bool]] = {}
    done: set[int] = set()
    for number in used:
        if number not in done:
            chain, closed = _chain(number, partner)
            done |= {k for k, _ in chain}
            for at, (k, forwards) in enumerate(chain):
                where[k] = len(lines), at, forwards
            lines.append(_line(build, chain, closed, used, sharp))
    quads: list[Quad] = []
    for quad in sides:
        made = []
        for run in quad:
            line = where[run[0][0]][0]
            stops = [_station(where[k], way) for k, way in run]
            made.append(SideOf(line, stops[0][0], stops[-1][1]))
        low, right, high, left = made
        quads.append((low, right, high, left))
    return PatchLayout(np.array(build.nodes), tuple(lines), tuple(quads), tuple(meshes))


def _station(where: tuple[int, int, bool], forwards: bool) -> tuple[int, int]:
    _, at, way = where
    return (at, at + 1) if way == forwards else (at + 1, at)


def _turn(build: _Builder, one: tuple[int, bool], two: tuple[int, bool]) -> float:
    """Degrees by which the way turns from one half to the other, through the node that both leave."""
    ways = []
    for number, from_start in (one, two):
        places = build.pieces[number].places
        places = places if from_start else places[::-1]
        ways.append(places[2] - places[0])
    a, b = ways
    cosine = -(a @ b) / max(float(np.linalg.norm(a) * np.linalg.norm(b)), 1e-300)
    return float(np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))))


def _chain(first: int, partner: dict[tuple[int, bool], tuple[int, bool]]) -> tuple[list[Half], bool]:
    """The pieces that run on from one another, in order; and whether they go round."""
    chain: list[Half] = [(first, True)]
    while True:
        number, forwards = chain[0]
        back = partner.get((number, forwards))
        if back is None:
            break
        if back[0] == first:
            return chain, True
        chain.insert(0, (back[0], not back[1]))
    while True:
        number, forwards = chain[-1]
        on = partner.get((number, not forwards))
        if on is None:
            return chain, False
        chain.append(on)


def _line(build: _Builder, chain: list[Half], closed: bool, used: dict[int, int], sharp: set[int]) -> Line:
    places: list[Floats] = []
    lengths, nodes = [0.0], []
    for number, forwards in chain:
        piece = build.pieces[number]
        part = piece.places if forwards else piece.places[::-1]
        places.append(part if not places else part[1:])
        lengths.append(lengths[-1] + piece.length)
        nodes.append(piece.start if forwards else piece.end)
    last = build.pieces[chain[-1][0]]
    nodes.append(last.end if chain[-1][1] else last.start)
    along = np.concatenate(places)
    return Line(
        even_steps(along, PLACES_A_PART * len(chain) + 1),
        np.array(lengths) / lengths[-1],
        tuple(nodes),
        closed,
        any(used[number] == 1 for number, _ in chain),
        any(build.pieces[number].curve in sharp for number, _ in chain),
    )
