"""Twins: exact to the bit at coordinate planes, smooth at the plane by construction."""

import unittest

import numpy as np

from arabesque.checking import Limits, find_joins
from arabesque.errors import InvalidShape
from arabesque.geometry import (
    Curve,
    Plane,
    Seam,
    Surface,
    Twin,
    TwinKind,
    joined_with_image,
    nearest_twin,
    symmetric_curve,
    symmetric_from,
    tie_matrix,
    uniform_knots,
)
from tests.examples import random_surface

MIDDLE = Plane.coordinate(1)
ASKEW = Plane(np.array([0.2, 1.0, 0.3]), 4.0)
UV = np.random.default_rng(1).random((50, 2))


def across() -> Surface:
    """A patch of 7 x 6 points over the plane y = 0, nearly symmetric along v."""
    surface = random_surface((3, 3), (4, 3), seed=4)
    return surface.with_points(surface.points - [0, 25, 0])


def tied(kind: TwinKind, seam: Seam = Seam.SMOOTH) -> tuple[Twin, Surface]:
    twin = Twin(kind, axis=1, seam=seam)
    surface = across() if kind is TwinKind.SPANS else random_surface((3, 4), (4, 2), seed=2)
    return twin, twin.kept(surface, MIDDLE)


class ImageTest(unittest.TestCase):
    def test_image_is_a_reflection_with_outward_normals(self) -> None:
        """x' = x - 2 (n·x - d) n (Householder); normals of the image are images of the normals."""
        surface = random_surface((3, 2), (2, 2))
        for plane in (MIDDLE, ASKEW):
            image = surface.mirrored(plane)
            there = surface.at(UV)
            turned = np.column_stack([1 - UV[:, 0], UV[:, 1]])
            wanted = there - 2 * (there @ plane.normal - plane.offset)[:, None] * plane.normal
            np.testing.assert_allclose(image.at(turned), wanted, atol=1e-11)
            normals = surface.normals(UV)
            flipped = normals - 2 * (normals @ plane.normal)[:, None] * plane.normal
            np.testing.assert_allclose(image.normals(turned), flipped, atol=1e-11)

    def test_image_at_a_coordinate_plane_is_exact_to_the_bit(self) -> None:
        surface = random_surface((3, 2), (2, 2))
        image = surface.mirrored(MIDDLE)
        np.testing.assert_array_equal(image.points[::-1], surface.points * [1, -1, 1])


class SpanningTest(unittest.TestCase):
    def test_either_side_leads(self) -> None:
        twin, surface = tied(TwinKind.SPANS)
        self.assertTrue(twin.holds(surface, MIDDLE))
        for column in (0, 5):
            points = surface.points.copy()
            points[2, column] += [0.3, 0.2, 0.7]
            after = twin.kept(surface.with_points(points), MIDDLE, surface)
            np.testing.assert_array_equal(after.points[2, column], points[2, column])
            np.testing.assert_array_equal(after.points[2, 5 - column], points[2, column] * [1, -1, 1])
            np.testing.assert_array_equal(np.delete(after.points, 2, 0), np.delete(surface.points, 2, 0))

    def test_both_moved_share_what_is_symmetric(self) -> None:
        twin, surface = tied(TwinKind.SPANS)
        after = twin.kept(surface.with_points(surface.points + np.array([0, 5.0, 1.0])), MIDDLE, surface)
        np.testing.assert_allclose(after.points, surface.points + np.array([0, 0, 1.0]), atol=1e-12)

    def test_a_middle_row_lies_on_the_plane(self) -> None:
        surface = Surface.bezier(np.random.default_rng(0).normal(size=(4, 5, 3)))
        kept = Twin(TwinKind.SPANS, 1).kept(surface, MIDDLE)
        np.testing.assert_array_equal(kept.points[:, 2, 1], 0.0)

    def test_uneven_knots_are_refused_with_a_cure(self) -> None:
        with self.assertRaisesRegex(InvalidShape, "rebuild"):
            Twin(TwinKind.SPANS, 0).kept(across().with_knots([0.3]), MIDDLE)

    def test_symmetric_from_either_half(self) -> None:
        surface = across()
        for from_end in (False, True):
            made = symmetric_from(surface, MIDDLE, 1, from_end)
            kept = slice(3, 6) if from_end else slice(0, 3)
            np.testing.assert_array_equal(made.points[:, kept], surface.points[:, kept])
            self.assertTrue(Twin(TwinKind.SPANS, 1).holds(made, MIDDLE))

    def test_symmetric_curve(self) -> None:
        curve = Curve(3, uniform_knots(3, 2), np.random.default_rng(3).normal(size=(5, 3)))
        for from_end in (False, True):
            made = symmetric_curve(curve, MIDDLE, from_end)
            np.testing.assert_array_equal(made.points[::-1], made.points * [1, -1, 1] + [0, 0, 0])
            end = -1 if from_end else 0
            np.testing.assert_array_equal(made.points[end], curve.points[end])


