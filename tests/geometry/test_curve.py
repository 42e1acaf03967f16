"""Curves: exactness of algebra and evaluation."""

import unittest

import numpy as np
from scipy.interpolate import BSpline

from arabesque.errors import InvalidShape
from arabesque.geometry import Curve, bezier_knots, uniform_knots

T = np.linspace(0, 1, 101)


class CurveTest(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(2)
        self.curve = Curve(4, uniform_knots(4, 3), rng.normal(size=(7, 3)))

    def test_evaluation_equals_scipy(self) -> None:
        oracle = BSpline(self.curve.knots, self.curve.points, 4)
        ours = self.curve.derivatives(T, 2)
        for order in range(3):
            np.testing.assert_allclose(ours[order], oracle.derivative(order)(T) if order else oracle(T), atol=1e-9)

    def test_algebra_keeps_the_shape(self) -> None:
        changed = self.curve.elevated(2).with_knots([0.15, 0.5, 0.5])
        self.assertEqual((changed.degree, changed.spans), (6, 5))
        np.testing.assert_allclose(changed.at(T), self.curve.at(T), atol=1e-12)

    def test_half_circle(self) -> None:
        """Degree 2 with weights 1, √½, 1, √½, 1 is a half circle (The NURBS Book, section 7.5)."""
        points = np.array([[1, 0, 0], [1, 1, 0], [0, 1, 0], [-1, 1, 0], [-1, 0, 0]], dtype=float)
        root = np.sqrt(0.5)
        knots = np.array([0, 0, 0, 0.5, 0.5, 1, 1, 1])
        curve = Curve(2, knots, points, np.array([1, root, 1, root, 1])).elevated()
        np.testing.assert_allclose(np.linalg.norm(curve.at(T), axis=1), 1.0, atol=1e-13)

    def test_bezier_and_counts(self) -> None:
        line = Curve.bezier([[0, 0, 0], [3, 0, 0]])
        self.assertEqual((line.degree, line.count, line.spans, line.domain), (1, 2, 1, (0.0, 1.0)))
        np.testing.assert_array_equal(line.knots, bezier_knots(1))

    def test_wrong_arrays_are_refused(self) -> None:
        with self.assertRaises(InvalidShape):
            Curve(3, bezier_knots(3), np.zeros((3, 3)))
        with self.assertRaises(InvalidShape):
            self.curve.with_knots([1.5])
