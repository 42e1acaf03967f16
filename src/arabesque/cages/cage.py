"""Cages: coarse nets of quads whose smooth limit surface is the model."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Bools, Floats, Ints, frozen_array, unit
from arabesque.cages.feet import nearest_places
from arabesque.cages.net import point_stencils, row_stencils
from arabesque.cages.quads import Quads
from arabesque.cages.sampler import CageSampler
from arabesque.cages.stencils import DU, DUU, DUV, DV, DVV, PLACE, make_stencils, outward
from arabesque.geometry import Curvatures, Plane, Rim, Surface, apply, form_curvature
from arabesque.shapes import Frames, Guide, Net, Sampler, Strands

ASIDE = 1 / 16
"""Of a face: so far from an irregular point its curvature is read, which at the point itself has no bounds."""


@dataclass(frozen=True, eq=False)
class Cage:
    """A net of quads and the smooth surface that it stands for.

    points: (n, 3) float64, mm. quads: the faces over them, with what is sharp.

    The surface: Catmull and Clark 1978, with sharp edges, corners and borders as in ``rules``; parameters u, v of a
    face run from 0 to 1 from its first point to its second and to its fourth.
    """

    points: Floats
    quads: Quads

    def __post_init__(self) -> None:
        points = frozen_array(self.points, (self.quads.count, 3), np.float64, what="Points of the cage")
        object.__setattr__(self, "points", points)

    @classmethod
    def of(cls, points: ArrayLike, faces: ArrayLike, sharp: ArrayLike = (), corners: ArrayLike = ()) -> Cage:
        """The cage over (n, 3) points; raises CageProblem for faces that make no surface."""
        array = np.asarray(points, dtype=float)
        quads = Quads(
            np.asarray(faces, np.int64).reshape(-1, 4),
            np.asarray(sharp, np.int64).reshape(-1, 2),
            np.asarray(corners, np.int64).ravel(),
            len(array),
        )
        return cls(array, quads)

    @cached_property
    def whole(self) -> Cage:
        """With the faces beyond its bent borders; itself where there are none."""
        beyond = self.quads.beyond
        return self if beyond is None else Cage(beyond.matrix @ self.points, beyond.quads)

    @property
    def faces(self) -> Ints:
        """(n, 4) its faces."""
        return self.quads.faces

    @property
    def count(self) -> int:
        """Number of faces."""
        return len(self.quads.faces)

    def derivatives(self, face: Ints, uv: ArrayLike, order: int = 1) -> Floats:
        """(k, n, 3) places on (n,) faces at (n, 2) parameters, then du, dv, and for order 2 uu, uv, vv."""
        return make_stencils(self.quads, face, np.asarray(uv, dtype=float), order).apply(self.points)

    def at(self, face: Ints, uv: ArrayLike) -> Floats:
        """(n, 3) places of the limit surface."""
        return self.derivatives(face, uv, 0)[PLACE]

    def normals(self, face: Ints, uv: ArrayLike) -> Floats:
        """(n, 3) its unit normals; on a sharp edge those of the face's own side."""
        stencils = make_stencils(self.quads, face, np.asarray(uv, dtype=float), 1)
        return outward(stencils, self.quads, self.points, stencils.apply(self.points))

    @cached_property
    def pairs(self) -> dict[tuple[bytes, float, float], Ints | None]:
        """Mirror images of points that were looked for: see ``symmetry.mirror_pairs``."""
        return {}

    @cached_property
    def limit(self) -> Floats:
        """(n, 3) where the points come to lie."""
        return point_stencils(self.quads).apply(self.points)[PLACE]

    def with_points(self, points: ArrayLike) -> Cage:
        """The cage with as many other points."""
        return replace(self, points=np.asarray(points, dtype=float))

    def flipped(self) -> Cage:
        """The cage that looks to the other side."""
        return replace(self, quads=self.quads.flipped)

    # what it answers for itself: see ``shapes``

    @property
    def box(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box round its points and those beyond bent borders, mm; the surface lies
        inside."""
        points = self.whole.points
        return points.min(axis=0), points.max(axis=0)

    def moved(self, matrix: Floats) -> Cage:
        """The cage after a (4, 4) rigid motion."""
        return self.with_points(apply(matrix, self.points))

    def mirrored(self, plane: Plane) -> Cage:
        """The mirror image, looking to the same side of the form."""
        return Cage(plane.mirrored(self.points), self.quads.flipped)

    def sampler(self, along: int) -> Sampler:
        """What reads its surface again and again while its points move."""
        return CageSampler(self, along)

    def curvatures(self, part: Ints, uv: Floats) -> Curvatures:
        """Curvatures at (n,) faces and (n, 2) parameters; at an irregular point those a little beside it."""
        stencils = make_stencils(self.quads, part, uv, 2)
        if len(stencils.special):
            uv = np.array(uv, dtype=float)
            aside = uv[stencils.special]
            uv[stencils.special] = np.where(aside < 0.5, ASIDE, 1 - ASIDE)
            stencils = make_stencils(self.quads, part, uv, 2)
        d = stencils.apply(self.points)
        return form_curvature(d[DU], d[DV], d[DUU], d[DUV], d[DVV])

    def patches(self) -> Sequence[Surface]:
        """The NURBS patches that it consists of: see ``to_surfaces``."""
        return self.surfaces

    @cached_property
    def surfaces(self) -> tuple[Surface, ...]:
        """Bicubic patches with the surface of the cage, made once."""
        from arabesque.cages.conversion import to_surfaces  # which reads cages

        return to_surfaces(self).surfaces

    def lines(self, count: int) -> tuple[Strands, ...]:
        """The rows of the net on the surface; ``count`` thins them out where there are many more."""
        rows = row_stencils(self.quads)
        found = []
        for row in rows[:: max(1, len(rows) // max(4 * count, 1))]:
            d = row.stencils.apply(self.points)
            normals = outward(row.stencils, self.quads, self.points, d)
            along_u = row.along_u[:, None]
            first = np.where(along_u, d[DU], d[DV]) * row.sign[:, None]
            second = np.where(along_u, d[DUU], d[DVV])
            found.append(Strands(d[PLACE][None], first[None], second[None], normals[None]))
        return tuple(found)

    def rims(self) -> tuple[Rim, ...]:
        """The edges of its patches."""
        return tuple(rim for surface in self.surfaces for rim in surface.rims())

    def guides(self) -> tuple[Guide, ...]:
        """Its borders on the surface."""
        samples = self.sampler(round(8 * self.count**0.5)).read(self)
        borders = self.quads.borders()
        return tuple(Guide(samples.points[rim], True) for rim in samples.rims[: len(borders)])

    def feet(self, places: Floats) -> tuple[Floats, Floats, Bools]:
        """Its places nearest to (n, 3) places, its normals there, and whether they lie inside it."""
        return nearest_places(self, places)

    def net(self) -> Net:
        """Its points in rows."""
        rows, along, legs = self.quads.rows
        return Net(self.points, rows, along, legs, self.quads.on_border)

    def frames(self) -> Frames:
        """Where its points come to lie, and the ways of the surface there."""
        stencils = point_stencils(self.quads)
        d = stencils.apply(self.points)
        return Frames(d[PLACE], unit(d[DU]), unit(d[DV]), outward(stencils, self.quads, self.points, d))
