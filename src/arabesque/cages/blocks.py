"""A cage's faces in rectangular blocks, as large as the irregular points and sharp edges allow."""

from __future__ import annotations

from collections import deque
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Bools, Ints
from arabesque.cages.quads import Quads, sectors
from arabesque.cages.rows import straight_on
from arabesque.cages.tiles import plain_corners


class Block(NamedTuple):
    """m x n faces side by side. faces: (m, n). turned: (m, n) which of a face's points is the block's first there:
    its parameters run from that point on."""

    faces: Ints
    turned: Ints


def odd_corners(quads: Quads) -> Bools:
    """(4 f,) corners of faces at which the surface is not one bicubic piece with the faces beside."""
    starts = quads.starts
    return ~plain_corners(sectors(quads.twins, quads.cut), quads.held[starts], quads.cuts[starts])


def find_blocks(quads: Quads, odd: Bools, merge: bool = True) -> list[Block]:
    """Blocks over all faces, with irregular points at their corners only; one a face without ``merge``.

    odd: (4 f,) corners of faces at irregular points: see ``odd_corners``.

    From every irregular point lines run straight along the edges, all a step at a time; each ends at the border, a
    sharp edge, an irregular point, or a point that another has passed.
    """
    if not merge:
        return [Block(np.array([[face]]), np.zeros((1, 1), dtype=np.int64)) for face in range(len(quads.faces))]
    wall = quads.cut.copy()
    passed = np.zeros(quads.count, dtype=bool)
    passed[quads.starts[quads.cut]] = passed[quads.ends[quads.cut]] = True
    ends = np.unique(quads.starts[odd])
    _run(quads, [int(h) for point in ends for h in quads.around(int(point))], wall, passed, ends)
    while True:
        blocks, failed = _grids(quads, wall)
        if failed < 0:
            return blocks
        # a strip or a ring that comes back to itself: cut it at one of its points
        point = int(quads.faces[failed, 0])
        _run(quads, quads.around(point).tolist(), wall, passed, np.array([point]))


def _run(quads: Quads, lines: list[int], wall: Bools, passed: Bools, ends: Ints) -> None:
    passed[ends] = True
    lines = [h for h in lines if not wall[h]]
    while lines:
        onward = []
        for h in lines:
            wall[h] = True
            if quads.twins[h] >= 0:
                wall[quads.twins[h]] = True
            end = int(quads.ends[h])
            if passed[end]:
                continue
            passed[end] = True
            following = straight_on(quads, h)
            if following >= 0:
                onward.append(following)
        lines = onward


def _grids(quads: Quads, wall: Bools) -> tuple[list[Block], int]:
    """The blocks between walls, and a face of the first that is no rectangle, or -1."""
    placed = np.zeros(len(quads.faces), dtype=bool)
    blocks = []
    for first in range(len(quads.faces)):
        if placed[first]:
            continue
        at = {first: (0, 0, 0)}
        waiting = deque([first])
        while waiting:
            face = waiting.popleft()
            x, y, turn = at[face]
            for side in range(4):
                h = 4 * face + (turn + side) % 4
                if wall[h]:
                    continue
                twin = int(quads.twins[h])
                dx, dy = ((0, -1), (1, 0), (0, 1), (-1, 0))[side]
                # what is side ``side`` here is the opposite one there
                there = (x + dx, y + dy, (twin % 4 - (side + 2)) % 4)
                other = twin // 4
                if other not in at:
                    at[other] = there
                    waiting.append(other)
                elif at[other] != there:
                    return [], first
        block = _block(at)
        if block is None:
            return [], first
        placed[list(at)] = True
        blocks.append(block)
    return blocks, -1


def _block(at: dict[int, tuple[int, int, int]]) -> Block | None:
    places = np.array(list(at.values()))
    low = places[:, :2].min(axis=0)
    size = places[:, :2].max(axis=0) - low + 1
    if size[0] * size[1] != len(at):
        return None
    faces = np.full(size, -1)
    turned = np.zeros(size, dtype=np.int64)
    x, y = (places[:, :2] - low).T
    faces[x, y] = list(at)
    turned[x, y] = places[:, 2]
    return Block(faces, turned) if (faces >= 0).all() else None


def corner_half(block: Block, corner: int) -> int:
    """The half-edge that leaves a corner of a block (0 to 3, going round) within the block."""
    i, j = ((0, 0), (-1, 0), (-1, -1), (0, -1))[corner]
    return int(4 * block.faces[i, j] + (block.turned[i, j] + corner) % 4)


def side_halves(block: Block, side: int) -> Ints:
    """The half-edges along a side of a block (v low, u high, v high, u low), going round it."""
    faces = (block.faces[:, 0], block.faces[-1], block.faces[::-1, -1], block.faces[0, ::-1])[side]
    turned = (block.turned[:, 0], block.turned[-1], block.turned[::-1, -1], block.turned[0, ::-1])[side]
    return 4 * faces + (turned + side) % 4
