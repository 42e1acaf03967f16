"""Edges moved along the form, patches made alike and joined: against exact splits and differences."""

import unittest

import numpy as np

from arabesque.checking import Limits, find_joins
from arabesque.errors import InvalidShape
from arabesque.geometry import (
    Curve,
    Manner,
    Surface,
    between,
    continuation,
    edge_curve,
    extended,
    joined,
    over_quadrangle,
    reach_along,
    same_as,
    split_surface,
    swapped_surface,
    uniform_knots,
)
from tests.examples import random_surface

UV = np.random.default_rng(0).random((80, 2))


def calm(degree: tuple[int, int] = (3, 3), spans: tuple[int, int] = (2, 1)) -> Surface:
    """A gently bent sheet."""
    surface = random_surface(degree, spans, seed=1)
    return surface.with_points(surface.points * [1, 1, 0] + [0, 0, 1] * np.sin(surface.points / 20))


def mean_length(surface: Surface, axis: int) -> float:
    rows = surface.on_grid(np.linspace(*surface.domain[0], 101), np.linspace(*surface.domain[1], 101))[0, 0]
    return float(np.linalg.norm(np.diff(rows, axis=axis), axis=2).sum(axis=axis).mean())


class ExtendingTest(unittest.TestCase):
    def test_natural_extension_goes_on_as_the_same_polynomials(self) -> None:
        """Beyond the domain a surface's end pieces go on: the extended patch runs over the same places."""
        for rational in (False, True):
            surface = random_surface((3, 2), (2, 2), rational=rational)
            for axis in (0, 1):
                longer = extended(surface, axis, True, 4.0)
                self.assertEqual(longer.points.shape, surface.points.shape)
                (u0, u1), (v0, v1) = longer.domain
                uv = [u0, v0] + UV * [u1 - u0, v1 - v0]
                np.testing.assert_allclose(longer.at(uv), surface.at(uv), atol=1e-8)

    def test_a_wavy_patch_goes_on_by_what_is_asked_and_tells_how_unevenly(self) -> None:
        """Where the last span grows like a cubic, a few steps in proportion end beside it: at 31 mm for 30."""
        x, y = np.meshgrid(np.linspace(0, 90, 13), np.linspace(0, 60, 13), indexing="ij")
        knots = uniform_knots(3, 10)
        for high in (4.0, 12.0, 25.0):
            wavy = Surface((3, 3), (knots, knots), np.stack([x, y, high * np.sin(x / 3) * np.cos(y / 30)], -1))
            strip = continuation(wavy, 0, True, 30.0, Manner.NATURAL)
            self.assertAlmostEqual(mean_length(strip, 0), 30.0, delta=0.1)
            least, most = reach_along(strip, 0)
            self.assertLess(least, 30.0)
            self.assertGreater(most, 30.0)
            longer = extended(wavy, 0, True, 30.0)
            np.testing.assert_allclose(reach_along(longer, 0, wavy), (least, most), atol=0.5)
        flat = wavy.with_points(wavy.points * [1, 1, 0])
        np.testing.assert_allclose(reach_along(continuation(flat, 0, True, 30.0, Manner.NATURAL), 0), 30.0, atol=1e-3)

    def test_lengths_are_millimetres(self) -> None:
        surface = calm()
        for manner in Manner:
            for axis, at_end in ((0, True), (0, False), (1, True)):
                strip = continuation(surface, axis, at_end, 6.0, manner)
                self.assertAlmostEqual(mean_length(strip, axis), 6.0, delta=0.06)
        shorter = extended(surface, 0, False, -10.0)
        self.assertAlmostEqual(mean_length(surface, 0) - mean_length(shorter, 0), 10.0, delta=0.2)

    def test_grades_of_the_continuations(self) -> None:
        """Straight reaches G1, with the curvature G2, as its own form G3."""
        surface = calm((4, 3))
        for manner, grade in ((Manner.STRAIGHT, 1), (Manner.CURVED, 2), (Manner.NATURAL, 3)):
            strip = continuation(surface, 0, True, 8.0, manner)
            np.testing.assert_array_equal(strip.points[0], surface.points[-1])
            join = find_joins([surface, strip])[0]
            self.assertEqual(join.grade(Limits(1e-9, 1e-6, 1e-6, 1e-2)), grade, manner)

    def test_as_part_of_the_patch(self) -> None:
        surface = calm()
        for manner in (Manner.STRAIGHT, Manner.CURVED):
            longer = extended(surface, 1, False, 5.0, manner)
            self.assertAlmostEqual(mean_length(longer, 1) - mean_length(surface, 1), 5.0, delta=0.05)
            # the new part lies at low v: the old one ends where it did
            shift = np.array([0, longer.domain[1][1] - surface.domain[1][1]])
            np.testing.assert_allclose(longer.at(UV + shift), surface.at(UV), atol=1e-8)

    def test_what_cannot_be_is_refused(self) -> None:
        with self.assertRaisesRegex(InvalidShape, "Shorten it by less"):
            extended(calm(), 0, True, -500.0)
        with self.assertRaises(InvalidShape):
            continuation(calm(), 0, True, 0.0, Manner.NATURAL)
        with self.assertRaisesRegex(InvalidShape, "own form"):
            extended(random_surface((2, 2), (1, 1), rational=True), 0, True, 2.0, Manner.STRAIGHT)

    def test_another_quadrangle_of_the_form(self) -> None:
        surface = calm()
        same, error = over_quadrangle(surface, [(0, 0), (1, 0), (1, 1), (0, 1)])
        np.testing.assert_allclose(same.points, surface.points, atol=1e-9)
        part, error = over_quadrangle(surface, [(0, 0), (1, 0), (1, 0.5), (0, 0.5)])
        self.assertLess(error, 1e-9)
        np.testing.assert_allclose(part.at(UV), surface.at(UV * [1, 0.5]), atol=1e-9)
        corner, error = over_quadrangle(surface, [(0, 0), (1, 0), (1.1, 1), (0, 1)])
        np.testing.assert_allclose(corner.points[-1, -1], surface.at([[1.1, 1]])[0], atol=1e-9)
        self.assertLess(error, 0.2)


