"""A cage with thickness: its surface, the same set off, and a rim between them, as one cage."""

from __future__ import annotations

from enum import Enum

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.cages.cage import Cage
from arabesque.cages.edits.parts import cage_from
from arabesque.cages.net import point_normals, through
from arabesque.cages.quads import CageProblem

ROOM = 0.95
"""Of the smallest radius: setting a surface off further than this towards its hollow side folds it."""


class Rim(Enum):
    """How the rim between both sides runs; the value is its word."""

    ROUND = "round"
    SHARP = "sharp"


def thickened(cage: Cage, by: float, rim: Rim = Rim.SHARP) -> Cage:
    """The cage with a second side ``by`` mm along its normals (against them below 0), and a row of faces along every
    border. A closed cage gets its second side as a shell of its own inside or outside.

    Sharp edges stay sharp on both sides. Raises CageProblem where the surface is bent too tightly for that length.
    """
    if not (np.isfinite(by) and by != 0):
        raise CageProblem(f"A thickness of {by:g} mm is not possible", "Give a length other than 0")
    tight = too_tight(cage, by)
    if len(tight):
        raise CageProblem(
            f"{len(tight)} face{'s are' if len(tight) > 1 else ' is'} bent more tightly than {abs(by):g} mm allow",
            "Take a smaller thickness, the other side, or calm the form there",
        )
    quads, n = cage.quads, cage.quads.count
    other = through(cage, cage.limit + by * point_normals(cage))
    outer, inner = (cage, other) if by < 0 else (other, cage)
    faces = [quads.faces, n + quads.faces[:, ::-1]]
    sharp = [quads.sharp, n + quads.sharp]
    halves = np.flatnonzero(quads.border)
    if len(halves):
        a, b = quads.starts[halves], quads.ends[halves]
        faces.append(np.column_stack([b, a, n + a, n + b]))
        if rim is Rim.SHARP:
            sharp += [np.column_stack([a, b]), n + np.column_stack([a, b])]
    made = cage_from(
        np.concatenate([outer.points, inner.points]), np.concatenate(faces), np.concatenate(sharp),
        np.concatenate([quads.corners, n + quads.corners]), (),
    )  # fmt: skip
    return made


def too_tight(cage: Cage, by: float) -> Ints:
    """Faces whose surface is bent, towards the side that it is set off to, in a smaller radius than that length."""
    at = np.array([0.2, 0.5, 0.8])
    uv = np.stack(np.meshgrid(at, at, indexing="ij"), axis=-1).reshape(-1, 2)
    face = np.repeat(np.arange(cage.count), len(uv))
    c = cage.curvatures(face, np.tile(uv, (cage.count, 1)))
    # positive where the surface bends towards its normal
    worst: Floats = np.maximum(c.largest * by, c.smallest * by)
    return np.unique(face[np.nan_to_num(worst) > ROOM])
