"""NURBS curves as immutable values."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Floats, frozen_array, unit
from arabesque.errors import InvalidShape
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import bezier_knots, breakpoints, checked_knots, elevate_degree, insert_knots
from arabesque.geometry.motion import Plane, apply
from arabesque.geometry.nets import curve_frames, curve_net, flat_normal
from arabesque.geometry.rational import quotient_derivatives
from arabesque.shapes import Frames, Guide, Net, Strands

PLACES_A_SPAN = 20
"""Places in each polynomial piece where a curve is read for its bend."""


@dataclass(frozen=True, eq=False)
class Curve:
    """A curve in space.

    degree:  1 to 7
    knots:   clamped knot vector
    points:  (n, 3) float64, mm
    weights: (n,) float64, all positive, or None for a polynomial curve

    Raises InvalidShape when the arrays do not make a curve.
    """

    degree: int
    knots: Floats
    points: Floats
    weights: Floats | None = None

    def __post_init__(self) -> None:
        points = frozen_array(self.points, (None, 3), np.float64, what="Curve")
        object.__setattr__(self, "points", points)
        object.__setattr__(self, "knots", checked_knots(self.knots, self.degree, len(points), "Curve"))
        if self.weights is not None:
            weights = frozen_array(self.weights, (len(points),), np.float64, what="Curve weights")
            if weights.min() <= 0:
                raise InvalidShape("Curve: a weight is not positive", "Export it again from its source")
            object.__setattr__(self, "weights", weights)

    @classmethod
    def bezier(cls, points: ArrayLike) -> Curve:
        """The single-span curve on [0, 1] with these (n, 3) control points."""
        array = np.asarray(points, dtype=float)
        return cls(len(array) - 1, bezier_knots(len(array) - 1), array)

    @property
    def count(self) -> int:
        """Number of control points."""
        return len(self.points)

    @property
    def spans(self) -> int:
        """Number of polynomial pieces."""
        return len(breakpoints(self.knots)) - 1

    @property
    def domain(self) -> tuple[float, float]:
        """Parameter range."""
        return float(self.knots[0]), float(self.knots[-1])

    @cached_property
    def _coefficients(self) -> Floats:
        if self.weights is None:
            return self.points
        return np.column_stack([self.points * self.weights[:, None], self.weights])

    def derivatives(self, parameters: ArrayLike, order: int = 2) -> Floats:
        """(order+1, n, 3) derivatives at n parameters; outside the domain the end pieces go on."""
        t = np.ascontiguousarray(parameters, dtype=float)
        values = np.array([basis_matrix(self.knots, self.degree, t, k) @ self._coefficients for k in range(order + 1)])
        if self.weights is None:
            return values
        flat = np.zeros((order + 1, order + 1, *values.shape[1:]))
        flat[:, 0] = values
        return quotient_derivatives(flat)[:, 0]

    def at(self, parameters: ArrayLike) -> Floats:
        """(n, 3) points at n parameters."""
        return self.derivatives(parameters, 0)[0]

    def elevated(self, times: int = 1) -> Curve:
        """The same curve with its degree raised exactly."""
        curve = self
        for _ in range(times):
            curve = curve._changed(curve.degree + 1, *elevate_degree(curve.knots, curve.degree, curve._coefficients))
        return curve

    def with_knots(self, extra: ArrayLike) -> Curve:
        """The same curve with knots inserted exactly."""
        if not np.size(extra):
            return self
        return self._changed(self.degree, *insert_knots(self.knots, self.degree, self._coefficients, extra))

    def with_points(self, points: ArrayLike) -> Curve:
        """The curve with other control points of the same count."""
        return replace(self, points=np.asarray(points, dtype=float))

    # what it answers for itself: see ``shapes``

    def lines(self, count: int) -> tuple[Strands, ...]:
        """Itself; bends are judged in the plane that fits it best."""
        d = self.derivatives(np.linspace(*self.domain, PLACES_A_SPAN * self.spans + 1), 2)
        across = unit(np.cross(flat_normal(self.points), d[1]))
        return (Strands(*(values[None] for values in (*d, across))),)

    def guides(self) -> tuple[Guide, ...]:
        """Itself."""
        places = self.at(np.linspace(*self.domain, PLACES_A_SPAN * self.spans + 1))
        return (Guide(places, False, self if self.weights is None else None),)

    def net(self) -> Net:
        """Its control polygon."""
        return curve_net(self)

    def frames(self) -> Frames:
        """Where its control points have most say."""
        return curve_frames(self)

    @property
    def box(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box round the control points, mm; the curve lies inside."""
        return self.points.min(axis=0), self.points.max(axis=0)

    def moved(self, matrix: Floats) -> Curve:
        """The curve after a (4, 4) rigid motion."""
        return self.with_points(apply(matrix, self.points))

    def mirrored(self, plane: Plane) -> Curve:
        """The mirror image, run the same way."""
        return self.with_points(plane.mirrored(self.points))

    def _changed(self, degree: int, knots: Floats, coefficients: Floats) -> Curve:
        if self.weights is None:
            return Curve(degree, knots, coefficients)
        weights = coefficients[:, 3]
        return Curve(degree, knots, coefficients[:, :3] / weights[:, None], weights)
