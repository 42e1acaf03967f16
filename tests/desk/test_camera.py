"""The camera and picking, without a window."""

import unittest

import numpy as np

from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import along_line, nearest_point, nearest_row, on_plane, triangles_under
from arabesque.geometry import VIEWS, Surface

POINTS = np.random.default_rng(0).uniform(-100, 100, (50, 3))


class CameraTest(unittest.TestCase):
    def cameras(self) -> list[Camera]:
        turned = Camera(size=(900, 600)).orbited(70, -40, np.array([10.0, 5, 0])).zoomed(1.7, 200, 300)
        return [turned, Camera(perspective=False, size=(900, 600)).orbited(30, 20, np.zeros(3))]

    def test_a_ray_passes_through_what_is_drawn_at_its_pixel(self) -> None:
        for camera in self.cameras():
            for point, (x, y, _) in zip(POINTS, camera.project(POINTS), strict=True):
                origin, direction = camera.ray(x, y)
                off = np.linalg.norm(np.cross(point - origin, direction))
                self.assertLess(off, 1e-6)

    def test_turning_keeps_the_pivot_in_place(self) -> None:
        pivot = np.array([30.0, -20, 10])
        for camera in self.cameras():
            before = camera.project(pivot)[0, :2]
            np.testing.assert_allclose(camera.orbited(123, -77, pivot).project(pivot)[0, :2], before, atol=1e-6)
            axes = camera.orbited(500, 300, pivot).axes
            np.testing.assert_allclose(axes @ axes.T, np.eye(3), atol=1e-12)

    def test_panning_follows_the_hand(self) -> None:
        for camera in self.cameras():
            before = camera.project(camera.target)[0, :2]
            after = camera.panned(40, -25).project(camera.target)[0, :2]
            np.testing.assert_allclose(after - before, [40, -25], atol=1e-6)

    def test_zooming_keeps_what_is_under_the_pointer(self) -> None:
        for camera in self.cameras():
            place = camera.target + camera.axes[0] * 20 - camera.axes[1] * 10
            x, y, _ = camera.project(place)[0]
            np.testing.assert_allclose(camera.zoomed(2.5, x, y).project(place)[0, :2], [x, y], atol=1e-6)

    def test_everything_fits(self) -> None:
        low, high = POINTS.min(axis=0), POINTS.max(axis=0)
        for camera in self.cameras():
            for direction in [*VIEWS, "slanted"]:
                seen = camera.looking(direction).fitted(low, high).project(POINTS)
                self.assertTrue(((seen[:, 0] > 0) & (seen[:, 0] < 900) & (seen[:, 1] > 0) & (seen[:, 1] < 600)).all())


class PickingTest(unittest.TestCase):
    def setUp(self) -> None:
        self.camera = Camera(size=(900, 600)).looking("top")
        x, y = np.meshgrid(np.linspace(-60, 60, 5), np.linspace(-40, 40, 4), indexing="ij")
        self.net = np.stack([x, y, np.zeros_like(x)], -1)

    def test_points_and_rows(self) -> None:
        x, y, _ = self.camera.project(self.net[3, 1])[0]
        self.assertEqual(nearest_point(self.camera, self.net.reshape(-1, 3), x + 4, y - 4), 3 * 4 + 1)
        self.assertIsNone(nearest_point(self.camera, self.net.reshape(-1, 3), x + 14, y))
        x, y, _ = self.camera.project((self.net[1, 2] + self.net[2, 2]) / 2)[0]
        net = Surface.bezier(self.net).net()
        self.assertEqual(nearest_row(self.camera, net, x, y + 2), 2)
        x, y, _ = self.camera.project((self.net[1, 2] + self.net[1, 1]) / 2)[0]
        self.assertEqual(nearest_row(self.camera, net, x + 2, y), 4 + 1)
        self.assertIsNone(nearest_row(self.camera, net, 2, 2))

    def test_depth_of_a_surface(self) -> None:
        x, y, _ = self.camera.project(np.array([7.0, 3, 0]))[0]
        corners, triangles = self.net[[0, -1, 0, -1], [0, 0, -1, -1]], np.array([[0, 1, 2], [1, 3, 2]])
        depth = triangles_under(self.camera, corners, triangles, x, y)
        assert depth is not None
        origin, direction = self.camera.ray(x, y)
        np.testing.assert_allclose(origin + depth * direction, [7, 3, 0], atol=1e-9)
        self.assertIsNone(triangles_under(self.camera, corners, triangles, 5, 5))

    def test_planes_and_lines(self) -> None:
        x, y, _ = self.camera.project(np.array([12.0, -8, 0]))[0]
        hit = on_plane(self.camera, x, y, np.zeros(3), np.array([0, 0, 1.0]))
        assert hit is not None
        np.testing.assert_allclose(hit, [12, -8, 0], atol=1e-9)
        self.assertAlmostEqual(along_line(self.camera, x, y, np.array([0, -8.0, 0]), np.array([1.0, 0, 0])), 12)
