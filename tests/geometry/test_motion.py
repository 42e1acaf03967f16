"""Planes and rigid motions."""

import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from arabesque.errors import InvalidShape
from arabesque.geometry import Plane, angle_and_shift, apply, inverse, motion, rotation_about


class PlaneTest(unittest.TestCase):
    def test_mirror_twice_is_nothing(self) -> None:
        points = np.random.default_rng(0).normal(scale=50, size=(200, 3))
        plane = Plane(np.array([1.0, 2.0, -0.5]), 7.0)
        image = plane.mirrored(points)
        np.testing.assert_allclose(plane.height(image), -plane.height(points), atol=1e-12)
        np.testing.assert_allclose(plane.mirrored(image), points, atol=1e-12)

    def test_coordinate_plane_mirrors_to_the_bit(self) -> None:
        points = np.random.default_rng(1).normal(scale=50, size=(200, 3))
        image = Plane.coordinate(1).mirrored(points)
        self.assertTrue(np.array_equal(image, points * [1, -1, 1]))

    def test_a_plane_needs_a_direction(self) -> None:
        for normal in ((0.0, 0, 0), (np.nan, 0, 1)):
            with self.assertRaises(InvalidShape):
                Plane(np.array(normal))

    def test_moved_with_its_points(self) -> None:
        plane = Plane(np.array([0.3, -0.4, 0.8]), 5.0)
        matrix = motion(rotation_about([1, 1, 0], 33.0), (4.0, -2.0, 9.0))
        on = plane.origin + np.cross(plane.normal, [[1.0, 0, 0], [0, 1, 0]])
        np.testing.assert_allclose(plane.moved(matrix).height(apply(matrix, on)), 0, atol=1e-12)


class MotionTest(unittest.TestCase):
    def test_rotation_is_scipys(self) -> None:
        """Rodrigues' formula against scipy.spatial.transform."""
        axis = np.array([1.0, -2.0, 0.5])
        theirs = Rotation.from_rotvec(np.radians(70) * axis / np.linalg.norm(axis)).as_matrix()
        np.testing.assert_allclose(rotation_about(axis, 70.0), theirs, atol=1e-14)

    def test_back_and_forth(self) -> None:
        matrix = motion(rotation_about([0, 1, 3], 120.0), (1.0, 2.0, 3.0))
        np.testing.assert_allclose(inverse(matrix) @ matrix, np.eye(4), atol=1e-14)
        turned, shifted = angle_and_shift(matrix)
        self.assertAlmostEqual(turned, 120.0)
        self.assertAlmostEqual(shifted, np.sqrt(14))
