"""Patches held to border lines: forms by formula and published scans, and what a verdict has to say of them."""

import unittest
from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np
import trimesh
from scipy.interpolate import LSQBivariateSpline

from arabesque.arrays import Floats
from arabesque.checking import Evenness, cover, evenness, find_joins, measure_both_ways
from arabesque.errors import ArabesqueError
from arabesque.fitting import (
    Borders,
    FitSettings,
    PatchFit,
    Stop,
    border_lines,
    enclosed_part,
    fit_patch,
    four_corner_patch,
)
from arabesque.fitting.borders import border_line, bow_of
from arabesque.fitting.even_curve import evened_curve, leg_ratio
from arabesque.fitting.evenness import divided_differences
from arabesque.geometry import Curve, Edge, Surface, curve_feet, edge_curve, foot_points, uniform_knots
from arabesque.recipes import Given, PatchOnScan, Side
from arabesque.scan import Scan, kept, read_scan, ready_to_fit, walk_along_plane
from tests.examples import heron, plane, sheet, sphere
from tests.reference import armadillo, rabbit

Height = Callable[[Floats, Floats], Floats]
FORMS: dict[str, tuple[Height, int]] = {
    "saddle": (lambda x, y: (x**2 - y**2) / 80, 21),
    "ridge 6/12": (lambda x, y: 6 * np.exp(-((x / 12) ** 2)) + 0 * y, 36),
    "ridge 12/12": (lambda x, y: 12 * np.exp(-((x / 12) ** 2)) + 0 * y, 44),
    "ridge 12/8": (lambda x, y: 12 * np.exp(-((x / 8) ** 2)) + 0 * y, 52),
    "ridge 3/12": (lambda x, y: 3 * np.exp(-((x / 12) ** 2)) + 0 * y, 36),
    "ridge 12/20": (lambda x, y: 12 * np.exp(-((x / 20) ** 2)) + 0 * y, 28),
    "dome": (lambda x, y: np.sqrt(80**2 - x**2 - y**2) - 80, 15),
    "skew wave": (lambda x, y: 2 * np.sin(x / 14 + y / 9), 36),
}
"""Heights over 90 x 22 mm, and the control points that plain least squares needs at 0.2 mm (measured), or less."""


def oblong(height: Height, noise: float = 0.02) -> tuple[Scan, Floats]:
    """A scan of a form by formula, and the corners of 90 x 22 mm on it."""
    corners = np.array([[-45.0, -11], [45, -11], [45, 11], [-45, 11]])
    scan = sheet(height, (90, 22), noise=noise)
    return scan, scan.closest(np.column_stack([corners, height(*corners.T)])).points


def squares(scan: Scan, side: float, count: int) -> Iterator[Floats]:
    """(4, 3) corners of squares at random places of a scan, where they can be clicked."""
    rng = np.random.default_rng(10)
    while count:
        middle = scan.points[scan.triangles[rng.integers(len(scan.triangles))]].mean(axis=0)
        up = scan.closest(middle[None]).normals[0]
        x = np.cross(up, rng.normal(size=3))
        x /= np.linalg.norm(x)
        y = np.cross(up, x)
        ways = ((-1, -1), (1, -1), (1, 1), (-1, 1))
        picks = [scan.pick(middle + side / 2 * (a * x + b * y) + side * up, -up) for a, b in ways]
        corners = np.array([pick[0] for pick in picks if pick is not None])
        if len(corners) == 4 and np.linalg.norm(corners - middle, axis=1).max() <= side:
            count -= 1
            yield corners


