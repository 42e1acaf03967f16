"""Curves fitted to places, sections of scans, lofts: against closed forms, published examples and trimesh."""

import unittest

import numpy as np
import trimesh

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.fitting.even_curve import leg_ratio
from arabesque.geometry import (
    Curve,
    Plane,
    Surface,
    arc_length,
    bezier_knots,
    curve_feet,
    reversed_curve,
    uniform_knots,
)
from arabesque.recipes import Given, LineTaken
from arabesque.scan import Scan
from arabesque.tracing import (
    Cut,
    LoftWay,
    begun_at,
    closest_approach,
    corners_of,
    curve_along,
    curve_on_scan,
    cut_scan,
    fit_curve,
    fit_polyline,
    in_order,
    is_closed,
    loft,
    planes_across,
    planes_along,
    planes_round,
    ring_of_curves,
    through,
    trace_sections,
)
from tests.examples import heron, plane, sphere

TURN = np.linspace(0, 2 * np.pi, 400, endpoint=False)


def circle(radius: float, z: float = 0.0, start: float = 0.0) -> Floats:
    angle = TURN + start
    return np.column_stack([radius * np.cos(angle), radius * np.sin(angle), np.full(len(angle), z)])


class CurveFitTest(unittest.TestCase):
    def test_bezier_data_is_recovered(self) -> None:
        """Places on a cubic Bézier curve, not evenly spread: its own four poles come back, whatever the parameters."""
        poles = np.array([[0, 0, 0], [10, 30, 5], [40, -20, 5], [60, 0, 0.0]])
        places = Curve.bezier(poles).at(np.linspace(0, 1, 150) ** 1.5)
        for found in (fit_curve(places, poles=4), fit_curve(places, tolerance=0.01)):
            self.assertEqual((found.curve.degree, found.curve.count), (3, 4))
            np.testing.assert_allclose(found.curve.points, poles, atol=1e-6)
            self.assertLess(found.worst, 1e-6)

    def test_few_poles_and_both_figures(self) -> None:
        wave = np.column_stack([np.linspace(0, 80, 300), 3 * np.sin(np.linspace(0, 9, 300)), np.zeros(300)])
        before = np.inf
        for poles in (6, 9, 14, 20):
            found = fit_curve(wave, poles=poles)
            self.assertEqual(found.curve.count, poles)
            self.assertLess(found.rms, before)
            self.assertLess(found.rms, found.worst)
            np.testing.assert_array_equal(found.curve.points[[0, -1]], wave[[0, -1]])
            before = found.rms
        close = fit_curve(wave, tolerance=0.05)
        self.assertLessEqual(close.worst, 0.05)
        self.assertLessEqual(close.curve.count, 16)
        self.assertLess(leg_ratio(close.curve), 2.0)

    def test_closed_curves_are_smooth_over_their_start(self) -> None:
        """A circle by seven poles that come again stays within 0.12 %; first and second derivatives meet."""
        found = fit_curve(circle(40.0), poles=10, closed=True)
        self.assertTrue(is_closed(found.curve))
        self.assertLess(found.worst, 0.05)
        start, end = (found.curve.derivatives([t], 2)[:, 0] for t in (0.0, 1.0))
        np.testing.assert_allclose(start, end, atol=1e-9)

    def test_corners_stay_sharp(self) -> None:
        corners = np.array([[0, 0, 0], [50, 0, 0], [50, 30, 0], [0, 30, 0.0]])
        sides = [np.linspace(corners[k], corners[(k + 1) % 4], 80)[:-1] for k in range(4)]
        square = np.roll(np.concatenate(sides), 37, axis=0)
        self.assertEqual(len(corners_of(square, True)), 4)
        parts = fit_polyline(square, tolerance=0.01, closed=True)
        self.assertEqual([part.curve.count for part in parts], [2] * 4)
        found = np.array(sorted(part.curve.points[0].tolist() for part in parts))
        np.testing.assert_allclose(found, sorted(corners.tolist()), atol=1e-9)
        self.assertEqual(len(corners_of(circle(30.0), True)), 0)

    def test_through_places(self) -> None:
        places = np.array([[0, 0, 0], [10, 10, 0], [30, 0, 5], [50, 20, 0], [60, 10, 4.0]])
        for closed in (False, True):
            curve = through(places, closed)
            self.assertEqual(is_closed(curve), closed)
            self.assertLess(curve_feet(curve, places).distance.max(), 1e-9)

    def test_what_cannot_be_fitted(self) -> None:
        line = np.linspace([0, 0, 0], [9, 0, 0], 5)
        for call in (
            lambda: fit_curve(line),
            lambda: fit_curve(line, poles=3),
            lambda: fit_curve(line, tolerance=-1.0),
            lambda: fit_curve(line[:1], poles=4),
            lambda: fit_curve(line * np.nan, poles=4),
            lambda: fit_curve(np.zeros((9, 3)), poles=4),
            lambda: fit_curve(np.random.default_rng(0).normal(size=(900, 3)), tolerance=1e-6),
        ):
            with self.assertRaises(FitProblem):
                call()


