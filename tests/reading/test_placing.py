"""Symmetry planes, and laying scans square."""

import unittest

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane, apply, inverse, motion, rotation_about
from arabesque.reading import (
    Feature,
    FeatureKind,
    Placement,
    Target,
    asymmetry,
    find_symmetry_plane,
    lay_plane,
    lay_square,
    nearest_axis,
    principal_axes,
    three_points,
    turned_and_shifted,
)
from arabesque.scan import Scan
from tests.examples import heron, random_surface, sphere

AWRY = motion(rotation_about([1, 2, 0.5], 37.0), (30.0, -12.0, 5.0))


def plane_feature(matrix: np.ndarray, normal: tuple[float, ...], point: tuple[float, ...]) -> Feature:
    """A plane given in the square position, as it is found in the moved scan."""
    return Feature(FeatureKind.PLANE, apply(matrix, np.array(point)), matrix[:3, :3] @ normal, "plane")


class SymmetryTest(unittest.TestCase):
    def test_saddle_with_one_dented_side(self) -> None:
        """Found to 0.05 degrees and 0.05 mm though one side has a wide dent 3 mm deep."""
        scan = heron().scan
        centre = np.array(heron().master.corners["flank"].mean(axis=0))
        away = np.linalg.norm(scan.points - centre, axis=1) / 25
        dented = Scan(scan.points - [0, 0, 3.0] * np.exp(-2 * away**2)[:, None], scan.triangles)
        found = find_symmetry_plane(dented.moved(AWRY))
        back = found.plane.moved(inverse(AWRY))
        self.assertLess(np.degrees(np.arcsin(np.linalg.norm(np.cross(back.normal, [0, 1, 0])))), 0.05)
        self.assertLess(abs(back.height(scan.points.mean(axis=0)[None])[0] - scan.points.mean(axis=0)[1]), 0.05)
        self.assertLess(found.spread, 0.08)

    def test_asymmetry_shows_the_dents(self) -> None:
        """At a dent of known depth the scan lies that much below its mirror image."""
        scan, dent = heron().scan, heron().master.dents[1]
        values, valid = asymmetry(scan, Plane.coordinate(1))
        near = valid & (np.linalg.norm(scan.points - dent.centre, axis=1) < 1.5)
        self.assertAlmostEqual(np.abs(values[near]).max(), dent.depth, delta=0.15)
        self.assertLess(np.median(np.abs(values[valid])), 0.06)

    def test_no_symmetry(self) -> None:
        from arabesque.geometry import tessellate

        points, triangles = tessellate(random_surface((3, 3), (4, 3), seed=3), 0.2)[:2]
        lump = Scan(points * [1.0, 0.7, 4.0] + np.outer(points[:, 0] ** 2 / 80, [0, 0.3, 1]), triangles)
        with self.assertRaises(ArabesqueError):
            find_symmetry_plane(lump)

    def test_plane_laid_on_the_nearest_axis(self) -> None:
        plane = Plane(np.array([0.1, 0.95, -0.2]), 14.0)
        matrix = lay_plane(plane, nearest_axis(plane))
        laid = plane.moved(matrix)
        np.testing.assert_allclose(np.abs(laid.normal), [0, 1, 0], atol=1e-12)
        self.assertAlmostEqual(laid.offset, 0.0)


class LaySquareTest(unittest.TestCase):
    def test_three_planes_bring_everything_back(self) -> None:
        placements = [
            Placement(plane_feature(AWRY, (0, 0, 1), (3, 4, 0)), Target.Z_PLANE),
            Placement(plane_feature(AWRY, (0, 1, 0), (5, 0, 9)), Target.Y_PLANE),
            Placement(plane_feature(AWRY, (1, 0, 0), (0, 7, 1)), Target.X_PLANE),
        ]
        np.testing.assert_allclose(lay_square(placements), inverse(AWRY), atol=1e-12)

    def test_the_first_is_met_exactly(self) -> None:
        """The second plane is 5 degrees off square: the first lies in z = 0 exactly, the second as far as it can."""
        slanted = tuple(rotation_about([1, 0, 0], 5.0) @ [0, 1, 0])
        placements = [
            Placement(plane_feature(AWRY, (0, 0, 1), (3, 4, 0)), Target.Z_PLANE),
            Placement(plane_feature(AWRY, slanted, (0, 0, 0)), Target.Y_PLANE),
        ]
        matrix = lay_square(placements) @ AWRY
        np.testing.assert_allclose(matrix[:3, :3] @ [0, 0, 1], [0, 0, 1], atol=1e-12)
        self.assertAlmostEqual(float((matrix[:3, :3] @ slanted)[0]), 0.0)

    def test_axis_and_point(self) -> None:
        axis = Feature(FeatureKind.LINE, apply(AWRY, np.array([0.0, 0, 8])), AWRY[:3, :3] @ [0, 0, 1])
        point = Feature(FeatureKind.POINT, apply(AWRY, np.array([9.0, 3, 5])))
        matrix = lay_square([Placement(axis, Target.Z_AXIS), Placement(point, Target.ORIGIN)]) @ AWRY
        on_axis = apply(matrix, np.array([[0.0, 0, -20], [0, 0, 30]]))
        np.testing.assert_allclose(on_axis[:, :2], 0, atol=1e-10)
        # the axis is more important: only the height is left for the point
        self.assertAlmostEqual(float(apply(matrix, np.array([9.0, 3, 5]))[2]), 0.0)

    def test_opposite_direction(self) -> None:
        feature = Feature(FeatureKind.LINE, np.zeros(3), np.array([0.0, 0, -1]))
        matrix = lay_square([Placement(feature, Target.Z_AXIS)])
        np.testing.assert_allclose(matrix[:3, :3] @ [0, 0, -1], [0, 0, 1], atol=1e-12)
        self.assertAlmostEqual(float(np.linalg.det(matrix[:3, :3])), 1.0)

    def test_what_cannot_be(self) -> None:
        up = plane_feature(np.eye(4), (0, 0, 1), (0, 0, 0))
        line = Feature(FeatureKind.LINE, np.zeros(3), np.array([1.0, 0, 0]))
        bad = (
            [],
            [Placement(up, Target.Z_PLANE), Placement(up, Target.X_PLANE)],
            [Placement(line, Target.X_PLANE)],
            [Placement(line, Target.ORIGIN)],
        )
        for placements in bad:
            with self.assertRaises(ArabesqueError):
                lay_square(placements)

    def test_three_points(self) -> None:
        places = np.array([[0.0, 0, 0], [10, 0, 0], [3, 8, 0]])
        matrix = three_points(*apply(AWRY, places))
        np.testing.assert_allclose(apply(matrix, apply(AWRY, places)), places, atol=1e-11)
        with self.assertRaises(ArabesqueError):
            three_points(np.zeros(3), np.ones(3), 2 * np.ones(3))

    def test_principal_axes_of_an_ellipsoid(self) -> None:
        egg = Scan(sphere(10.0, 4).points * [3.0, 2.0, 1.0], sphere(10.0, 4).triangles)
        matrix = principal_axes(egg.moved(AWRY)) @ AWRY
        np.testing.assert_allclose(np.abs(matrix[:3, :3]), np.eye(3), atol=1e-3)
        np.testing.assert_allclose(matrix[:3, 3], 0, atol=1e-3)

    def test_numbers(self) -> None:
        matrix = turned_and_shifted(np.array([0.0, 0, 90]), np.array([1.0, 0, 0]), np.array([5.0, 5, 0]))
        np.testing.assert_allclose(apply(matrix, np.array([6.0, 5, 0])), [6, 6, 0], atol=1e-12)