class FormsTest(unittest.TestCase):
    def test_forms_by_formula(self) -> None:
        """The whole area, once, unfolded, light and even: at most the points that plain least squares takes."""
        for name, (height, most) in FORMS.items():
            with self.subTest(name):
                scan, corners = oblong(height)
                fit = four_corner_patch(corners, scan, 0.2)
                self.assertTrue(fit.within, fit.verdict)
                assert fit.cover is not None
                self.assertGreaterEqual(fit.cover.coverage, 0.99)
                self.assertLessEqual(fit.cover.outside, 0.01)
                self.assertEqual(fit.cover.folded, 0.0)
                self.assertLessEqual(fit.surface.count, most)
                self.assertLessEqual(fit.net.leg, 1.3)
                self.assertTrue(fit.net.fair)
                # against the formula itself, which the fit has never seen
                points = fit.surface.on_grid(np.linspace(0, 1, 60), np.linspace(0, 1, 30))[0, 0].reshape(-1, 3)
                off = np.abs(points[:, 2] - height(points[:, 0], points[:, 1]))
                self.assertLess(np.percentile(off, 99), 0.3)

    def test_coarse_triangles_are_fitted_through_their_points(self) -> None:
        """Flat sides 4 mm long cut 0.05 mm inside a dome of R 80: fitted to them the patch stood off by as much."""
        height = FORMS["dome"][0]
        scan = sheet(height, (90, 60), noise=0.02, step=4.0)
        corners = np.array([[-45.0, -30], [45, -30], [45, 30], [-45, 30]])
        fit = four_corner_patch(np.column_stack([corners, height(*corners.T)]), scan, 0.05)
        self.assertTrue(fit.within, fit.verdict)
        points = fit.surface.on_grid(np.linspace(0, 1, 60), np.linspace(0, 1, 40))[0, 0].reshape(-1, 3)
        off = points[:, 2] - height(points[:, 0], points[:, 1])
        self.assertLess(np.sqrt(np.mean(off**2)), 0.02)

    def test_a_ridge_is_not_weighted_away(self) -> None:
        """As close as SciPy's least squares spline with as many control points, over the whole ridge."""
        height = FORMS["ridge 6/12"][0]
        scan, corners = oblong(height)
        fit = four_corner_patch(corners, scan, 0.2)
        x, y, z = scan.points.T
        inside = (np.abs(x) < 45) & (np.abs(y) < 11)
        inner = np.linspace(-45, 45, fit.surface.points.shape[0] - 2)[1:-1]
        theirs = LSQBivariateSpline(x[inside], y[inside], z[inside], inner, [], kx=3, ky=1, bbox=[-45, 45, -11, 11])
        rms = np.sqrt(np.mean((theirs.ev(x[inside], y[inside]) - height(x[inside], y[inside])) ** 2))
        points = fit.surface.on_grid(np.linspace(0, 1, 90), np.linspace(0, 1, 22))[0, 0].reshape(-1, 3)
        off = points[:, 2] - height(points[:, 0], points[:, 1])
        self.assertLess(np.sqrt(np.mean(off**2)), 1.5 * rms + 0.02)
        self.assertEqual(fit.figures.outlier_share, 0.0)

    def test_natural_borders_lean_and_it_is_said(self) -> None:
        for name, words in (("saddle", "beyond the border lines"), ("ridge 12/20", "is not covered")):
            scan, corners = oblong(FORMS[name][0])
            fit = four_corner_patch(corners, scan, 0.2, borders=Borders.NATURAL)
            self.assertFalse(fit.within)
            self.assertIn(words, fit.verdict)
            self.assertTrue(fit.figures.within(0.2))

    def test_heron_is_light_and_runs_like_a_drawn_line(self) -> None:
        fit = four_corner_patch(heron(400_000).master.corners["flank"], heron(400_000).scan, 0.2)
        self.assertLessEqual(fit.surface.count, 16)
        self.assertTrue(fit.net.calm)
        self.assertIs(fit.stopped, Stop.WITHIN)

    def test_published_scans_in_squares(self) -> None:
        """Squares of a share of their size, at 0.3 %: laid with legs within 1.3, or where the net turns with the form
        that is said."""
        figure = trimesh.load(armadillo(), process=False)
        scans = {
            "rabbit": (read_scan(rabbit(), "m"), 0.1),
            "armadillo": (ready_to_fit(Scan(np.asarray(figure.vertices, float), np.asarray(figure.faces))), 0.06),
        }
        for name, (scan, share) in scans.items():
            said = []
            for corners in squares(scan, share * scan.diagonal, 6):
                fit = four_corner_patch(corners, scan, 0.003 * scan.diagonal)
                said.append(fit.within)
                with self.subTest(name, number=len(said)):
                    if fit.stopped is Stop.WITHIN:
                        self.assertTrue(fit.net.fair)
                        self.assertLessEqual(fit.net.leg, 1.3)
                        self.assertLessEqual(fit.surface.count, 36)
                    if fit.within and fit.cover is not None:
                        self.assertGreaterEqual(fit.cover.coverage, 0.97)
                        self.assertEqual(fit.cover.folded, 0.0)
                    self.assertTrue(fit.within or fit.stopped is not Stop.WITHIN)
            self.assertGreaterEqual(sum(said), 4)


