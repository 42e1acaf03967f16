"""A cage as bicubic NURBS patches that are its surface: graded knots towards irregular points."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.cages.blocks import Block, corner_half, find_blocks, odd_corners
from arabesque.cages.cage import Cage
from arabesque.cages.corner_solve import solve_corners
from arabesque.cages.masks import corner_mask
from arabesque.cages.tiles import Tiles, within_lines
from arabesque.geometry import Surface

DEPTHS = {3: 7, 4: 7, 5: 7, 6: 9}
"""How far knots are graded, by the most faces at an irregular point; more need the next."""
MORE_DEPTH = 11


@dataclass(frozen=True, eq=False)
class Converted:
    """surfaces: bicubic patches, one a block. blocks: the faces that each is. depth: knots are graded to 2^-depth of
    a face. solved: points round which patches were bent for a common tangent plane."""

    surfaces: tuple[Surface, ...]
    blocks: tuple[Block, ...]
    depth: int
    solved: Ints

    @property
    def count(self) -> int:
        """Number of control points."""
        return sum(surface.count for surface in self.surfaces)


class Grading(NamedTuple):
    """Breaks of a block along one direction, in faces: (k,) rising. low, high: whether graded there."""

    breaks: Floats
    low: bool
    high: bool

    @property
    def knots(self) -> Floats:
        """Clamped cubic knots."""
        b = self.breaks
        return np.concatenate([[b[0]] * 3, b, [b[-1]] * 3])

    @property
    def cells(self) -> Ints:
        """The cell by which each coefficient is read: one in the middle of its support, but for the very first and
        last none that touches a graded end."""
        count, last = len(self.breaks) + 2, len(self.breaks) - 2
        middle = np.clip(np.arange(count) - 2, 0, last)
        least, most = int(self.low), last - int(self.high)
        found = np.clip(middle, min(least, last), max(most, 0))
        found[0], found[-1] = 0, last
        return found


def graded(size: int, low: bool, high: bool, depth: int) -> Grading:
    """The breaks of so many faces, with 2^-1 to 2^-depth at graded ends."""
    fine = 0.5 ** np.arange(1, depth + 1)
    parts = [np.arange(size + 1.0)]
    parts += [fine] if low else []
    parts += [size - fine] if high else []
    return Grading(np.unique(np.concatenate(parts)), low, high)


def to_surfaces(cage: Cage, merge: bool = True, depth: int | None = None) -> Converted:
    """The patches of a cage's surface, neighbours with the same line along their common edge.

    Away from irregular points they are the surface itself; in the last cell at one, 2^-depth of a face wide, they
    come as near as a bicubic piece can, bent there to a common tangent plane.
    """
    whole = cage.whole
    quads, odd = whole.quads, odd_corners(whole.quads)[: 4 * cage.count]
    if depth is None:
        depth = DEPTHS.get(int(quads.valence[quads.starts[: len(odd)][odd]].max(initial=3)), MORE_DEPTH)
    blocks = find_blocks(cage.quads, odd, merge)
    tiles = quads.tiles(depth)
    grid = tiles.stencil @ whole.points
    alike: dict[tuple[int, int, bool, bool, bool, bool], list[int]] = {}
    corners = [tuple(bool(odd[corner_half(block, k)]) for k in range(4)) for block in blocks]
    for number, (block, at) in enumerate(zip(blocks, corners, strict=True)):
        ends = (at[0] or at[3], at[1] or at[2], at[0] or at[1], at[2] or at[3])
        alike.setdefault((*block.faces.shape, *ends), []).append(number)
    nets: list[Floats] = [np.empty(0)] * len(blocks)
    knots: list[tuple[Floats, Floats]] = [(np.empty(0), np.empty(0))] * len(blocks)
    for (m, n, u_low, u_high, v_low, v_high), numbers in alike.items():
        u, v = graded(m, u_low, u_high, depth), graded(n, v_low, v_high, depth)
        some = [blocks[k] for k in numbers]
        net = _coefficients(tiles, grid, np.stack([b.faces for b in some]), np.stack([b.turned for b in some]), u, v)
        for number, points in zip(numbers, net, strict=True):
            nets[number], knots[number] = points, (u.knots, v.knots)
    for block, at, net in zip(blocks, corners, nets, strict=True):
        for k in range(4):
            if at[k]:
                mask = corner_mask(quads, corner_half(block, k))
                net[((0, 0), (-1, 0), (-1, -1), (0, -1))[k]] = mask.weights[0] @ whole.points[mask.points]
    solved = solve_corners(cage, blocks, knots, nets, odd)
    surfaces = tuple(Surface((3, 3), both, net) for both, net in zip(knots, nets, strict=True))
    return Converted(surfaces, tuple(blocks), depth, solved)


def _coefficients(tiles: Tiles, grid: Floats, faces: Ints, turned: Ints, u: Grading, v: Grading) -> Floats:
    """(b, nu, nv, 3) control points of b blocks of the same size, by blossoms of the tiles that they lie over."""
    cells = [(one.breaks[one.cells] + one.breaks[one.cells + 1]) / 2 for one in (u, v)]
    triples = [np.stack([one.knots[k : k + len(one.cells)] for k in (1, 2, 3)], axis=-1) for one in (u, v)]
    i, j = (cell.astype(np.int64) for cell in cells)
    b, nu, nv = len(faces), len(i), len(j)
    face, turn = faces[:, i[:, None], j], turned[:, i[:, None], j]
    # places and knots on the face itself, seen from its own first point
    a, c = np.broadcast_to((cells[0] - i)[:, None], (nu, nv)), np.broadcast_to((cells[1] - j)[None], (nu, nv))
    own = on_faces(turn, np.broadcast_to(a, (b, nu, nv)), np.broadcast_to(c, (b, nu, nv)))
    tile, _ = tiles.locate(face.ravel(), np.stack(own, axis=-1).reshape(-1, 2))
    ta = np.broadcast_to((triples[0] - i[:, None])[None, :, None], (b, nu, nv, 3))
    tc = np.broadcast_to((triples[1] - j[:, None])[None, None], (b, nu, nv, 3))
    along = on_faces(turn[..., None], ta, tc)
    # a corner cell has no tile: its one coefficient is set apart
    known = np.where(tile < 0, 0, tile)
    size = 0.5 ** tiles.level[known][:, None]
    lined = tiles.lined[known]
    weights = [
        within_lines(blossom_weights((one.reshape(-1, 3) - tiles.origin[known][:, k : k + 1]) / size), lined[:, low],
                     lined[:, high])
        for k, (one, low, high) in enumerate(((along[0], 3, 1), (along[1], 0, 2)))
    ]  # fmt: skip
    points = grid[tiles.grids[known]].reshape(-1, 4, 4, 3)
    found = np.einsum("ka,kb,kabc->kc", weights[0], weights[1], points)
    return np.asarray(found.reshape(b, nu, nv, 3))


def on_faces(turn: Ints, a: Floats, b: Floats) -> tuple[Floats, Floats]:
    """Parameters on faces from those of their block, by which of the face's points comes first there."""
    u = np.choose(turn, [a, 1 - b, 1 - a, b])
    v = np.choose(turn, [b, a, 1 - b, 1 - a])
    return u, v


def blossom_weights(x: Floats) -> Floats:
    """(n, 4) weights of uniform cubic control points in the blossom at (n, 3) arguments, knots -2 to 3.

    de Boor's algorithm with an argument a step: Ramshaw, "Blossoms are polar forms", CAGD 6, 1989.
    """
    one = np.eye(4)
    first = [one[k] * (1 + k - x[:, :1]) / 3 + one[k + 1] * (2 - k + x[:, :1]) / 3 for k in range(3)]
    second = [first[k] * (1 + k - x[:, 1:2]) / 2 + first[k + 1] * (1 - k + x[:, 1:2]) / 2 for k in range(2)]
    return np.asarray(second[0] * (1 - x[:, 2:]) + second[1] * x[:, 2:])
