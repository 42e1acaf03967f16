"""Every crossing of many curves: against closed forms and a brute-force search, and where they nearly meet."""

import unittest
from itertools import pairwise

import numpy as np

from arabesque.errors import FitProblem
from arabesque.geometry import Curve
from arabesque.tracing import every_crossing, parts_at, through
from tests.tracing.test_tracing import circle


def line(*ends: tuple[float, ...]) -> Curve:
    return Curve.bezier(np.array(ends, dtype=float))


class CrossingsTest(unittest.TestCase):
    def test_a_line_through_a_circle(self) -> None:
        """y = 3 meets the circle of radius 5 at x = -4 and 4 (3-4-5 triangle)."""
        ring = through(circle(5.0), closed=True)
        found = every_crossing([line((-9, 3, 0), (9, 3, 0)), ring], 0.01)
        self.assertEqual(len(found.found), 2)
        np.testing.assert_allclose(sorted(one.place[0] for one in found.found), [-4, 4], atol=1e-4)
        self.assertLess(max(one.gap for one in found.found), 1e-9)
        self.assertEqual(found.nearly, ())

    def test_a_grid_of_lines(self) -> None:
        """k lines each way cross k² times, each at a place that is known."""
        lines = [line((x, -1, 0), (x, 12, 0)) for x in range(10)] + [line((-1, y, 0), (12, y, 0)) for y in range(11)]
        found = every_crossing(lines, 1e-3)
        places = {(round(one.place[0], 6), round(one.place[1], 6)) for one in found.found}
        self.assertEqual(places, {(float(x), float(y)) for x in range(10) for y in range(11)})
        parts = parts_at(lines, found.found)
        self.assertEqual([len(one) for one in parts], [12] * 10 + [11] * 11)

    def test_parts_lie_on_the_curve_and_follow_each_other(self) -> None:
        rng = np.random.default_rng(3)
        curves = [through(rng.uniform(0, 40, (6, 3)) * [1, 1, 0]) for _ in range(8)]
        found = every_crossing(curves, 1e-3)
        self.assertGreater(len(found.found), 10)
        for curve, parts in zip(curves, parts_at(curves, found.found), strict=True):
            for one, two in pairwise(parts):
                np.testing.assert_allclose(one.points[-1], two.points[0], atol=1e-9)
            for part in parts:
                t = np.linspace(*part.domain, 20)
                np.testing.assert_allclose(part.at(t), curve.at(t), atol=1e-10)

    def test_against_brute_force(self) -> None:
        """Planar curves sampled by 4000 straight steps: as many sign changes of crossing steps as crossings found."""
        rng = np.random.default_rng(5)
        one, two = (through(rng.uniform(0, 40, (7, 3)) * [1, 1, 0]) for _ in range(2))
        a, b = (curve.at(np.linspace(*curve.domain, 2001))[:, :2] for curve in (one, two))
        count = 0
        for p, q in pairwise(a):
            way = q - p

            def side(points: np.ndarray, p: np.ndarray = p, way: np.ndarray = way) -> np.ndarray:
                return way[0] * (points[:, 1] - p[1]) - way[1] * (points[:, 0] - p[0])

            over = np.flatnonzero(side(b[:-1]) * side(b[1:]) < 0)
            for k in over:
                step = b[k + 1] - b[k]
                s = [step[0] * (r[1] - b[k][1]) - step[1] * (r[0] - b[k][0]) for r in (p, q)]
                count += s[0] * s[1] < 0
        between = [x for x in every_crossing([one, two], 1e-4).found if x.first != x.second]
        self.assertEqual(len(between), count)
        self.assertGreater(count, 2)

    def test_a_curve_that_crosses_itself(self) -> None:
        """The folium-like loop x = t³ - 4t, y = t² crosses itself at t = ±2, at (0, 4)."""
        t = np.linspace(-2.6, 2.6, 60)
        loop = through(np.column_stack([t**3 - 4 * t, t**2, 0 * t]))
        (only,) = every_crossing([loop], 1e-2).found
        np.testing.assert_allclose(only.place, [0, 4, 0], atol=1e-3)

    def test_ends_that_nearly_meet_are_told_with_their_gap(self) -> None:
        ring = [line((0, 0, 0), (10, 0, 0)), line((10, 0.7, 0), (10, 10, 0)), line((3, -5, 2), (3, 5, 2))]
        found = every_crossing(ring, 0.1, near=1.0)
        self.assertEqual(found.found, ())
        (gap,) = found.nearly
        self.assertEqual({gap.first, gap.second}, {0, 1})
        self.assertAlmostEqual(gap.gap, 0.7, places=6)
        # curves that pass each other at 2 mm are no fault: neither ends there

    def test_passing_closer_than_three_tolerances_is_told(self) -> None:
        """As where one line follows a dent of the scan and another one spans it: no mesh closes there."""
        over = [line((0, 0, 0), (10, 0, 0)), line((5, -5, 0.5), (5, 5, 0.5))]
        found = every_crossing(over, 0.2)
        self.assertEqual(found.found, ())
        (gap,) = found.nearly
        self.assertAlmostEqual(gap.gap, 0.5, places=9)
        np.testing.assert_allclose(gap.place, [5, 0, 0.25], atol=1e-9)
        self.assertEqual(every_crossing(over, 0.1).nearly, ())

    def test_a_third_end_is_told_of_where_two_others_meet(self) -> None:
        """Once, not with each of the two."""
        ends = [line((0, 0, 0), (10, 0, 0)), line((10, 0, 0), (10, 9, 0)), line((10.5, 0, 0), (20, -9, 0))]
        found = every_crossing(ends, 0.1)
        self.assertEqual(len(found.found), 1)
        (gap,) = found.nearly
        self.assertIn(2, (gap.first, gap.second))
        self.assertAlmostEqual(gap.gap, 0.5, places=6)

    def test_end_on_end_and_side_by_side(self) -> None:
        """Two that run on from each other meet once; two that run side by side do not cross all along."""
        found = every_crossing([line((0, 0, 0), (10, 0, 0)), line((10, 0, 0), (20, 0, 0))], 0.01).found
        self.assertEqual(len(found), 1)
        np.testing.assert_allclose(found[0].place, [10, 0, 0], atol=1e-6)
        beside = every_crossing([line((0, 0, 0), (10, 0, 0)), line((-1, 0.005, 0), (11, 0.005, 0))], 0.01).found
        self.assertLessEqual(len(beside), 2)

    def test_nonsense(self) -> None:
        self.assertEqual(every_crossing([], 0.1).found, ())
        with self.assertRaisesRegex(FitProblem, "not possible"):
            every_crossing([line((0, 0, 0), (1, 0, 0))], 0.0)


if __name__ == "__main__":
    unittest.main()
