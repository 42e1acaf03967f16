"""Faces divided: loops put in, rows split, places made finer."""

from __future__ import annotations

from collections import deque

import numpy as np

from arabesque.arrays import Bools, Floats, Ints
from arabesque.cages.cage import Cage
from arabesque.cages.edits.keep import bilinear, keeping_form, samples_within
from arabesque.cages.net import ENDS
from arabesque.cages.quads import CageProblem, Quads
from arabesque.cages.rows import strip_of
from arabesque.cages.rules import refined

THIRD = 1 / 3


def subdivide(cage: Cage) -> Cage:
    """Every face in four; the surface stays exactly as it is."""
    quads, matrix = refined(cage.quads)
    return Cage(matrix @ cage.points, quads)


def insert_loop(cage: Cage, half: int, ratio: float = 0.5, keep_form: bool = True) -> Cage:
    """A loop through the strip of faces that an edge lies across, at a share of it from its start.

    keep_form: the points beside the loop are moved so that the surface stays as near as it can.
    """
    if not 0.0 < ratio < 1.0:
        raise CageProblem(f"A loop at {ratio:g} of a row lies on its side", "Take a share between 0 and 1")
    quads = cage.quads
    strip = strip_of(quads, half)
    at = np.full(len(quads.edges), np.nan)
    at[quads.numbers(strip.rungs)] = np.where(strip.rungs[:, 0] < strip.rungs[:, 1], ratio, 1 - ratio)
    return divided(cage, at, keep_form)


def subdivide_faces(cage: Cage, faces: Ints) -> Cage:
    """Some faces in four each, and those round about so that all stay quads; the surface is kept as near as it can be.

    Where the finer part ends, faces with two split sides at a corner become three: one irregular point of three and
    one of five faces. Faces with one split side are joined in pairs by splitting the edges between them on the
    shortest way, or on the border.
    """
    quads = cage.quads
    faces = np.unique(np.asarray(faces, dtype=np.int64))
    if not len(faces):
        raise CageProblem("No face is chosen", "Choose the faces that are to become finer")
    split = np.zeros(len(quads.edges), dtype=bool)
    sides = quads.edge_of.reshape(-1, 4)
    split[sides[faces]] = True
    inner = np.zeros(len(sides), dtype=bool)
    inner[faces] = True
    _pair_odd(quads, sides, split, inner)
    return divided(cage, np.where(split, 0.5, np.nan))


