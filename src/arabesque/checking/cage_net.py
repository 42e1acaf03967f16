"""The net of a cage as the eye of a modeler reads it: legs, bends along rows, folded faces, irregular points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Ints, unit
from arabesque.cages import Cage
from arabesque.checking.net import MOST_BEND, UNEVEN

LOOKS_AWAY = -0.5
"""Cosine between neighbouring faces from which on one of them is folded over: a net overshoots where a scan has a
sharp edge, so that faces beside it look apart by more than the scan does."""


@dataclass(frozen=True, eq=False)
class CageNet:
    """How evenly a cage's net runs, at its worst places.

    leg: the largest ratio of neighbouring legs of a row, leg_at its point. bend: the largest turn of a row at a
    point, seen along the surface's normal, degrees, bend_at its point. folded: (f,) faces with a corner that is
    turned over, or whose surface is. irregular: how many points inside have so many faces.
    """

    leg: float
    leg_at: int
    bend: float
    bend_at: int
    folded: Bools
    irregular: dict[int, int]

    @property
    def fair(self) -> bool:
        """True for a net that can be worked with: no fold, legs within a factor of 2, no turn over 30°."""
        return not self.folded.any() and self.leg <= UNEVEN and self.bend <= MOST_BEND

    @property
    def irregular_words(self) -> str:
        """How many irregular points there are, in words."""
        return ", ".join(f"{count} of valence {n}" for n, count in sorted(self.irregular.items())) or "none"

    def as_record(self) -> dict[str, object]:
        """Plain numbers for a report."""
        return {
            "leg": self.leg,
            "bend": self.bend,
            "folded": int(self.folded.sum()),
            "irregular": {str(n): count for n, count in self.irregular.items()},
        }


def read_cage_net(cage: Cage) -> CageNet:
    """Measure how evenly a cage's net runs; independent of its size and place."""
    quads = cage.quads
    frames = cage.frames()
    leg, leg_at, bend, bend_at = 1.0, 0, 0.0, 0
    middle, first, last = row_triples(cage)
    if len(middle):
        steps = [cage.points[middle] - cage.points[first], cage.points[last] - cage.points[middle]]
        sizes = [np.linalg.norm(step, axis=1) for step in steps]
        ratio = np.maximum(*sizes) / np.maximum(np.minimum(*sizes), 1e-300)
        leg, leg_at = float(ratio.max()), int(middle[ratio.argmax()])
        up = frames.normals[middle]
        flat = [step - np.einsum("nc,nc->n", step, up)[:, None] * up for step in steps]
        across = np.einsum("nc,nc->n", np.cross(*flat), up)
        turn = np.degrees(np.abs(np.arctan2(across, np.einsum("nc,nc->n", *flat))))
        bend, bend_at = float(turn.max()), int(middle[turn.argmax()])
    inside = quads.valence[quads.irregular & ~quads.on_border]
    counted = {int(n): int((inside == n).sum()) for n in np.unique(inside)}
    return CageNet(leg, leg_at, bend, bend_at, folded_faces(cage), counted)


def row_triples(cage: Cage) -> tuple[Ints, Ints, Ints]:
    """(k,) points in the middle of three that follow each other straight along a row, and those before and after;
    none across a sharp edge, nor at irregular points."""
    quads = cage.quads
    middle, first, last = [], [], []
    for row in quads.rows[0]:
        a, b, c = row[:-2], row[1:-1], row[2:]
        if row[0] == row[-1] and len(row) > 3:
            a, b, c = (np.append(part, extra) for part, extra in ((a, row[-2]), (b, row[0]), (c, row[1])))
        first.append(a)
        middle.append(b)
        last.append(c)
    if not middle:
        return (np.empty(0, dtype=np.int64),) * 3
    one, two, three = np.concatenate(first), np.concatenate(middle), np.concatenate(last)
    # a row that crosses a sharp line is two rows
    on_line = quads.edge_cut[quads.numbers(np.column_stack([one, two]))]
    fine = (quads.cuts[two] == 0) | ((quads.cuts[two] == 2) & on_line)
    return two[fine], one[fine], three[fine]


def folded_faces(cage: Cage) -> Bools:
    """(f,) faces with a corner that is turned over, or that look away from what they go smoothly on in to both sides:
    a face that looks away to one side alone may lie on a thin rim of the form."""
    corners = cage.points[cage.faces]
    after, before = np.roll(corners, -1, axis=1), np.roll(corners, 1, axis=1)
    turned = np.cross(after - corners, before - corners)
    up = unit(np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1]))
    found: Bools = (np.einsum("fkc,fc->fk", turned, up) < 0).any(axis=1)
    twins = cage.quads.twins
    away = twins < 0
    half = np.flatnonzero(~cage.quads.cut)
    away[half] = np.einsum("nc,nc->n", up[half // 4], up[twins[half] // 4]) < LOOKS_AWAY
    one, two, three, four = away.reshape(-1, 4).T
    found |= ((one & three) | (two & four)) & (away & (twins >= 0)).reshape(-1, 4).any(axis=1)
    return found
