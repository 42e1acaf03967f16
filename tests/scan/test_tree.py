"""Closest points and rays against libigl."""

import unittest

import igl
import numpy as np

from arabesque.scan import BoxTree, Scan
from tests.examples import heron, sphere


class ClosestTest(unittest.TestCase):
    def test_distances_equal_libigl(self) -> None:
        rng = np.random.default_rng(0)
        for scan in (heron().scan, sphere()):
            low, high = scan.bounds
            queries = rng.uniform(low - 20, high + 20, (5000, 3))
            oracle = igl.AABB()
            points, triangles = np.array(scan.points), np.array(scan.triangles)
            oracle.init(points, triangles)
            squared, _, _ = oracle.squared_distance(points, triangles, queries)
            hits = scan.tree.closest(queries)
            np.testing.assert_allclose(hits.distance, np.sqrt(squared), atol=1e-11)
            rebuilt = np.einsum("nk,nkc->nc", hits.barycentric, scan.points[scan.triangles[hits.triangle]])
            np.testing.assert_allclose(rebuilt, hits.points, atol=1e-9)
            shares = scan.smoothed_normals[scan.triangles[hits.triangle]]
            normals = np.einsum("nk,nkc->nc", hits.barycentric, shares)
            normals /= np.linalg.norm(normals, axis=1, keepdims=True)
            np.testing.assert_allclose(scan.closest(queries).normals, normals, atol=1e-12)

    def test_cut(self) -> None:
        hits = sphere().tree.closest(np.array([[60.0, 0, 0], [51.0, 0, 0]]), cut=5.0)
        self.assertEqual(hits.triangle[0], -1)
        self.assertTrue(np.isinf(hits.distance[0]))
        self.assertAlmostEqual(hits.distance[1], 1.0, places=1)

    def test_hints_change_nothing_but_the_time(self) -> None:
        scan = heron().scan
        queries = scan.points[::37] + np.random.default_rng(4).normal(scale=0.5, size=scan.points[::37].shape)
        plain = scan.tree.closest(queries)
        wrong = np.random.default_rng(5).integers(-1, len(scan.triangles), len(queries))
        for near in (plain.triangle, wrong):
            hinted = scan.tree.closest(queries, near=near)
            np.testing.assert_array_equal(hinted.distance, plain.distance)

    def test_few_triangles(self) -> None:
        for count in (1, 2, 3, 5, 9):
            corners = np.random.default_rng(count).normal(size=(count, 9))
            hits = BoxTree(corners).closest(corners[:, :3])
            np.testing.assert_allclose(hits.distance, 0, atol=1e-12)

    def test_equal_triangles_do_not_hang(self) -> None:
        corners = np.tile(np.random.default_rng(0).normal(size=(1, 9)), (1000, 1))
        self.assertAlmostEqual(BoxTree(corners).closest(corners[:1, :3]).distance[0], 0.0)


class RayTest(unittest.TestCase):
    def test_first_hits_equal_libigl(self) -> None:
        scan = heron().scan
        points, triangles = np.array(scan.points), np.array(scan.triangles)
        rng = np.random.default_rng(1)
        origins = rng.normal(size=(150, 3)) * 300
        targets = scan.points[rng.integers(0, len(scan.points), 150)] + rng.normal(size=(150, 3)) * 15
        found, parameter = scan.tree.first_hits(origins, targets - origins)
        hit = 0
        for i in range(150):
            all_hits = igl.ray_mesh_intersect(origins[i], targets[i] - origins[i], points, triangles)
            if all_hits:
                hit += 1
                self.assertAlmostEqual(parameter[i], all_hits[0][1], places=5)
            else:
                self.assertEqual(found[i], -1)
        self.assertGreater(hit, 50)

    def test_ray_along_an_axis(self) -> None:
        point, _ = sphere().pick([0, 0, 100], [0, 0, -1]) or (None, None)
        self.assertIsNotNone(point)
        np.testing.assert_allclose(point, [0, 0, 50], atol=0.05)
        self.assertIsNone(sphere().pick([0, 0, 100], [0, 0, 1]))


class BorderTest(unittest.TestCase):
    def test_beyond_the_rim_there_is_no_scan(self) -> None:
        scan = Scan(
            [[0, 0, 0], [10, 0, 0], [10, 10, 0], [0, 10, 0], [5, 5, 0]], [[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]]
        )
        closest = scan.closest([[5, 5, 1], [5, 2, 1], [-3, 5, 1], [-2, -2, 0]])
        np.testing.assert_array_equal(closest.on_border, [False, False, True, True])
