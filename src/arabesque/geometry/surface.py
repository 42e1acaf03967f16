"""Tensor product NURBS surfaces as immutable values."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Bools, Floats, Ints, frozen_array, unit
from arabesque.errors import InvalidShape
from arabesque.geometry.curvature import Curvatures, surface_curvature
from arabesque.geometry.curve import Curve
from arabesque.geometry.kernels import basis_matrix, evaluate_curvature, evaluate_tensor, unit_cross
from arabesque.geometry.knots import bezier_knots, breakpoints, checked_knots, elevate_degree, insert_knots
from arabesque.geometry.motion import Plane, apply
from arabesque.geometry.nets import surface_frames, surface_net
from arabesque.geometry.rational import quotient_derivatives
from arabesque.geometry.rims import Edge, Rim, edge_rims
from arabesque.geometry.sampling import SurfaceSampler
from arabesque.shapes import Frames, Guide, Net, Sampler, Strands

STRAND_SAMPLES = 61
"""Places along a line that is read for its bend, at least."""
PLACES_A_SPAN = 12


@dataclass(frozen=True, eq=False)
class Surface:
    """A four-sided patch.

    degree:  along u and v, 1 to 7
    knots:   clamped knot vectors along u and v
    points:  (nu, nv, 3) float64, mm
    weights: (nu, nv) float64, all positive, or None for a polynomial patch

    Raises InvalidShape when the arrays do not make a surface.
    """

    degree: tuple[int, int]
    knots: tuple[Floats, Floats]
    points: Floats
    weights: Floats | None = None

    def __post_init__(self) -> None:
        points = frozen_array(self.points, (None, None, 3), np.float64, what="Surface")
        knots = tuple(
            checked_knots(k, p, n, "Surface") for k, p, n in zip(self.knots, self.degree, points.shape[:2], strict=True)
        )
        object.__setattr__(self, "points", points)
        object.__setattr__(self, "knots", knots)
        if self.weights is not None:
            weights = frozen_array(self.weights, points.shape[:2], np.float64, what="Surface weights")
            if weights.min() <= 0:
                raise InvalidShape("Surface: a weight is not positive", "Export it again from its source")
            object.__setattr__(self, "weights", weights)

    @classmethod
    def bezier(cls, points: ArrayLike) -> Surface:
        """The single-span surface on [0, 1]² with these (nu, nv, 3) control points."""
        array = np.asarray(points, dtype=float)
        degree = (array.shape[0] - 1, array.shape[1] - 1)
        return cls(degree, (bezier_knots(degree[0]), bezier_knots(degree[1])), array)

    @property
    def count(self) -> int:
        """Number of control points."""
        return self.points.shape[0] * self.points.shape[1]

    @cached_property
    def spans(self) -> tuple[int, int]:
        """Number of polynomial pieces along u and v."""
        return len(breakpoints(self.knots[0])) - 1, len(breakpoints(self.knots[1])) - 1

    @property
    def domain(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Parameter range along u and v."""
        ku, kv = self.knots
        return (float(ku[0]), float(ku[-1])), (float(kv[0]), float(kv[-1]))

    @cached_property
    def coefficients(self) -> Floats:
        """Control points as they enter the sums: (nu, nv, 3), or (nu, nv, 4) homogeneous."""
        if self.weights is None:
            return self.points
        return np.dstack([self.points * self.weights[..., None], self.weights])

    def derivatives(self, uv: ArrayLike, order: int = 2) -> Floats:
        """All derivatives up to ``order`` at scattered parameters.

        uv: (n, 2). Returns (order+1, order+1, n, 3): [k, l] is the derivative
        k times along u and l times along v, filled where k + l <= order.
        Outside the domain the end pieces go on.
        """
        uv = np.ascontiguousarray(uv, dtype=float)
        (ku, kv), (p, q) = self.knots, self.degree
        if order == 2:
            values = evaluate_curvature(ku, p, kv, q, self.coefficients, uv)
        else:
            values = evaluate_tensor(ku, p, kv, q, self.coefficients, uv, order)
        return values if self.weights is None else quotient_derivatives(values)

    def at(self, uv: ArrayLike) -> Floats:
        """(n, 3) points at scattered parameters (n, 2)."""
        return self.derivatives(uv, 0)[0, 0]

    def on_grid(self, u: ArrayLike, v: ArrayLike, order: int = 0) -> Floats:
        """All derivatives up to ``order`` on the grid u x v.

        Returns (order+1, order+1, len(u), len(v), 3), filled where k + l <= order.
        """
        u, v = np.ascontiguousarray(u, dtype=float), np.ascontiguousarray(v, dtype=float)
        bu = [basis_matrix(self.knots[0], self.degree[0], u, k) for k in range(order + 1)]
        bv = [basis_matrix(self.knots[1], self.degree[1], v, k) for k in range(order + 1)]
        return self.on_basis(bu, bv)

    def on_basis(self, bu: list[Floats], bv: list[Floats]) -> Floats:
        """As ``on_grid``, with basis matrices made before: for a grid that stays while points move."""
        order = len(bu) - 1
        coefficients = self.coefficients
        size = coefficients.shape[2]
        values = np.zeros((order + 1, order + 1, len(bu[0]), len(bv[0]), size))
        rows = coefficients.reshape(len(coefficients), -1)
        for k in range(order + 1):
            along_u = (bu[k] @ rows).reshape(len(bu[k]), -1, size)
            for m in range(order + 1 - k):
                np.matmul(bv[m], along_u, out=values[k, m])
        if self.weights is None:
            return values
        flat = quotient_derivatives(values.reshape(order + 1, order + 1, -1, size))
        return flat.reshape(*values.shape[:-1], 3)

    def normals(self, uv: ArrayLike) -> Floats:
        """(n, 3) unit normals Su x Sv at scattered parameters."""
        d = self.derivatives(uv, 1)
        return unit_cross(d[1, 0], d[0, 1])

    def elevated(self, u: int = 0, v: int = 0) -> Surface:
        """The same surface with its degree raised exactly, ``u`` and ``v`` times."""
        surface = self
        for axis, times in ((0, u), (1, v)):
            for _ in range(times):
                knots, points = elevate_degree(surface.knots[axis], surface.degree[axis], surface._along(axis))
                degree = list(surface.degree)
                degree[axis] += 1
                surface = surface._changed(axis, (degree[0], degree[1]), knots, points)
        return surface

    def with_knots(self, u: ArrayLike = (), v: ArrayLike = ()) -> Surface:
        """The same surface with knots inserted exactly."""
        surface = self
        for axis, extra in ((0, u), (1, v)):
            if np.size(extra):
                knots, points = insert_knots(surface.knots[axis], surface.degree[axis], surface._along(axis), extra)
                surface = surface._changed(axis, surface.degree, knots, points)
        return surface

    def with_points(self, points: ArrayLike) -> Surface:
        """The surface with as many other control points, in rows and columns or one after the other."""
        array = np.asarray(points, dtype=float)
        return replace(self, points=array.reshape(self.points.shape) if array.shape == (self.count, 3) else array)

    @property
    def whole(self) -> Surface:
        """Itself; of a face the patch without its trim."""
        return self

    def shows(self, uv: Floats) -> Bools:
        """Which of the (n, 2) parameters belong to what is seen of it: all of them, but for a face."""
        return np.ones(len(uv), dtype=bool)

    # what it answers for itself: see ``shapes``

    def sampler(self, along: int) -> Sampler:
        """What reads it at about ``along`` places a side, again and again while its control points move."""
        return SurfaceSampler(self, along)

    def curvatures(self, part: Ints, uv: Floats) -> Curvatures:
        """Curvatures at (n, 2) parameters; it has only the part 0."""
        return surface_curvature(self, uv)

    def patches(self) -> tuple[Surface, ...]:
        """Itself."""
        return (self,)

    def lines(self, count: int) -> tuple[Strands, ...]:
        """``count`` parameter lines each way, edges among them: first those along u, then those along v."""
        found = []
        for axis in (0, 1):
            # so many in every span that no bump between two knots is passed over
            along = np.linspace(*self.domain[axis], max(STRAND_SAMPLES, PLACES_A_SPAN * self.spans[axis] + 1))
            across = np.linspace(*self.domain[1 - axis], count)
            d = self.on_grid(*((along, across) if axis == 0 else (across, along)), 2)
            first, second = (d[1, 0], d[2, 0]) if axis == 0 else (d[0, 1], d[0, 2])
            normals = unit(np.cross(d[1, 0], d[0, 1]))
            rows = [np.swapaxes(values, 0, 1) if axis == 0 else values for values in (d[0, 0], first, second, normals)]
            found.append(Strands(*rows))
        return tuple(found)

    def rims(self) -> tuple[Rim, ...]:
        """Its four edges, in the order of ``Edge``."""
        return edge_rims(self)

    def guides(self) -> tuple[Guide, ...]:
        """Its borders; the edges of a polynomial patch with their own control points, going round."""
        at = np.linspace(0.0, 1.0, STRAND_SAMPLES)
        rims = self.rims()
        whole = self.weights is None and len(rims) == 4 and all(rim.straight for rim in rims)
        curves = [edge_curve(self, edge) for edge in Edge] if whole else [None] * len(rims)
        return tuple(
            Guide(rim.surface.at(rim.places(at)), False, curve) for rim, curve in zip(rims, curves, strict=True)
        )

    def net(self) -> Net:
        """Its control points in rows and columns."""
        return surface_net(self)

    def frames(self) -> Frames:
        """Where its control points have most say."""
        return surface_frames(self)

    @property
    def box(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box round the control points, mm; the patch lies inside."""
        flat = self.points.reshape(-1, 3)
        return flat.min(axis=0), flat.max(axis=0)

    def moved(self, matrix: Floats) -> Surface:
        """The surface after a (4, 4) rigid motion."""
        return self.with_points(apply(matrix, self.points))

    def reversed(self, axis: int) -> Surface:
        """The same surface run the other way along u (axis 0) or v (axis 1)."""
        low, high = self.domain[axis]
        knots = list(self.knots)
        knots[axis] = low + high - self.knots[axis][::-1]
        weights = None if self.weights is None else np.flip(self.weights, axis)
        return Surface(self.degree, (knots[0], knots[1]), np.flip(self.points, axis), weights)

    def mirrored(self, plane: Plane, axis: int = 0) -> Surface:
        """The mirror image, run backwards along ``axis``, so that its normal Su x Sv is the image of the normal."""
        image = plane.mirrored(self.points.reshape(-1, 3)).reshape(self.points.shape)
        return Surface(self.degree, self.knots, image, self.weights).reversed(axis)

    def boundary(self) -> list[tuple[Floats, Floats]]:
        """The four edges as (start uv, end uv), going round."""
        (u0, u1), (v0, v1) = self.domain
        corners = np.array([(u0, v0), (u1, v0), (u1, v1), (u0, v1)])
        return [(corners[i], corners[(i + 1) % 4]) for i in range(4)]

    def _along(self, axis: int) -> Floats:
        return np.swapaxes(self.coefficients, 0, axis)

    def _changed(self, axis: int, degree: tuple[int, int], knots: Floats, coefficients: Floats) -> Surface:
        both = (knots, self.knots[1]) if axis == 0 else (self.knots[0], knots)
        coefficients = np.swapaxes(coefficients, 0, axis)
        if self.weights is None:
            return Surface(degree, both, coefficients)
        weights = coefficients[..., 3]
        return Surface(degree, both, coefficients[..., :3] / weights[..., None], weights)


def edge_curve(surface: Surface, edge: int) -> Curve:
    """An ``Edge`` as a curve with the patch's own control points. It runs the way the parameter does."""
    across, at_end = Edge(edge).side
    points, weights = np.take(surface.points, -at_end, across), surface.weights
    if weights is not None:
        weights = np.take(weights, -at_end, across)
    return Curve(surface.degree[1 - across], surface.knots[1 - across], points, weights)


def parameter_line(surface: Surface, axis: int, at: float) -> Curve:
    """The line of a patch on which the parameter along ``axis`` (0: u) is fixed, exactly."""
    basis = basis_matrix(surface.knots[axis], surface.degree[axis], np.array([float(at)]), 0)[0]
    rows = np.tensordot(basis, np.swapaxes(surface.coefficients, 0, axis), axes=1)
    points, weights = (rows, None) if surface.weights is None else (rows[:, :3] / rows[:, 3:], rows[:, 3])
    return Curve(surface.degree[1 - axis], surface.knots[1 - axis], points, weights)
