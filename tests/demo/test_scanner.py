"""The simulated scanner: an honest scan of a surface that is known."""

import unittest

import numpy as np
import trimesh

from arabesque.demo import Heron, demo_project, master, simulate
from arabesque.demo.pebble import STRAP_NORMAL
from arabesque.errors import ArabesqueError
from arabesque.scan import examine
from tests.examples import heron


class HeronTest(unittest.TestCase):
    def test_mirrored(self) -> None:
        """The saddle is symmetric to y = 0."""
        rng = np.random.default_rng(0)
        parameters = rng.uniform(-0.9, 0.9, (500, 2))
        one, other = (Heron().evaluate(parameters * [1, side]) for side in (1, -1))
        np.testing.assert_allclose(one, other * [1, -1, 1], atol=1e-9)

    def test_one_sharp_edge(self) -> None:
        """At the rear of the channel the slope along x jumps by depth / 9 mm; elsewhere it does not."""
        h, y = 1e-4, np.zeros(1)

        def slope(x: float) -> float:
            at = np.array([x])
            return float((Heron.height(at + h, y) - Heron.height(at, y))[0] / h)

        self.assertAlmostEqual(slope(62.0) - slope(62.0 - 2 * h), -5 / 9, delta=0.01)
        self.assertAlmostEqual(slope(120.0) - slope(120.0 - 2 * h), 0, delta=0.001)

    def test_normals_point_outward(self) -> None:
        normals = Heron().normals(np.array([[0.0, 0.3], [0.2, -0.5], [0.01, 0.0]]))
        self.assertTrue((normals[:, 2] > 0.8).all())

    def test_feet_are_perpendicular(self) -> None:
        shape = Heron()
        parameters = np.random.default_rng(1).uniform(-0.6, 0.6, (200, 2))
        lifted = shape.evaluate(parameters) + 0.7 * shape.normals(parameters)
        np.testing.assert_allclose(shape.distance(lifted), 0.7, atol=1e-3)

    def test_flanks_are_as_large_as_a_hand(self) -> None:
        for corners in Heron().corners.values():
            size = np.ptp(corners, axis=0)
            self.assertGreaterEqual(round(size[0], 6), 150)
            self.assertGreaterEqual(round(size[1], 6), 45)


class OtherPiecesTest(unittest.TestCase):
    def test_pebble_has_a_true_socket_and_a_flat_face(self) -> None:
        """16 mm across inside, to the last digits away from its rounded edges; no symmetry."""
        shape = master("pebble")
        turn = np.linspace(0, 2 * np.pi, 50)
        socket = np.column_stack([8 * np.cos(turn), 8 * np.sin(turn), np.full(50, 12.0)])
        np.testing.assert_allclose(shape.distance(socket), 0, atol=1e-9)
        self.assertIsNone(shape.symmetry_plane)
        scan = simulate(shape, 30_000, 0.0, 1).scan
        flat = scan.smoothed_normals @ STRAP_NORMAL > 0.9999
        heights = scan.points[flat] @ STRAP_NORMAL
        self.assertGreater(flat.sum(), 500)
        self.assertLess(np.ptp(heights), 0.05)

    def test_juniper_has_a_handle_and_is_symmetric(self) -> None:
        """One through-hole: Euler's number is 0 (2 - 2 g); mirrored values are equal."""
        shape = master("juniper")
        points, _, faces = shape.triangulated(30_000, np.random.default_rng(0))
        mesh = trimesh.Trimesh(points, faces, process=False)
        self.assertEqual(mesh.euler_number, 0)
        self.assertTrue(mesh.is_watertight and mesh.is_winding_consistent)
        np.testing.assert_allclose(shape.distance(points[:300] * [1, -1, 1]), 0, atol=1e-9)
        self.assertAlmostEqual(points[:, 2].min(), 0.0, places=9)

    def test_scans_stay_near_the_truth(self) -> None:
        for name, count in (("pebble", 20_000), ("juniper", 30_000)):
            simulated = simulate(master(name), count, 0.03, 2)
            self.assertAlmostEqual(len(simulated.scan.triangles) / count, 1.0, delta=0.04)
            away = simulated.master.distance(simulated.scan.points[::7])
            self.assertLess(np.percentile(away, 95), 0.09)
            self.assertTrue(examine(simulated.scan).sound)
            truth = simulated.truth(200)
            np.testing.assert_allclose(simulated.master.distance(np.array(truth["true_points"])), 0, atol=1e-6)

    def test_distance_to_an_implicit_surface(self) -> None:
        shape = master("juniper")
        points, normals = shape.true_samples(200, np.random.default_rng(3))
        np.testing.assert_allclose(shape.distance(points + 0.4 * normals), 0.4, atol=5e-3)


class ScannerTest(unittest.TestCase):
    def test_counts_extent_and_openings(self) -> None:
        """About 270 mm long, open underneath, two holes: three openings in all."""
        scan = heron().scan
        self.assertAlmostEqual(len(scan.triangles) / 60_000, 1.0, delta=0.03)
        low, high = scan.bounds
        self.assertAlmostEqual((high - low)[0], 267, delta=4)
        mesh = trimesh.Trimesh(scan.points, scan.triangles, process=False)
        self.assertTrue(mesh.is_winding_consistent)
        self.assertEqual(len(mesh.outline().entities), 3)

    def test_noise_and_dents_are_what_was_asked_for(self) -> None:
        simulated = heron()
        scan = simulated.scan
        away = np.min(
            [np.linalg.norm(scan.points - d.centre, axis=1) / d.radius for d in simulated.master.dents], axis=0
        )
        top = (scan.smoothed_normals[:, 2] > 0.9) & (away > 2.5)
        off = simulated.master.distance(scan.points[top][::10])
        self.assertAlmostEqual(np.sqrt(np.mean(off**2)) / 0.03, 1.0, delta=0.15)
        self.assertGreater(simulated.master.distance(scan.points[away < 0.4]).max(), 0.25)

    def test_triangles_are_uneven(self) -> None:
        areas = np.linalg.norm(heron().scan.area_vectors, axis=1)
        self.assertGreater(np.percentile(areas, 90) / np.percentile(areas, 10), 2.5)

    def test_the_same_seed_gives_the_same_scan(self) -> None:
        one, two, three = (simulate(Heron(), 5000, 0.03, seed) for seed in (4, 4, 5))
        np.testing.assert_array_equal(one.scan.points, two.scan.points)
        self.assertNotEqual(one.scan.points.shape, three.scan.points.shape)

    def test_truth_lies_on_the_surface(self) -> None:
        truth = heron().truth(200)
        self.assertLess(Heron().distance(np.array(truth["true_points"])).max(), 1e-6)
        self.assertEqual((truth["unit"], truth["noise"], len(truth["holes"])), ("mm", 0.03, 2))

    def test_senseless_wishes_are_refused(self) -> None:
        for triangles, noise in ((10, 0.03), (10_000, -1.0), (10_000, 100.0)):
            with self.assertRaises(ArabesqueError):
                simulate(Heron(), triangles, noise, 1)
        with self.assertRaisesRegex(ArabesqueError, "heron"):
            master("swan")

    def test_demo_project(self) -> None:
        document = demo_project(Heron())
        assert document.reference_scan is not None
        self.assertAlmostEqual(len(document.reference_scan.triangles) / 120_000, 1.0, delta=0.02)
