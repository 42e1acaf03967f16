"""Sections, combs, joins: against trimesh, the kernel, analytic curvatures and exact splits."""

import unittest

import numpy as np
import trimesh

from arabesque.checking import (
    Comb,
    Family,
    Flaw,
    JoinMemory,
    Limits,
    close_ups,
    cut_triangles,
    find_joins,
    flaws_of,
    polyline_comb,
    rim_comb,
    scan_sections,
    shape_combs,
    shape_sections,
    shape_to_scan,
    wobble,
)
from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Elementary,
    ElementaryKind,
    Face,
    Surface,
    Trim,
    curve_curvature,
    section_bends,
    split_surface,
    swapped_surface,
    uniform_knots,
)
from arabesque.solid import KernelWorker
from tests.examples import heron, plane, random_surface, sphere


def lengths(segments: np.ndarray) -> np.ndarray:
    return np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1)


class SectionTest(unittest.TestCase):
    def test_same_as_trimesh(self) -> None:
        """Length of each section of a scan against trimesh's, for three directions."""
        scan = heron().scan
        mesh = trimesh.Trimesh(scan.points, scan.triangles, process=False)
        for direction in ([1.0, 0, 0], [0, 1.0, 0], [0.5, 0.2, 0.8]):
            family = Family(np.array(direction), 23.0, 4.0)
            found = scan_sections(scan, family)
            for level in np.unique(found.plane)[1:-1:2]:
                theirs = mesh.section(family.direction, family.direction * (4.0 + 23.0 * level))
                ours = lengths(found.segments[found.plane == level]).sum()
                self.assertAlmostEqual(ours / theirs.length, 1.0, places=7)

    def test_circles_of_a_sphere(self) -> None:
        """Section at height h: a circle of radius sqrt(r² - h²)."""
        found = scan_sections(sphere(50.0, 6), Family(np.array([0, 0, 1.0]), 20.0))
        for level in (-2, -1, 0, 1, 2):
            wanted = 2 * np.pi * np.sqrt(50**2 - (20 * level) ** 2)
            self.assertAlmostEqual(lengths(found.segments[found.plane == level]).sum() / wanted, 1.0, delta=2e-3)

    def test_gap_drawn_larger(self) -> None:
        """A patch 0.1 mm above a flat scan: its section stands 1 mm above when the gap is drawn ten times."""
        scan = plane()
        flat = Surface.bezier([[[10, 10, 0.1], [10, 90, 0.1]], [[90, 10, 0.1], [90, 90, 0.1]]])
        grid = shape_to_scan(flat, scan, 20)
        family = Family(np.array([1.0, 0, 0]), 10.0)
        true, large = (shape_sections(grid, family, times).segments for times in (1.0, 10.0))
        np.testing.assert_allclose(true[..., 2], 0.1, atol=1e-9)
        np.testing.assert_allclose(large[..., 2], 1.0, atol=1e-9)
        np.testing.assert_allclose(true[..., 0], large[..., 0], atol=1e-9)

    def test_planes_through_corners_and_too_many(self) -> None:
        sheet = plane(100.0, 10)
        found = cut_triangles(sheet.points, sheet.triangles, sheet.points[:, 0] / 10.0)
        # the lowest level runs along the rim and does not count; each of the ten others is 100 mm long
        self.assertAlmostEqual(lengths(found.segments).sum(), 1000.0)
        with self.assertRaises(ArabesqueError):
            scan_sections(sheet, Family(np.array([1.0, 0, 0]), 1e-3))
        with self.assertRaises(ArabesqueError):
            Family(np.array([1.0, 0, 0]), 0.0)


class CloseUpTest(unittest.TestCase):
    def test_heights_along_a_direction(self) -> None:
        """A patch 0.1 mm over a flat scan, and one that rises by 0.01 along x."""
        scan = plane()
        grid = shape_to_scan(Surface.bezier([[[10, 10, 0.1], [10, 90, 0.1]], [[90, 10, 0.9], [90, 90, 0.9]]]), scan, 40)
        place, up = np.array([50.0, 50.0, 0.5]), np.array([0.0, 0, 1])
        (along_x,) = close_ups(grid.samples, scan, place, up, [np.array([1.0, 0, 0.01])], 8.0)
        np.testing.assert_allclose(along_x.scan, -0.5, atol=1e-9)
        np.testing.assert_allclose(along_x.surface, 0.01 * along_x.along, atol=1e-9)
        self.assertAlmostEqual(along_x.gap, 0.5)
        (across,) = close_ups(grid.samples, scan, place, up, [np.array([0.0, 1, 0])], 8.0)
        np.testing.assert_allclose(across.surface, 0.0, atol=1e-9)

    def test_beyond_the_rim_there_is_nothing(self) -> None:
        scan = plane()
        grid = shape_to_scan(Surface.bezier([[[60, 10, 0], [60, 90, 0]], [[130, 10, 0], [130, 90, 0]]]), scan, 40)
        (near,) = close_ups(
            grid.samples, scan, np.array([97.0, 50, 0]), np.array([0.0, 0, 1]), [np.array([1.0, 0, 0])], 8.0
        )
        self.assertTrue(np.isnan(near.scan[-10:]).all())
        self.assertFalse(np.isnan(near.scan[:30]).any())


