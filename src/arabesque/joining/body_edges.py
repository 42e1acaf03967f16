"""The edges of a patchwork: where two faces meet, at what angle, and which are like one another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, tree_of
from arabesque.geometry import Face, Patchwork, Rim, loop_rims
from arabesque.joining.border import nearest_shares, outward_ways

ALONG = 33
QUARTERS = [ALONG // 4, ALONG // 2, 3 * ALONG // 4]
"""Places along an edge, and those at which it is looked whether it lies along a border."""
LIKE_LENGTH, LIKE_ANGLE = 0.01, 2.0
"""Of their length, and degrees: edges that differ less are alike."""
TOGETHER = 1e-3
"""Of its length: borders of two faces that are one edge lie no further apart."""

Loop = tuple[int, int]
"""The number of a face, and of a loop round it."""


@dataclass(frozen=True, eq=False)
class BodyEdge:
    """line: (ALONG, 3) along it. length: mm. turn: degrees between both faces, above 0 where the body bulges. loops:
    those of both faces that it is a part of."""

    line: Floats
    length: float
    turn: float
    loops: frozenset[Loop]

    @property
    def middle(self) -> Floats:
        """(3,) half way along it."""
        middle: Floats = self.line[ALONG // 2]
        return middle


def edges_of(body: Patchwork) -> list[BodyEdge]:
    """The edges at which two faces meet, each once; seams of a face with itself are none."""
    rims: list[tuple[Loop, Rim, Floats]] = []
    for number, face in enumerate(body.surfaces):
        round_it = loop_rims(face) if isinstance(face, Face) else (face.rims(),)
        for k, run in enumerate(round_it):
            rims += [((number, k), rim, rim.surface.at(rim.places(np.linspace(0, 1, ALONG)))) for rim in run]
    lengths = np.array([np.linalg.norm(np.diff(line, axis=0), axis=1).sum() for *_, line in rims])
    every = tree_of(np.concatenate([line for *_, line in rims]))
    found: list[BodyEdge] = []
    taken: set[int] = set()
    covered = np.zeros(len(rims))
    # the shorter first: an edge may be a part of a longer border of its other face
    for number in map(int, np.argsort(lengths)):
        if number in taken:
            continue
        loop, rim, line = rims[number]
        balls = every.query_ball_point(line[QUARTERS], lengths.max() / (ALONG - 1))
        near = set.intersection(*({index // ALONG for index in ball} for ball in balls)) - {number}
        beside = [
            k for k in sorted(near) if rims[k][0][0] != loop[0] and _lies_along(line, rims[k][1], lengths[number])
        ]
        if beside:
            other = min(beside, key=lambda k: float(lengths[k]))
            covered[other] += lengths[number]
            taken |= {number, other} if covered[other] >= (1 - LIKE_LENGTH) * lengths[other] else {number}
            turn, loops = _turn(rim, rims[other][1]), frozenset({loop, rims[other][0]})
            found.append(BodyEdge(line, float(lengths[number]), turn, loops))
    return found


def _lies_along(line: Floats, rim: Rim, length: float) -> bool:
    """True where three places of a line lie on a border."""
    places = line[QUARTERS]
    feet = rim.surface.at(rim.places(nearest_shares(rim, places)))
    return bool(np.linalg.norm(feet - places, axis=1).max() <= TOGETHER * length)


def _turn(one: Rim, other: Rim) -> float:
    """Degrees between the faces of two borders half way along the first, above 0 where they bulge."""
    half = np.array([0.5])
    place = one.surface.at(one.places(half))[0]
    shares = np.linspace(0, 1, 4 * ALONG)
    beside = shares[[int(np.linalg.norm(other.surface.at(other.places(shares)) - place, axis=1).argmin())]]
    here, there = one.surface.normals(one.places(half))[0], other.surface.normals(other.places(beside))[0]
    out = outward_ways(one.surface, one, half)[0]
    angle = float(np.degrees(np.arccos(np.clip(here @ there, -1, 1))))
    return angle if float(out @ there) >= 0 else -angle


def same_rim(edges: list[BodyEdge], one: BodyEdge) -> list[BodyEdge]:
    """The edges that go on from one round a face, all the way round: of both its faces the shorter way."""
    around = [_linked([edge for edge in edges if loop in edge.loops], one) for loop in one.loops]
    return min(around, key=lambda run: sum(edge.length for edge in run))


def _linked(edges: list[BodyEdge], one: BodyEdge) -> list[BodyEdge]:
    """Those among some edges that hang together with one, end to end."""
    found, left = [one], [edge for edge in edges if edge is not one]
    for edge in found:
        reach = max(TOGETHER * edge.length, TOGETHER)
        near = [other for other in left if _ends_apart(edge, other) <= reach]
        found += near
        left = [other for other in left if not any(other is same for same in near)]
    return found


def _ends_apart(one: BodyEdge, other: BodyEdge) -> float:
    """mm between the ends of two edges, the nearest."""
    return float(np.linalg.norm(one.line[[0, -1]][:, None] - other.line[[0, -1]][None], axis=2).min())


def alike(edges: list[BodyEdge], one: BodyEdge) -> list[BodyEdge]:
    """The edges as long as one, that bulge or are hollow as it is, at the same angle: it among them."""
    return [
        edge
        for edge in edges
        if abs(edge.length - one.length) <= LIKE_LENGTH * one.length and abs(edge.turn - one.turn) <= LIKE_ANGLE
    ]


def nearest_edge(edges: list[BodyEdge], place: Floats) -> BodyEdge:
    """The edge that passes nearest to a place (3,)."""
    return min(edges, key=lambda edge: float(np.linalg.norm(edge.line - place, axis=1).min()))
