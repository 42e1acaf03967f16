"""Calming noise, and tidying what is wrong with a scan."""

import unittest

import numpy as np
import trimesh

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.mending import calm, merged, oriented, tidy, turned_over
from arabesque.scan import Scan, examine
from tests.examples import block, heron, plane, sphere
from tests.reference import horned_head


def noisy(scan: Scan, noise: float, seed: int = 0) -> Scan:
    """A scan with noise along its normals."""
    push = np.random.default_rng(seed).normal(scale=noise, size=len(scan.points))
    return Scan(scan.points + push[:, None] * scan.point_normals, scan.triangles)


class CalmTest(unittest.TestCase):
    def test_nearer_to_the_truth(self) -> None:
        """The true sphere is known: calming brings the scan to less than half its noise, and keeps its size."""
        scan = noisy(sphere(50.0, 5), 0.05)
        for keep_edges in (True, False):
            done = calm(scan, 0.5, 15, keep_edges)
            away = np.linalg.norm(done.scan.points, axis=1) - 50
            self.assertLess(away.std(), 0.025)
            self.assertLess(abs(away.mean()), 0.02)

    def test_edges_stay(self) -> None:
        """At the edges of a noisy block of 60 x 40 x 20 mm, calming along normals keeps nearer to the block."""
        scan = block(noise=0.03)
        to_faces = np.sort(np.abs(np.array([30, 20, 10]) - np.abs(scan.points)), axis=1)
        edges = to_faces[:, 1] < 1.5

        def away(points: Floats) -> float:
            return float(np.abs(np.array([30, 20, 10]) - np.abs(points[edges])).min(axis=1).mean())

        kept, blurred = (calm(scan, 0.5, 12, keep).scan for keep in (True, False))
        self.assertLess(away(kept.points), 0.5 * away(blurred.points))
        self.assertLess(away(kept.points), away(scan.points))

    def test_weak_and_often_stays_closer(self) -> None:
        """10 % five times moves the scan less than 50 % once (common practice)."""
        scan = heron().scan
        weak, strong = calm(scan, 0.1, 5), calm(scan, 0.5, 1)
        self.assertLess(weak.moved.mean(), strong.moved.mean())

    def test_limit_and_rims(self) -> None:
        scan = heron().scan
        done = calm(scan, 0.8, 20, limit=0.02)
        self.assertLessEqual(done.moved.max(), 0.02 + 1e-12)
        self.assertEqual(done.moved[scan.border_edges.ravel()].max(), 0.0)

    def test_senseless_values(self) -> None:
        for bad in (
            {"strength": 0.0},
            {"strength": 1.5},
            {"strength": 0.5, "times": 0},
            {"strength": 0.5, "limit": 0.0},
        ):
            with self.assertRaises(ArabesqueError):
                calm(sphere(10.0, 2), **bad)  # type: ignore[arg-type]


class TidyTest(unittest.TestCase):
    def test_the_tips_of_horns_are_no_spikes(self) -> None:
        """A clean published head with horns (Debian libcgal-demo): nothing of it moves; spikes put on it do."""
        mesh = trimesh.load(horned_head(), process=False)
        head = Scan(np.asarray(mesh.vertices), np.asarray(mesh.faces))
        done = tidy(head)
        self.assertEqual((done.spikes, done.pieces, done.dropped), (0, 0, 0))
        np.testing.assert_array_equal(done.scan.points, head.points)
        points = head.points.copy()
        put = np.random.default_rng(0).choice(len(points), 20, replace=False)
        points[put] += 3.0 * head.smoothed_normals[put]
        self.assertGreaterEqual(tidy(Scan(points, head.triangles)).spikes, 16)

    def test_spikes_come_back(self) -> None:
        sheet = plane(100.0, 60, noise=0.02)
        points = sheet.points.copy()
        spikes = [700, 1500, 2222]
        points[spikes] += [0, 0, 4.0]
        done = tidy(Scan(points, sheet.triangles))
        self.assertEqual(done.spikes, 3)
        self.assertLess(np.abs(done.scan.points[spikes, 2]).max(), 0.1)

    def test_loose_pieces_go(self) -> None:
        scan = merged([sphere(30.0, 4), sphere(0.5, 1)])
        done = tidy(scan)
        self.assertEqual(done.pieces, 1)
        self.assertEqual(len(done.scan.triangles), len(sphere(30.0, 4).triangles))
        self.assertEqual(tidy(scan, smallest_piece=0.0).pieces, 0)

    def test_turned_triangles_turn_back(self) -> None:
        """Some triangles, and a whole closed shape, that look inward."""
        ball = sphere(30.0, 4)
        wrong = np.random.default_rng(0).random(len(ball.triangles)) < 0.3
        for scan in (turned_over(ball, wrong), turned_over(ball)):
            done, count = oriented(scan)
            self.assertGreater(count, 0)
            self.assertTrue(examine(done).watertight)
            outward = np.einsum("nc,nc->n", done.area_vectors, done.points[done.triangles].mean(axis=1))
            self.assertTrue((outward > 0).all())
        self.assertEqual(oriented(ball)[1], 0)

    def test_double_and_crowded_triangles_go(self) -> None:
        ball = sphere(30.0, 3)
        t = ball.triangles
        fin = [[t[0, 0], t[0, 1], t[300, 2]]]
        done = tidy(Scan(ball.points, np.concatenate([t, t[:3], fin])))
        self.assertEqual(examine(done.scan).crowded_edges, 0)
        self.assertGreaterEqual(done.dropped, 4)

    def test_a_sound_scan_is_left_alone(self) -> None:
        ball = sphere(30.0, 4)
        done = tidy(ball)
        self.assertEqual(done[1:], (0, 0, 0, 0))
        self.assertTrue(np.array_equal(done.scan.points, ball.points))
