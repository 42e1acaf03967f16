"""Cutting scans: real splits, clean edges, nothing lost."""

import unittest

import numpy as np
import trimesh

from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.mending import cut_by_box, cut_by_outline, cut_by_plane, cut_by_region, in_ball, merged, within
from arabesque.scan import Scan, examine, kept, rims
from tests.examples import heron, sphere


def area(scan: Scan) -> float:
    return scan.area


class PlaneCutTest(unittest.TestCase):
    def test_cap_of_a_sphere(self) -> None:
        """Area of a cap 2 π r h; the same section that trimesh finds; the rim lies in the plane."""
        ball = sphere(50.0, 6)
        above, below = cut_by_plane(ball, Plane(np.array([0.0, 0, 1]), 20.0))
        assert above is not None and below is not None
        self.assertAlmostEqual(area(above) / (2 * np.pi * 50 * 30), 1.0, delta=2e-3)
        self.assertAlmostEqual((area(above) + area(below)) / area(ball), 1.0, places=5)
        for half in (above, below):
            (rim,) = rims(half)
            self.assertEqual(np.abs(half.points[rim, 2] - 20).max(), 0.0)
            self.assertTrue(examine(half).sound)
        section = trimesh.Trimesh(ball.points, ball.triangles, process=False).section([0, 0, 1], [0, 0, 20])
        (rim,) = rims(above)
        ring = above.points[rim]
        length = np.linalg.norm(ring - np.roll(ring, 1, axis=0), axis=1).sum()
        self.assertAlmostEqual(length / section.length, 1.0, places=3)

    def test_slanted_plane_on_a_real_scan(self) -> None:
        scan = heron().scan
        above, below = cut_by_plane(scan, Plane.through(scan.points.mean(axis=0), [0.6, 0.5, 0.3]))
        assert above is not None and below is not None
        self.assertAlmostEqual((area(above) + area(below)) / area(scan), 1.0, places=4)
        for half in (above, below):
            self.assertEqual(examine(half).worse_than(examine(scan), True), [])

    def test_a_plane_beside_the_scan(self) -> None:
        halves = cut_by_plane(sphere(), Plane(np.array([1.0, 0, 0]), 80.0))
        self.assertIsNone(halves.above)
        assert halves.below is not None
        self.assertEqual(len(halves.below.triangles), len(sphere().triangles))

    def test_a_plane_through_points_makes_no_slivers(self) -> None:
        """A plane that runs along rows of points, and one a hair beside them."""
        box = trimesh.creation.box((20, 20, 20)).subdivide_to_size(3.0)
        scan = Scan(np.asarray(box.vertices), np.asarray(box.faces))
        for offset in (0.0, 1e-9, 2.5):
            for half in cut_by_plane(scan, Plane(np.array([0.0, 1, 0]), offset)):
                assert half is not None
                self.assertEqual(examine(half).flat, 0)


class OtherCutsTest(unittest.TestCase):
    def test_box(self) -> None:
        scan = heron().scan
        low, high = np.array([60.0, -30, -100]), np.array([140.0, 25, 100])
        inside, outside = cut_by_box(scan, low, high)
        assert inside is not None and outside is not None
        self.assertTrue((inside.points >= low - 1e-9).all() and (inside.points <= high + 1e-9).all())
        self.assertAlmostEqual((area(inside) + area(outside)) / area(scan), 1.0, places=4)
        with self.assertRaises(ArabesqueError):
            cut_by_box(scan, high, low)

    def test_drawn_line(self) -> None:
        """A circle drawn from above: the cut edge follows it to a hundredth of a triangle, not in stairs."""
        scan = heron().scan
        turn = np.linspace(0, 2 * np.pi, 60)[:-1]
        circle = np.column_stack([130 + 35 * np.cos(turn), 18 * np.sin(turn)])
        inside, outside = cut_by_outline(scan, circle, lambda points: points[:, :2])
        assert inside is not None and outside is not None
        (rim,) = rims(inside)
        places = inside.points[rim, :2]
        following = np.roll(circle, -1, axis=0)
        way = following - circle
        t = np.clip(((places[:, None] - circle) * way).sum(-1) / (way**2).sum(-1), 0, 1)
        away = np.linalg.norm(circle + t[..., None] * way - places[:, None], axis=-1).min(axis=1)
        self.assertLess(np.percentile(away, 95), 0.02)
        self.assertAlmostEqual((area(inside) + area(outside)) / area(scan), 1.0, places=4)

    def test_region_border_is_smoother_than_its_triangles(self) -> None:
        scan = heron().scan
        mask = in_ball(scan, np.array(heron().master.corners["flank"][0]), 15.0)
        inside, _ = cut_by_region(scan, mask)
        assert inside is not None

        def border(part: Scan) -> float:
            (rim,) = rims(part)
            p = part.points[rim]
            return float(np.linalg.norm(p - np.roll(p, 1, axis=0), axis=1).sum())

        self.assertLess(border(inside), 0.92 * border(kept(scan, mask)))
        self.assertAlmostEqual(area(inside) / area(kept(scan, mask)), 1.0, delta=0.05)

    def test_nothing_to_cut_along(self) -> None:
        scan = sphere(10.0, 2)
        for mask in (np.zeros(len(scan.triangles), dtype=bool), np.ones(len(scan.triangles), dtype=bool)):
            with self.assertRaises(ArabesqueError):
                cut_by_region(scan, mask)
        with self.assertRaises(ArabesqueError):
            cut_by_outline(scan, np.zeros((2, 2)), lambda points: points[:, :2])

    def test_inside_of_an_outline(self) -> None:
        star = np.array([[0, 0], [4, 0], [4, 4], [2, 1], [0, 4]], dtype=float)
        inside = within(star, np.array([[1.0, 0.5], [2, 2], [3.5, 1], [5, 1], [-1, 1]]))
        self.assertEqual(inside.tolist(), [True, False, True, False, False])

    def test_merged_keeps_both(self) -> None:
        one, two = sphere(10.0, 2), sphere(5.0, 3)
        both = merged([one, two])
        self.assertEqual(examine(both).pieces, 2)
        self.assertAlmostEqual(area(both), area(one) + area(two))
