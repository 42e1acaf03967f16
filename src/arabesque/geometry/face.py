"""Faces: patches of which a trim shows a part."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Bools, Floats, runs_of
from arabesque.geometry.motion import Plane
from arabesque.geometry.rims import Rim, trim_rims
from arabesque.geometry.sampling import FaceSampler
from arabesque.geometry.surface import Surface
from arabesque.geometry.trimming import Trim
from arabesque.shapes import Sampler, Strands

FEWEST_ON_LINE = 5
"""Shorter pieces of a line say nothing of its bend."""


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

    def sampler(self, along: int) -> Sampler:
        """What reads the part that shows."""
        return FaceSampler(self, along)

    def lines(self, count: int) -> tuple[Strands, ...]:
        """The parameter lines as far as they lie inside the trim."""
        found = []
        for axis, strands in enumerate(super().lines(count)):
            samples = strands.points.shape[1]
            along = np.linspace(*self.domain[axis], samples)
            for k, across in enumerate(np.linspace(*self.domain[1 - axis], count)):
                fixed = np.full(samples, across)
                shown = self.shows(np.column_stack([along, fixed] if axis == 0 else [fixed, along]))
                found += [
                    Strands(*(values[k : k + 1, first:last] for values in vars(strands).values()))
                    for first, last in runs_of(shown)
                    if last - first >= FEWEST_ON_LINE
                ]
        return tuple(found)

    def rims(self) -> tuple[Rim, ...]:
        """The borders of the part that shows, from corner to corner."""
        return trim_rims(self)

    def mirrored(self, plane: Plane, axis: int = 0) -> Face:
        """The mirror image with its trim, run backwards along ``axis``."""
        image = super().mirrored(plane, axis)
        return Face(image.degree, image.knots, image.points, image.weights, self.trim.turned(axis, *self.domain[axis]))

    def turned_over(self) -> Face:
        """The face looking to the other side: run backwards along u."""
        bare = self.whole.reversed(0)
        return Face(bare.degree, bare.knots, bare.points, bare.weights, self.trim.turned(0, *self.domain[0]))

    def _changed(self, axis: int, degree: tuple[int, int], knots: Floats, coefficients: Floats) -> Face:
        made = super()._changed(axis, degree, knots, coefficients)
        return replace(self, degree=made.degree, knots=made.knots, points=made.points, weights=made.weights)