class TurnTest(unittest.TestCase):
    def test_a_patch_is_ended_where_the_form_turns(self) -> None:
        """A strongly bent place of a published scan: the larger part beside the marked line is lighter and calmer."""
        scan = read_scan(rabbit(), "m")
        tolerance = 0.003 * scan.diagonal
        corners = list(squares(scan, 0.1 * scan.diagonal, 9))[8]
        recipe = PatchOnScan(corners)
        source = Given(scan=scan, tolerance=tolerance)
        whole = recipe.fit(source)
        self.assertIs(whole.stopped, Stop.TURNS)
        turn = whole.turn
        assert turn is not None
        # the line is one of the patch's own, and passes the control point whose row turns
        feet = foot_points(whole.surface, turn.line)
        np.testing.assert_allclose(feet.uv[:, turn.axis], turn.at, atol=1e-6)
        self.assertAlmostEqual(turn.degrees, evenness(whole.surface).bend)
        self.assertEqual(whole.as_record()["turn"]["along"], "uv"[turn.axis])
        ended = recipe.ended(whole)
        self.assertEqual(sum((ended.corners[:, None] == np.array([*turn.line])).all(axis=2).any(axis=1)), 2)
        part = ended.fit(source)
        self.assertLess(part.net.bend, whole.net.bend)
        self.assertLess(part.surface.count, whole.surface.count)
        if part.turn is None:
            with self.assertRaises(ArabesqueError):
                ended.ended(part)

    def test_sides_on_lines_stay_and_pulled_ones_become_calm(self) -> None:
        p = np.array([[0.0, 0, 0], [60, 0, 0], [60, 40, 0], [0, 40, 0]])
        sides = (Side(through=np.array([[30.0, -4, 0]])), Side(on="a", at=p[1]), Side(on="b", at=p[2]), Side())
        surface = Surface.bezier([[p[0], p[3]], [p[1], p[2]]]).elevated(2, 1)
        figures = measure_both_ways([surface], ready_to_fit(plane()), 0.2)
        net = Evenness(1.0, 45.0, 1.0, (0, 0), (1, 0), 0)
        fit = PatchFit(surface, figures, net, 0.2, Stop.TURNS, 0.0)
        ended = PatchOnScan(p, sides=sides).ended(fit)
        np.testing.assert_allclose(ended.corners, [[20, 0, 0], [60, 0, 0], [60, 40, 0], [20, 40, 0]], atol=1e-9)
        self.assertEqual([side.on for side in ended.sides], ["", "a", "b", ""])
        self.assertTrue(ended.sides[0].calm and ended.sides[3].calm)


class SideOfTheWallTest(unittest.TestCase):
    def test_the_side_that_was_clicked(self) -> None:
        """Thin curved walls, radius 100: four corners on the outside make a patch on the outside."""
        for thickness in (0.5, 1.0, 3.0):
            outer = sheet(lambda x, y: np.sqrt(100**2 - x**2) - 100 + 0 * y, (60, 60))
            inner = Scan(outer.points - [0, 0, thickness], outer.triangles[:, ::-1])
            wall = Scan(
                np.concatenate([outer.points, inner.points]),
                np.concatenate([outer.triangles, inner.triangles + len(outer.points)]),
            )
            wall = ready_to_fit(wall)
            places = np.array([[-25.0, -25], [25, -25], [25, 25], [-25, 25]])
            corners = np.column_stack([places, np.sqrt(100**2 - places[:, 0] ** 2) - 100])
            fit = four_corner_patch(corners, wall, 0.1)
            points = fit.surface.on_grid(np.linspace(0, 1, 30), np.linspace(0, 1, 30))[0, 0].reshape(-1, 3)
            self.assertLess(np.abs(points[:, 2] - (np.sqrt(100**2 - points[:, 0] ** 2) - 100)).max(), 0.1)
            self.assertTrue(fit.within, fit.verdict)