def border_combs(face: Face) -> list[Comb]:
    return [rim_comb(rim) for rim in face.rims()]


class CombTest(unittest.TestCase):
    def test_cylinder(self) -> None:
        """1 / r round the axis, nothing along it; calm both ways."""
        rod = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (10.0,), ((-1.0, 1.0), (0.0, 20.0)))
        round_, along = shape_combs(rod, 3)[1], shape_combs(rod, 3)[4]
        np.testing.assert_allclose(np.abs(round_.signed), 0.1, atol=1e-12)
        np.testing.assert_allclose(along.signed, 0.0, atol=1e-12)
        self.assertTrue(round_.calm and along.calm)
        away = np.linalg.norm(round_.teeth(50.0)[:, :2], axis=1)
        np.testing.assert_allclose(away, 15.0, atol=1e-9)

    def test_the_kernel_bends_alike(self) -> None:
        """Curvature of parameter lines from the kernel's derivatives."""
        surface = random_surface((4, 3), (2, 3), seed=2)
        comb = shape_combs(surface, 101)[37]
        worker = KernelWorker()
        try:
            record = {
                "degree": surface.degree, "knots": surface.knots, "points": surface.points, "weights": surface.weights,
            }  # fmt: skip
            uv = np.column_stack([np.linspace(0, 1, 61), np.full(61, 0.37)])
            d = worker.call("evaluate", record, uv)
        finally:
            worker.close()
        first, second = d[1, 0], d[2, 0]
        cross = np.linalg.norm(np.cross(first, second), axis=1)
        theirs = cross / np.linalg.norm(first, axis=1) ** 3
        np.testing.assert_allclose(np.linalg.norm(comb.vectors, axis=1), theirs, atol=1e-10)

    def test_curves_and_surfaces_agree(self) -> None:
        """The edge of a patch as a curve of its own has the same curvature vectors."""
        from arabesque.geometry import Curve

        surface = random_surface((3, 3), (2, 2), seed=5)
        edge = Curve(surface.degree[0], surface.knots[0], surface.points[:, 0])
        comb = shape_combs(surface)[0]
        np.testing.assert_allclose(comb.vectors, curve_curvature(edge, np.linspace(0, 1, 61)), atol=1e-12)

    def test_flaws(self) -> None:
        along = np.linspace(0, 100, 101)
        steady = flaws_of(0.01 + 0.0001 * along, along)
        self.assertFalse(any(found.any() for found in steady.values()))
        turned = flaws_of(0.01 * np.cos(along / 100 * np.pi), along)
        self.assertAlmostEqual(along[turned[Flaw.SIGN]][0], 50, delta=2)
        dipped = flaws_of(0.02 - 0.012 * np.exp(-(((along - 40) / 12) ** 2)), along)
        self.assertAlmostEqual(along[dipped[Flaw.DIP]][0], 40, delta=1.5)
        uneven = flaws_of(0.01 + 0.0002 * along + 0.002 * np.exp(-(((along - 70) / 2) ** 2)), along)
        self.assertTrue(uneven[Flaw.UNEVEN].any())

    def test_borders_of_a_trim(self) -> None:
        """A cylinder cut askew: its border is an ellipse, bent ab / (a² sin² t + b² cos² t)^(3/2) (do Carmo 1976)."""
        radius = 20.0
        shape = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (radius,), ((-1.4, 1.4), (-40.0, 40.0)))
        (u0, u1), _ = shape.domain
        # the plane z = x, and straight down to the foot on both sides
        u = np.linspace(u0, u1, 129)[1:-1]
        x = shape.at(np.column_stack([u, np.zeros(len(u))]))[:, 0]
        loop = np.vstack([np.column_stack([u, (x + 40) / 80]), [[u[-1], 0.0], [u[0], 0.0]]])
        combs = border_combs(Face(shape.degree, shape.knots, shape.points, shape.weights, Trim((loop,))))
        self.assertEqual(len(combs), 4)
        long = max(combs, key=lambda comb: len(comb.points))
        a, b = radius * np.sqrt(2), radius
        t = np.arctan2(long.points[:, 1] / b, long.points[:, 0] / radius)
        wanted = a * b / (a**2 * np.sin(t) ** 2 + b**2 * np.cos(t) ** 2) ** 1.5
        found = np.linalg.norm(long.vectors, axis=1)
        np.testing.assert_allclose(found[1:-1], wanted[1:-1], rtol=2e-3)
        foot = [comb for comb in combs if np.ptp(comb.points[:, 2]) < 1e-9]
        np.testing.assert_allclose(np.linalg.norm(foot[0].vectors, axis=1), 1 / radius, rtol=1e-3)

    def test_a_side_that_is_a_point_has_no_teeth(self) -> None:
        ball = Elementary.make(ElementaryKind.SPHERE, np.eye(4), (20.0,), ((0.0, 1.5), (-np.pi / 2, np.pi / 2)))
        combs = shape_combs(ball)
        pole = [comb for comb in combs if np.ptp(comb.points, axis=0).max() < 1e-9]
        self.assertEqual(len(pole), 2)
        self.assertEqual(max(np.abs(comb.vectors).max() for comb in pole), 0.0)
        meridians = [comb for comb in combs if np.ptp(comb.points[:, 2]) > 39]
        for comb in meridians:
            np.testing.assert_allclose(np.linalg.norm(comb.vectors, axis=1), 1 / 20.0, rtol=1e-9)

    def test_a_round_hole_is_one_calm_comb(self) -> None:
        sheet = Surface.bezier([[[0.0, 0, 0], [0, 100, 0]], [[100, 0, 0], [100, 100, 0]]])
        turn = np.linspace(0, 2 * np.pi, 64, endpoint=False)
        hole = 0.5 + 0.2 * np.column_stack([np.cos(turn), np.sin(turn)])
        (comb,) = border_combs(Face(sheet.degree, sheet.knots, sheet.points, None, Trim((hole,))))
        np.testing.assert_allclose(np.linalg.norm(comb.vectors, axis=1), 1 / 20.0, rtol=2e-3)
        nothing = Face(sheet.degree, sheet.knots, sheet.points, None, Trim((np.zeros((5, 2)),)))
        self.assertEqual(border_combs(nothing), [])

    def test_polyline_of_a_circle(self) -> None:
        turn = np.linspace(0, 2, 80)
        circle = np.column_stack([20 * np.cos(turn), 20 * np.sin(turn), 0 * turn])
        comb = polyline_comb(circle, circle / 20)
        np.testing.assert_allclose(comb.signed, -1 / 20, rtol=1e-3)

    def test_wobble(self) -> None:
        """Whether a wave of 0.1 mm is in the scan or only in the surface."""
        along = np.linspace(0, 100, 200)
        slow, wave = 0.002 * (along - 40) ** 2, 0.1 * np.sin(along / 3)
        self.assertEqual(wobble(slow + wave, slow + wave, along).verdict, "the wave is in the scan")
        self.assertEqual(wobble(slow + wave, slow, along).verdict, "the surface adds a wave")
        self.assertEqual(wobble(slow, slow + wave, along).verdict, "the surface calms the scan")
        self.assertEqual(wobble(slow, slow, along).verdict, "no wave")

    def test_lines_both_ways(self) -> None:
        self.assertEqual(len(shape_combs(random_surface((3, 3), (1, 1)), 5)), 10)


