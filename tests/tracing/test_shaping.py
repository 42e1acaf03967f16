"""Shaping curves: ends, joins, blends; lines on shapes; sweeps and true forms: against closed forms and the kernel."""

import unittest

import numpy as np
import trimesh

from arabesque.errors import ArabesqueError, FitProblem
from arabesque.geometry import (
    Curve,
    Edge,
    Elementary,
    ElementaryKind,
    Manner,
    Patchwork,
    Plane,
    Surface,
    arc_length,
    curve_feet,
    frame_of,
    reversed_curve,
    split_curve,
)
from arabesque.geometry.elementary import arc_knots, unit_arc
from arabesque.tracing import (
    LoftWay,
    Pull,
    blended,
    curve_on_scan,
    draw_out,
    end_beside,
    end_of,
    joined_curves,
    lengthened,
    loft,
    lower_curve,
    matched,
    odd_sections,
    planes_along,
    projected,
    pulled,
    pushed,
    raise_curve,
    reaching,
    set_off,
    surface_cuts,
    sweep,
    through,
    trace_sections,
    turned,
    turned_over,
    with_end,
)
from tests.examples import heron, plane, random_surface, sphere
from tests.tracing.test_tracing import circle

S_CURVE = Curve.bezier([[0, 0, 0], [10, 12, 0], [20, -8, 3], [30, 5, 5.0]])


