"""The scan as a value: normals, signs, noise."""

import unittest

import numpy as np
import trimesh

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.scan import Scan, compact, lifted, weld
from tests.examples import heron, plane, sheet, sphere


class ScanTest(unittest.TestCase):
    def test_normals_of_a_sphere(self) -> None:
        scan = sphere()
        outward = scan.points / 50
        self.assertGreater(np.einsum("nc,nc->n", scan.point_normals, outward).min(), 0.9999)
        self.assertGreater(np.einsum("nc,nc->n", scan.smoothed_normals, outward).min(), 0.9999)

    def test_signed_distance_of_a_sphere(self) -> None:
        """Signed distance to a sphere is |x| - r; an icosphere of level 5 stays within 0.02 mm of r = 50."""
        rng = np.random.default_rng(0)
        queries = rng.normal(size=(2000, 3)) * 40
        distance, _ = sphere().signed_distance(queries)
        np.testing.assert_allclose(distance, np.linalg.norm(queries, axis=1) - 50, atol=0.03)

    def test_area_of_a_sphere(self) -> None:
        area = np.linalg.norm(sphere().area_vectors, axis=1).sum()
        self.assertAlmostEqual(area / (4 * np.pi * 50**2), 1.0, places=3)

    def test_edges_obey_euler(self) -> None:
        """V - E + F = 2 for a closed surface without handles."""
        scan = sphere()
        edges, counts = scan.edges
        self.assertEqual(len(scan.points) - len(edges) + len(scan.triangles), 2)
        self.assertTrue((counts == 2).all())
        self.assertEqual(len(scan.border_edges), 0)

    def test_noise_is_told(self) -> None:
        for noise in (0.01, 0.05):
            self.assertAlmostEqual(plane(noise=noise).noise / noise, 1.0, delta=0.12)
        self.assertAlmostEqual(heron().scan.noise, 0.035, delta=0.01)

    def test_a_form_that_bends_is_no_noise(self) -> None:
        """Waves over coarse triangles, without noise and with: what is left is the noise."""

        def waves(x: Floats, y: Floats) -> Floats:
            return 3 * np.sin(x / 16) * np.cos(y / 20)

        self.assertLess(sheet(waves, (160, 120), step=4.0).noise, 0.02)
        for noise in (0.02, 0.1):
            self.assertAlmostEqual(sheet(waves, (160, 120), noise, 1.0).noise / noise, 1.0, delta=0.1)

    def test_bad_arrays_are_refused(self) -> None:
        for points, triangles in (
            ([[0, 0, 0]], np.zeros((0, 3))),
            ([[0, 0, np.nan], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]]),
            ([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 3]]),
            ([[0, 0], [1, 0], [0, 1]], [[0, 1, 2]]),
        ):
            with self.assertRaises(InvalidShape):
                Scan(points, triangles)


class CleaningTest(unittest.TestCase):
    def test_weld_joins_equal_corners_only(self) -> None:
        soup = sphere(subdivisions=2)
        corners = soup.points[soup.triangles].reshape(-1, 3)
        points, triangles = weld(corners, np.arange(len(corners)).reshape(-1, 3))
        self.assertEqual((len(points), len(triangles)), (len(soup.points), len(soup.triangles)))
        np.testing.assert_array_equal(points[triangles], soup.points[soup.triangles])

    def test_weld_knows_minus_zero_and_drops_slivers(self) -> None:
        points, triangles = weld(np.array([[0.0, 0, 0], [-0.0, 0, 0], [1.0, 0, 0]]), np.array([[0, 1, 2]]))
        self.assertEqual((len(points), len(triangles)), (2, 0))

    def test_compact_keeps_the_order(self) -> None:
        points, triangles = compact(np.arange(15.0).reshape(5, 3), np.array([[4, 2, 1]]))
        np.testing.assert_array_equal(points[:, 0], [3, 6, 12])
        np.testing.assert_array_equal(triangles, [[2, 1, 0]])


class CoarseTest(unittest.TestCase):
    def test_flat_triangles_are_rounded_to_a_sphere(self) -> None:
        """A chord of length c runs c²/8R inside a circle at its middle; rounded it is exact but for the next power."""
        ball = sphere(50.0, 3)
        self.assertTrue(ball.coarse)
        middles = ball.points[ball.triangles].mean(axis=1)
        flat = 50 - np.linalg.norm(middles, axis=1)
        self.assertAlmostEqual(ball.sag / np.sqrt(np.mean(flat**2)), 1.0, delta=0.1)
        rounded = np.linalg.norm(lifted(ball, middles), axis=1) - 50
        self.assertLess(np.abs(rounded).max(), 0.03 * flat.max())
        np.testing.assert_allclose(lifted(ball, ball.points), ball.points, atol=1e-9)
        distance, _ = ball.signed_distance(middles / np.linalg.norm(middles, axis=1, keepdims=True) * 51.0)
        np.testing.assert_allclose(distance, 1.0, atol=0.02)

    def test_sharp_edges_and_noisy_scans_stay_as_they_are(self) -> None:
        box = trimesh.creation.box((60, 40, 20))
        sharp = Scan(np.asarray(box.vertices), np.asarray(box.faces))
        middles = sharp.points[sharp.triangles].mean(axis=1)
        np.testing.assert_array_equal(lifted(sharp, middles), middles)
        self.assertFalse(heron(60_000).scan.coarse)
