"""Curvature and stand-ins of scans."""

import unittest

import numpy as np

from arabesque.scan import Scan, coarse_stand_in, scan_curvature
from tests.examples import heron, plane, sphere


class ScanCurvatureTest(unittest.TestCase):
    def test_a_ball_bulges_by_one_over_its_radius(self) -> None:
        bend = scan_curvature(sphere())
        for values in (bend.largest, bend.smallest, bend.mean):
            np.testing.assert_allclose(values, -1 / 50, rtol=0.05)

    def test_the_inside_of_a_ball_is_hollow(self) -> None:
        ball = sphere()
        bend = scan_curvature(Scan(ball.points, ball.triangles[:, ::-1]))
        np.testing.assert_allclose(bend.mean, 1 / 50, rtol=0.05)

    def test_a_noisy_cylinder(self) -> None:
        """Radius 40 with noise of 0.03 mm: principal curvatures -1/40 and 0, by the median, to a tenth."""
        flat = plane(size=60, steps=100)
        x, y, _ = flat.points.T
        angle = (x - 30) / 40
        rng = np.random.default_rng(0)
        radius = 40 + rng.normal(scale=0.03, size=len(x))
        scan = Scan(np.column_stack([radius * np.sin(angle), y, radius * np.cos(angle)]), flat.triangles)
        inner = (np.abs(x - 30) < 20) & (np.abs(y - 30) < 20)
        bend = scan_curvature(scan)
        self.assertAlmostEqual(np.median(bend.smallest[inner]) * 40, -1.0, delta=0.1)
        self.assertAlmostEqual(np.median(bend.largest[inner]) * 40, 0.0, delta=0.1)

    def test_the_saddle_is_hollow_in_its_channel_and_bulges_at_its_rim(self) -> None:
        scan = heron().scan
        mean = scan_curvature(scan).mean
        x, y, z = scan.points.T
        channel = (np.abs(y) < 4) & (x > 100) & (x < 170)
        rim = (z < scan.bounds[1][2] - 35) & (np.abs(y) > 60)
        self.assertGreater(np.median(mean[channel]), 0.01)
        self.assertLess(np.median(mean[rim]), -0.005)


class StandInTest(unittest.TestCase):
    def test_it_is_light_and_close(self) -> None:
        scan = heron(400_000).scan
        points, normals, triangles = coarse_stand_in(scan, 30_000)
        self.assertLess(abs(len(triangles) / 30_000 - 1), 0.5)
        self.assertLess(np.percentile(scan.closest(points).distance, 99), 0.5)
        np.testing.assert_allclose(np.linalg.norm(normals, axis=1), 1, atol=1e-9)
