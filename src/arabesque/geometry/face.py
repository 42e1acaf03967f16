"""Faces: patches of which a trim shows a part."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.geometry.motion import Plane
from arabesque.geometry.surface import Surface
from arabesque.geometry.trimming import Trim


@dataclass(frozen=True, eq=False)
class Face(Surface):
    """A patch and the part of it that shows.

    The trim lies in the patch's parameters, so it stays with whatever leaves these as they are: other control
    points, a higher degree, more knots, a motion, a mirror image. What makes other parameters (a split, an
    extension, a fit) makes a plain Surface: a trim that would be wrong cannot come along.
    """

    trim: Trim = Trim(())

    @property
    def whole(self) -> Surface:
        """The patch without its trim."""
        return Surface(self.degree, self.knots, self.points, self.weights)

    def shows(self, uv: Floats) -> Bools:
        """Which of the (n, 2) parameters lie inside the trim."""
        return self.trim.contains(uv)

    def borders(self) -> list[Floats]:
        """(n, 3) points along each loop of the trim."""
        return [self.at(loop) for loop in self.trim.loops]

    def mirrored(self, plane: Plane, axis: int = 0) -> Face:
        """The mirror image with its trim, run backwards along ``axis``."""
        image = super().mirrored(plane, axis)
        low, high = self.domain[axis]
        loops = []
        for loop in self.trim.loops:
            turned = np.array(loop)
            turned[:, axis] = low + high - turned[:, axis]
            loops.append(turned)
        return Face(image.degree, image.knots, image.points, image.weights, Trim(tuple(loops)))

    def _changed(self, axis: int, degree: tuple[int, int], knots: Floats, coefficients: Floats) -> Face:
        made = super()._changed(axis, degree, knots, coefficients)
        return replace(self, degree=made.degree, knots=made.knots, points=made.points, weights=made.weights)
