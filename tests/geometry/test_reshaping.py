"""Splitting, joining, turning: exact, so that only rounding is left."""

import unittest

import numpy as np

from arabesque.errors import InvalidShape
from arabesque.geometry import (
    Curve,
    curve_pieces,
    join_curves,
    join_surfaces,
    lower_degree,
    lower_degree_within,
    reversed_curve,
    simplify_curve,
    simplify_surface,
    split_curve,
    split_surface,
    surface_pieces,
    swapped_surface,
    uniform_knots,
)
from tests.examples import random_surface

T = np.linspace(0, 1, 60)
UV = np.random.default_rng(0).random((200, 2))


def random_curve(degree: int = 4, spans: int = 3, rational: bool = False) -> Curve:
    rng = np.random.default_rng(degree)
    weights = rng.uniform(0.5, 2, degree + spans) if rational else None
    return Curve(degree, uniform_knots(degree, spans), rng.normal(size=(degree + spans, 3)) * 10, weights)


class SplittingTest(unittest.TestCase):
    def test_parts_of_a_curve_lie_on_it_and_join_again(self) -> None:
        for rational in (False, True):
            curve = random_curve(rational=rational)
            for at in (0.21, 1 / 3, 0.9):
                one, two = split_curve(curve, at)
                self.assertEqual((one.domain, two.domain), ((0, at), (at, 1)))
                np.testing.assert_allclose(one.at(T * at), curve.at(T * at), atol=1e-11)
                np.testing.assert_allclose(two.at(at + T * (1 - at)), curve.at(at + T * (1 - at)), atol=1e-11)
                np.testing.assert_allclose(join_curves(one, two).at(T), curve.at(T), atol=1e-11)

    def test_parts_of_a_surface_lie_on_it_and_join_again(self) -> None:
        for rational in (False, True):
            surface = random_surface((3, 4), (2, 3), rational=rational)
            for axis in (0, 1):
                one, two = split_surface(surface, axis, 0.4)
                scale = np.where(np.arange(2) == axis, 0.4, 1.0)
                np.testing.assert_allclose(one.at(UV * scale), surface.at(UV * scale), atol=1e-10)
                if not rational:
                    np.testing.assert_allclose(join_surfaces(one, two, axis).at(UV), surface.at(UV), atol=1e-10)

    def test_bezier_pieces(self) -> None:
        curve = random_curve()
        for piece in curve_pieces(curve):
            self.assertEqual((piece.spans, piece.count), (1, 5))
            a, b = piece.domain
            np.testing.assert_allclose(piece.at(a + T * (b - a)), curve.at(a + T * (b - a)), atol=1e-11)
        rows = surface_pieces(random_surface((3, 2), (3, 2)))
        self.assertEqual([len(row) for row in rows], [2, 2, 2])
        self.assertTrue(all(piece.count == 12 for row in rows for piece in row))

    def test_what_does_not_fit_is_refused(self) -> None:
        curve, other = random_curve(4), random_curve(3)
        for attempt in (
            lambda: split_curve(curve, 0.0),
            lambda: split_curve(curve, 1.2),
            lambda: join_curves(curve, other),
            lambda: join_curves(curve, curve),
            lambda: join_surfaces(random_surface((2, 2), (1, 1)), random_surface((2, 2), (1, 1)), 0),
        ):
            with self.assertRaises(InvalidShape):
                attempt()


class TurningTest(unittest.TestCase):
    def test_reversing_and_swapping(self) -> None:
        curve = random_curve(rational=True)
        np.testing.assert_allclose(reversed_curve(curve).at(T), curve.at(1 - T), atol=1e-12)
        surface = random_surface((3, 2), (2, 3), rational=True)
        np.testing.assert_allclose(swapped_surface(surface).at(UV[:, ::-1]), surface.at(UV), atol=1e-12)
        for axis in (0, 1):
            turned = UV.copy()
            turned[:, axis] = 1 - turned[:, axis]
            np.testing.assert_allclose(surface.reversed(axis).at(turned), surface.at(UV), atol=1e-11)
            np.testing.assert_allclose(surface.reversed(axis).normals(turned), -surface.normals(UV), atol=1e-9)


class RemovalTest(unittest.TestCase):
    def test_inserted_knots_are_found_and_removed(self) -> None:
        """What was inserted exactly can be removed exactly."""
        curve = random_curve()
        lighter, error = simplify_curve(curve.with_knots([0.11, 0.5, 0.5, 0.77]), 1e-7)
        self.assertEqual(lighter.count, curve.count)
        self.assertLess(error, 1e-9)
        np.testing.assert_allclose(lighter.points, curve.points, atol=1e-7)
        surface = random_surface((3, 3), (2, 2))
        light, error = simplify_surface(surface.with_knots([0.2, 0.8], [0.3]), 1e-7)
        self.assertEqual(light.count, surface.count)
        self.assertLess(error, 1e-8)

    def test_degrees_are_lowered_only_within_the_tolerance(self) -> None:
        surface = random_surface((4, 3), (1, 1))
        error = lower_degree(surface, 0).error
        self.assertIsNone(lower_degree_within(surface, 0, 0.9 * error))
        lowered = lower_degree_within(surface, 0, 1.1 * error)
        assert lowered is not None
        self.assertEqual((lowered.surface.degree, lowered.error), ((3, 3), error))

    def test_the_error_told_is_true_and_within_the_tolerance(self) -> None:
        curve = random_curve(3, 12)
        for tolerance in (0.5, 3.0):
            lighter, error = simplify_curve(curve, tolerance)
            fine = np.linspace(0, 1, 2000)
            moved = np.linalg.norm(lighter.at(fine) - curve.at(fine), axis=1).max()
            self.assertLessEqual(error, tolerance)
            self.assertAlmostEqual(moved, error, delta=0.05 * max(error, 1e-9) + 1e-9)
        self.assertLess(simplify_curve(curve, 5.0)[0].count, curve.count)