class AlikeTest(unittest.TestCase):
    def test_same_as_raises_exactly(self) -> None:
        light, heavy = calm((2, 2), (1, 1)), calm((4, 3), (2, 3))
        made, error = same_as(light, heavy)
        self.assertEqual((made.degree, made.spans), (heavy.degree, heavy.spans))
        self.assertEqual(error, 0.0)
        np.testing.assert_allclose(made.at(UV), light.at(UV), atol=1e-10)

    def test_same_as_tells_what_lowering_cost(self) -> None:
        heavy, light = calm((4, 4), (1, 1)), calm((2, 2), (1, 1))
        made, error = same_as(heavy, light)
        self.assertEqual(made.degree, (2, 2))
        moved = np.linalg.norm(made.at(UV) - heavy.at(UV), axis=1).max()
        self.assertGreater(moved, 0)
        self.assertLessEqual(moved, error * 1.0001)

    def test_two_halves_become_one_again(self) -> None:
        """However they were turned; the cut was exact, so that nothing moves and no knot is left of it."""
        whole = calm((3, 3), (1, 1))
        for axis in (0, 1):
            one, two = split_surface(whole, axis, 0.4)
            for other in (two, swapped_surface(two), two.reversed(0).reversed(1)):
                made, moved = joined(one, other, 1e-6)
                self.assertLess(moved, 1e-6)
                self.assertEqual(made.count, whole.count)
                np.testing.assert_allclose(made.on_grid([0], [0])[0, 0, 0, 0], whole.points[0, 0], atol=1e-9)

    def test_patches_apart_are_not_joined(self) -> None:
        one, two = split_surface(calm(), 0, 0.5)
        with self.assertRaisesRegex(InvalidShape, "apart"):
            joined(one, two.with_points(two.points + np.array([0.5, 0, 0])), 0.1)
        _, moved = joined(one, two.with_points(two.points + np.array([0.05, 0, 0])), 0.1)
        self.assertLess(moved, 0.11)


class BetweenTest(unittest.TestCase):
    def test_borders_are_the_given_ones_to_the_bit(self) -> None:
        surface = calm((3, 4), (2, 1))
        low, right, high, left = (edge_curve(surface, k) for k in range(4))
        made = between(low, high, left, right)
        for edge in range(4):
            np.testing.assert_array_equal(edge_curve(made, edge).points, edge_curve(surface, edge).points)

    def test_bilinear_and_ruled_surfaces_come_back(self) -> None:
        """Coons' patch reproduces a ruled surface from its borders (Farin, "Curves and Surfaces", from memory)."""
        rails = [Curve(3, uniform_knots(3, 1), np.random.default_rng(k).normal(size=(4, 3))) for k in (0, 1)]
        left = Curve.bezier([rails[0].points[0], rails[1].points[0]])
        right = Curve.bezier([rails[0].points[-1], rails[1].points[-1]])
        made = between(rails[0], rails[1], left, right)
        t = UV[:, :1]
        wanted = (1 - UV[:, 1:]) * rails[0].at(t[:, 0]) + UV[:, 1:] * rails[1].at(t[:, 0])
        np.testing.assert_allclose(made.at(UV), wanted, atol=1e-12)

    def test_borders_of_different_degrees_keep_their_shape(self) -> None:
        low = Curve.bezier([[0, 0, 0], [5, 0, 3], [10, 0, 0]])
        high = Curve(3, uniform_knots(3, 2), np.array([[0, 9, 0], [2, 9, 1], [5, 9, 4], [8, 9, 1], [10, 9, 0.0]]))
        made = between(low, high, Curve.bezier([[0, 0, 0], [0, 9, 0]]), Curve.bezier([[10, 0, 0], [10, 9, 0]]))
        t = np.linspace(0, 1, 40)
        np.testing.assert_allclose(made.on_grid(t, [0.0])[0, 0, :, 0], low.at(t), atol=1e-12)
        np.testing.assert_allclose(made.on_grid(t, [1.0])[0, 0, :, 0], high.at(t), atol=1e-12)


if __name__ == "__main__":
    unittest.main()