class AlongTest(unittest.TestCase):
    def test_a_rim_with_corners_is_one_curve_that_keeps_them(self) -> None:
        """The rim of a square sheet: four straight sides, corners exact, 400 mm long."""
        scan = plane()
        (rim,) = scan.guides()
        found = curve_along(rim.points, rim.closed, tolerance=0.05)
        self.assertTrue(is_closed(found.curve))
        self.assertLess(found.worst, 1e-9)
        self.assertAlmostEqual(arc_length(found.curve), 400.0, places=6)
        self.assertLessEqual(found.curve.count, 5)
        for corner in ([0, 0, 0], [100, 0, 0], [100, 100, 0], [0, 100, 0]):
            self.assertLess(curve_feet(found.curve, np.array([corner], dtype=float)).distance[0], 1e-9)

    def test_it_follows_what_it_was_taken_from(self) -> None:
        edge = Surface.bezier([[[0, 0, 0], [0, 50, 5.0]], [[30, 0, 9], [30, 50, 0]], [[60, 0, 0], [60, 50, 8]]])
        recipe = LineTaken("p", np.array([30.0, 0, 4]), 6)
        curve = recipe.build(Given({"p": edge}))
        self.assertEqual(curve.count, 6)
        low = edge.at(np.column_stack([np.linspace(0, 1, 30), np.zeros(30)]))
        self.assertLess(curve_feet(curve, low).distance.max(), 1e-3)
        lifted = edge.with_points(edge.points + np.array([0, 0, 7.0]))
        np.testing.assert_allclose(
            recipe.build(Given({"p": lifted})).points - curve.points, [[0, 0, 7.0]] * 6, atol=1e-3
        )
        with self.assertRaises(ArabesqueError):
            recipe.build(Given({"p": object()}))


