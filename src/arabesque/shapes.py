"""What shapes answer for themselves: structural protocols, nobody has to inherit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Any, NamedTuple, Protocol, TypeGuard, TypeVar, runtime_checkable

import numpy as np
from numba import njit

from arabesque.arrays import Bools, Floats, Ints

Box = tuple[Floats, Floats]
"""Lowest and highest corner, (3,) each, mm."""

SAMPLES_ALONG = 100
"""Samples a side by which a shape is drawn and measured."""


class Shape(Protocol):
    """What every shape can: an immutable value over read-only arrays.

    box: round it, or None for what has no place of its own. moved: after a (4, 4) rigid motion. mirrored: the
    image at a ``geometry.Plane``, looking to the same side of the form.
    """

    @property
    def box(self) -> Box | None: ...

    def moved(self, matrix: Floats) -> Any: ...

    def mirrored(self, plane: Any) -> Any: ...


S = TypeVar("S", bound=Shape, covariant=True)


@dataclass(frozen=True, eq=False)
class Samples:
    """What shows of a shape's surface, at many places.

    points, normals: (n, 3), normals of length 1. triangles: (m, 3) over them, counter-clockwise round the normals;
    none goes from one part to another. part: (n,) which patch of the shape. uv: (n, 2) parameters on that part.
    rims: indices of the points along each border, in order; a closed border ends where it begins. welds: (k, 2)
    points at one place, where one part goes on in another.
    """

    points: Floats
    normals: Floats
    triangles: Ints
    part: Ints
    uv: Floats
    rims: tuple[Ints, ...] = ()
    welds: Ints | None = None

    @cached_property
    def areas(self) -> Floats:
        """(n,) mm² that each point stands for: a third of the triangles round it."""
        return corner_areas(self.points, self.triangles)

    @property
    def pairs(self) -> Ints:
        """(e, 2) points that an edge joins, or that are one; an edge between two triangles twice."""
        legs = self.triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
        return legs if self.welds is None else np.concatenate([legs, self.welds])

    @property
    def size(self) -> float:
        """Diagonal of the box round the points, mm."""
        return float(np.linalg.norm(np.ptp(self.points, axis=0))) if len(self.points) else 0.0


@njit(cache=True, nogil=True, error_model="numpy")
def corner_areas(points: Floats, triangles: Ints) -> Floats:
    """(n,) a third of the areas of the triangles round each of n points, mm²."""
    areas = np.zeros(len(points))
    for t in range(len(triangles)):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
        bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
        x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        third = np.sqrt(x * x + y * y + z * z) / 6.0
        areas[i] += third
        areas[j] += third
        areas[k] += third
    return areas


def area_above(samples: Samples, values: Floats, limit: float) -> float:
    """Return the mm² of a sampled surface on which (n,) values, taken as linear over each triangle, are above a limit.

    By whole places it would be off by half a cell all along the border.
    """
    corners = np.sort(values[samples.triangles] - limit, axis=1)
    points = samples.points[samples.triangles]
    whole = np.linalg.norm(np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]), axis=1) / 2
    low, middle, high = corners.T
    with np.errstate(divide="ignore", invalid="ignore"):
        # the corner that is alone on its side cuts off a triangle of the product of two shares
        alone_above = high**2 / ((high - low) * (high - middle))
        alone_below = low**2 / ((high - low) * (middle - low))
    share = np.select([low > 0, middle > 0, high > 0], [1.0, 1 - alone_below, alone_above], 0.0)
    return float(whole @ share)


class Sampler(Protocol):
    """What stays of the sampling of a shape while only its control points move, so that a drag costs one product."""

    def fits(self, shape: Any) -> bool: ...

    def read(self, shape: Any) -> Samples: ...


@runtime_checkable
class Sampled(Protocol):
    """A shape with a surface: it can be measured, cut, shaded, picked and made triangles of.

    sampler: for about ``along`` places a side. curvatures: ``geometry.Curvatures`` at (n,) parts and (n, 2)
    parameters. patches: the NURBS patches that it consists of, exactly.
    """

    def sampler(self, along: int) -> Sampler: ...

    def curvatures(self, part: Ints, uv: Floats) -> Any: ...

    def patches(self) -> Sequence[Any]: ...


@dataclass(frozen=True, eq=False)
class Strands:
    """k lines of n places each: points, first and second derivatives, and the normals by whose side bends are
    judged, (k, n, 3) each."""

    points: Floats
    first: Floats
    second: Floats
    normals: Floats


@runtime_checkable
class Lined(Protocol):
    """A shape that is read along lines: a curve, or the parameter lines of a patch, ``count`` each way."""

    def lines(self, count: int) -> Sequence[Strands]: ...


@runtime_checkable
class Rimmed(Protocol):
    """A shape with borders (``geometry.Rim``), along which others may meet it."""

    def rims(self) -> Sequence[Any]: ...


@runtime_checkable
class Footed(Protocol):
    """A shape that finds by itself where on it lies nearest to places, rather than patch by patch.

    feet: of (n, 3) places the nearest (n, 3), the normals there, and (n,) whether they lie inside and on no border.
    """

    def feet(self, places: Floats) -> tuple[Floats, Floats, Bools]: ...


class Guide(NamedTuple):
    """A line that the side of a patch can be laid on: (n, 3) places, whether it is closed, and the ``geometry.Curve``
    that it is, where it is one: then the side is exactly a part of it."""

    points: Floats
    closed: bool = False
    curve: Any = None


@runtime_checkable
class Guiding(Protocol):
    """A shape with lines that the side of a patch can be laid on."""

    def guides(self) -> Sequence[Guide]: ...


@dataclass(frozen=True, eq=False)
class Net:
    """What the hand pulls.

    points: (n, 3) control points. rows: chains of their indices, as the eye follows them; along: one number a row, 0
    for those along u, 1 along v. legs: (k, 2) neighbours in the rows. border: (n,) true for points that hold the
    shape's borders. columns: how many points follow each other along v where rows and columns are crossed, 1 for a
    single row. at: for each row the rising places at which its points would stand evenly; none where all steps are
    alike.
    """

    points: Floats
    rows: tuple[Ints, ...]
    along: tuple[int, ...]
    legs: Ints
    border: Bools
    columns: int = 1
    at: tuple[Floats, ...] = ()

    @staticmethod
    def legs_of(rows: Sequence[Ints]) -> Ints:
        """(k, 2) neighbours in rows."""
        return np.concatenate([np.column_stack([row[:-1], row[1:]]) for row in rows])

    def only(self, chosen: Ints | int) -> Bools:
        """(n,) mask of these points and no others."""
        mask = np.zeros(len(self.points), dtype=bool)
        mask[chosen] = True
        return mask

    def whole_rows(self, chosen: Bools, along: int) -> Bools:
        """The mask of all rows of a direction that have a chosen point."""
        mask = np.zeros_like(chosen)
        for row, direction in zip(self.rows, self.along, strict=True):
            mask[row] |= direction == along and bool(chosen[row].any())
        return mask

    def beside(self, at: int, along: int, step: int) -> int:
        """The point so many places further in its row of a direction; the row's end where that is nearer."""
        for row, direction in zip(self.rows, self.along, strict=True):
            here = np.flatnonzero(row == at)
            if direction == along and len(here):
                return int(row[np.clip(here[0] + step, 0, len(row) - 1)])
        return at

    def place(self, at: int) -> tuple[int, int]:
        """Number of a point along u and along v."""
        return divmod(at, self.columns)

    def words(self, chosen: Bools) -> str:
        """What is chosen, in words."""
        count = int(chosen.sum())
        if count == 1:
            i, j = self.place(int(chosen.argmax()))
            return f"point {i + 1}, {j + 1}" if self.columns > 1 else f"point {i + 1}"
        numbers = [0, 0]
        for row, direction in zip(self.rows, self.along, strict=True):
            numbers[direction] += 1
            if count == len(row) > 1 and chosen[row].all() and self.columns > 1:
                return f"{('row', 'column')[direction]} {numbers[direction]}"
        return f"{count} points"


@dataclass(frozen=True, eq=False)
class Frames:
    """Where each control point has most say: places on the shape, and there unit vectors along u, along v and
    along the normal, (n, 3) each."""

    places: Floats
    along_u: Floats
    along_v: Floats
    normals: Floats


@runtime_checkable
class Netted(Protocol):
    """A shape that follows control points; ``with_points`` takes (n, 3), in the net's order."""

    def net(self) -> Net: ...

    def frames(self) -> Frames: ...

    def with_points(self, points: Any) -> Any: ...


P = TypeVar("P")


def can(shape: object, what: type[P]) -> TypeGuard[P]:
    """True when a shape answers what a protocol asks; ten times as quick as ``isinstance``, which looks anew."""
    made: Any = type(shape)
    asked: Any = what
    return _can(made, asked)


@cache
def _can(made: type, what: type) -> bool:
    return issubclass(made, what)
