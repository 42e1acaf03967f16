"""Several patches that are one shape: what fills the meshes of a network of curves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, Ints
from arabesque.errors import InvalidShape
from arabesque.geometry.curvature import Curvatures
from arabesque.geometry.motion import Plane
from arabesque.geometry.rims import Rim
from arabesque.geometry.surface import Surface
from arabesque.shapes import Guide, Sampler, Samples, Strands

FEWEST_A_SIDE = 8
"""Places a side of each patch, at least, by which it is drawn and measured."""


@dataclass(frozen=True, eq=False)
class Patchwork:
    """Patches that meet along their borders, looking to the same side.

    surfaces: in order; raises InvalidShape for none.
    """

    surfaces: tuple[Surface, ...]

    def __post_init__(self) -> None:
        if not self.surfaces:
            raise InvalidShape("A patchwork without a patch", "Leave it out")

    @property
    def count(self) -> int:
        """Number of control points."""
        return sum(surface.count for surface in self.surfaces)

    @property
    def points(self) -> Floats:
        """(n, 3) all control points, patch after patch."""
        return np.concatenate([surface.points.reshape(-1, 3) for surface in self.surfaces])

    def with_points(self, points: ArrayLike) -> Patchwork:
        """The patchwork with as many other control points, in the order of ``points``."""
        array = np.asarray(points, dtype=float)
        parts = np.split(array, np.cumsum([surface.count for surface in self.surfaces])[:-1])
        return Patchwork(tuple(one.with_points(part) for one, part in zip(self.surfaces, parts, strict=True)))

    # what it answers for itself: see ``shapes``

    @property
    def box(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box round the control points, mm."""
        return self.points.min(axis=0), self.points.max(axis=0)

    def moved(self, matrix: Floats) -> Patchwork:
        """The patches after a (4, 4) rigid motion."""
        return Patchwork(tuple(surface.moved(matrix) for surface in self.surfaces))

    def mirrored(self, plane: Plane) -> Patchwork:
        """The mirror image, each patch looking to the same side of the form."""
        return Patchwork(tuple(surface.mirrored(plane) for surface in self.surfaces))

    def sampler(self, along: int) -> Sampler:
        """What reads all of them; ``along`` places a side of the whole, about."""
        return PatchworkSampler(self, along)

    def curvatures(self, part: Ints, uv: Floats) -> Curvatures:
        """Curvatures at (n,) parts and (n, 2) parameters."""
        read = [(part == k, surface) for k, surface in enumerate(self.surfaces)]
        found = [(mask, surface.curvatures(part[mask], uv[mask])) for mask, surface in read if mask.any()]
        fields = []
        for number in range(len(found[0][1])):
            first = np.asarray(found[0][1][number])
            whole = np.empty((len(part), *first.shape[1:]), first.dtype)
            for mask, one in found:
                whole[mask] = one[number]
            fields.append(whole)
        return Curvatures(*fields)

    def patches(self) -> Sequence[Surface]:
        """Its patches."""
        return self.surfaces

    def lines(self, count: int) -> tuple[Strands, ...]:
        """Parameter lines of all patches, fewer of each where there are many."""
        each = max(2, count // max(1, round(len(self.surfaces) ** 0.5)))
        return tuple(strands for surface in self.surfaces for strands in surface.lines(each))

    def rims(self) -> tuple[Rim, ...]:
        """The edges of all patches, four a patch."""
        return tuple(rim for surface in self.surfaces for rim in surface.rims())

    def guides(self) -> tuple[Guide, ...]:
        """The edges of all patches."""
        return tuple(guide for surface in self.surfaces for guide in surface.guides())


class PatchworkSampler:
    """Reads patch after patch; what stays while control points move is kept for each."""

    def __init__(self, shape: Patchwork, along: int) -> None:
        each = max(FEWEST_A_SIDE, round(along / len(shape.surfaces) ** 0.5))
        self._samplers = [surface.sampler(each) for surface in shape.surfaces]

    def fits(self, shape: object) -> bool:
        """True for as many patches of the same degrees and knots."""
        return (
            isinstance(shape, Patchwork)
            and len(shape.surfaces) == len(self._samplers)
            and all(one.fits(surface) for one, surface in zip(self._samplers, shape.surfaces, strict=True))
        )

    def read(self, shape: Patchwork) -> Samples:
        """Points and normals of all patches as they now are."""
        found = [sampler.read(one) for sampler, one in zip(self._samplers, shape.surfaces, strict=True)]
        starts = np.concatenate([[0], np.cumsum([len(one.points) for one in found])])
        return Samples(
            np.concatenate([one.points for one in found]),
            np.concatenate([one.normals for one in found]),
            np.concatenate([one.triangles + start for one, start in zip(found, starts[:-1], strict=True)]),
            np.concatenate([np.full(len(one.points), k) for k, one in enumerate(found)]),
            np.concatenate([one.uv for one in found]),
            tuple(rim + start for one, start in zip(found, starts[:-1], strict=True) for rim in one.rims),
        )
