"""The way from the scan back to a patch while it is moved, against measuring anew and against ``trimesh``."""

import unittest

import numpy as np
import trimesh

from arabesque.checking import WayBack, measure_both_ways, scan_to_shapes
from arabesque.demo import Heron
from arabesque.fitting import four_corner_patch
from arabesque.geometry import Surface, foot_points
from tests.examples import heron, plane


def flank() -> Surface:
    """A patch of degree 4 x 4 on heron's flank."""
    fit = four_corner_patch(Heron().corners["flank"], heron().scan, 0.2, (3, 3))
    return fit.surface.elevated(1, 1)


class WayBackTest(unittest.TestCase):
    def test_follows_a_long_drag(self) -> None:
        """After a hundred small steps as near to the truth as finding all feet anew."""
        scan, surface = heron().scan, flank()
        way = WayBack.begin(surface, scan, 5.0)
        rng = np.random.default_rng(4)
        normal = surface.normals(np.array([[0.5, 0.5]]))[0]
        points = surface.points.copy()
        for _ in range(100):
            points[2, 1:4] += 0.02 * normal + rng.normal(0, 0.02, 3)
            points[1, 2] += rng.normal(0, 0.05, 3)
            way = way.follow(surface.with_points(points))
        moved = surface.with_points(points)
        feet = foot_points(moved, way.points)
        np.testing.assert_array_equal(way.counts, feet.inside & way.counts)
        true = np.linalg.norm(feet.points - way.points, axis=1)
        np.testing.assert_allclose(np.abs(way.distance)[way.counts], true[way.counts], atol=2e-4)
        self.assertGreater(way.counts.sum(), 300)

    def test_figures_are_those_of_the_check(self) -> None:
        """At most a thousand points speak for all."""
        scan, surface = heron().scan, flank()
        points = surface.points.copy()
        points[2, 2] += 1.5 * surface.normals(np.array([[0.5, 0.5]]))[0]
        lifted = surface.with_points(points)
        some = WayBack.begin(surface, scan, 5.0).follow(lifted).distances
        every = scan_to_shapes(scan, [lifted], 5.0, 0.2).distance
        self.assertAlmostEqual(float(some.mean()), float(every.mean()), delta=0.02)
        both = measure_both_ways([lifted], scan, 0.2)
        self.assertAlmostEqual(np.percentile(np.abs(some), 99), both.scan_to_surface.p99, delta=0.03)

    def test_distances_equal_those_to_a_fine_mesh(self) -> None:
        scan, surface = heron().scan, flank()
        way = WayBack.begin(surface, scan, 5.0, most=200).follow(
            surface.with_points(surface.points + np.array([0, 0, 0.3]))
        )
        u = np.linspace(0, 1, 161)
        grid = surface.on_grid(u, u)[0, 0] + np.array([0, 0, 0.3])
        index = np.arange(161 * 161).reshape(161, 161)
        corners = [index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]]
        faces = np.concatenate(
            [np.stack([corners[k] for k in some], -1).reshape(-1, 3) for some in ((0, 1, 2), (0, 2, 3))]
        )
        mesh = trimesh.Trimesh(grid.reshape(-1, 3), faces, process=False)
        _, distance, _ = trimesh.proximity.closest_point(mesh, way.points[way.counts])
        np.testing.assert_allclose(np.abs(way.distances), distance, atol=2e-3)

    def test_points_come_under_an_edge_that_is_moved_out_and_leave_it_again(self) -> None:
        corner = np.array([[[20.0, 20, 0.1], [20, 80, 0.1]], [[80, 20, 0.1], [80, 80, 0.1]]])
        square = Surface.bezier(corner)
        way = WayBack.begin(square, plane(steps=100), 1.0)
        share = way.counts.sum() / 60.0
        for reach in (81.0, 82.0, 83.0, 82.0, 81.0, 80.0):
            wider = corner.copy()
            wider[1, :, 0] = reach
            way = way.follow(square.with_points(wider))
            self.assertAlmostEqual(way.counts.sum() / (reach - 20), share, delta=0.08 * share)
            np.testing.assert_allclose(way.distances, 0.1, atol=1e-9)

    def test_sign_and_nothing_near(self) -> None:
        corner = np.array([[[20.0, 20, -0.2], [20, 80, -0.2]], [[80, 20, -0.2], [80, 80, -0.2]]])
        self.assertLess(WayBack.begin(Surface.bezier(corner), plane(), 1.0).distances.max(), -0.199)
        far = WayBack.begin(Surface.bezier(corner + np.array([0, 0, 500.0])), plane(), 1.0)
        self.assertEqual(len(far.distances), 0)
        self.assertEqual(len(far.follow(Surface.bezier(corner)).distances), 0)