def _pair_odd(quads: Quads, sides: Ints, split: Bools, inner: Bools) -> None:
    """Split more edges until every face has an even number of split sides, on short ways through the outer faces."""
    odd = {int(f) for f in np.flatnonzero(split[sides].sum(axis=1) % 2)}
    across = np.where(quads.twins >= 0, quads.twins // 4, -1).reshape(-1, 4)
    while odd:
        first = min(odd)
        came: dict[int, tuple[int, int]] = {first: (-1, -1)}
        waiting, end, last_edge = deque([first]), -1, -1
        while waiting and end < 0:
            face = waiting.popleft()
            for side in range(4):
                edge, other = int(sides[face, side]), int(across[face, side])
                if other < 0 and not split[edge]:
                    end, last_edge = face, edge  # a split of the border needs no partner
                    break
                if other < 0 or other in came or inner[other]:
                    continue
                came[other] = face, edge
                if other in odd:
                    end = other
                    break
                waiting.append(other)
        if end < 0:
            raise CageProblem("These faces cannot be divided by themselves", "Choose a face more, or divide all")
        odd.discard(first)
        if last_edge >= 0:
            split[last_edge] = True
        else:
            odd.discard(end)
        while end != first:
            end, edge = came[end]
            split[edge] = not split[edge]


def divided(cage: Cage, at: Floats, keep_form: bool = True) -> Cage:
    """The cage with edges split at (e,) shares from their lower point, NaN for edges that stay whole.

    Faces with two opposite split sides become two, with two at a corner three, with all four four; raises CageProblem
    for any other number. Sharp edges stay sharp in both parts.
    """
    quads = cage.quads
    split = ~np.isnan(at)
    sides = quads.edge_of.reshape(-1, 4)
    some = split[sides]
    touched = np.flatnonzero(some.any(axis=1))
    new_point = np.full(len(quads.edges), -1)
    new_point[split] = quads.count + np.arange(int(split.sum()))
    ends = quads.edges[split]
    share = at[split][:, None]
    points = [cage.points, (1 - share) * cage.points[ends[:, 0]] + share * cage.points[ends[:, 1]]]
    count = quads.count + int(split.sum())
    forward = quads.starts.reshape(-1, 4) < quads.ends.reshape(-1, 4)
    along = np.where(forward, at[sides], 1 - at[sides])
    across = touched[(some[touched].sum(axis=1) == 2) & (some[touched, 0] == some[touched, 2])]
    halves, halves_uv = _halved(quads, sides, some, along, new_point, across)
    made, parents, uv, middles = [halves], [np.repeat(across, 2)], [halves_uv], []
    for face in np.setdiff1d(touched, across):
        marks = some[face]
        own = quads.faces[face]
        mid = new_point[sides[face]]
        on = _on_sides(along[face])
        parts, inside = _parts(own, mid, marks, on, count)
        if inside is not None:
            middles.append((face, inside))
            count += 1
        place = dict(zip(own.tolist(), ENDS, strict=True))
        place.update({int(m): o for m, o, marked in zip(mid, on, marks, strict=True) if marked})
        if inside is not None:
            place[count - 1] = inside
        made.append(np.array(parts))
        parents.append(np.full(len(parts), face))
        uv.append(np.array([[place[int(p)] for p in part] for part in parts]))
    if middles:
        corners = cage.points[quads.faces[[face for face, _ in middles]]]
        points.append(bilinear(corners, np.array([place for _, place in middles])))
    kept = np.setdiff1d(np.arange(len(quads.faces)), touched)
    faces = np.concatenate([quads.faces[kept], *made])
    sharp, bent = (_parted(quads, quads.named(pairs), new_point) for pairs in (quads.sharp, quads.bent))
    after = Cage(np.concatenate(points), Quads(faces, sharp, quads.corners, count, bent))
    if not keep_form or not len(touched):
        return after
    return _as_before(cage, after, len(kept), np.concatenate(parents), np.concatenate(uv))


def _parted(quads: Quads, marked: Bools, new_point: Ints) -> Ints:
    """(k, 2) the edges of a mask, both parts of those that have a new point (-1 for none)."""
    split = new_point >= 0
    whole, cut = marked & ~split, marked & split
    return np.concatenate(
        [quads.edges[whole], *(np.column_stack([quads.edges[cut, k], new_point[cut]]) for k in (0, 1))]
    )


def _on_sides(along: Floats) -> Floats:
    """(4, 2) places so far along the sides of a face, (..., 4, 2) of many; 0 for NaN."""
    return np.asarray(ENDS + np.nan_to_num(along)[..., None] * (np.roll(ENDS, -1, axis=0) - ENDS))


def _halved(quads: Quads, sides: Ints, some: Bools, along: Floats, new_point: Ints, faces: Ints) -> tuple[Ints, Floats]:
    """(2 k, 4) both parts of (k,) faces with two opposite split sides, and (2 k, 4, 2) where on them they lie."""
    first = (~some[faces, 0]).astype(np.int64)
    turned = (first[:, None] + np.arange(4)) % 4
    v = quads.faces[faces[:, None], turned]
    m = new_point[sides[faces[:, None], turned]]
    places, on = ENDS[turned], np.take_along_axis(_on_sides(along[faces]), turned[:, :, None], axis=1)
    parts = np.stack(
        [
            np.stack([v[:, 0], m[:, 0], m[:, 2], v[:, 3]], axis=1),
            np.stack([m[:, 0], v[:, 1], v[:, 2], m[:, 2]], axis=1),
        ],
        axis=1,
    )
    uv = np.stack(
        [np.stack([places[:, 0], on[:, 0], on[:, 2], places[:, 3]], axis=1),
         np.stack([on[:, 0], places[:, 1], places[:, 2], on[:, 2]], axis=1)],
        axis=1,
    )  # fmt: skip
    return parts.reshape(-1, 4), uv.reshape(-1, 4, 2)


def _parts(own: Ints, mid: Ints, marks: Bools, on: Floats, fresh: int) -> tuple[list[list[int]], Floats | None]:
    """The parts of a face by its split sides, and where on it lies a new point (number ``fresh``) that they need."""
    number = int(marks.sum())
    v, m = own.tolist(), mid.tolist()
    if number == 4:
        parts = [
            [v[0], m[0], fresh, m[3]], [m[0], v[1], m[1], fresh], [fresh, m[1], v[2], m[2]], [m[3], fresh, m[2], v[3]],
        ]  # fmt: skip
        u = 0.5 * (on[0, 0] + on[2, 0])
        w = 0.5 * (on[1, 1] + on[3, 1])
        return parts, np.array([u, w])
    if number == 2:
        # both at the point i
        i = next(k for k in range(4) if marks[k] and marks[k - 1])
        j, k, n = (i + 1) % 4, (i + 2) % 4, (i + 3) % 4
        inside = THIRD * (on[i] + on[n] + ENDS[k])
        return [[v[i], m[i], fresh, m[n]], [m[i], v[j], v[k], fresh], [fresh, v[k], v[n], m[n]]], inside
    raise CageProblem(
        f"A face with {number} split side{'s' if number > 1 else ''} makes no quads", "Split another edge"
    )


def _as_before(before: Cage, after: Cage, kept: int, parents: Ints, uv: Floats) -> Cage:
    """The divided cage with the points near the division set so that the surface comes near that before."""
    quads = after.quads
    fresh = np.arange(kept, len(quads.faces))
    free = np.zeros(quads.count, dtype=bool)
    free[quads.faces[fresh]] = True
    free[before.quads.corners] = False
    touched = np.asarray(free[quads.faces].any(axis=1))
    old = np.flatnonzero(touched[:kept])
    numbers, own_uv = samples_within(fresh)
    each = len(own_uv) // max(len(fresh), 1)
    there = bilinear(np.repeat(uv, each, axis=0), own_uv)
    old_numbers, old_uv = samples_within(old)
    # the faces that stayed come in the same order as before
    stayed = np.setdiff1d(np.arange(len(before.quads.faces)), parents)
    target = before.at(np.concatenate([np.repeat(parents, each), stayed[old_numbers]]), np.concatenate([there, old_uv]))
    return keeping_form(after, free, np.concatenate([numbers, old_numbers]), np.concatenate([own_uv, old_uv]), target)


def split_row(cage: Cage, half: int, parts: int, keep_form: bool = True) -> Cage:
    """The strip of faces across an edge in so many even rows."""
    if parts < 2:
        raise CageProblem("A row is split in two or more", "Give a number from 2 on")
    start, end = int(cage.quads.starts[half]), int(cage.quads.ends[half])
    for left in range(parts, 1, -1):
        known = set(range(cage.quads.count))
        cage = insert_loop(cage, cage.quads.half_edge(start, end), 1 / left, keep_form)
        # the loop's point on this edge, from which the rest is split
        neighbours = cage.quads.starts[cage.quads.ends == end]
        start = next(int(p) for p in neighbours if int(p) not in known)
    return cage
