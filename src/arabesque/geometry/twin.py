"""Twins: patches and curves that follow their mirror image at a plane, exactly.

Three cases. A patch that spans the plane is its own mirror image: its net is
tied row by row. A patch that ends on the plane is continued there by its
mirror image: its first rows are tied to the plane, so that the seam is smooth
by construction. A patch beside the plane merely has a mirror image.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry.curve import Curve
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.motion import Plane
from arabesque.geometry.reshaping import join_surfaces
from arabesque.geometry.surface import Surface


class TwinKind(Enum):
    """How a patch stands to the twin plane; the value is its words."""

    SPANS = "lies across the plane"
    ENDS = "ends on the plane"
    BESIDE = "lies beside the plane"


class Seam(Enum):
    """What holds, by construction, where a patch that ends on the plane meets its mirror image.

    A tangent plane that is square to the plane makes the curvature agree as
    well: the image of a normal section is that section run backwards. So
    tangent continuity brings G2; only its change needs rows of its own.
    """

    SEATED = "seated, G0"
    SMOOTH = "smooth, G2"
    EVEN = "smooth, G3"


@dataclass(frozen=True)
class Twin:
    """How a patch follows its mirror image.

    axis: the parameter direction that runs across the plane. at_end: for a
    patch that ends on the plane, whether it does so at the end of that
    direction. seam: what holds there.
    """

    kind: TwinKind
    axis: int = 0
    at_end: bool = False
    seam: Seam = Seam.SMOOTH

    def __post_init__(self) -> None:
        if self.axis not in (0, 1):
            raise InvalidShape(f"A patch has no direction {self.axis}", "Give 0 for u or 1 for v")

    @property
    def has_image(self) -> bool:
        """True when the mirror image is another patch."""
        return self.kind is not TwinKind.SPANS

    def kept(self, surface: Surface, plane: Plane, before: Surface | None = None) -> Surface:
        """The surface with its control points tied again after an edit.

        before: the surface before the edit, tied: of a tied pair, the point
        that was moved leads; where both were, or ``before`` has another
        count, the middle between one and the other's mirror image. Raises
        InvalidShape when degrees, knots or weights cannot be tied.
        """
        if self.kind is TwinKind.BESIDE:
            return surface
        old = None if before is None or before.points.shape != surface.points.shape else before.points
        if self.kind is TwinKind.SPANS:
            return _tied_across(surface, plane, self.axis, old)
        return surface.with_points(_seated(surface, plane, self, old))

    def holds(self, surface: Surface, plane: Plane) -> bool:
        """True when the control points are tied: to the last bit, but for places in a plane that is askew."""
        if self.kind is TwinKind.BESIDE:
            return True
        exact = np.count_nonzero(plane.normal) == 1
        if self.kind is TwinKind.ENDS:
            seated = _seated(surface, plane, self, surface.points)
            return bool(np.array_equal(seated, surface.points) if exact else np.allclose(seated, surface.points))
        rows = np.swapaxes(surface.points, 0, self.axis)
        half = len(rows) // 2
        middle = rows[half : len(rows) - half]
        flat = onto(plane, middle)
        return bool(
            np.array_equal(rows[len(rows) - half :], _image(plane, rows[:half][::-1]))
            and (np.array_equal(flat, middle) if exact else np.allclose(flat, middle))
        )

    def image(self, surface: Surface, plane: Plane) -> Surface:
        """The mirror image, looking to the same side of the form as the surface."""
        return surface.mirrored(plane, self.axis)


def nearest_twin(surface: Surface, plane: Plane, reach: float) -> Twin:
    """How a patch stands to the plane as it is: across it, ending within ``reach`` mm of it, or beside it."""
    heights = _heights(surface, plane)
    ends = [(float(np.abs(np.take(heights, -at_end, axis)).max()), axis, bool(at_end)) for axis, at_end in _EDGES]
    away, axis, at_end = min(ends)
    if away <= reach:
        return Twin(TwinKind.ENDS, axis, at_end)
    if heights.min() < 0 < heights.max():
        return Twin(TwinKind.SPANS, crossing_axis(surface, plane))
    return Twin(TwinKind.BESIDE, axis)


def crossing_axis(surface: Surface, plane: Plane) -> int:
    """The parameter direction that runs across the plane most."""
    heights = _heights(surface, plane)
    return int(np.argmax([np.abs(np.diff(heights.mean(axis=1 - axis))).sum() for axis in (0, 1)]))


def _heights(surface: Surface, plane: Plane) -> Floats:
    return plane.height(surface.points.reshape(-1, 3)).reshape(surface.points.shape[:2])


_EDGES = ((0, 0), (0, 1), (1, 0), (1, 1))


def symmetric_from(surface: Surface, plane: Plane, axis: int, from_end: bool) -> Surface:
    """The patch with one half of its rows along ``axis`` replaced by the image of the other half.

    from_end: take the half at the end of the direction. The middle row of
    an odd count comes to lie on the plane.
    """
    turned = _with_even_knots(surface, axis)
    rows = np.swapaxes(turned.points, 0, axis)
    if from_end:
        rows = _image(plane, rows[::-1])
    half = len(rows) // 2
    made = rows.copy()
    made[half:] = _image(plane, rows[: len(rows) - half][::-1])
    if len(rows) % 2:
        made[half] = onto(plane, rows[half])
    return turned.with_points(np.swapaxes(made, 0, axis))


def symmetric_curve(curve: Curve, plane: Plane, from_end: bool) -> Curve:
    """The curve with one half of its points replaced by the image of the other half."""
    points = _image(plane, curve.points[::-1]) if from_end else curve.points
    half = len(points) // 2
    made = points.copy()
    made[half:] = _image(plane, points[: len(points) - half][::-1])
    if len(points) % 2:
        made[half] = onto(plane, points[half])
    weights = curve.weights
    if weights is not None:
        weights = weights[::-1] if from_end else weights
        weights = np.concatenate([weights[: len(points) - half], weights[:half][::-1]])
    return Curve(curve.degree, _even(curve.knots), made, weights)


def joined_with_image(surface: Surface, plane: Plane, twin: Twin) -> Surface:
    """One patch from one that ends on the plane and its mirror image; raises InvalidShape for any other."""
    if twin.kind is not TwinKind.ENDS:
        raise InvalidShape(
            "Only a patch that ends on the twin plane can be joined with its image", "Seat an edge first"
        )
    # the edge on the plane is its own image to the bit only once it has been tied
    tied = twin.kept(surface, plane, surface)
    image = tied.mirrored(plane, twin.axis)
    first, second = (tied, image) if twin.at_end else (image, tied)
    joined = join_surfaces(first, second, twin.axis)
    return _tied_across(joined, plane, twin.axis, None)


def tie_matrix(twin: Twin, plane: Plane, surface: Surface) -> Floats | None:
    """(3 n, m) moves of n control points for m free unknowns, for fits; None when all are free.

    Control points are numbered row by row, x, y and z together. Moves made
    of its columns keep a tied patch tied; each column belongs to a
    coordinate of one control point, along the plane's normal or in it.
    """
    if twin.kind is TwinKind.BESIDE:
        return None
    shape = surface.points.shape[:2]
    index = np.arange(shape[0] * shape[1]).reshape(shape)
    rows = np.swapaxes(index, 0, twin.axis)
    if twin.kind is TwinKind.ENDS and twin.at_end:
        rows = rows[::-1]
    frame = _frame(plane)
    columns: list[list[tuple[int, int, float]]] = []
    if twin.kind is TwinKind.SPANS:
        count = len(rows)
        for i in range((count + 1) // 2):
            for a, b in zip(rows[i], rows[count - 1 - i], strict=True):
                for k in range(3):
                    if a != b:
                        columns.append([(a, k, 1.0), (b, k, -1.0 if k == 0 else 1.0)])
                    elif k:
                        columns.append([(a, k, 1.0)])
    else:
        columns = _end_columns(rows, twin.seam, _end_rule(surface, twin))
    matrix = np.zeros((3 * index.size, len(columns)))
    for number, column in enumerate(columns):
        for point, k, share in column:
            matrix[3 * point : 3 * point + 3, number] += share * frame[k]
    return matrix


def _end_columns(rows: np.ndarray, seam: Seam, rule: tuple[float, Floats] | None) -> list[list[tuple[int, int, float]]]:
    """Free moves of a patch that ends on the plane: (point, frame axis, share) of each; row 0 lies on the plane."""
    columns = []
    for number, row in enumerate(rows):
        for j, point in enumerate(row):
            for k in range(3):
                column = [(int(point), k, 1.0)]
                if number == 0:
                    if k == 0:
                        continue
                    if seam is not Seam.SEATED:
                        column.append((int(rows[1][j]), k, 1.0))
                    if rule is not None:
                        column.append((int(rows[3][j]), k, float(rule[1][0])))
                elif (number == 1 and k and seam is not Seam.SEATED) or (
                    rule is not None and ((number == 2 and k == 0) or (number == 3 and k))
                ):
                    continue
                elif rule is not None and number == 1 and k == 0:
                    column.append((int(rows[2][j]), k, rule[0]))
                elif rule is not None and number == 2:
                    column.append((int(rows[3][j]), k, float(rule[1][1])))
                columns.append(column)
    return columns


def _tied_across(surface: Surface, plane: Plane, axis: int, old: Floats | None) -> Surface:
    even = _with_even_knots(surface, axis)
    rows = np.swapaxes(even.points, 0, axis)
    image = _image(plane, rows[::-1])
    if old is None:
        lead = (rows + image) / 2
    else:
        before = np.swapaxes(old, 0, axis)
        moved = (rows != before).any(axis=2, keepdims=True)
        other = moved[::-1]
        lead = np.where(moved & ~other, rows, np.where(other & ~moved, image, (rows + image) / 2))
        # what was tied and not moved stays to the bit, whatever the mean would round it to
        lead = np.where(~moved & ~other, rows, lead)
    made = lead.copy()
    half = len(rows) // 2
    made[len(rows) - half :] = _image(plane, lead[:half][::-1])
    if len(rows) % 2:
        made[half] = onto(plane, rows[half])
    return even.with_points(np.swapaxes(made, 0, axis))


def _seated(surface: Surface, plane: Plane, twin: Twin, old: Floats | None) -> Floats:
    """Control points with the edge on the plane, and the rows beside it as the seam wants them."""
    points = surface.points.copy()
    rows = np.swapaxes(points, 0, twin.axis)  # a view: what is written here is written to the points
    rows = rows[::-1] if twin.at_end else rows
    smooth = twin.seam is not Seam.SEATED
    lead = rows[0].copy()
    if old is not None and smooth:
        before = np.swapaxes(old, 0, twin.axis)
        before = before[::-1] if twin.at_end else before
        # of edge and second row the one that was moved leads; the edge where both were
        edge, second = ((rows[k] != before[k]).any(axis=1, keepdims=True) for k in (0, 1))
        lead = np.where(second & ~edge, rows[1], lead)
    rows[0] = onto(plane, lead)
    if not smooth:
        return points
    rows[1] = over(plane, rows[0], rows[1])
    rule = _end_rule(surface, twin)
    if rule is not None:
        lift, mix = rule
        height = plane.height(rows[1])
        rows[2] = onto(plane, rows[2]) + (lift * height)[:, None] * plane.normal
        rows[3] = over(plane, mix[0] * onto(plane, rows[0]) + mix[1] * onto(plane, rows[2]), rows[3])
    return points


def _end_rule(surface: Surface, twin: Twin) -> tuple[float, Floats] | None:
    """For a G3 seam: the height of the third row over that of the second, and the shares of row 0 and 2 in row 3.

    Across the plane, the height must be an odd function of the parameter and
    the place in the plane an even one, up to the third derivative: d²h = 0
    and d³p = 0 at the edge. Raises InvalidShape where the degree is too low.
    """
    if twin.seam is not Seam.EVEN:
        return None
    degree, knots = surface.degree[twin.axis], surface.knots[twin.axis]
    if degree < 3 or surface.points.shape[twin.axis] < 5:
        raise InvalidShape("A G3 seam needs at least degree 4 across the plane", "Raise the degree first")
    end = knots[-1:] if twin.at_end else knots[:1]
    second, third = (basis_matrix(knots, degree, end, k)[0] for k in (2, 3))
    if twin.at_end:
        second, third = second[::-1], third[::-1]
    # rows 0 and 1 have the same place in the plane; row 0 has no height
    return float(-second[1] / second[2]), -np.array([third[0] + third[1], third[2]]) / third[3]


def onto(plane: Plane, points: Floats) -> Floats:
    """(..., 3) points dropped onto a plane; exact to the bit for a coordinate plane."""
    return over(plane, points, np.zeros_like(points) + plane.origin)


def over(plane: Plane, places: Floats, points: Floats) -> Floats:
    """(..., 3) points with their own height over a plane, and the places of others in it."""
    axis = np.flatnonzero(plane.normal)
    made = np.array(places, dtype=float)
    if len(axis) == 1:
        made[..., axis[0]] = points[..., axis[0]]
        return made
    rise: Floats = (points @ plane.normal - places @ plane.normal)[..., None] * plane.normal
    return made + rise


def _image(plane: Plane, points: Floats) -> Floats:
    return plane.mirrored(points.reshape(-1, 3)).reshape(points.shape)


def _frame(plane: Plane) -> Floats:
    """(3, 3) unit vectors: the plane's normal, and two in the plane."""
    axis = np.flatnonzero(plane.normal)
    if len(axis) == 1:
        return np.roll(np.eye(3), -int(axis[0]), axis=0)
    least = np.eye(3)[np.abs(plane.normal).argmin()]
    first = np.cross(plane.normal, least)
    first /= np.linalg.norm(first)
    return np.array([plane.normal, first, np.cross(plane.normal, first)])


def _with_even_knots(surface: Surface, axis: int) -> Surface:
    """The surface with knots that are the same read backwards; raises InvalidShape when they are not nearly so."""
    if surface.weights is not None and not np.allclose(surface.weights, np.flip(surface.weights, axis), rtol=1e-9):
        raise InvalidShape("The weights are not symmetric", "Fit a polynomial patch to it first")
    knots = _even(surface.knots[axis])
    both = (knots, surface.knots[1]) if axis == 0 else (surface.knots[0], knots)
    return Surface(surface.degree, both, surface.points, surface.weights)


def _even(knots: Floats) -> Floats:
    turned = (knots[0] + knots[-1]) - knots[::-1]
    if not np.allclose(knots, turned, atol=1e-9 * float(knots[-1] - knots[0])):
        raise InvalidShape(
            "The knots are not the same on both sides of the plane", "Insert the knots that are missing, or rebuild"
        )
    return (knots + turned) / 2
