"""Blends to mirror images and along lines, and borders over the inside of surfaces, against closed forms."""

import unittest

import numpy as np

from arabesque.checking import find_joins
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Edge, Elementary, ElementaryKind, Plane, Surface, uniform_knots
from arabesque.geometry.matching import nearest_surface
from arabesque.model import Item
from arabesque.script import Project
from arabesque.tracing import through
from tests.joining.test_blend import hill

RADIUS = 50.0


def flat(low: float, high: float, z: float = 0.0) -> Surface:
    """A level patch over x from low to high, y from 0 to 60 mm."""
    x, y = np.meshgrid(np.linspace(low, high, 4), np.linspace(0, 60, 4), indexing="ij")
    return Surface.bezier(np.stack([x, y, np.full_like(x, z)], -1))


def rod() -> Elementary:
    """A cylinder along y, its axis at x = z = 0."""
    frame = np.eye(4)
    frame[:3, :3] = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]).T
    return Elementary.make(ElementaryKind.CYLINDER, frame, (RADIUS,), ((0.0, 2 * np.pi), (-100.0, 100.0)))


def on_rod(low: float, high: float) -> Surface:
    """A polynomial patch beside the rod's top, 2 mm above it; low, high: degrees from the top."""
    t = np.linspace(0, 1, 25)
    angle = np.radians(low + (high - low) * t)[:, None]
    y = np.broadcast_to(10 + 30 * t[None], (25, 25))
    out = RADIUS + 2.0
    grid = np.dstack([out * np.sin(angle) + 0 * y, y, out * np.cos(angle) + 0 * y])
    knots = uniform_knots(5, 2)
    return nearest_surface((5, 5), (knots, knots), [t, t], grid)


class ImageTest(unittest.TestCase):
    def test_symmetric_to_the_bit_and_follows_patch_and_plane(self) -> None:
        with Project() as project:
            project.plane = Plane(np.array([1.0, 0, 0]), 50.0)
            one = project.add("One", hill(0, 40, 0))
            made = project.blend((one, Edge.U_HIGH), order=2, pull=1.2)
            for lift in (0.0, 1.5):
                project.reshape(one, one.shape.with_points(one.shape.points + np.array([0, 0, lift])), "raised")
                now = project.item(made.id)
                self.assertEqual(now.trouble, "")
                image = now.shape.mirrored(project.plane)
                np.testing.assert_array_equal(image.points, now.shape.points)
                joins = project.joins([project.item(one.id), now])
                self.assertEqual([join.grade() for join in joins], [2])
            project.plane = Plane(np.array([1.0, 0, 0]), 60.0)
            self.assertAlmostEqual(float(np.mean(project.item(made.id).shape.box, axis=0)[0]), 60.0, places=6)


class AlongLinesTest(unittest.TestCase):
    def test_sides_follow_lines_and_borders_are_met_as_before(self) -> None:
        """Two level patches, side by side and 20 mm apart; the blend's sides bulge by 3 and dip by 2 mm."""
        with Project() as project:
            one, two = project.add("One", flat(0, 40)), project.add("Two", flat(60, 100))
            t = np.linspace(0, 1, 9)
            lines = []
            for name, y, bulge in (("Low", 5.0, 3.0), ("High", 50.0, -2.0)):
                # a polynomial of degree 6 that leaves both patches with G2: 64 t^3 (1 - t)^3 is 1 in the middle
                dense = np.linspace(0, 1, 401)
                places = np.column_stack([40 + 20 * dense, 0 * dense + y, 64 * bulge * (dense * (1 - dense)) ** 3])
                lines.append(project.add(name, _line(places[::20])))
            made = project.blend((one, Edge.U_HIGH), (two, Edge.U_LOW), order=2, lines=lines)
            for line in lines:
                wanted = line.shape.at(np.linspace(*line.shape.domain, 41))
                side = min((0, 1), key=lambda v: abs(made.shape.at([[0.5, v]])[0, 1] - wanted[0, 1]))
                dense = made.shape.at(np.column_stack([np.linspace(0, 1, 4001), np.full(4001, side)]))
                away = np.linalg.norm(wanted[:, None] - dense[None], axis=2).min(axis=1)
                self.assertLess(away.max(), 0.01)
            grades = sorted(join.grade() for join in project.joins([one, two, made]))
            self.assertEqual(grades, [2, 2])
            self.assertAlmostEqual(float(made.shape.at([[0.0, t[0]]])[0, 1]), 5.0, delta=0.02)

    def test_two_lines_at_one_end_are_refused(self) -> None:
        with Project() as project:
            one, two = project.add("One", flat(0, 40)), project.add("Two", flat(60, 100))
            some = [
                project.add(name, _line(np.column_stack([np.linspace(40, 60, 9), np.full(9, y), np.zeros(9)])))
                for name, y in (("First", 4.0), ("Second", 9.0))
            ]
            with self.assertRaisesRegex(ArabesqueError, "one end"):
                project.blend((one, Edge.U_HIGH), (two, Edge.U_LOW), lines=some)


def _line(places: np.ndarray) -> Curve:
    return through(places)