def arc(radius: float, low: float, high: float) -> Curve:
    """A part of a circle about the origin in z = 0, exactly."""
    points, weights = unit_arc(low, high)
    flat = np.column_stack([radius * points, np.zeros(len(points))])
    return Curve(2, arc_knots((len(points) - 1) // 2), flat, weights)


class EndTest(unittest.TestCase):
    def test_the_end_of_an_arc(self) -> None:
        """A circle of radius 4: bend 1/4 towards the centre, its change by length -1/16 along the tangent's own way."""
        end = end_of(arc(4.0, 0, np.pi / 2), True)
        np.testing.assert_allclose(end.tangent, [-1, 0, 0], atol=1e-12)
        np.testing.assert_allclose(end.bend, [0, -0.25, 0], atol=1e-12)
        np.testing.assert_allclose(end.change, [0, 0, 0], atol=1e-9)

    def test_split_and_joined_again(self) -> None:
        """The two halves of a cubic are one cubic span again, to rounding: nothing was lost."""
        one, two = split_curve(S_CURVE, 0.4)
        for second in (two, reversed_curve(two)):
            whole = joined_curves(one, second, 2, 1e-6)
            self.assertEqual((whole.degree, whole.count), (3, 4))
            places = whole.at(np.linspace(*whole.domain, 50))
            self.assertLess(curve_feet(S_CURVE, places).distance.max(), 1e-6)
        apart = two.with_points(two.points + np.array([0, 0, 1.0]))
        with self.assertRaisesRegex(FitProblem, "1 mm apart"):
            joined_curves(one, apart, 1, 0.1)

    def test_matched_ends_meet_as_asked(self) -> None:
        to = end_of(S_CURVE, True)
        other = Curve.bezier([[33, 6, 4], [40, 4, 6], [44, 10, 2], [52, 9, 1], [60, 5, 0.0]])
        for order in (0, 1, 2):
            made = matched(other, False, to, order)
            end = end_of(made, False)
            np.testing.assert_allclose(end.place, to.place, atol=1e-9)
            if order > 0:
                np.testing.assert_allclose(end.tangent, -to.tangent, atol=1e-9)
            if order > 1:
                np.testing.assert_allclose(end.bend, to.bend, atol=1e-9)
            np.testing.assert_array_equal(made.points[order + 1 :], other.points[order + 1 :])
        with self.assertRaisesRegex(FitProblem, "too few"):
            matched(Curve.bezier([[0, 0, 0], [1, 0, 0]]), False, to, 2)

    def test_blends_meet_with_every_derivative(self) -> None:
        """Place, tangent, bend and its change by arc length at both ends, for G1 to G3."""
        one, two = end_of(S_CURVE, True), end_of(arc(6.0, 0.2, 1.0), False)
        for order in (1, 2, 3):
            made = blended(one, two, order, Pull(0.8, 1.3))
            self.assertEqual(made.degree, 2 * order + 1)
            for end, to in ((end_of(made, False), one), (end_of(made, True), two)):
                np.testing.assert_allclose(end.place, to.place, atol=1e-9)
                np.testing.assert_allclose(end.tangent, -to.tangent, atol=1e-9)
                if order > 1:
                    np.testing.assert_allclose(end.bend, to.bend, atol=1e-9)
                if order > 2:
                    np.testing.assert_allclose(end.change, -to.change, atol=1e-8)
        with self.assertRaisesRegex(FitProblem, "one place"):
            blended(one, one, 2)

    def test_the_end_at_an_edge_of_a_patch(self) -> None:
        """Of a cylinder of radius 8, out over its straight edge: the tangent of its circle, and 1/8 as bend."""
        rod = Elementary.make(
            ElementaryKind.CYLINDER, frame_of([0, 0, 0], [0, 0, 1]), (8.0,), ((0.0, 1.0), (0.0, 20.0))
        )
        end = end_beside(rod, Edge.U_HIGH, 0.5)
        out = np.array([-np.sin(1.0), np.cos(1.0), 0])
        np.testing.assert_allclose(end.tangent, out, atol=1e-9)
        np.testing.assert_allclose(end.bend, -np.array([np.cos(1.0), np.sin(1.0), 0]) / 8, atol=1e-9)

    def test_longer_shorter_and_up_to_another(self) -> None:
        for manner in Manner:
            longer = lengthened(S_CURVE, True, 7.0, manner)
            self.assertAlmostEqual(arc_length(longer) - arc_length(S_CURVE), 7.0, places=2)
            np.testing.assert_allclose(longer.at([longer.domain[0]])[0], S_CURVE.points[0], atol=1e-9)
        shorter = lengthened(S_CURVE, False, -5.0)
        self.assertAlmostEqual(arc_length(S_CURVE) - arc_length(shorter), 5.0, delta=0.05)
        wall = Curve.bezier([[38, -30, -20], [38, 30, 30.0]])
        tall = Curve.bezier([[38, y, 10.0] for y in (-60, 60)])
        for target in (wall, tall):
            end = reaching(S_CURVE, True, target).points[-1]
            self.assertLess(abs(end[0] - 38), 6.0)
        crossed = Curve.bezier([[20, -20, 2.2], [20, 20, 2.2]])
        cut = reaching(S_CURVE, True, crossed)
        self.assertLess(arc_length(cut), arc_length(S_CURVE))

    def test_degree_up_is_exact_and_down_again(self) -> None:
        raised = raise_curve(S_CURVE)
        self.assertEqual(raised.degree, 4)
        np.testing.assert_allclose(raised.at([0.3]), S_CURVE.at([0.3]), atol=1e-12)
        lowered, moved = lower_curve(raised)
        self.assertLess(moved, 1e-9)
        np.testing.assert_allclose(lowered.points, S_CURVE.points, atol=1e-9)
        self.assertGreater(lower_curve(S_CURVE)[1], 0.1)

    def test_pulled_at_a_place_and_by_its_handles(self) -> None:
        to = S_CURVE.at([0.4])[0] + [0, 0, 3]
        np.testing.assert_allclose(pulled(S_CURVE, 0.4, to).at([0.4])[0], to, atol=1e-9)
        whole = through(np.random.default_rng(1).normal(size=(8, 3)) * 10)
        t = 0.37
        np.testing.assert_allclose(pulled(whole, t, to).at([t])[0], to, atol=1e-9)
        made = with_end(whole, False, tangent=np.array([5.0, 60, 1]))
        np.testing.assert_allclose(made.derivatives([0.0], 1)[1, 0], [5, 60, 1], atol=1e-9)
        np.testing.assert_array_equal(made.points[0], whole.points[0])
        bent = with_end(whole, True, bend=np.array([0, 0, 0.05]))
        end = end_of(bent, True)
        across = np.array([0, 0, 0.05]) - (np.array([0, 0, 0.05]) @ end.tangent) * end.tangent
        np.testing.assert_allclose(end.bend, across, atol=1e-9)


class StartsTest(unittest.TestCase):
    def test_closed_sections_begin_at_a_plane(self) -> None:
        """Circles cut of a sphere, begun where they pass y = 0: on the same side all of them."""
        ball = sphere()
        cuts = planes_along(ball, np.array([0, 0, 1.0]), count=7)
        made = trace_sections(ball, cuts, 7, guide=Plane(np.array([0, 1.0, 0]), 0.0))
        starts = np.array([one.line.points[0] for one in made])
        np.testing.assert_allclose(starts[:, 1], 0, atol=2.5)
        self.assertEqual(len(set(np.sign(starts[:, 0]))), 1)
        over = turned_over(made[3])
        np.testing.assert_allclose(over.fitted.curve.points[::-1], made[3].fitted.curve.points)
        np.testing.assert_allclose(over.line.points[0], made[3].line.points[0])


class OnShapesTest(unittest.TestCase):
    def test_a_scan_cut_by_a_plane_as_trimesh_cuts_it(self) -> None:
        """The same section, by length, as trimesh's own (outside reference)."""
        ball = sphere()
        flat = Elementary.make(ElementaryKind.PLANE, frame_of([3, 1, 12], [0.2, 0.1, 1]), (), ((-90, 90), (-90, 90)))
        (line,) = surface_cuts(ball, flat)
        mesh = trimesh.Trimesh(ball.points, ball.triangles, process=False)
        section = mesh.section(plane_origin=flat.origin, plane_normal=flat.axis)
        self.assertAlmostEqual(line.length, section.length, delta=1e-3 * section.length)

    def test_a_cylinder_set_off_cuts_a_plane_in_two_lines(self) -> None:
        """A rod of radius 9 lying on z = 0, set off by 0.8 mm, its axis 6 mm up: cut at √(9.8² - 6²) from it."""
        ground = plane(100.0, 100)
        rod = Elementary.make(
            ElementaryKind.CYLINDER, frame_of([50, 0, 6], [0, 1, 0]), (9.0,), ((-np.pi, np.pi), (0.0, 40.0))
        )
        lines = surface_cuts(ground, rod, 0.8)
        self.assertEqual(len(lines), 2)
        for line in lines:
            np.testing.assert_allclose(np.abs(line.points[:, 0] - 50), np.sqrt(9.8**2 - 36), atol=0.02)
        with self.assertRaisesRegex(ArabesqueError, "does not cut"):
            surface_cuts(ground, rod, -8.9)

    def test_a_patch_cuts_only_where_it_is(self) -> None:
        ball = sphere()
        upright = Surface(
            (1, 1), (np.array([0, 0, 1, 1.0]),) * 2, [[[10, -20, 20], [10, -20, 80]], [[10, 20, 20], [10, 20, 80.0]]]
        )
        (line,) = surface_cuts(ball, upright)
        self.assertFalse(line.closed)
        np.testing.assert_allclose(line.points[:, 0], 10, atol=0.05)
        self.assertLess(np.abs(line.points[:, 1]).max(), 20.0)

    def test_projected_along_and_to_the_closest(self) -> None:
        """A circle over a sphere comes down to x² + y² + z² = 50² both ways."""
        ball, above = sphere(), through(circle(20.0, 80.0), closed=True)
        for direction in (None, np.array([0, 0, -1.0])):
            places = projected(above, ball, direction)
            np.testing.assert_allclose(np.linalg.norm(places, axis=1), 50, atol=0.06)
        np.testing.assert_allclose(np.hypot(*projected(above, ball, np.array([0, 0, 1.0])).T[:2]), 20, atol=1e-3)
        with self.assertRaisesRegex(ArabesqueError, "100 % of the curve"):
            projected(above, ball, np.array([1.0, 0, 0]))
        sheet = random_surface((3, 3), (2, 2))
        high = Curve.bezier([[15, 10, 40], [30, 30, 50], [45, 40, 40.0]])
        places = projected(high, sheet, np.array([0, 0, 1.0]))
        feet = projected(through(places), sheet)
        np.testing.assert_allclose(feet, through(places).at(np.linspace(0, 1, len(feet))), atol=0.02)

    def test_set_off_over_a_sphere(self) -> None:
        """A circle of latitude set off by s over the sphere is another one, s / R further: 10 mm of 50."""
        ball = sphere()
        low = through(circle(50 * np.cos(0.3), 50 * np.sin(0.3)), closed=True)
        places = set_off(low, ball, 10.0)
        np.testing.assert_allclose(np.arcsin(places[:, 2] / np.linalg.norm(places, axis=1)), 0.3 + 0.2, atol=4e-3)
        with self.assertRaisesRegex(FitProblem, "ends before"):
            set_off(Curve.bezier([[50, 20, 0], [50, 80, 0.0]]), plane(100.0, 20), 70.0)

    def test_square_to_the_twin_plane(self) -> None:
        scan = heron().scan
        places = scan.closest(np.array([[70, 0, 8], [80, 14, 5], [100, 40, 0.0]])).points
        made = curve_on_scan(places, scan, 0.2, square=Plane(np.array([0, 1.0, 0]), 0.0))
        way = made.derivatives([made.domain[0]], 1)[1, 0]
        self.assertAlmostEqual(made.points[0, 1], 0.0, places=9)
        self.assertGreater(abs(way[1]) / np.linalg.norm(way), 1 - 1e-9)


class SurfacesOnCurvesTest(unittest.TestCase):
    def test_a_torus_by_sweep(self) -> None:
        """A circle of 5 along one of 20: √(x² + y²) - 20 and z make a circle of 5 (closed form)."""
        turn = np.linspace(0, 2 * np.pi, 60, endpoint=False)
        small = through(np.column_stack([20 + 5 * np.cos(turn), 0 * turn, 5 * np.sin(turn)]), True)
        made = sweep([small], [through(circle(20.0), closed=True)], 0.01)
        places = made.on_grid(np.linspace(*made.domain[0], 60), np.linspace(0, 1, 60))[0, 0].reshape(-1, 3)
        off = np.hypot(np.hypot(places[:, 0], places[:, 1]) - 20, places[:, 2]) - 5
        self.assertLess(np.abs(off).max(), 0.002)

    def test_a_pipe_as_the_kernel_sweeps_it(self) -> None:
        """Radius 2 along a bent rail: every place of the kernel's own pipe lies on the sweep."""
        from OCP.collections import Array1_gp_Pnt
        from OCP.Geom import Geom_BezierCurve
        from OCP.GeomFill import GeomFill_Pipe
        from OCP.gp import gp_Pnt

        poles = np.array([[0, 0, 0], [20, 0, 10], [30, 30, 10], [60, 30, 0.0]])
        array = Array1_gp_Pnt(1, 4)
        for k, pole in enumerate(poles, 1):
            array.SetValue(k, gp_Pnt(*pole))
        pipe = GeomFill_Pipe(Geom_BezierCurve(array), 2.0)
        pipe.Perform(1e-4, False)
        kernel = pipe.Surface()
        rail = Curve.bezier(poles)
        way = rail.derivatives([0.0], 1)[1, 0]
        frame = frame_of(poles[0], way)
        turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
        flat = np.column_stack([2 * np.cos(turn), 2 * np.sin(turn), 0 * turn])
        made = sweep([through(flat @ frame[:3, :3].T, True)], [rail], 0.01)
        from arabesque.geometry import foot_points

        u0, u1, v0, v1 = kernel.Bounds()
        places = np.array([
            (p.X(), p.Y(), p.Z())
            for u in np.linspace(u0, u1, 9)
            for v in np.linspace(v0, v1, 17)
            for p in (kernel.Value(float(u), float(v)),)
        ])  # fmt: skip
        away = np.linalg.norm(foot_points(made, places).points - places, axis=1)
        self.assertLess(away.max(), 0.01)

    def test_two_sections_along_two_rails(self) -> None:
        """The ends stay on both rails all the way, and the last section is met."""
        rails = [
            through(np.array([[0, 0, 0], [20, -3, 4], [40, 0, 0.0]])),
            through(np.array([[0, 20, 0], [20, 28, 4], [40, 22, 0.0]])),
        ]
        first = Curve.bezier([[0, 0, 0], [0, 10, 8], [0, 20, 0.0]])
        last = Curve.bezier([[40, 0, 0], [40, 11, 3], [40, 22, 0.0]])
        made = sweep([first, last], rails, 0.01)
        for row, rail in ((made.points[0], rails[0]), (made.points[-1], rails[1])):
            edge = Curve(made.degree[1], made.knots[1], row)
            places = edge.at(np.linspace(0, 1, 30))
            self.assertLess(curve_feet(rail, places).distance.max(), 0.01)
        places = made.on_grid(np.linspace(*made.domain[0], 9), np.array([1.0]))[0, 0].reshape(-1, 3)
        self.assertLess(curve_feet(last, places).distance.max(), 0.01)
        with self.assertRaisesRegex(FitProblem, "no sweep"):
            sweep([], rails, 0.01)

    def test_a_cone_by_ruled_loft_as_the_kernel_rules_it(self) -> None:
        """Between circles of 10 and 4, 12 mm apart: radius 10 - z / 2 (closed form), and the kernel's ruled surface."""
        low, high = (through(circle(r, z), closed=True) for r, z in ((10.0, 0.0), (4.0, 12.0)))
        made = loft([low, high], LoftWay(degree=1))
        places = made.on_grid(np.linspace(*made.domain[0], 40), np.linspace(0, 1, 9))[0, 0].reshape(-1, 3)
        np.testing.assert_allclose(np.hypot(places[:, 0], places[:, 1]), 10 - places[:, 2] / 2, atol=1e-3)
        from OCP.Geom import Geom_Circle
        from OCP.GeomFill import GeomFill
        from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

        rings = [Geom_Circle(gp_Ax2(gp_Pnt(0, 0, z), gp_Dir(0, 0, 1)), r) for r, z in ((10.0, 0.0), (4.0, 12.0))]
        kernel = GeomFill.Surface_s(*rings)
        u0, u1, v0, v1 = kernel.Bounds()
        for u, v in ((0.1, 0.2), (0.4, 0.7), (0.8, 0.5)):
            p = kernel.Value(u0 + u * (u1 - u0), v0 + v * (v1 - v0))
            self.assertAlmostEqual(float(np.hypot(p.X(), p.Y())), 10 - p.Z() / 2, places=6)

    def test_loft_square_to_its_ends_and_past_guides(self) -> None:
        lines = [through(circle(10 + k, 8.0 * k)[:200:20]) for k in range(3)]
        free, square = loft(lines), loft(lines, LoftWay(square_first=1.0, square_last=1.0))
        for v in (0.0, 1.0):
            way = square.derivatives([[0.5, v]], 1)[0, 1, 0]
            self.assertGreater(way[2] / np.linalg.norm(way), 0.999)
        self.assertLess(free.derivatives([[0.5, 0.0]], 1)[0, 1, 0][2] / 8.6, 2.0)
        # a guide beside the loft between the sections, on it at them
        out = np.array([[0.0, 10 + z / 8 + 1.5 * np.sin(np.pi * z / 8), z] for z in np.linspace(0, 16, 33)])
        guide = through(out)
        led = loft(lines, guides=[guide])
        from arabesque.geometry import foot_points

        away = np.linalg.norm(
            foot_points(led, guide.at(np.linspace(0, 1, 40))).points - guide.at(np.linspace(0, 1, 40)), axis=1
        )
        plain = np.linalg.norm(
            foot_points(free, guide.at(np.linspace(0, 1, 40))).points - guide.at(np.linspace(0, 1, 40)), axis=1
        )
        self.assertLess(away.max(), 0.35 * plain.max())
        with self.assertRaisesRegex(FitProblem, "Guide 1 misses"):
            loft(lines, guides=[Curve.bezier([[90, 0, 0], [90, 0, 16.0]])])

    def test_odd_sections_are_named(self) -> None:
        ring, half = through(circle(10.0, 8.0), closed=True), through(circle(10.0, 16.0)[:200])
        sections = [through(circle(10.0, 0.0), closed=True), ring, half, through(circle(9.0, 24.0), closed=True)]
        self.assertEqual(odd_sections(sections), [2])
        with self.assertRaisesRegex(FitProblem, "Section 3 is open"):
            loft(sections)
        self.assertEqual(odd_sections([ring, ring, sections[0]]), [1])

    def test_crossing_and_self_touching_sections_are_told_with_their_place(self) -> None:
        straight = [
            Curve.bezier([[0, 0, 0], [10, 0, 0], [20, 0, 0.0]]),
            Curve.bezier([[0, -5, 0], [10, 0, 0], [20, 5, 0.0]]),
        ]
        with self.assertRaisesRegex(FitProblem, r"Sections 1 and 2 cross at 10\.0, 0\.0, 0\.0"):
            loft(straight)
        t = np.linspace(-2.6, 2.6, 40)
        loop = through(np.column_stack([t**3 - 4 * t, t**2, 0 * t + 20]))
        plain = through(np.column_stack([t * 2, t**2, 0 * t]))
        with self.assertRaisesRegex(FitProblem, r"Section 2 touches itself at -?0\.0, 4\.0, 20\.0"):
            loft([plain, loop])

    def test_drawn_out(self) -> None:
        """A circle drawn along its axis is a cylinder, leaning by 30° a cone; from a sphere along its normals a cone of
        the same centre."""
        base = through(circle(10.0), closed=True)
        tube = draw_out(base, (6.0, 2.0), np.array([0, 0, 1.0]))
        places = tube.on_grid(np.linspace(0, 1, 30), np.linspace(0, 1, 5))[0, 0].reshape(-1, 3)
        np.testing.assert_allclose(np.hypot(places[:, 0], places[:, 1]), 10, atol=1e-3)
        self.assertAlmostEqual(np.ptp(places[:, 2]), 8.0, places=9)
        cone = draw_out(base, (6.0, 0.0), np.array([0, 0, 1.0]), angle=30.0)
        top = cone.on_grid(np.linspace(0, 1, 30), np.array([1.0]))[0, 0].reshape(-1, 3)
        radii = np.hypot(top[:, 0], top[:, 1])
        self.assertAlmostEqual(float(np.abs(radii - 10).mean()), 6 * np.sin(np.radians(30)), delta=0.02)
        np.testing.assert_allclose(top[:, 2], 6 * np.cos(np.radians(30)), atol=0.02)
        ball = sphere()
        latitude = through(circle(40.0, 30.0), closed=True)
        fan = draw_out(latitude, (10.0, 0.0), scan=ball)
        tips = fan.on_grid(np.linspace(0, 1, 30), np.array([1.0]))[0, 0].reshape(-1, 3)
        np.testing.assert_allclose(np.linalg.norm(tips, axis=1), 60, atol=0.05)
        with self.assertRaisesRegex(FitProblem, "needs a length"):
            draw_out(base, (0.0, 0.0), np.array([0, 0, 1.0]))
        with self.assertRaisesRegex(FitProblem, "normals show the way"):
            draw_out(base, (1.0, 0.0))

    def test_turned_profiles_are_true_shapes(self) -> None:
        """Lines and arcs in a plane with the axis: cylinder, cone, sphere, torus, of the sizes they were drawn with."""
        z = np.array([0, 0, 1.0])
        line = lambda a, b: Curve.bezier(np.array([a, b], dtype=float))  # noqa: E731
        upright = lambda curve: curve.with_points(curve.points[:, [0, 2, 1]])  # noqa: E731
        rod = turned([line((3, 0, 0), (3, 0, 9))], [0, 0, 0], z)
        self.assertEqual((rod.kind, rod.sizes), (ElementaryKind.CYLINDER, (3.0,)))
        cone = turned([line((3, 0, 0), (5, 0, 2))], [0, 0, 0], z, 90.0)
        self.assertIs(cone.kind, ElementaryKind.CONE)
        self.assertAlmostEqual(cone.sizes[1], np.pi / 4)
        ball = turned([upright(arc(7.0, -0.5, 1.0))], [0, 0, 0], z)
        self.assertIs(ball.kind, ElementaryKind.SPHERE)
        self.assertAlmostEqual(ball.sizes[0], 7.0, places=9)
        ring = turned([upright(arc(2.0, 0.0, 1.5).moved(frame_of([9, 0, 0], z)))], [0, 0, 0], z)
        self.assertIs(ring.kind, ElementaryKind.TORUS)
        np.testing.assert_allclose(ring.sizes, (9.0, 2.0), atol=1e-9)
        # each lies on what the profile sweeps
        for shape, radius in (
            (rod, lambda p: np.hypot(p[:, 0], p[:, 1]) - 3),
            (ball, lambda p: np.linalg.norm(p, axis=1) - 7),
        ):
            (u0, u1), (v0, v1) = shape.domain
            places = shape.on_grid(np.linspace(u0, u1, 9), np.linspace(v0, v1, 9))[0, 0].reshape(-1, 3)
            np.testing.assert_allclose(radius(places), 0, atol=1e-9)
        free = turned([Curve.bezier([[3, 0, 0], [6, 0, 3], [2, 0, 6], [4, 0, 9.0]])], [0, 0, 0], z, 200.0)
        self.assertNotIsInstance(free, Elementary)
        middle = free.on_grid(np.linspace(0, 1, 7), np.array([0.5]))[0, 0].reshape(-1, 3)
        np.testing.assert_allclose(
            np.hypot(middle[:, 0], middle[:, 1]), np.hypot(middle[0, 0], middle[0, 1]), atol=1e-9
        )
        both = turned([line((3, 0, 0), (3, 0, 9)), line((3, 0, 9), (5, 0, 11))], [0, 0, 0], z)
        assert isinstance(both, Patchwork)
        self.assertEqual([one.kind.value for one in both.surfaces], ["cylinder", "cone"])
        with self.assertRaisesRegex(FitProblem, "lies on the axis"):
            turned([line((0, 0, 0), (0, 0, 9))], [0, 0, 0], z)
        with self.assertRaisesRegex(FitProblem, "no turned surface"):
            turned([line((3, 0, 0), (3, 0, 9))], [0, 0, 0], z, 0.0)

    def test_pushed_profiles_are_true_shapes(self) -> None:
        z = np.array([0, 0, 1.0])
        wall = pushed([Curve.bezier([[0, 0, 0], [6, 8, 0.0]])], z, -2.0, 5.0)
        self.assertIs(wall.kind, ElementaryKind.PLANE)
        np.testing.assert_allclose(sorted(wall.box[1]), [5, 6, 8], atol=1e-9)
        self.assertAlmostEqual(wall.box[0][2], -2.0)
        pipe = pushed([arc(4.0, 0.3, 2.0)], z, 0.0, 5.0)
        self.assertEqual((pipe.kind, round(pipe.sizes[0], 9)), (ElementaryKind.CYLINDER, 4.0))
        for place in pipe.on_grid(np.linspace(*pipe.domain[0], 5), np.linspace(*pipe.domain[1], 3))[0, 0].reshape(
            -1, 3
        ):
            self.assertTrue(0.3 - 1e-9 <= np.arctan2(place[1], place[0]) <= 2.0 + 1e-9)
        with self.assertRaisesRegex(FitProblem, "needs a length"):
            pushed([arc(4.0, 0.3, 2.0)], z, 1.0, 1.0)
        with self.assertRaisesRegex(FitProblem, "no profile"):
            pushed([], z, 0.0, 1.0)


if __name__ == "__main__":
    unittest.main()