class EndingTest(unittest.TestCase):
    def test_continuity_at_the_plane(self) -> None:
        """Measured like any join: seated G0, smooth G2 (a mirrored normal section is even), G3 with its rows."""
        for seam, grade in ((Seam.SEATED, 0), (Seam.SMOOTH, 2), (Seam.EVEN, 3)):
            twin, surface = tied(TwinKind.ENDS, seam)
            join = find_joins([surface, twin.image(surface, MIDDLE)])[0]
            self.assertEqual(join.grade(Limits(1e-9, 1e-6, 1e-4, 5e-2)), grade, seam)

    def test_either_row_leads(self) -> None:
        twin, surface = tied(TwinKind.ENDS)
        for row in (0, 1):
            points = surface.points.copy()
            points[3, row] += [0.5, 0.4, 0.25]
            after = twin.kept(surface.with_points(points), MIDDLE, surface)
            np.testing.assert_array_equal(after.points[3, :2, [0, 2]], np.tile(points[3, row, [0, 2], None], 2))
            self.assertEqual(after.points[3, 0, 1], 0.0)
            self.assertTrue(twin.holds(after, MIDDLE))

    def test_g3_needs_rows(self) -> None:
        with self.assertRaisesRegex(InvalidShape, "Raise the degree"):
            Twin(TwinKind.ENDS, seam=Seam.EVEN).kept(Surface.bezier(np.zeros((3, 3, 3))), MIDDLE)

    def test_joined_with_its_image_into_one(self) -> None:
        twin, surface = tied(TwinKind.ENDS)
        whole = joined_with_image(surface, MIDDLE, twin)
        self.assertTrue(Twin(TwinKind.SPANS, 1).holds(whole, MIDDLE))
        low, high = whole.domain[1]
        half = np.column_stack([UV[:, 0], (low + high) / 2 + UV[:, 1] * (high - low) / 2])
        np.testing.assert_allclose(whole.at(half), surface.at(UV), atol=1e-10)


class AnyTwinTest(unittest.TestCase):
    def test_how_a_patch_stands(self) -> None:
        self.assertEqual(nearest_twin(across(), MIDDLE, 1.0).kind, TwinKind.SPANS)
        self.assertEqual(nearest_twin(across(), MIDDLE, 1.0).axis, 1)
        near = random_surface((3, 3), (2, 2))
        self.assertEqual(nearest_twin(near, MIDDLE, 5.0), Twin(TwinKind.ENDS, 1))
        away = near.with_points(near.points + np.array([0, 30, 0]))
        self.assertEqual(nearest_twin(away, MIDDLE, 5.0).kind, TwinKind.BESIDE)

    def test_moves_of_the_tie_matrix_keep_the_tie(self) -> None:
        for plane in (MIDDLE, ASKEW):
            for kind, seam in [(TwinKind.SPANS, Seam.SMOOTH), *((TwinKind.ENDS, seam) for seam in Seam)]:
                twin = Twin(kind, 1, seam=seam)
                surface = twin.kept(across() if kind is TwinKind.SPANS else random_surface((3, 4), (4, 2)), plane)
                ways = tie_matrix(twin, plane, surface)
                assert ways is not None
                self.assertEqual(np.linalg.matrix_rank(ways), ways.shape[1])
                move = ways @ np.random.default_rng(0).normal(size=ways.shape[1])
                moved = surface.with_points(surface.points + move.reshape(surface.points.shape))
                np.testing.assert_allclose(twin.kept(moved, plane).points, moved.points, atol=1e-9)


if __name__ == "__main__":
    unittest.main()