class InsideTest(unittest.TestCase):
    def test_an_edge_goes_on_in_a_rod(self) -> None:
        """A patch that hovers over a rod comes down onto it; its curvature across the edge is then that of the rod."""
        for order in (0, 1, 2):
            with Project() as project:
                bar, patch = project.add("Rod", rod()), project.add("Patch", on_rod(10, 50))
                made = project.match(patch, Edge.U_LOW, bar, order=order)
                v = np.linspace(0, 1, 33)
                edge = np.column_stack([0 * v, v])
                on = made.shape.at(edge)
                np.testing.assert_allclose(np.hypot(on[:, 0], on[:, 2]), RADIUS, atol=2e-4)
                if order:
                    out = on * [1, 0, 1] / RADIUS
                    cosine = np.abs(np.einsum("nc,nc->n", made.shape.normals(edge), out))
                    self.assertLess(np.degrees(np.arccos(np.clip(cosine, -1, 1))).max(), 0.02)
                if order == 2:
                    joins = find_joins([bar.shape, made.shape])
                    (join,) = (join for join in joins if (1, int(Edge.U_LOW)) in (join.first, join.second))
                    self.assertGreaterEqual(join.grade(), 2)

    def test_an_edge_on_a_curve_is_exact(self) -> None:
        with Project() as project:
            curve = project.add(
                "Line", Curve(2, np.array([0.0, 0, 0, 1, 1, 1]), [[42, 0, 5], [45, 30, 9], [42, 60, 5]])
            )
            patch = project.add("Patch", flat(40, 80))
            made = project.match(patch, Edge.U_LOW, curve, order=0)
            v = np.linspace(0, 1, 33)
            np.testing.assert_allclose(made.shape.at(np.column_stack([0 * v, v])), curve.shape.at(v), atol=1e-9)
            with self.assertRaisesRegex(ArabesqueError, "no tangent plane"):
                project.match(patch, Edge.U_LOW, curve, order=1)

    def test_a_blend_from_a_line_over_a_patch(self) -> None:
        """The line runs at x = 30 of a level patch: the blend to one 10 mm higher begins there, level."""
        with Project() as project:
            one, two = project.add("One", flat(0, 50)), project.add("Two", flat(60, 100, 10.0))
            line = project.add(
                "Line", _line(np.column_stack([np.full(9, 30.0), np.linspace(5, 55, 9), np.full(9, 4.0)]))
            )
            made = project.blend((one, line), (two, Edge.U_LOW), order=1)
            v = np.linspace(0, 1, 17)
            edge = np.column_stack([0 * v, v])
            np.testing.assert_allclose(made.shape.at(edge)[:, [0, 2]], [[30.0, 0.0]] * 17, atol=1e-6)
            np.testing.assert_allclose(np.abs(made.shape.normals(edge)[:, 2]), 1.0, atol=1e-9)
            first = made.shape.derivatives(edge, 1)[1, 0]
            self.assertGreater(first[:, 0].min(), 0.0)  # it sets out towards the other patch
            project.reshape(one, one.shape.with_points(one.shape.points + np.array([0, 0, 1.0])), "raised")
            self.assertAlmostEqual(float(project.item(made.id).shape.at(edge)[0, 2]), 1.0, places=6)


class HalfWayTest(unittest.TestCase):
    def test_both_meet_in_the_middle(self) -> None:
        """Two level patches, 2 mm apart in height: their edges meet at 1 mm, and the joint is as smooth as asked."""
        for order in (0, 1, 2):
            with Project() as project:
                one, two = project.add("One", hill(0, 40, 0)), project.add("Two", hill(40, 80, 2.0, seed=3))
                before = one.shape.points[-1].copy(), two.shape.points[0].copy()
                made = project.match(two, Edge.U_LOW, (one, Edge.U_HIGH), order=order, half_way=True)
                other = project.item(one.id)
                middle = (before[0] + before[1]) / 2
                np.testing.assert_allclose(made.shape.points[0], middle, atol=1e-9)
                np.testing.assert_allclose(other.shape.points[-1], middle, atol=1e-9)
                (join,) = project.joins()
                self.assertGreaterEqual(join.grade(), order)
                project.undo()
                np.testing.assert_array_equal(project.item(one.id).shape.points[-1], before[0])

    def test_part_of_an_edge_is_refused(self) -> None:
        with Project() as project:
            one, two = project.add("One", flat(0, 40)), project.add("Two", flat(42, 80))
            points = two.shape.points.copy()
            points[..., 1] = 15 + 0.4 * points[..., 1]
            two = project.reshape(two, two.shape.with_points(points), "shorter")
            with self.assertRaisesRegex(ArabesqueError, "part of the other edge"):
                project.match(two, Edge.U_LOW, (one, Edge.U_HIGH), half_way=True)


class TwinPlaneTest(unittest.TestCase):
    def test_the_edge_that_is_meant_meets_its_image(self) -> None:
        for order in (0, 1, 2, 3):
            with Project() as project:
                project.plane = Plane(np.array([0, 1.0, 0]), -3.0)
                one = project.add("One", hill(0, 40, 0))
                made = project.match(one, Edge.V_LOW, None, order=order)
                image = next(item for item in project.document if isinstance(item, Item) and item.id != made.id)
                (join,) = find_joins([made.shape, image.shape])
                self.assertGreaterEqual(join.grade(), order)
                np.testing.assert_allclose(made.shape.points[:, 0, 1], -3.0, atol=1e-12)
        with Project() as project, self.assertRaisesRegex(ArabesqueError, "nearer"):
            project.plane = Plane(np.array([0, 1.0, 0]), -3.0)
            project.match(project.add("One", hill(0, 40, 0)), Edge.V_HIGH, None)


if __name__ == "__main__":
    unittest.main()