class JoinTest(unittest.TestCase):
    def test_a_hole_in_a_plate_and_its_wall(self) -> None:
        """Trims are polygons; between their corners the border is the circle, on both faces: no gap, square to each
        other."""
        radius, height = 12.0, 20.0
        plate = Surface.bezier([[[-40.0, -40, height], [-40, 40, height]], [[40, -40, height], [40, 40, height]]])
        turn = np.linspace(0, 2 * np.pi, 38, endpoint=False)
        around = 0.5 + radius / 80 * np.column_stack([np.cos(turn), np.sin(turn)])
        square = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
        top = Face(plate.degree, plate.knots, plate.points, None, Trim((square, around)))
        half = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (radius,), ((0.1, 3.0), (0.0, height)))
        joins = [join for join in find_joins([half, top]) if -1 not in (join.first[1], join.second[1])]
        self.assertEqual([join.word() for join in joins], ["G0, 90.00°"])
        self.assertLess(joins[0].gap.max(), 1e-3)
        self.assertFalse(np.isnan(joins[0].curvature).any() or np.isnan(joins[0].change).any())

    def test_split_patch_is_one_form(self) -> None:
        """Two halves of one C² patch meet with gap, angle and curvature to the last digits."""
        first, second = split_surface(random_surface((5, 5), (2, 2), seed=1), 0, 0.43)
        (join,) = find_joins([first, second])
        self.assertEqual((join.first, join.second), ((0, 1), (1, 3)))
        self.assertLess(join.gap.max(), 1e-10)
        self.assertLess(join.angle.max(), 1e-9)
        self.assertLess(join.curvature.max(), 1e-8)
        self.assertEqual(join.grade(), 3)

    def test_known_kink_gap_and_bend(self) -> None:
        """A kink of 3 degrees, a gap of 0.05 mm, and a plane that runs into a cylinder: G0, open, G1."""

        def flat(x0: float, x1: float, lift: float = 0.0, slope: float = 0.0) -> Surface:
            return Surface.bezier([[[x, y, lift + slope * (x - x0)] for y in (0.0, 40.0)] for x in (x0, x1)])

        (kinked,) = find_joins([flat(0, 50), flat(50, 100, slope=np.tan(np.radians(3)))])
        np.testing.assert_allclose(kinked.angle, 3.0, atol=1e-9)
        self.assertEqual(kinked.word(), "G0, 3.00°")
        (gapped,) = find_joins([flat(0, 50), flat(50, 100, lift=0.05)])
        np.testing.assert_allclose(gapped.gap, 0.05, atol=1e-12)
        self.assertEqual(gapped.grade(), -1)
        self.assertEqual(gapped.grade(Limits(gap=0.06)), 3)
        frame = np.array([[0.0, -1, 0, 50], [0, 0, 1.0, 0], [-1.0, 0, 0, 30], [0, 0, 0, 1]])
        roll = Elementary.make(ElementaryKind.CYLINDER, frame, (30.0,), ((-1.0, 0.0), (0.0, 40.0)))
        (tangent,) = find_joins([flat(0, 50), roll])
        self.assertLess(tangent.angle.max(), 1e-9)
        self.assertEqual(tangent.grade(), 1)
        np.testing.assert_allclose(tangent.curvature, 2.0, atol=1e-6)

    def test_change_of_curvature_does_not_depend_on_order_or_lines(self) -> None:
        """One smooth sheet, cut in two and its halves' lines sheared or turned: G3 whichever way it is read."""
        sheet = random_surface((5, 5), (1, 1), seed=4)
        first, second = split_surface(sheet, 0, 0.5)
        knots = second.with_knots((), [0.3])
        turned = second.reversed(1)
        for other in (second, knots, turned, swapped_surface(second)):
            for pair in ([first, other], [other, first]):
                (join,) = find_joins(pair)
                self.assertLess(join.change.max(), 1e-6)
        bent = second.points.copy()
        bent[3] += [0, 0, 6.0]
        other = second.with_points(bent)
        one, two = (find_joins(pair)[0] for pair in ([first, other], [other, first]))
        self.assertEqual(one.grade(), 2)
        self.assertAlmostEqual(one.change.max(), two.change.max(), places=6)

    def test_change_of_curvature_of_a_clothoid_like_curve(self) -> None:
        """z = x³ / 6 bends by x to first order: at x = 0 the section's curvature is 0 and changes by 1 (per mm²)."""
        profile = ((0.0, 0), (1 / 3, 0), (2 / 3, 0), (1.0, 1 / 6))
        sheet = Surface.bezier([[[x, y, z] for y in (0.0, 1.0)] for x, z in profile])
        d = sheet.derivatives([[0.0, 0.5]], 3)
        for direction in ([1.0, 0, 0], [0.6, 0.8, 0]):
            # along a slanted way only the part across counts: the cube of its share
            wanted = direction[0] ** 3
            np.testing.assert_allclose(section_bends(d, np.array([direction]))[1], wanted, atol=1e-12)
        np.testing.assert_allclose(section_bends(d, np.array([[1.0, 0, 0]]))[0], 0.0, atol=1e-12)

    def test_staggered_scissored_and_half_inside(self) -> None:
        """Every part that two rims have in common is a join, and nothing else."""

        def flat(x0: float, x1: float, y0: float, y1: float) -> Surface:
            return Surface.bezier([[[x, y, 0.0] for y in (y0, y1)] for x in (x0, x1)])

        (staggered,) = find_joins([flat(0, 50, 0, 100), flat(50, 90, 40, 160)])
        length = np.linalg.norm(staggered.points[-1] - staggered.points[0])
        self.assertAlmostEqual(length, 60.0, delta=1.5)
        (half,) = find_joins([flat(0, 100, 0, 100), flat(50, 60, 50, 150).moved(np.eye(4))], 0.5)[:1]
        self.assertEqual(half.gap.max(), 0.0)
        scissors = Surface.bezier([[[0.0, 0, 0], [0, 100, 0]], [[-50.0, 0, 0], [-50, 100, 0]]])
        points = scissors.points.copy()
        points[0, 1] += [-2.0, 0, 0]
        (opened,) = find_joins([flat(0, 50, 0, 100), scissors.with_points(points)], 1.0)
        self.assertAlmostEqual(np.linalg.norm(opened.points[-1] - opened.points[0]), 50.0, delta=2.0)
        self.assertAlmostEqual(opened.gap.max(), 1.0, delta=0.05)
        self.assertEqual(find_joins([flat(0, 50, 0, 100), flat(50.4, 90, 0, 100)], 0.3), [])
        (wide,) = find_joins([flat(0, 50, 0, 100), flat(50.4, 90, 0, 100)], 0.5)
        np.testing.assert_allclose(wide.gap, 0.4, atol=1e-9)

    def test_a_gap_between_two_knots_is_found_from_either_side(self) -> None:
        """A dent of 0.3 mm over a hundredth of an edge of many spans, wherever it lies."""
        knots = uniform_knots(3, 150)
        y = np.array([knots[k + 1 : k + 4].mean() for k in range(153)]) * 100
        rows = np.stack([np.zeros_like(y), y, np.zeros_like(y)], -1)
        whole = Surface((1, 3), (np.array([0, 0, 1.0, 1]), knots), np.stack([rows - [40, 0, 0], rows]))
        other = Surface.bezier([[[0.0, 0, 0], [0, 100, 0]], [[40.0, 0, 0], [40, 100, 0]]])
        for place in (37, 74, 111):
            points = whole.points.copy()
            points[1, place, 2] += 0.45
            dented = whole.with_points(points)
            depth = 0.45 * 2 / 3  # a cubic B-spline's largest value on even knots
            for pair in ([dented, other], [other, dented]):
                (join,) = find_joins(pair, 1.0)
                self.assertAlmostEqual(join.gap.max(), depth, delta=0.02)

    def test_a_dent_between_the_teeth_of_a_comb_shows(self) -> None:
        knots = uniform_knots(3, 150)
        x = np.array([knots[k + 1 : k + 4].mean() for k in range(153)]) * 150
        row = np.stack([x, 0 * x, -((x - 75) ** 2) / 400], -1)
        points = np.stack([row, row + np.array([0, 30, 0])], axis=1)
        points[76, :, 2] -= 0.2
        dented = Surface((3, 1), (knots, np.array([0, 0, 1.0, 1])), points)
        combs = shape_combs(dented, 3)
        self.assertTrue(any(mask.any() for comb in combs[:3] for mask in comb.flaws.values()))

    def test_what_stays_is_not_measured_anew_and_is_the_same(self) -> None:
        sheet = random_surface((3, 3), (3, 1), seed=2)
        one, rest = split_surface(sheet, 0, 0.3)
        two, three = split_surface(rest, 0, 0.6)
        memory = JoinMemory()
        find_joins([one, two, three], None, memory)
        pulled = three.points.copy()
        pulled[0] += [0, 0, 0.05]
        shapes = [two, three.with_points(pulled), one]
        again, fresh = find_joins(shapes, None, memory), find_joins(shapes)
        self.assertEqual([(j.first, j.second) for j in again], [(j.first, j.second) for j in fresh])
        self.assertEqual(len(fresh), 2)
        for ours, theirs in zip(again, fresh, strict=True):
            for name in ("points", "gap", "angle", "curvature", "change"):
                np.testing.assert_allclose(getattr(ours, name), getattr(theirs, name), atol=1e-9)

    def test_patches_apart_do_not_meet(self) -> None:
        surface = random_surface((2, 2), (1, 1))
        self.assertEqual(find_joins([surface, surface.with_points(surface.points + np.array([0, 0, 80.0]))]), [])
        self.assertEqual(find_joins([surface]), [])
