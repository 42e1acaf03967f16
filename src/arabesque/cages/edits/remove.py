"""Faces, loops and rows taken away, edges turned, points drawn into one."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.cages.cage import Cage
from arabesque.cages.edits.keep import keeping_form, samples_within
from arabesque.cages.edits.parts import cage_from, renumbered
from arabesque.cages.quads import CageProblem, after, before
from arabesque.cages.rows import loop_of, strip_of


def delete_faces(cage: Cage, faces: Ints) -> Cage:
    """The cage without some faces; raises CageProblem where nothing would be left, or parts touch in a point."""
    kept = np.ones(cage.count, dtype=bool)
    kept[np.asarray(faces, dtype=np.int64)] = False
    if not kept.any():
        raise CageProblem("No face would be left", "Delete the cage in the Outline instead")
    return cage_from(cage.points, cage.faces[kept], cage.quads.sharp, cage.quads.corners, cage.quads.bent)


def remove_loop(cage: Cage, half: int) -> Cage:
    """The cage without the row of edges that an edge lies in: faces to its left and right become one.

    The surface is kept as near as it can be. Raises CageProblem on the border, and where the row ends at an irregular
    point.
    """
    quads = cage.quads
    loop = loop_of(quads, half)
    if quads.border[loop].any() or quads.border[quads.twins[loop]].any():
        raise CageProblem("A row on the border cannot be taken out", "Delete its faces instead")
    first, last = int(quads.starts[loop[0]]), int(quads.ends[loop[-1]])
    if first != last and not (quads.on_border[[first, last]].all() and not quads.irregular[[first, last]].any()):
        raise CageProblem(
            "The row ends at an irregular point",
            "Take one that closes or runs from border to border, or collapse a row",
        )
    twins = quads.twins[loop]
    if len(np.unique(np.concatenate([loop // 4, twins // 4]))) < 2 * len(loop):
        raise CageProblem("The row lies beside itself", "Take out another one")
    joined = []
    for h, t in zip(loop, twins, strict=True):
        left, right = np.roll(quads.faces[h // 4], -(h % 4)), np.roll(quads.faces[t // 4], -(t % 4))
        joined.append([right[2], right[3], left[2], left[3]])
    kept = np.setdiff1d(np.arange(cage.count), np.concatenate([loop // 4, twins // 4]))
    # rungs that were sharp on both sides stay sharp as one
    sharp = {tuple(edge) for edge in quads.sharp.tolist()}
    rungs = []
    for h, t in zip(loop, twins, strict=True):
        v, one, other = int(quads.starts[h]), int(quads.starts[before(int(h))]), int(quads.ends[after(int(t))])
        if {(min(v, one), max(v, one)), (min(v, other), max(v, other))} <= sharp:
            rungs.append((one, other))
    edges = np.concatenate([quads.sharp, np.array(rungs, dtype=np.int64).reshape(-1, 2)])
    faces = np.concatenate([quads.faces[kept], np.array(joined)])
    made = cage_from(cage.points, faces, edges, quads.corners, quads.bent)
    return _near_before(cage, made, loop, np.arange(len(kept), len(faces)))


def _near_before(cage: Cage, made: Cage, loop: Ints, fresh: Ints) -> Cage:
    """The joined faces with their points set so that the surface comes near that before."""
    quads = cage.quads
    free = np.zeros(made.quads.count, dtype=bool)
    free[made.faces[fresh]] = True
    face, uv = samples_within(fresh)
    each = len(face) // len(fresh)
    h = np.repeat(loop, each)
    # on a joined face u runs the way of the loop, v from the right part over the loop to the left
    upper = uv[:, 1] >= 0.5
    half = np.where(upper, h, quads.twins[h])
    along = np.where(upper, uv[:, 0], 1 - uv[:, 0])
    deep = np.where(upper, 2 * uv[:, 1] - 1, 1 - 2 * uv[:, 1])
    return keeping_form(made, free, face, uv, cage.at(half // 4, _from_side(half % 4, along, deep)))


def _from_side(side: Ints, along: np.ndarray, deep: np.ndarray) -> np.ndarray:
    """(n, 2) parameters of places so far along a side of a face and so deep inside it."""
    u = np.choose(side, [along, 1 - deep, 1 - along, deep])
    v = np.choose(side, [deep, along, 1 - deep, 1 - along])
    return np.column_stack([u, v])


def slide_loop(cage: Cage, half: int, by: float) -> Cage:
    """The row of an edge moved along the rows that cross it: by 1 to the left of its way would be onto the next."""
    if not -1.0 < by < 1.0:
        raise CageProblem(f"A row that slides by {by:g} lies on the next", "Slide by less than one row")
    quads = cage.quads
    loop = loop_of(quads, half)
    points = cage.points.copy()
    sums, count = np.zeros((quads.count, 3)), np.zeros(quads.count)
    for h in loop:
        side = int(h) if by > 0 else int(quads.twins[h])
        if side < 0:
            raise CageProblem("There is no face on that side of the row", "Slide it the other way")
        a, b, c, d = np.roll(quads.faces[side // 4], -(side % 4))
        for point, towards in ((a, d), (b, c)):
            sums[point] += cage.points[towards] - cage.points[point]
            count[point] += 1
    moving = count > 0
    points[moving] += abs(by) * sums[moving] / count[moving, None]
    return cage.with_points(points)


def collapse_row(cage: Cage, half: int) -> Cage:
    """The strip of faces across an edge drawn together to a line in its middle; a border that it lies along stays."""
    strip = strip_of(cage.quads, half)
    if len(np.unique(strip.faces)) < len(strip.faces):
        raise CageProblem("The strip crosses itself", "Collapse another one")
    n = cage.quads.count
    target = np.arange(n)
    points = cage.points.copy()
    for a, b in strip.rungs:
        target[b] = a
        points[a] = _led(cage, int(a), int(b))
    if len(strip.faces) == cage.count:
        raise CageProblem("No face would be left", "Collapse another row")
    faces = cage.faces[np.setdiff1d(np.arange(cage.count), strip.faces)]
    return renumbered(cage, points, target, faces)


def _led(cage: Cage, a: int, b: int) -> Floats:
    """Where two points become one: a point of the border leads, for its line is to stay, and of two of these a corner
    of it; else in the middle."""
    quads = cage.quads
    held = [(bool(quads.on_border[k]), quads.on_border[k] and quads.valence[k] == 2) for k in (a, b)]
    if held[0] != held[1]:
        return np.asarray(cage.points[a if held[0] > held[1] else b])
    return np.asarray((cage.points[a] + cage.points[b]) / 2)


def collapse_face(cage: Cage, face: int, other: bool = False) -> Cage:
    """A face drawn into one point: two opposite points become one, the first and third or (other) the second and
    fourth."""
    a, b = (int(cage.faces[face, k]) for k in ((1, 3) if other else (0, 2)))
    if cage.count == 1:
        raise CageProblem("No face would be left", "Delete the cage in the Outline instead")
    target = np.arange(cage.quads.count)
    target[b] = a
    points = cage.points.copy()
    points[a] = _led(cage, a, b)
    made = renumbered(cage, points, target, np.delete(cage.faces, face, axis=0))
    return _without_doublets(made)


def _without_doublets(cage: Cage) -> Cage:
    """Raises CageProblem where two faces share two edges that follow each other: the surface has no tangents there."""
    quads = cage.quads
    if ((quads.valence == 2) & ~quads.on_border).any():
        raise CageProblem("A point would have two faces only", "Collapse the row, or turn an edge first")
    return cage


def dissolve_doublets(cage: Cage) -> Cage:
    """Return the cage with the two faces round each inner point of two faces as one; itself where there is none.

    Such a point has its edges in one line and no tangent plane of its own (a doublet: Daniels, Silva, Shepherd and
    Cohen, "Quadrilateral mesh simplification", ACM TOG 27, 2008). Of two faces that have all four points in common
    nothing would be left: they stay.
    """
    while True:
        quads = cage.quads
        found = np.flatnonzero((quads.valence == 2) & ~quads.on_border)
        merged = next((pair for pair in (_merged_round(cage.faces, int(point)) for point in found) if pair), None)
        if merged is None:
            return cage
        faces, (kept, face, gone) = cage.faces.copy(), merged
        faces[kept] = face
        faces = np.delete(faces, gone, axis=0)
        cage = cage_from(cage.points, faces, quads.sharp, quads.corners, quads.bent)


def _merged_round(faces: Ints, point: int) -> tuple[int, list[int], int] | None:
    """Of the two faces round a point: the one that stays, what it becomes, and the one that goes."""
    kept, gone = (int(face) for face in np.flatnonzero((faces == point).any(axis=1)))
    (_, b, c, d), (_, _, opposite, _) = (
        (int(p) for p in np.roll(faces[face], -int(np.flatnonzero(faces[face] == point)[0]))) for face in (kept, gone)
    )
    return None if opposite in (b, c, d) else (kept, [opposite, b, c, d], gone)


def spin_edge(cage: Cage, half: int) -> Cage:
    """An edge between two faces turned by one place round both, clockwise as seen from outside."""
    quads = cage.quads
    twin = int(quads.twins[half])
    if twin < 0:
        raise CageProblem("An edge of the border cannot be turned", "Take one with faces on both sides")
    a, b, c, d = (int(p) for p in np.roll(quads.faces[half // 4], -(half % 4)))
    _, _, e, f = (int(p) for p in np.roll(quads.faces[twin // 4], -(twin % 4)))
    if len({a, b, c, d, e, f}) < 6:
        raise CageProblem("The two faces share more than this edge", "Turn another one")
    # going round both: a e f b c d; the edge a-b becomes d-f
    faces = quads.faces.copy()
    faces[half // 4] = [d, a, e, f]
    faces[twin // 4] = [f, b, c, d]
    made = cage_from(cage.points, faces, quads.sharp, quads.corners, quads.bent)
    return _without_doublets(made)