class BorderLinesTest(unittest.TestCase):
    def test_a_line_on_a_sphere_is_a_circle_through_both_corners(self) -> None:
        scan = sphere()
        corners = 50 * np.array([[0.5, 0.5, 1], [-0.5, 0.5, 1], [-0.5, -0.5, 1], [0.5, -0.5, 1]]) / np.sqrt(1.5)
        corners = scan.closest(corners).points
        for line in (border_line(corners[k], corners[(k + 1) % 4], scan) for k in range(4)):
            self.assertTrue(line.whole)
            # the plane holds the centre of the sphere, for both normals do: a great circle
            normal = np.cross(line.points[0], line.points[-1])
            self.assertLess(np.abs(line.points @ normal / np.linalg.norm(normal)).max(), 0.1)
            angle = np.arccos(line.points[0] @ line.points[-1] / np.prod(np.linalg.norm(line.points[[0, -1]], axis=1)))
            self.assertAlmostEqual(line.length, 50 * angle, delta=0.1)
            steps = np.linalg.norm(np.diff(line.points, axis=0), axis=1)
            self.assertLess(steps.max() / steps.min(), 1.01)

    def test_what_they_enclose_is_what_lies_between_them(self) -> None:
        """The area of a spherical quadrangle by its angles (Girard): the sum less two pi, times the radius squared."""
        scan = sphere(subdivisions=6)
        corners = 50 * np.array([[0.5, 0.5, 1], [-0.5, 0.5, 1], [-0.5, -0.5, 1], [0.5, -0.5, 1]]) / np.sqrt(1.5)
        corners = scan.closest(corners).points
        calm = [border_line(corners[k], corners[(k + 1) % 4], scan) for k in range(4)]
        part = enclosed_part(calm, scan)
        assert part is not None
        unit = corners / np.linalg.norm(corners, axis=1)[:, None]
        angles = []
        for k in range(4):
            a, b, c = unit[k - 1], unit[k], unit[(k + 1) % 4]
            one, two = np.cross(b, a), np.cross(b, c)
            angles.append(np.arccos(one @ two / np.linalg.norm(one) / np.linalg.norm(two)))
        wanted = (sum(angles) - 2 * np.pi) * 50**2
        found = np.linalg.norm(part.scan.area_vectors[part.inside], axis=1).sum()
        self.assertAlmostEqual(found / wanted, 1.0, delta=0.04)  # triangles under the lines among them

    def test_where_a_calm_line_would_bow_it_is_straight_in_plan(self) -> None:
        """Of a saddle (x² - y²) / 80 over 90 x 22 mm calm lines left out 41 % of what was clicked, on domes
        z = -(x² + y²) / d they took in 7 and 40 % more: in plan the sides of a rectangle are straight."""
        for height in (
            lambda x, y: (x**2 - y**2) / 80, lambda x, y: -(x**2 + y**2) / 200, lambda x, y: -(x**2 + y**2) / 80,
        ):  # fmt: skip
            scan = sheet(height, (90, 22), noise=0.0)
            places = np.array([[-45.0, -11], [45, -11], [45, 11], [-45, 11]])
            corners = np.column_stack([places, height(*places.T)])
            lines = border_lines(corners, scan)
            polygon = np.concatenate([line.points[:-1, :2] for line in lines])
            x, y = polygon.T
            area = 0.5 * abs(float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()))
            self.assertAlmostEqual(area / (90 * 22), 1.0, delta=0.005)
            self.assertAlmostEqual(bow_of([line.points for line in lines], scan), 0.0, delta=0.005)
        calm = [border_line(corners[k], corners[(k + 1) % 4], scan) for k in range(4)]
        self.assertAlmostEqual(bow_of([line.points for line in calm], scan), 0.397, delta=0.01)

    def test_over_an_opening_it_goes_straight(self) -> None:
        scan = plane(steps=100)
        middles = scan.points[scan.triangles].mean(axis=1)
        holed = ready_to_fit(kept(scan, np.linalg.norm(middles[:, :2] - [50, 20], axis=1) > 8))
        line = border_lines(np.array([[20.0, 20, 0], [80, 20, 0], [80, 80, 0], [20, 80, 0]]), holed)[0]
        self.assertFalse(line.whole)
        np.testing.assert_allclose(line.points[:, 1], 20, atol=0.7)
        fit = four_corner_patch([[20.0, 20, 0], [80, 20, 0], [80, 80, 0], [20, 80, 0]], holed, 0.2)
        self.assertEqual(fit.surface.count, 4)
        self.assertGreater(fit.figures.missing, 0.01)
        self.assertIn("has no scan below", fit.verdict)

    def test_a_walk_ends_at_the_rim(self) -> None:
        scan = plane()
        start = scan.closest(np.array([[50.3, 50.2, 0]]))
        walk = walk_along_plane(
            scan, (start.points[0], int(start.triangle[0])), (np.array([300.0, 50.2, 0]), -1), np.array([0, 1.0, 0])
        )
        self.assertFalse(walk.arrived)
        self.assertAlmostEqual(walk.points[-1][0], 100.0)

    def test_a_side_goes_where_it_is_pulled_or_laid(self) -> None:
        scan = ready_to_fit(plane(steps=100))
        corners = np.array([[20.0, 20, 0], [80, 20, 0], [80, 80, 0], [20, 80, 0]])
        pulled = PatchOnScan(corners, sides=(Side(through=np.array([[50.0, 10, 0]])), Side(), Side(), Side()))
        surface = pulled.build(Given(scan=scan, tolerance=0.2))
        low = surface.at(np.column_stack([np.linspace(0, 1, 41), np.zeros(41)]))
        self.assertLess(np.linalg.norm(low - [50, 10, 0], axis=1).min(), 0.3)
        self.assertEqual(pulled.inputs, ())
        neighbour = Surface.bezier([[[20.0, 0, 0], [20, 20, 0]], [[50, 0, 0], [50, 30, 0]], [[80, 0, 0], [80, 20, 0]]])
        at = np.array([50.0, 25, 0])
        laid = PatchOnScan(corners, sides=(Side(on="n", at=at), Side(), Side(), Side()))
        surface = laid.build(Given({"n": neighbour}, scan, 0.2))
        edge = neighbour.at(np.column_stack([np.linspace(0, 1, 41), np.ones(41)]))
        low = surface.at(np.column_stack([np.linspace(0, 1, 401), np.zeros(401)]))
        gap = np.linalg.norm(edge[:, None] - low[None], axis=2).min(axis=1)
        self.assertLess(gap.max(), 0.2)
        self.assertEqual(laid.inputs, ("n",))

    def test_neighbours_share_the_edge_exactly(self) -> None:
        """A side on a part of an edge is that part, control point for control point; gaps are those of rounding."""
        simulated = heron(120_000)
        scan, corners = simulated.scan, simulated.master.corners["flank"]
        first = four_corner_patch(corners, scan, 0.2).surface
        outer = edge_curve(first, Edge.U_HIGH)
        a, b = outer.at([0.0, 0.8])
        away = 0.6 * (first.points[-1].mean(axis=0) - first.points[0].mean(axis=0))
        picked = scan.closest(np.array([a, b, b + away, a + away])).points
        for order in ([0, 1, 2, 3], [2, 3, 0, 1], [1, 0, 3, 2]):
            sides = [Side(), Side(), Side(), Side()]
            k = next(i for i in range(4) if {order[i], order[(i + 1) % 4]} == {0, 1})
            sides[k] = Side(on="n", at=outer.at([0.4])[0])
            recipe = PatchOnScan(picked[order], sides=(sides[0], sides[1], sides[2], sides[3]))
            fit = recipe.fit(Given({"n": first}, scan, 0.2))
            self.assertTrue(fit.within, fit.verdict)
            (join,) = find_joins([first, fit.surface])
            self.assertLess(join.gap.max(), 1e-9)
            self.assertGreaterEqual(join.grade(), 0)

    def test_sides_on_curves_meet_at_their_ends(self) -> None:
        """Four curves round a part of a plane: the patch has them as its borders, whatever their degrees and knots."""
        scan = ready_to_fit(plane(steps=100))
        c = np.array([[20.0, 20, 0], [80, 20, 0], [80, 80, 0], [20, 80, 0]])
        curves = {
            "a": Curve.bezier([c[0], [50, 10, 0], c[1]]),
            "b": Curve(3, uniform_knots(3, 2), [c[1], [82, 30, 0], [85, 50, 0], [81, 70, 0], c[2]]),
            "c": Curve.bezier([c[3], [40, 90, 0], [60, 85, 0], [70, 78, 0], c[2]]),
            "d": Curve(2, np.array([0, 0, 0, 0.3, 1, 1, 1]), [c[3], [15, 60, 0], [18, 40, 0], c[0]]),
        }
        sides = [Side(on=name, at=curve.at([0.5])[0]) for name, curve in curves.items()]
        recipe = PatchOnScan(c, sides=(sides[0], sides[1], sides[2], sides[3]))
        surface = recipe.fit(Given(dict(curves), scan, 0.2)).surface
        at = np.linspace(0, 1, 101)
        for curve in curves.values():
            gaps = [curve_feet(edge_curve(surface, edge), curve.at(at)).distance.max() for edge in Edge]
            self.assertLess(min(gaps), 1e-9)
        self.assertEqual(recipe.inputs, ("a", "b", "c", "d"))

    def test_whichever_way_round_the_corners_are_clicked_sides_stay_theirs(self) -> None:
        scan = ready_to_fit(plane(steps=100))
        corners = np.array([[20.0, 20, 0], [20, 80, 0], [80, 80, 0], [80, 20, 0]])
        sides = (Side(), Side(), Side(), Side(through=np.array([[50.0, 10, 0]])))
        surface = PatchOnScan(corners, sides=sides).build(Given(scan=scan, tolerance=0.2))
        points = surface.on_grid(np.linspace(0, 1, 41), np.linspace(0, 1, 41))[0, 0].reshape(-1, 3)
        self.assertAlmostEqual(points[:, 1].min(), 10.0, delta=0.3)
        self.assertAlmostEqual(points[:, 1].max(), 80.0, delta=0.1)