class SectionTest(unittest.TestCase):
    def test_against_trimesh(self) -> None:
        """The lengths of the lines, their number and whether they close, as trimesh.intersections has them."""
        for scan, cut in (
            (heron(60_000).scan, Plane(np.array([1.0, 0, 0]), 20.0)),
            (heron(60_000).scan, Plane(np.array([0.2, 1.0, 0.1]), 3.0)),
            (sphere(50.0, 5), Plane(np.array([0.3, 0.2, 1.0]), 12.0)),
        ):
            lines = cut_scan(scan, Cut(cut))
            mesh = trimesh.Trimesh(scan.points, scan.triangles, process=False)
            segments = trimesh.intersections.mesh_plane(mesh, cut.normal, cut.origin)
            theirs = np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1).sum()
            self.assertAlmostEqual(sum(line.length for line in lines) / theirs, 1.0, places=2)
            for line in lines:
                np.testing.assert_allclose(cut.height(line.points), 0.0, atol=1e-9)
                steps = np.linalg.norm(np.diff(line.points, axis=0), axis=1)
                self.assertLess(steps.max(), 20 * np.median(steps) + 1.0)
        (ring,) = lines
        self.assertTrue(ring.closed)
        self.assertAlmostEqual(ring.length, 2 * np.pi * np.sqrt(50**2 - (12 / np.sqrt(1.13)) ** 2), delta=1.5)

    def test_an_open_scan_gives_open_lines(self) -> None:
        (line,) = cut_scan(plane(), Cut(Plane(np.array([0, 1.0, 0]), 33.3)))
        self.assertFalse(line.closed)
        self.assertAlmostEqual(line.length, 100.0)

    def test_planes(self) -> None:
        ball = sphere()
        heights = [cut.plane.offset for cut in planes_along(ball, np.array([0, 0, 2.0]), spacing=20.0)]
        np.testing.assert_allclose(heights, [-49, -40, -20, 0, 20, 40, 49], atol=0.01)
        self.assertEqual(len(planes_along(ball, np.eye(3)[0], count=9)), 9)
        between = planes_along(ball, np.eye(3)[2], spacing=10.0, between=(-12, 25))
        np.testing.assert_allclose([cut.plane.offset for cut in between], [-12, 0, 10, 20, 25], atol=0.01)
        turned = planes_round(np.zeros(3), np.array([0, 0, 1.0]), 8, half=True)
        sections = trace_sections(ball, turned, poles=7)
        self.assertEqual(len(sections), 8)
        ways = [section.line.points[len(section.line.points) // 2] / 50 for section in sections]
        angles = np.sort(np.degrees(np.arctan2(*np.array(ways)[:, 1::-1].T)) % 360)
        np.testing.assert_allclose(np.diff(angles), 45.0, atol=3.0)
        guide = Curve.bezier([[0, 0, -30.0], [0, 0, 30]])
        across = planes_across(guide, count=5)
        np.testing.assert_allclose([cut.plane.offset for cut in across], np.linspace(-30, 30, 5), atol=0.1)
        for call in (
            lambda: planes_along(ball, np.eye(3)[0]),
            lambda: planes_along(ball, np.eye(3)[0], spacing=-1.0),
            lambda: planes_along(ball, np.eye(3)[0], spacing=1e-4),
            lambda: planes_along(ball, np.eye(3)[0], count=5, between=(90, 95)),
            lambda: planes_round(np.zeros(3), np.eye(3)[2], 1),
            lambda: planes_across(guide),
        ):
            with self.assertRaises(ArabesqueError):
                call()
        with self.assertRaises(FitProblem):
            trace_sections(ball, [Cut(Plane(np.eye(3)[2], 80.0))])

    def test_sections_begin_and_run_alike(self) -> None:
        """Rings of a ball stretched along x, cut across z: all start on the same side and go round the same way."""
        ball = sphere(50.0, 5)
        egg = Scan(ball.points * [1.3, 1.0, 1.0], ball.triangles)
        made = trace_sections(egg, planes_along(egg, np.eye(3)[2], count=9), poles=8)
        starts = np.array([section.fitted.curve.points[0] for section in made])
        angles = np.degrees(np.arctan2(starts[:, 1] / 1.0, starts[:, 0] / 1.3))
        self.assertLess(np.ptp(np.unwrap(angles, period=360)), 12.0)
        lines = [section.line.points for section in made]
        areas = [np.cross(points, np.roll(points, -1, axis=0))[:, 2].sum() for points in lines]
        self.assertEqual(len(set(np.sign(areas))), 1)

    def test_drawn_on_the_scan(self) -> None:
        """Between its places the curve stays on the ball; corners may be sharp, and it may close."""
        ball = sphere(50.0, 6)
        places = ball.closest(np.array([[40.0, 0, 30], [30, 25, 30], [0, 40, 30], [-30, 20, 35]])).points
        for closed, corners in ((False, ()), (True, ()), (False, (1,)), (True, (0, 2))):
            curve = curve_on_scan(places, ball, 0.2, closed, corners)
            self.assertEqual(is_closed(curve), closed)
            self.assertLess(curve_feet(curve, places).distance.max(), 0.2)
            along = curve.at(np.linspace(*curve.domain, 400))
            self.assertLess(np.abs(np.linalg.norm(along, axis=1) - 50).max(), 0.2)
        with self.assertRaises(FitProblem):
            curve_on_scan(places[:1], ball, 0.2)


class LoftTest(unittest.TestCase):
    def test_knots_of_a_published_example(self) -> None:
        """The NURBS Book, example 9.1 (from memory): chord lengths 0, 5/17, 9/17, 14/17, 1, one inner knot 28/51."""
        places = np.array([[0, 0, 0], [3, 4, 0], [-1, 4, 0], [-4, 0, 0], [-4, -3, 0.0]])
        lines = [Curve.bezier([place, np.add(place, [0, 0, 10.0])]) for place in places]
        made = loft(lines, LoftWay(corresponding=False))
        np.testing.assert_allclose(made.knots[1], [0, 0, 0, 0, 28 / 51, 1, 1, 1, 1], atol=1e-12)
        at = np.array([0, 5, 9, 14, 17]) / 17
        np.testing.assert_allclose(made.at(np.column_stack([np.zeros(5), at])), places, atol=1e-12)

    def test_hyperbolic_paraboloid(self) -> None:
        """Straight between two skew lines: z = x y / 100 all over, exactly."""
        lines = [Curve.bezier([[x, 0, 0], [x, 10, x / 10]]) for x in (0.0, 10.0)]
        made = loft(lines, LoftWay(degree=1))
        uv = np.random.default_rng(0).random((200, 2))
        points = made.at(uv)
        np.testing.assert_allclose(points[:, 2], points[:, 0] * points[:, 1] / 100, atol=1e-12)

    def test_cone_and_torus(self) -> None:
        """Circles of rising radius make a cone; circles set round an axis, closed, a torus."""
        uv = np.random.default_rng(0).random((500, 2))
        rings = [fit_curve(circle(10 + 0.3 * z, z), poles=24, closed=True).curve for z in (0.0, 10.0, 20.0)]
        points = loft(rings, LoftWay(degree=1)).at(uv)
        np.testing.assert_allclose(np.hypot(points[:, 0], points[:, 1]), 10 + 0.3 * points[:, 2], atol=2e-3)
        tube = circle(9.0)
        around = []
        for phi in np.linspace(0, 2 * np.pi, 24, endpoint=False):
            out = 40 + tube[:, 0]
            ring = np.column_stack([out * np.cos(phi), out * np.sin(phi), tube[:, 1]])
            around.append(fit_curve(ring, poles=24, closed=True).curve)
        made = loft(around, LoftWay(closed=True))
        points = made.at(uv)
        np.testing.assert_allclose(np.hypot(np.hypot(points[:, 0], points[:, 1]) - 40, points[:, 2]), 9.0, atol=2e-3)
        np.testing.assert_array_equal(made.points[:, 0], made.points[:, -1])

    def test_sections_are_turned_and_ordered(self) -> None:
        rings = [fit_curve(circle(20 + np.sin(z / 7), z), poles=12, closed=True).curve for z in np.arange(0, 60, 4.0)]
        wanted = loft(rings)
        mixed = [reversed_curve(ring) if k % 2 else ring for k, ring in enumerate(rings)]
        self.assertLess(np.abs(loft(mixed).at([[0.3, 0.4]]) - wanted.at([[0.3, 0.4]])).max(), 0.1)
        order = np.random.default_rng(0).permutation(len(rings))
        found = order[in_order([rings[k] for k in order])]
        self.assertIn(found.tolist(), [list(range(len(rings))), list(range(len(rings)))[::-1]])
        begun = [begun_at(ring, 0.37) if k % 3 == 0 else ring for k, ring in enumerate(rings)]
        points = loft(begun).at(np.random.default_rng(1).random((300, 2)))
        np.testing.assert_allclose(np.hypot(points[:, 0], points[:, 1]), 20 + np.sin(points[:, 2] / 7), atol=0.05)

    def test_reach_beyond_the_ends(self) -> None:
        lines = [Curve.bezier([[0, y, 0], [50, y, 0]]) for y in (0.0, 10.0, 20.0)]
        made = loft(lines, LoftWay(before=3.0, after=5.0))
        points = made.on_grid(np.linspace(*made.domain[0], 9), np.linspace(*made.domain[1], 9))[0, 0]
        self.assertAlmostEqual(points[..., 1].min(), -3.0, places=4)
        self.assertAlmostEqual(points[..., 1].max(), 25.0, places=4)

    def test_what_does_not_correspond_is_named(self) -> None:
        rings = [fit_curve(circle(20, z), poles=12, closed=True).curve for z in (0.0, 10.0, 20.0)]
        line = Curve.bezier([[0, 0, 5.0], [20, 0, 5]])
        for sections, words in (
            ([rings[0], line, rings[1], rings[2]], "Section 2 is open"),
            ([rings[0], rings[1], rings[1], rings[2]], "Sections 2 and 3"),
            ([line], "1 sections"),
        ):
            with self.assertRaises(FitProblem) as caught:
                loft(sections)
            self.assertIn(words, str(caught.exception))
        weighted = Curve(2, bezier_knots(2), [[0, 0, 0], [1, 1, 0], [2, 0, 0]], [1.0, 0.5, 1.0])
        with self.assertRaises(FitProblem):
            loft([weighted, line])
        self.assertIsInstance(
            loft([line, Curve(3, uniform_knots(3, 2), np.random.default_rng(0).random((5, 3)) + 9)]), Surface
        )


class MeetingTest(unittest.TestCase):
    def test_closest_approach(self) -> None:
        """Two skew lines at right angles, 7 mm apart; and a crossing found to the last digits."""
        one = Curve.bezier([[-10, 0, 0], [20, 0, 0.0]])
        two = Curve.bezier([[3, -5, 7.0], [3, 9, 7]])
        found = closest_approach(one, two)
        self.assertAlmostEqual(found.gap, 7.0, places=12)
        np.testing.assert_allclose(found.place, [3, 0, 3.5], atol=1e-9)
        bent = Curve.bezier([[-5, -8, 0], [0, 20, 0], [12, -9, 0.0]])
        self.assertLess(closest_approach(one, bent).gap, 1e-9)

    def test_four_curves_round_a_patch(self) -> None:
        """In any order and running any way; crossing lines are cut where they cross."""
        lines = [
            Curve.bezier([[-10, 0, 0], [90, 5, 0.0]]),
            Curve.bezier([[70, -20, 0], [75, 80, 0.0]]),
            Curve.bezier([[90, 60, 0], [30, 70, 0], [-20, 55, 0.0]]),
            Curve.bezier([[5, 90, 0], [8, -30, 0.0]]),
        ]
        for order in ((0, 1, 2, 3), (2, 0, 3, 1), (1, 0, 2, 3)):
            ring = ring_of_curves([lines[k] for k in order], 0.5)
            self.assertLess(ring.gaps.max(), 1e-9)
            for k, side in enumerate(ring.sides):
                np.testing.assert_allclose(side.points[[0, -1]], ring.corners[[k, (k + 1) % 4]], atol=1e-9)
        apart = lines[1].with_points(lines[1].points + np.array([0, 0, 3.0]))
        with self.assertRaises(FitProblem) as caught:
            ring_of_curves([lines[0], apart, *lines[2:]], 0.5)
        self.assertIn("3 mm apart", str(caught.exception))
        with self.assertRaises(FitProblem):
            ring_of_curves(lines[:3], 0.5)
