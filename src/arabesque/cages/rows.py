"""Rows of a cage: the edges that follow each other straight through regular points, as the eye follows them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from arabesque.arrays import Ints
from arabesque.cages.quads import Quads, after, before


def straight_on(quads: Quads, half: int) -> int:
    """The half-edge that goes straight on from where one ends; -1 where its point is irregular or the row ends.

    On the border it goes along the border, of a row inside nowhere beyond.
    """
    end = int(quads.ends[half])
    if quads.irregular[end]:
        return -1
    if not quads.on_border[end]:
        following = int(quads.twins[after(half)])
        return after(following)
    if quads.border[half]:
        following = after(half)
        while not quads.border[following]:
            following = after(int(quads.twins[following]))
        return following if quads.valence[end] == 2 else -1
    return -1


def loop_of(quads: Quads, half: int) -> Ints:
    """The half-edges of the row that a half-edge lies in, in order; a closed row comes back to its start."""
    found, h = [half], straight_on(quads, half)
    while h >= 0 and h != half:
        found.append(h)
        h = straight_on(quads, h)
    if h == half:
        return np.array(found)
    back = []
    h = straight_back(quads, half)
    while h >= 0:
        back.append(h)
        h = straight_back(quads, h)
    return np.array([*back[::-1], *found])


def straight_back(quads: Quads, half: int) -> int:
    """The half-edge from which one goes straight on; -1 where there is none."""
    start = int(quads.starts[half])
    if quads.irregular[start]:
        return -1
    if not quads.on_border[start]:
        return before(int(quads.twins[before(half)]))
    if quads.border[half] and quads.valence[start] == 2:
        h = before(half)
        while not quads.border[h]:
            h = before(int(quads.twins[h]))
        return h
    return -1


class Strip(NamedTuple):
    """Faces side by side. rungs: (k, 2) points of the edges across, all running the same way, in order. faces:
    between them; as many as rungs where the strip is closed, else one less."""

    rungs: Ints
    faces: Ints

    @property
    def closed(self) -> bool:
        """True where the strip comes back to its first face."""
        return len(self.faces) == len(self.rungs)


def strip_of(quads: Quads, half: int) -> Strip:
    """The strip of faces that an edge lies across, its rungs running the way the half-edge does."""
    rungs, faces, h = [(quads.starts[half], quads.ends[half])], [], half
    while h >= 0:
        faces.append(h // 4)
        across = after(after(h))
        h = int(quads.twins[across])
        if h == half:
            return Strip(np.array(rungs), np.array(faces))
        rungs.append((quads.ends[across], quads.starts[across]))
    h = int(quads.twins[half])
    while h >= 0:
        faces.insert(0, h // 4)
        across = after(after(h))
        rungs.insert(0, (quads.starts[across], quads.ends[across]))
        h = int(quads.twins[across])
    return Strip(np.array(rungs), np.array(faces))


def border_chain(quads: Quads, half: int) -> Ints:
    """The half-edges of the border that a border half-edge lies in, beginning there."""
    for ring in quads.borders():
        here = np.flatnonzero(ring == half)
        if len(here):
            return np.roll(ring, -int(here[0]))
    raise ValueError(f"half-edge {half} is not on the border")


def net_rows(quads: Quads) -> tuple[tuple[Ints, ...], tuple[int, ...]]:
    """Every row as its points in order (the first again at the end of a closed one), and for each 0 or 1 so that
    rows that cross differ where they can."""
    seen = np.zeros(len(quads.edges), dtype=bool)
    rows: list[Ints] = []
    of_edge = np.full(len(quads.edges), -1)
    for half in range(len(quads.starts)):
        if seen[quads.edge_of[half]]:
            continue
        loop = loop_of(quads, half)
        edges = quads.edge_of[loop]
        seen[edges] = True
        of_edge[edges] = len(rows)
        rows.append(np.append(quads.starts[loop], quads.ends[loop[-1]]))
    # sides of a face that follow each other belong to rows that cross
    numbers = of_edge[quads.edge_of].reshape(-1, 4)
    crossing: list[set[int]] = [set() for _ in rows]
    both = np.concatenate([numbers[:, [side, (side + 1) % 4]] for side in range(4)])
    for a, b in np.unique(both, axis=0):
        crossing[a].add(int(b))
        crossing[b].add(int(a))
    along = [-1] * len(rows)
    for first in range(len(rows)):
        waiting = [first] if along[first] < 0 else []
        if waiting:
            along[first] = 0
        while waiting:
            one = waiting.pop()
            for other in crossing[one]:
                if along[other] < 0:
                    along[other] = 1 - along[one]
                    waiting.append(other)
    return tuple(rows), tuple(along)