class EvenCurveTest(unittest.TestCase):
    def test_poles_of_a_circle_become_even(self) -> None:
        """By symmetry the poles of an arc can be even; chord length through places that crowd at one end is not."""
        angle = np.concatenate([np.linspace(0, 0.5, 60), np.linspace(0.5, 2.0, 20)[1:]])
        arc = 30 * np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
        crowded = Curve.bezier([arc[0], [30, 2, 0], [29, 8, 0], [10, 38, 0], arc[-1]])
        even = evened_curve(crowded, arc, 0.5)
        self.assertGreater(leg_ratio(crowded), 2.0)
        self.assertLess(leg_ratio(even), 1.15)
        np.testing.assert_array_equal(even.points[[0, -1]], crowded.points[[0, -1]])
        self.assertLess(np.percentile(curve_feet(even, arc).distance, 97), 0.4)
        self.assertIs(evened_curve(even, arc, 0.5), even)


class EvennessTest(unittest.TestCase):
    def test_divided_differences_are_derivatives(self) -> None:
        at = np.array([0.0, 0.1, 0.35, 0.6, 1.0])
        rows = divided_differences(at, 2)
        for k, row in enumerate(rows):
            self.assertAlmostEqual(row @ (3 * at**2 - at + 5)[k : k + 3], 6.0)

    def test_even_nets_measure_as_even(self) -> None:
        """A linear net over any knots has legs as its Greville spacing, straight rows, and constant speed."""
        knots = np.array([0, 0, 0, 0, 0.2, 0.3, 0.7, 1, 1, 1, 1.0])
        greville = np.array([knots[i + 1 : i + 4].mean() for i in range(7)])
        x, y = np.meshgrid(60 * greville, 40 * greville, indexing="ij")
        flat = Surface((3, 3), (knots, knots), np.stack([x, y, 0 * x], -1))
        found = evenness(flat)
        np.testing.assert_allclose((found.leg, found.bend, found.speed), (1, 0, 1), atol=1e-5)
        points = flat.points.copy()
        points[3, 3] += [0, 4.0, 0]
        pushed = evenness(flat.with_points(points))
        before, after = points[3, 3] - points[2, 3], points[4, 3] - points[3, 3]
        turn = np.degrees(np.arctan2(before[1], before[0]) - np.arctan2(after[1], after[0]))
        self.assertAlmostEqual(pushed.bend, turn, places=6)
        self.assertEqual(pushed.bend_at, (3, 3))

    def test_the_energy_evens_the_net_and_leaves_the_form(self) -> None:
        scan = sphere()
        knots = uniform_knots(3, 2)
        corners = 50 * np.array([[0.4, 0.4, 1], [-0.4, 0.4, 1], [-0.4, -0.4, 1], [0.4, -0.4, 1]]) / np.sqrt(1.32)
        fit = four_corner_patch(corners, scan, 0.1, (3, 3))
        rough = fit.surface.with_knots(knots[4:-4], knots[4:-4])
        points = rough.points.copy()
        points[1:-1, 1:-1] += np.random.default_rng(0).normal(scale=[2, 2, 0], size=(3, 3, 3))
        crumpled = rough.with_points(points)
        held = np.ones(points.shape[:2], dtype=bool)
        held[1:-1, 1:-1] = False
        even = fit_patch(crumpled, scan, FitSettings(0.1, 40, 8, 0.002, even=1e-4), held, trusted=True)
        self.assertGreater(evenness(crumpled).leg, 1.3)
        self.assertLess(evenness(even).leg, 1.1)
        self.assertTrue(measure_both_ways([even], scan, 0.1).within(0.1))


