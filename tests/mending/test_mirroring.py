"""Making a scan symmetric, and marking parts of it."""

import unittest
from itertools import pairwise

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.mending import (
    Side,
    grown,
    in_ball,
    in_outline,
    make_symmetric,
    merged,
    shrunk,
    spread,
    whole_pieces,
)
from arabesque.scan import Scan, examine, kept, scan_curvature
from tests.examples import heron, plane, sphere


class SymmetricTest(unittest.TestCase):
    def test_equal_to_the_bit_and_closed_along_the_plane(self) -> None:
        done = make_symmetric(heron().scan, Plane.coordinate(1))
        points = done.scan.points + 0.0
        self.assertEqual({p.tobytes() for p in points}, {p.tobytes() for p in points * [1, -1, 1] + 0.0})
        rim = np.unique(done.scan.border_edges)
        inner = np.abs(points[rim, 1]) < 1e-12
        # only where the outer rim crosses the plane do rim points lie in it
        self.assertLessEqual(inner.sum(), 2)
        self.assertEqual(examine(done.scan).worse_than(examine(heron().scan)), [])

    def test_the_half_with_the_smaller_hole_is_kept(self) -> None:
        """The saddle's hole of 6.5 mm radius is at y > 0, that of 4 mm at y < 0."""
        done = make_symmetric(heron().scan, Plane.coordinate(1))
        self.assertIs(done.kept, Side.BELOW)
        self.assertIn("holes", done.why)
        other = make_symmetric(heron().scan, Plane.coordinate(1), Side.ABOVE)
        self.assertIs(other.kept, Side.ABOVE)
        self.assertEqual(other.above.holes, 1)

    def test_the_calmer_half_is_kept(self) -> None:
        ball = sphere(30.0, 5)
        noise = np.random.default_rng(0).normal(scale=0.05, size=len(ball.points)) * (ball.points[:, 0] > 0)
        rough = Scan(ball.points + noise[:, None] * ball.point_normals, ball.triangles)
        done = make_symmetric(rough, Plane.coordinate(0))
        self.assertIs(done.kept, Side.BELOW)
        self.assertIn("noise", done.why)
        self.assertTrue(examine(done.scan).watertight)

    def test_the_half_without_the_dent_is_kept(self) -> None:
        """Ten dents and bumps, on either side: a dent has more surface, and yet is worse."""
        rng = np.random.default_rng(3)
        ball = sphere(30.0, 5)
        for number in range(10):
            side = 1 if number % 2 else -1
            place = rng.normal(size=3)
            place[0] = side * (0.5 + abs(place[0]))
            place *= 30 / np.linalg.norm(place)
            depth = (0.6 if number % 3 else -0.6) * np.exp(-((np.linalg.norm(ball.points - place, axis=1) / 3) ** 2))
            noise = rng.normal(scale=0.01, size=len(ball.points))
            dented = Scan(ball.points - (depth + noise)[:, None] * ball.point_normals, ball.triangles)
            done = make_symmetric(dented, Plane.coordinate(0))
            self.assertIs(done.kept, Side.BELOW if side > 0 else Side.ABOVE)
            self.assertIn("dents", done.why)

    def test_where_nothing_tells_them_apart_it_is_said(self) -> None:
        done = make_symmetric(sphere(30.0, 4), Plane.coordinate(2))
        self.assertIn("nothing tells", done.why)

    def test_wholly_on_one_side(self) -> None:
        with self.assertRaises(ArabesqueError):
            make_symmetric(sphere(10.0, 3), Plane(np.array([0.0, 0, 1]), 30.0))


class MarkingTest(unittest.TestCase):
    def test_ball_keeps_to_its_sheet(self) -> None:
        """Of two sheets 1 mm apart only the touched one is marked."""
        sheet = plane(40.0, 40)
        both = merged([sheet, Scan(sheet.points - [0, 0, 1.0], sheet.triangles)])
        mask = in_ball(both, np.array([20.0, 20, 0]), 6.0)
        self.assertFalse(mask[len(sheet.triangles) :].any())
        area = np.linalg.norm(both.area_vectors[mask], axis=1).sum()
        self.assertAlmostEqual(area / (np.pi * 36), 1.0, delta=0.1)

    def test_grow_and_shrink(self) -> None:
        sheet = plane(40.0, 40)
        mask = in_ball(sheet, np.array([20.0, 20, 0]), 6.0)
        self.assertGreater(grown(sheet, mask).sum(), mask.sum())
        self.assertTrue((shrunk(sheet, grown(sheet, mask)) >= mask).all())
        self.assertLess(shrunk(sheet, mask).sum(), mask.sum())

    def test_whole_pieces(self) -> None:
        both = merged([sphere(10.0, 3), sphere(5.0, 3)])
        seed = np.zeros(len(both.triangles), dtype=bool)
        seed[0] = True
        self.assertEqual(whole_pieces(both, seed).sum(), len(sphere(10.0, 3).triangles))

    def test_outline(self) -> None:
        square = np.array([[0, 0], [10, 0], [10, 10], [0, 10]], dtype=float)
        places = np.array([[5.0, 5], [15, 5], [2, 2]])
        self.assertEqual(in_outline(square, places).tolist(), [True, False, True])
        facing = np.array([True, True, False])
        self.assertEqual(in_outline(square, places, facing).tolist(), [True, False, False])

    def test_spread_stops_at_the_roll(self) -> None:
        """From the calm top of the saddle: all of it at the least sensitivity, less and less with more."""
        scan = heron().scan
        hit = scan.pick(np.array([100.0, -30, 300]), np.array([0.0, 0, -1]))
        assert hit is not None
        curvature = scan_curvature(scan)
        shares = [float(spread(scan, hit[1], s, curvature).mean()) for s in (0.02, 0.4, 0.7, 1.0)]
        self.assertGreater(shares[0], 0.9)
        self.assertTrue(all(a >= b for a, b in pairwise(shares)))
        self.assertLess(shares[2], 0.5)

    def test_spread_over_the_end_of_a_rod(self) -> None:
        """From the flat end of a rod the spread takes that end and nothing of the side."""
        import trimesh

        rod = trimesh.creation.cylinder(10, 40, sections=120).subdivide_to_size(1.5)
        scan = Scan(np.asarray(rod.vertices), np.asarray(rod.faces))
        hit = scan.pick(np.array([1.0, 2, 100]), np.array([0.0, 0, -1]))
        assert hit is not None
        mask = spread(scan, hit[1], 0.5, scan_curvature(scan, 3))
        reached = kept(scan, mask).points
        self.assertGreater(reached[:, 2].min(), 15.0)
