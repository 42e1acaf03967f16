"""Matched edges: exact where bases allow, every edge of a patch, parts of borders, what stays, refusals."""

import unittest

import numpy as np
from scipy.interpolate import NdBSpline

from arabesque.checking import find_joins
from arabesque.errors import ArabesqueError
from arabesque.geometry import Edge, Surface, swapped_surface
from arabesque.joining import BlendSide, Ways, match_edge
from arabesque.script import Project
from tests.joining.test_blend import hill

ONE, TWO = hill(0, 40, 0), hill(42, 100, 3, seed=1)
THERE = ONE.rims()[Edge.U_HIGH]


class MatchTest(unittest.TestCase):
    def test_every_order_is_exact_and_the_far_edge_stays(self) -> None:
        for order in range(4):
            made = match_edge(TWO, Edge.U_LOW, BlendSide(THERE, order))
            self.assertTrue(made.exact)
            (join,) = find_joins([ONE, made.surface])
            reached = (join.gap, join.angle, join.curvature, join.change)[: order + 1]
            for value, limit in zip(reached, (1e-9, 1e-7, 1e-6, 1e-6), strict=False):
                self.assertLess(value.max(), limit)
            np.testing.assert_allclose(made.surface.points[-1], TWO.points[-1], atol=1e-12)
            self.assertGreater(made.moved, 3.0)

    def test_contact_seen_by_another_spline_library(self) -> None:
        made = match_edge(TWO, Edge.U_LOW, BlendSide(THERE, 2)).surface
        one, two = (NdBSpline(s.knots, s.points, s.degree) for s in (ONE, made))
        left = [one(np.array([[1.0, 0.7]]), nu=(k, 0))[0] for k in range(3)]
        right = [two(np.array([[0.0, 0.7]]), nu=(k, 0))[0] for k in range(3)]
        pull = np.linalg.norm(right[1]) / np.linalg.norm(left[1])
        for k in range(3):
            np.testing.assert_allclose(right[k], pull**k * left[k], atol=1e-9 * max(1.0, float(np.abs(left[k]).max())))

    def test_any_edge_run_any_way(self) -> None:
        """A patch turned in all eight ways, matched with the edge that lies beside the border."""
        turned = [f(g(TWO)) for f in (lambda s: s, swapped_surface)
                  for g in (lambda s: s, lambda s: s.reversed(0), lambda s: s.reversed(1),
                            lambda s: s.reversed(0).reversed(1))]  # fmt: skip
        for surface in turned:
            away = [float(np.linalg.norm(rim.surface.at(rim.places(np.array([0.5]))) - THERE.surface.at([[1.0, 0.5]])))
                    for rim in surface.rims()]  # fmt: skip
            edge = int(np.argmin(away))
            made = match_edge(surface, edge, BlendSide(THERE, 2))
            (join,) = find_joins([ONE, made.surface])
            self.assertEqual(join.grade(), 2)
            self.assertEqual(join.second if join.second[0] == 1 else join.first, (1, edge))

    def test_a_short_edge_on_a_part_of_a_long_one(self) -> None:
        points = TWO.points.copy()
        points[..., 1] = 15 + 0.4 * points[..., 1]
        short = TWO.with_points(points)
        made = match_edge(short, Edge.U_LOW, BlendSide(THERE, 2))
        self.assertEqual([join.grade() for join in find_joins([ONE, made.surface])], [2])
        ends = made.surface.points[0, [0, -1], 1]
        np.testing.assert_allclose(ends, [15.0, 39.0], atol=0.3)  # the border bends in space

    def test_more_rows_and_other_ways(self) -> None:
        few = match_edge(TWO, Edge.U_LOW, BlendSide(THERE, 1))
        many = match_edge(TWO, Edge.U_LOW, BlendSide(THERE, 1), rows=5)
        moved = [int((np.abs(one.surface.points - TWO.points).max(axis=(1, 2)) > 1e-9).sum()) for one in (few, many)]
        self.assertEqual(moved, [2, 5])
        for ways in (Ways.SQUARE, Ways.ACROSS):
            made = match_edge(TWO, Edge.U_LOW, BlendSide(THERE, 2), ways=ways)
            (join,) = find_joins([ONE, made.surface])
            self.assertEqual(join.grade(), 2)
            self.assertLess(join.angle.max(), 0.01)

    def test_low_degrees_are_raised(self) -> None:
        flat = Surface.bezier(np.array([[[42.0, 0, 1], [42, 60, 1]], [[90, 0, 1], [90, 60, 1]]]))
        made = match_edge(flat, Edge.U_LOW, BlendSide(THERE, 2))
        self.assertEqual(made.surface.degree, (5, 6))
        self.assertEqual([join.grade() for join in find_joins([ONE, made.surface])], [2])

    def test_refused_with_the_reason(self) -> None:
        across = ONE.rims()[Edge.V_LOW]
        with self.assertRaisesRegex(ArabesqueError, "nearest to one place"):
            match_edge(TWO, Edge.U_LOW, BlendSide(across, 1))
        weights = np.ones(TWO.points.shape[:2])
        weights[1] = 2.0
        with self.assertRaisesRegex(ArabesqueError, "rational"):
            match_edge(Surface(TWO.degree, TWO.knots, TWO.points, weights), Edge.U_LOW, BlendSide(THERE, 1))


class ChainTest(unittest.TestCase):
    def test_a_chain_follows(self) -> None:
        """A patch, one matched to it, a blend from that to a third: pulled at one end, all follow."""
        with Project() as project:
            one, two = project.add("One", ONE), project.add("Two", TWO)
            far = project.add("Far", hill(120, 160, 4, seed=2))
            two = project.match(two, Edge.U_LOW, (one, Edge.U_HIGH), order=2)
            project.blend((two, Edge.U_HIGH), (far, Edge.U_LOW), order=2)
            project.reshape(one, ONE.with_points(ONE.points + np.array([0, 0, 1.5])), "raised")
            self.assertEqual([join.grade() for join in project.joins()], [2, 2, 2])
            steps = len(project.joins())
            project.undo()
            self.assertEqual(len(project.joins()), steps)

    def test_random_chains_hold_or_say_why(self) -> None:
        """Orders, edges, parts and pulls at random: what is made keeps its orders, what is not gives a reason."""
        rng = np.random.default_rng(4)
        made = refused = 0
        for _ in range(40):
            order = int(rng.integers(0, 4))
            spans = hill(42, 100, float(rng.uniform(-5, 8)), int(rng.integers(4, 8)), int(rng.integers(99)))
            side = BlendSide(ONE.rims()[int(rng.integers(4))], order)
            try:
                found = match_edge(spans, int(rng.integers(4)), side, int(rng.integers(0, 6)))
            except ArabesqueError as problem:
                self.assertTrue(problem.cause and problem.cure)
                refused += 1
                continue
            made += 1
            rims = found.surface.rims()
            keys = [join for join in find_joins([ONE, found.surface]) if join.gap.max() < 1e-3]
            self.assertTrue(keys and max(join.grade() for join in keys) >= order, (order, len(rims)))
        self.assertGreater(made, 5)
        self.assertGreater(refused, 5)


if __name__ == "__main__":
    unittest.main()
