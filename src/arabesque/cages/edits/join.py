"""Cages put together: points and borders welded, seated on the twin plane, mirrored there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, leaders, tree_of
from arabesque.cages.cage import Cage
from arabesque.cages.edits.parts import cage_from, renumbered
from arabesque.cages.quads import CageProblem, Quads
from arabesque.geometry import Plane

ON_PLANE = 1e-6
"""Of a cage's size: points so near to a plane lie on it."""


def merged(cages: Sequence[Cage]) -> Cage:
    """Several cages as one, not yet welded."""
    starts = np.cumsum([0, *(cage.quads.count for cage in cages)])[:-1]
    return cage_from(
        np.concatenate([cage.points for cage in cages]),
        np.concatenate([cage.faces + start for cage, start in zip(cages, starts, strict=True)]),
        np.concatenate([cage.quads.sharp + start for cage, start in zip(cages, starts, strict=True)]),
        np.concatenate([cage.quads.corners + start for cage, start in zip(cages, starts, strict=True)]),
        np.concatenate([cage.quads.bent + start for cage, start in zip(cages, starts, strict=True)]),
    )


def weld(cage: Cage, pairs: Ints, places: Floats | None = None) -> Cage:
    """Points made one, two by two: (k, 2). places: (k, 3) where they come to lie; the middle by default."""
    pairs = np.asarray(pairs, dtype=np.int64).reshape(-1, 2)
    if not len(pairs):
        raise CageProblem("There is nothing to weld", "Choose points of the border, or a larger reach")
    n = cage.quads.count
    target = leaders(n, pairs)
    points = cage.points.copy()
    sums = np.zeros((n, 3))
    np.add.at(sums, target, cage.points)
    size = np.bincount(target, minlength=n)
    joined = size > 1
    points[joined] = sums[joined] / size[joined, None]
    if places is not None:
        points[target[pairs[:, 0]]] = places
    return renumbered(cage, points, target, cage.faces)


def weld_near(cage: Cage, reach: float, among: Bools | None = None) -> Cage:
    """Border points that lie within ``reach`` mm of each other made one, the nearest first; among: (n,) only these.

    Ends of one edge are never welded: that would fold a face.
    """
    quads = cage.quads
    rim = np.flatnonzero(quads.on_border if among is None else quads.on_border & among)
    pairs = rim[tree_of(cage.points[rim]).query_pairs(reach, output_type="ndarray")] if len(rim) > 1 else rim[:0, None]
    if not len(pairs):
        raise CageProblem(f"No two border points lie within {reach:g} mm", "Give a larger reach")
    linked = set(map(tuple, quads.edges.tolist()))
    order = np.argsort(np.linalg.norm(np.subtract(*cage.points[pairs.T]), axis=1), kind="stable")
    taken: set[int] = set()
    chosen = []
    for a, b in pairs[order]:
        pair = (int(min(a, b)), int(max(a, b)))
        if pair not in linked and not taken & {int(a), int(b)}:
            chosen.append(pair)
            taken |= {int(a), int(b)}
    return weld(cage, np.array(chosen))


def seat(cage: Cage, plane: Plane, reach: float) -> Cage:
    """Border points within ``reach`` mm of a plane put on it exactly."""
    near = cage.quads.on_border & (np.abs(plane.height(cage.points)) <= reach)
    if not near.any():
        raise CageProblem(f"No border point lies within {reach:g} mm of the plane", "Give a larger reach")
    points = cage.points.copy()
    points[near] = on_plane(plane, points[near])
    quads = cage.quads
    if len(quads.bent):
        # the surface has its border on the plane only where its points are on it
        rest = quads.bent[~near[quads.bent].all(axis=1)]
        quads = Quads(quads.faces, quads.sharp, quads.corners, quads.count, rest)
    return Cage(points, quads)


def on_plane(plane: Plane, points: Floats) -> Floats:
    """(n, 3) points put on a plane; of a coordinate plane to the last bit."""
    made = points - plane.height(points)[:, None] * plane.normal
    axis = np.flatnonzero(plane.normal)
    if len(axis) == 1:
        made = points.copy()
        made[:, axis[0]] = plane.offset * np.sign(plane.normal[axis[0]])
    return made


def seated(cage: Cage, plane: Plane) -> Bools:
    """(n,) points that lie on a plane."""
    size = float(np.linalg.norm(np.ptp(cage.points, axis=0)))
    return np.asarray(np.abs(plane.height(cage.points)) <= ON_PLANE * size)


def halved(cage: Cage, plane: Plane, upper: bool) -> Cage:
    """The half of a cage on one side of a plane along which it runs; raises CageProblem where faces lie across."""
    on = seated(cage, plane)
    height = np.where(on, 0.0, plane.height(cage.points))
    corner = height[cage.faces]
    if ((corner > 0).any(axis=1) & (corner < 0).any(axis=1)).any():
        raise CageProblem(
            "Faces lie across the twin plane", "Put a loop along the plane and seat it, or let the twin go"
        )
    side = (corner > 0).any(axis=1) if upper else (corner < 0).any(axis=1)
    if not side.any():
        raise CageProblem("No face lies on this side of the twin plane", "Lay faces there first")
    return cage_from(cage.points, cage.faces[side], cage.quads.sharp, cage.quads.corners, cage.quads.bent)


def mirror_and_weld(half: Cage, plane: Plane) -> Cage:
    """A cage and its mirror image, one along the border points that lie on the plane; alike to the last bit."""
    on = seated(half, plane)
    points = half.points.copy()
    points[on] = on_plane(plane, points[on])
    n = len(points)
    target = np.concatenate([np.arange(n), np.where(on & half.quads.on_border, np.arange(n), n + np.arange(n))])
    image = half.quads.flipped
    faces = np.concatenate([half.faces, target[n:][image.faces]])
    quads = half.quads
    sharp = np.concatenate([quads.sharp, target[n:][quads.sharp]])
    # an edge that lay in the plane is an edge inside now
    made = cage_from(
        np.concatenate([points, plane.mirrored(points)]), faces, np.unique(np.sort(sharp, axis=1), axis=0),
        np.concatenate([quads.corners, target[n:][quads.corners]]),
        np.concatenate([quads.bent, target[n:][quads.bent]]),
    )  # fmt: skip
    return made
