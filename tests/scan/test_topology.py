"""Rims, pieces and faults of a mesh."""

import unittest

import numpy as np
import trimesh

from arabesque.geometry import unit
from arabesque.scan import Scan, calmed_normals, examine, kept, pieces, read_scan, rims, ring_length, sharp_pairs
from tests.examples import plane, sphere
from tests.reference import rabbit


class HealthTest(unittest.TestCase):
    def test_closed_sphere_is_sound(self) -> None:
        health = examine(sphere())
        self.assertTrue(health.watertight and health.sound)
        self.assertEqual(health.pieces, 1)

    def test_faults_are_counted(self) -> None:
        ball = sphere(20.0, 3)
        t = ball.triangles.copy()
        t[5] = t[5][::-1]
        flipped = examine(Scan(ball.points, t))
        self.assertEqual(flipped.flipped_edges, 3)
        fin = np.concatenate([t, [[t[0, 0], t[0, 1], t[100, 2]]]])
        self.assertGreater(examine(Scan(ball.points, fin)).crowded_edges, 0)
        self.assertIn("opposite ways", " ".join(flipped.worse_than(examine(ball))))
        self.assertEqual(examine(ball).worse_than(flipped), [])

    def test_rabbit_has_five_holes(self) -> None:
        """The published scan's five openings, the same that trimesh counts."""
        scan = read_scan(rabbit(), "m")
        found = rims(scan)
        mesh = trimesh.Trimesh(scan.points, scan.triangles, process=False)
        self.assertEqual(len(found), 5)
        self.assertEqual(len(mesh.outline().entities), 5)
        self.assertAlmostEqual(sum(ring_length(scan, r) for r in found), mesh.outline().length, places=6)


class RimTest(unittest.TestCase):
    def test_square_has_one_rim(self) -> None:
        scan = plane(100.0, 20)
        (ring,) = rims(scan)
        self.assertEqual(len(ring), 80)
        self.assertAlmostEqual(ring_length(scan, ring), 400.0)

    def test_rims_that_touch_in_a_point_are_told_apart(self) -> None:
        scan = plane(100.0, 10)
        middles = scan.points[scan.triangles].mean(axis=1)
        one = (np.abs(middles[:, :2] - [35, 35]) < 5.1).all(axis=1)
        two = (np.abs(middles[:, :2] - [45, 45]) < 5.1).all(axis=1)
        found = rims(kept(scan, ~(one | two)))
        self.assertEqual(sorted(map(len, found)), [4, 4, 40])

    def test_pieces_largest_first(self) -> None:
        a, b = sphere(10.0, 2), sphere(10.0, 3)
        both = Scan(
            np.concatenate([a.points, b.points + 50]), np.concatenate([a.triangles, b.triangles + len(a.points)])
        )
        self.assertEqual(np.bincount(pieces(both)).tolist(), [len(b.triangles), len(a.triangles)])


class CalmedNormalsTest(unittest.TestCase):
    def test_edges_of_a_noisy_box(self) -> None:
        """All sharp edges lie on the box's twelve, none where noise roughens its faces."""
        box = trimesh.creation.box((40, 30, 20)).subdivide_to_size(1.5)
        points = np.asarray(box.vertices) + np.random.default_rng(0).normal(scale=0.03, size=box.vertices.shape)
        scan = Scan(points, np.asarray(box.faces))
        pairs, sharp = sharp_pairs(scan)
        middles = scan.points[scan.triangles].mean(axis=1)
        at = (middles[pairs[sharp, 0]] + middles[pairs[sharp, 1]]) / 2
        to_faces = np.sort(np.abs(np.array([20, 15, 10]) - np.abs(at)), axis=1)
        self.assertLess(to_faces[:, 1].max(), 1.0)
        self.assertGreater(sharp.sum(), 150)

    def test_noise_shrinks(self) -> None:
        scan = plane(50.0, 40, noise=0.1)
        areas = scan.areas
        before = unit(scan.area_vectors)
        after = calmed_normals(before, areas, scan.neighbours, 8)
        self.assertLess((1 - after[:, 2]).mean(), 0.3 * (1 - before[:, 2]).mean())
