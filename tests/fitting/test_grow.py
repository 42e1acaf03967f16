"""Patches that grow from one place: how far, and where they stop."""

import unittest

import numpy as np

from arabesque.checking import find_joins, measure_both_ways
from arabesque.errors import FitProblem
from arabesque.fitting import Grower, blocked_triangles, covered_triangles, four_corner_patch, met, suggest
from arabesque.fitting.grow import crossed_triangles, plane_triangles
from arabesque.fitting.suggest import calm_places
from arabesque.geometry import Surface
from arabesque.progress import Cancelled
from arabesque.scan import Scan, ready_to_fit, walk_ahead
from tests.examples import heron, plane, sheet, sphere


def flat() -> Scan:
    return ready_to_fit(plane(steps=100, noise=0.01))


def grid(surface: Surface) -> np.ndarray:
    t = np.linspace(0, 1, 25)
    return surface.on_grid(t, t)[0, 0].reshape(-1, 3)


class GrowTest(unittest.TestCase):
    def test_to_the_rims_of_a_sheet(self) -> None:
        """Where the form bends no way, it grows along the axes of the whole scan."""
        seen: list[Surface] = []
        scan = sheet(lambda x, y: 0 * x * y, (120, 60), noise=0.01)
        growth = Grower(scan, 0.2, (2, 2)).grow(np.array([20.0, 8, 0]), seen.append)
        self.assertGreater(growth.area, 0.9 * 136 * 76)
        self.assertEqual(growth.surface.count, 4)
        areas = [np.ptp(grid(one), axis=0)[:2].prod() for one in seen]
        self.assertGreater(len(areas), 5)
        self.assertLess(areas[0], areas[-1])

    def test_it_stops_at_lines_planes_and_patches(self) -> None:
        scan = flat()
        line = np.column_stack([np.full(50, 60.0), np.linspace(0, 100, 50), np.zeros(50)])
        other = Surface.bezier([[[60.0, 0, 0], [60, 100, 0]], [[100, 0, 0], [100, 100, 0]]])
        stops = {
            "line": crossed_triangles(scan, [line]),
            "plane": plane_triangles(scan, np.array([1.0, 0, 0]), 60.0),
            "patch": covered_triangles(scan, [other], 0.8),
        }
        for name, triangles in stops.items():
            with self.subTest(name):
                blocked = np.zeros(len(scan.triangles), dtype=bool)
                blocked[triangles] = True
                growth = Grower(scan, 0.2, (2, 2), blocked).grow(np.array([30.0, 50, 0]))
                self.assertLess(grid(growth.surface)[:, 0].max(), 60.5)
                self.assertGreater(grid(growth.surface)[:, 0].max(), 54.0)

    def test_round_a_cylinder_further_than_a_plane_can_see(self) -> None:
        """A cubic keeps 0.2 mm on an arc of radius 30 over more than a right angle (error as the sixth power of the
        angle: Goldapp, "Approximation of circular arcs by cubic polynomials", 1991)."""
        angle, z = np.meshgrid(np.linspace(0, 2 * np.pi, 241)[:-1], np.linspace(0, 120, 121), indexing="ij")
        points = np.stack([30 * np.cos(angle), 30 * np.sin(angle), z], -1).reshape(-1, 3)
        index = np.arange(240 * 121).reshape(240, 121)
        a, b = index[:, :-1], np.roll(index, -1, axis=0)[:, :-1]
        c, d = np.roll(index, -1, axis=0)[:, 1:], index[:, 1:]
        faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
        tube = ready_to_fit(Scan(points, faces))
        growth = Grower(tube, 0.2).grow(np.array([30.0, 0, 60]))
        normals = growth.surface.normals(np.array([[0, 0.5], [1, 0.5], [0.5, 0], [0.5, 1]]))
        turned = np.degrees(np.arccos([normals[0] @ normals[1], normals[2] @ normals[3]])).max()
        self.assertGreater(turned, 110.0)
        self.assertGreater(np.ptp(grid(growth.surface)[:, 2]), 100.0)
        self.assertLess(np.abs(np.hypot(*grid(growth.surface)[:, :2].T) - 30).max(), 0.25)

    def test_the_flank_of_the_saddle(self) -> None:
        scan = heron().scan
        pick = scan.pick([110.0, -25, 300], [0, 0, -1])
        assert pick is not None
        growth = Grower(scan, 0.2).grow(pick[0])
        self.assertEqual(growth.surface.count, 16)
        self.assertGreater(growth.area, 3000.0)
        self.assertTrue(measure_both_ways([growth.surface], scan, 0.2).within(0.2))
        self.assertTrue(growth.net.fair)

    def test_where_nothing_holds_it_is_said_and_it_can_be_stopped(self) -> None:
        rough = ready_to_fit(plane(steps=100, noise=0.5))
        with self.assertRaisesRegex(FitProblem, "calmer place"):
            Grower(rough, 0.01).grow(np.array([50.0, 50, 0]))

        def stop(share: float, words: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            Grower(flat(), 0.2).grow(np.array([50.0, 50, 0]), None, stop)

    def test_a_walk_goes_as_far_as_it_is_told(self) -> None:
        """Straight on over a ball: an arc of a great circle of that length."""
        scan = sphere()
        closest = scan.closest(np.array([[50.0, 1.0, 2.0]]))
        start = closest.points[0]
        ahead = np.cross(start, [0.3, 0.5, 0.8])
        place, _, direction, arrived = walk_ahead(
            scan, (start, int(closest.triangle[0])), ahead / np.linalg.norm(ahead), start / 50, 60.0
        )
        self.assertTrue(arrived)
        angle = np.arccos(start @ place / np.linalg.norm(start) / np.linalg.norm(place))
        self.assertAlmostEqual(50 * angle, 60.0, delta=0.1)
        self.assertLess(abs(direction @ place / np.linalg.norm(place)), 0.05)


class MeetingTest(unittest.TestCase):
    def test_what_grows_beside_a_patch_meets_its_edge_exactly(self) -> None:
        """Grown up to a patch that is there: they share the edge, control points and all, and the gap is rounding."""
        scan = sheet(lambda x, y: -(x**2) / 200 + 0 * y, (100, 80), noise=0.01)
        corners = np.array([[-45.0, -38, 0], [-10, -38, 0], [-10, 38, 0], [-45, 38, 0]])
        there = four_corner_patch(scan.closest(corners - [0, 0, 5]).points, scan, 0.2).surface
        blocked = blocked_triangles(scan, 0.2, [there])
        growth = Grower(scan, 0.2, (4, 4), blocked).grow(np.array([20.0, 0, -2]))
        self.assertGreater(growth.corners[:, 0].min(), -10.5)
        pulled = met(growth, there.guides(), Grower(scan, 0.2, (4, 4)))
        (join,) = find_joins([there, pulled.surface])
        self.assertLess(join.gap.max(), 1e-9)
        self.assertGreater(pulled.area, 0.8 * growth.area)
        self.assertIs(met(growth, [], Grower(scan, 0.2)), growth)


class SuggestTest(unittest.TestCase):
    def test_patches_over_a_roof(self) -> None:
        """Two slopes of 25° meet in a sharp ridge: both are covered, and no patch goes over the ridge."""
        scan = sheet(lambda x, y: -np.abs(x) * np.tan(np.radians(25)) + 0 * y, (100, 80), noise=0.01)
        found = suggest(scan, 0.1, (2, 2), most=6)
        self.assertEqual([one.area for one in found], sorted((one.area for one in found), reverse=True))
        sides = {float(np.sign(grid(one.surface)[:, 0].mean())) for one in found[:2]}
        self.assertEqual(sides, {-1.0, 1.0})
        areas = scan.areas
        below = covered_triangles(scan, [one.surface for one in found], 0.4)
        self.assertGreater(areas[below].sum() / areas.sum(), 0.7)
        for number, one in enumerate(found):
            self.assertTrue(measure_both_ways([one.surface], scan, 0.1).within(0.1))
            for other in found[:number]:
                both = np.intersect1d(*(covered_triangles(scan, [s.surface], 0.1) for s in (one, other)))
                self.assertLess(areas[both].sum(), 0.1 * min(one.area, other.area))

    def test_calm_places(self) -> None:
        scan = sheet(lambda x, y: -np.abs(x) * np.tan(np.radians(25)) + 0 * y, (100, 80))
        calm = calm_places(scan.points, scan.smoothed_normals, 3.0)
        self.assertFalse(calm[np.abs(scan.points[:, 0]) < 0.6].any())
        self.assertTrue(calm[np.abs(scan.points[:, 0]) > 6.0].all())