class CoverTest(unittest.TestCase):
    """Against areas that are known."""

    def test_shares(self) -> None:
        scan = ready_to_fit(plane(steps=100))
        part = enclosed_part(border_lines(np.array([[20.0, 20, 0], [80, 20, 0], [80, 80, 0], [20, 80, 0]]), scan), scan)
        assert part is not None

        def rectangle(x0: float, x1: float) -> Surface:
            return Surface.bezier([[[x0, 20, 0], [x0, 80, 0]], [[x1, 20, 0], [x1, 80, 0]]]).elevated(2, 2)

        whole = cover(rectangle(20, 80), part.scan, part.inside, 0.2)
        self.assertTrue(whole.whole)
        self.assertEqual((whole.coverage, whole.outside, whole.folded, whole.words), (1.0, 0.0, 0.0, ""))
        narrow = cover(rectangle(35, 80), part.scan, part.inside, 0.2)
        self.assertAlmostEqual(narrow.coverage, 0.75, delta=0.02)
        self.assertEqual(narrow.outside, 0.0)
        part = replace(part, scan=scan, inside=np.all(np.abs(scan.points[scan.triangles].mean(1)[:, :2] - 50) < 30, 1))
        wide = cover(rectangle(20, 95), part.scan, part.inside, 0.2)
        self.assertAlmostEqual(wide.outside, 15 / 75, delta=0.03)
        self.assertIn("beyond the border lines", wide.words)

    def test_folds(self) -> None:
        """A sheet that runs to 60, back to 40 and on to 80 lies threefold over a third of its way."""
        scan = ready_to_fit(plane(steps=100))
        part = enclosed_part(border_lines(np.array([[20.0, 20, 0], [80, 20, 0], [80, 80, 0], [20, 80, 0]]), scan), scan)
        assert part is not None
        knots = np.array([0, 0, 1 / 3, 2 / 3, 1, 1.0])
        points = [[[x, y, 0.0] for y in (20, 80)] for x in (20.0, 60, 40, 80)]
        folded = Surface((1, 1), (knots, np.array([0, 0, 1.0, 1])), np.array(points))
        found = cover(folded, part.scan, part.inside, 0.2)
        self.assertAlmostEqual(found.folded, 60 / 100, delta=0.06)
        self.assertIn("folded", found.words)

    def test_a_narrow_patch_is_not_folded(self) -> None:
        """Nine times as long as wide, its samples lie close together one way only: up to 76 % were called folded."""
        scan = ready_to_fit(plane(steps=100))
        corners = np.array([[20.0, 46, 0], [80, 46, 0], [80, 52.5, 0], [20, 52.5, 0]])
        fit = four_corner_patch(corners, scan, 0.75)
        assert fit.cover is not None
        self.assertEqual(fit.cover.folded, 0.0)
        self.assertTrue(fit.within, fit.verdict)
