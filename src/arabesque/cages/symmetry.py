"""Cages that are their own mirror image: which point is the image of which."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats, Ints, tree_of
from arabesque.cages.cage import Cage
from arabesque.cages.edits.join import on_plane
from arabesque.cages.quads import CageProblem
from arabesque.geometry import Plane

REACH = 2e-2
"""As ``SAME``, for a net that is to be made alike."""
SAME = 1e-4
"""Of a cage's size: an image so near to a point is that point."""


def mirror_pairs(cage: Cage, plane: Plane, reach: float = SAME) -> Ints | None:
    """(n,) for each point the one that is its mirror image, itself on the plane; None where the net has no such
    pairs. reach: share of the cage's size within which an image is looked for."""
    key = plane.normal.tobytes(), plane.offset, reach
    if key not in cage.pairs:
        cage.pairs[key] = _pairs(cage, plane, reach)
    return cage.pairs[key]


def _pairs(cage: Cage, plane: Plane, reach: float) -> Ints | None:
    size = float(np.linalg.norm(np.ptp(cage.points, axis=0)))
    away, number = tree_of(cage.points).query(plane.mirrored(cage.points), distance_upper_bound=reach * size)
    if not np.isfinite(away).all() or (number[number] != np.arange(len(number))).any():
        return None
    pairs = number.astype(np.int64)
    quads = cage.quads
    faces, image = _canonical(quads.faces), _canonical(pairs[quads.faces][:, ::-1])
    if not np.array_equal(faces[np.lexsort(faces.T)], image[np.lexsort(image.T)]):
        return None
    same = all(
        np.array_equal(np.unique(np.sort(pairs[edges], axis=1), axis=0), edges)
        for edges in (quads.sharp, quads.bent)
        if len(edges)
    )
    return pairs if same and np.array_equal(np.sort(pairs[quads.corners]), quads.corners) else None


def _canonical(faces: Ints) -> Ints:
    """Faces turned so that each begins with its lowest point."""
    first = faces.argmin(axis=1)[:, None]
    return np.take_along_axis(faces, (first + np.arange(4)) % 4, axis=1)


def symmetric(points: Floats, plane: Plane, pairs: Ints, before: Floats | None = None) -> Floats:
    """(n, 3) points alike on both sides of a plane to the last bit.

    before: the points before an edit, alike: of a pair the one that moved leads; where both did, or without it, the
    middle between one and the image of the other.
    """
    made = points.copy()
    own = np.flatnonzero(pairs == np.arange(len(pairs)))
    made[own] = on_plane(plane, points[own])
    first = np.flatnonzero(np.arange(len(pairs)) < pairs)
    second = pairs[first]
    image = plane.mirrored(points[second])
    lead = (points[first] + image) / 2
    if before is not None:
        moved = [(points[side] != before[side]).any(axis=1) for side in (first, second)]
        lead[moved[0] & ~moved[1]] = points[first][moved[0] & ~moved[1]]
        lead[moved[1] & ~moved[0]] = image[moved[1] & ~moved[0]]
        still = ~moved[0] & ~moved[1]
        lead[still] = points[first][still]
    made[first] = lead
    made[second] = plane.mirrored(lead)
    return made


def kept_alike(cage: Cage, plane: Plane, before: Cage | None = None) -> Cage:
    """The cage alike on both sides of a plane again after an edit; before: it before the edit, alike.

    Raises CageProblem where its net has no pairs.
    """
    led_by = before if before is not None and before.quads is cage.quads else None
    pairs = mirror_pairs(cage if led_by is None else led_by, plane, REACH)
    if pairs is None:
        raise CageProblem(
            "The cage is not alike on both sides of the twin plane", "Make one half the image of the other first"
        )
    return cage.with_points(symmetric(cage.points, plane, pairs, None if led_by is None else led_by.points))


def is_symmetric(cage: Cage, plane: Plane) -> bool:
    """True for a cage whose points are alike on both sides: to the last bit, but for a plane that is askew."""
    pairs = mirror_pairs(cage, plane)
    if pairs is None:
        return False
    alike = symmetric(cage.points, plane, pairs, cage.points)
    exact = np.count_nonzero(plane.normal) == 1
    return bool(np.array_equal(alike, cage.points) if exact else np.allclose(alike, cage.points))
