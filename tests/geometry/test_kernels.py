"""Evaluation against SciPy, a general spline library."""

import unittest

import numpy as np
from scipy.interpolate import BSpline, NdBSpline

from arabesque.geometry import basis_matrix, uniform_knots
from arabesque.geometry.kernels import find_span, unit_cross
from tests.examples import random_surface


class BasisTest(unittest.TestCase):
    def test_values_and_derivatives_equal_scipy(self) -> None:
        for degree in range(1, 8):
            knots = uniform_knots(degree, 4)
            at = np.linspace(0, 1, 57)
            for derivative in range(min(degree, 4)):
                ours = basis_matrix(knots, degree, at, derivative)
                for column in range(ours.shape[1]):
                    one = np.zeros(ours.shape[1])
                    one[column] = 1.0
                    theirs = (
                        BSpline(knots, one, degree).derivative(derivative)(at)
                        if derivative
                        else BSpline(knots, one, degree)(at)
                    )
                    # at an inner knot a derivative may jump: compare off the knots
                    off = np.abs(at[:, None] - knots).min(axis=1) > 1e-9
                    np.testing.assert_allclose(ours[off, column], theirs[off], atol=1e-9 * 10**derivative)

    def test_partition_of_unity(self) -> None:
        """The basis functions add up to 1 and their derivatives to 0 (The NURBS Book, property P2.4)."""
        at = np.random.default_rng(0).random(100)
        for degree in range(1, 8):
            knots = uniform_knots(degree, 5)
            np.testing.assert_allclose(basis_matrix(knots, degree, at, 0).sum(axis=1), 1.0, atol=1e-13)
            np.testing.assert_allclose(basis_matrix(knots, degree, at, 1).sum(axis=1), 0.0, atol=1e-10)

    def test_published_example(self) -> None:
        """The NURBS Book, example Ex2.3: U = {0,0,0,1,2,3,4,4,5,5,5}, p = 2, u = 5/2: 1/8, 6/8, 1/8 on span 4."""
        knots = np.array([0, 0, 0, 1, 2, 3, 4, 4, 5, 5, 5], dtype=float)
        self.assertEqual(find_span(knots, 2, 2.5), 4)
        row = basis_matrix(knots, 2, np.array([2.5]), 0)[0]
        np.testing.assert_allclose(row[2:5], [1 / 8, 6 / 8, 1 / 8], atol=1e-15)
        self.assertEqual(np.count_nonzero(row), 3)


class UnitCrossTest(unittest.TestCase):
    def test_equals_numpy(self) -> None:
        a, b = np.random.default_rng(0).normal(size=(2, 100, 3))
        b[0] = 2 * a[0]
        expected = np.cross(a[1:], b[1:])
        expected /= np.linalg.norm(expected, axis=1, keepdims=True)
        np.testing.assert_allclose(unit_cross(a, b)[1:], expected, atol=1e-12)


class SurfaceEvaluationTest(unittest.TestCase):
    def test_all_degrees_equal_scipy(self) -> None:
        rng = np.random.default_rng(1)
        uv = rng.random((200, 2))
        for p in range(1, 8):
            surface = random_surface((p, 8 - p), (3, 2), seed=p)
            oracle = NdBSpline(surface.knots, surface.points, surface.degree)
            ours = surface.derivatives(uv, 2)
            for k in range(3):
                for m in range(3 - k):
                    if k <= surface.degree[0] and m <= surface.degree[1]:
                        theirs = oracle(uv, nu=(k, m))
                        np.testing.assert_allclose(ours[k, m], theirs, atol=1e-9 * max(1.0, np.abs(theirs).max()))
                    else:
                        np.testing.assert_array_equal(ours[k, m], 0.0)

    def test_higher_orders_agree_with_the_quick_way(self) -> None:
        uv = np.random.default_rng(2).random((50, 2))
        for rational in (False, True):
            surface = random_surface((4, 3), (2, 3), rational=rational)
            second, third = surface.derivatives(uv, 2), surface.derivatives(uv, 3)
            for k in range(3):
                for m in range(3 - k):
                    np.testing.assert_allclose(second[k, m], third[k, m], atol=1e-9)
            step = np.array([1e-5, 0])
            ahead, behind = (surface.derivatives(0.1 + 0.8 * uv + s, 2)[2, 0] for s in (step, -step))
            exact = surface.derivatives(0.1 + 0.8 * uv, 3)[3, 0]
            off = np.abs((0.1 + 0.8 * uv)[:, 0] - 0.5) > 1e-4
            np.testing.assert_allclose(exact[off], ((ahead - behind) / 2e-5)[off], rtol=1e-3, atol=1.0)

    def test_grid_equals_scattered(self) -> None:
        for rational in (False, True):
            surface = random_surface((3, 4), (2, 3), rational=rational)
            u, v = np.linspace(0, 1, 9), np.linspace(0, 1, 7)
            uv = np.array(np.meshgrid(u, v, indexing="ij")).reshape(2, -1).T
            grid = surface.on_grid(u, v, 2).reshape(3, 3, -1, 3)
            scattered = surface.derivatives(uv, 2)
            np.testing.assert_allclose(grid, scattered, atol=1e-9)
