"""Exactness of surface algebra, against identities and a general spline library."""

import unittest

import numpy as np
import splipy
from scipy.optimize import minimize

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry import Surface, bezier_knots, foot_points, lower_degree
from tests.examples import random_surface
from tests.reference import teapot_patches

UV = np.random.default_rng(3).random((300, 2))


class AlgebraTest(unittest.TestCase):
    def test_elevation_keeps_the_shape(self) -> None:
        for rational in (False, True):
            for degree, spans in (((1, 2), (1, 1)), ((3, 2), (4, 2)), ((5, 6), (1, 3))):
                surface = random_surface(degree, spans, rational=rational)
                raised = surface.elevated(2 if degree[0] < 6 else 1, 1)
                self.assertEqual(raised.degree, (degree[0] + 2, degree[1] + 1))
                self.assertEqual(raised.spans, spans)
                np.testing.assert_allclose(raised.at(UV), surface.at(UV), atol=1e-11)

    def test_elevation_equals_a_spline_library(self) -> None:
        surface = random_surface((3, 2), (3, 2))
        theirs = _splipy(surface)
        theirs.raise_order(1, 2)
        np.testing.assert_allclose(surface.elevated(1, 2).points, np.asarray(theirs.controlpoints), atol=1e-9)

    def test_elevated_line_has_its_points_evenly(self) -> None:
        """Raising a segment's degree to n spaces its control points evenly (Farin, linear precision)."""
        flat = Surface.bezier([[[0, 0, 0], [0, 6, 0]], [[12, 0, 0], [12, 6, 0]]])
        raised = flat.elevated(3, 0)
        np.testing.assert_allclose(raised.points[:, 0, 0], [0, 3, 6, 9, 12], atol=1e-12)

    def test_knot_insertion_keeps_the_shape(self) -> None:
        surface = random_surface((4, 3), (2, 3), rational=True)
        finer = surface.with_knots([0.25, 0.25, 0.8], [0.1])
        self.assertEqual(finer.points.shape[:2], (9, 7))
        np.testing.assert_allclose(finer.at(UV), surface.at(UV), atol=1e-11)

    def test_knot_insertion_equals_a_spline_library(self) -> None:
        surface = random_surface((3, 3), (2, 2))
        theirs = _splipy(surface)
        theirs.insert_knot([0.3, 0.7], 0)
        np.testing.assert_allclose(surface.with_knots([0.3, 0.7]).points, np.asarray(theirs.controlpoints), atol=1e-10)

    def test_rational_quarter_cylinder_is_round(self) -> None:
        """Weights 1, √½, 1 make a true quarter circle (The NURBS Book, section 7.3); curvature 1/r and 0."""
        arc = np.array([[10, 0], [10, 10], [0, 10]], dtype=float)
        points = np.stack([np.column_stack([arc, np.full(3, z)]) for z in (0.0, 5.0)], axis=1)
        weights = np.repeat([[1.0], [np.sqrt(0.5)], [1.0]], 2, axis=1)
        surface = Surface((2, 1), (bezier_knots(2), bezier_knots(1)), points, weights)
        np.testing.assert_allclose(np.hypot(*surface.at(UV)[:, :2].T), 10.0, atol=1e-12)
        d = surface.derivatives(UV)
        n = surface.normals(UV)
        along_u = np.einsum("nc,nc->n", d[2, 0], n) / np.einsum("nc,nc->n", d[1, 0], d[1, 0])
        np.testing.assert_allclose(np.abs(along_u), 0.1, atol=1e-10)

    def test_derivatives_of_a_rational_surface_equal_differences(self) -> None:
        surface = random_surface((3, 3), (2, 2), rational=True)
        uv, h = 0.1 + 0.8 * UV[:50], 1e-6
        d = surface.derivatives(uv, 1)
        for axis, exact in ((0, d[1, 0]), (1, d[0, 1])):
            step = np.eye(2)[axis] * h
            np.testing.assert_allclose(exact, (surface.at(uv + step) - surface.at(uv - step)) / (2 * h), atol=2e-5)

    def test_lowering_takes_back_raising(self) -> None:
        surface = random_surface((3, 3), (1, 1))
        lowered = lower_degree(surface.elevated(1, 0), 0)
        self.assertLess(lowered.error, 1e-9)
        np.testing.assert_allclose(lowered.surface.points, surface.points, atol=1e-8)

    def test_lowering_tells_how_far_it_moved(self) -> None:
        surface = random_surface((4, 3), (1, 1))
        lowered = lower_degree(surface, 0)
        u = np.linspace(0, 1, 200)
        gap = lowered.surface.on_grid(u, u)[0, 0] - surface.on_grid(u, u)[0, 0]
        worst = np.linalg.norm(gap, axis=2).max()
        self.assertAlmostEqual(lowered.error, worst, delta=0.02 * worst)
        np.testing.assert_array_equal(lowered.surface.points[[0, -1]], surface.points[[0, -1]])
        # in many short spans too: found by SciPy's search from the worst of a fine grid
        many = random_surface((4, 3), (9, 7), seed=3)
        lowered = lower_degree(many, 0)
        u = np.linspace(0, 1, 1201)
        off = np.linalg.norm(lowered.surface.on_grid(u, u)[0, 0] - many.on_grid(u, u)[0, 0], axis=2)
        i, j = np.unravel_index(off.argmax(), off.shape)

        def closeness(uv: Floats) -> float:
            at = np.clip(uv, 0, 1)[None]
            return -float(np.linalg.norm(lowered.surface.at(at) - many.at(at)))

        best = -minimize(closeness, [u[i], u[j]], method="Nelder-Mead", options={"xatol": 1e-9}).fun
        self.assertAlmostEqual(lowered.error / best, 1.0, delta=1e-3)


class ValueTest(unittest.TestCase):
    def test_arrays_are_read_only(self) -> None:
        with self.assertRaises(ValueError):
            random_surface((2, 2), (1, 1)).points[0, 0, 0] = 1.0

    def test_wrong_arrays_are_refused_with_a_cure(self) -> None:
        good = random_surface((2, 2), (2, 1))
        broken = good.points.copy()
        broken[0, 0, 0] = np.nan
        cases = {
            "not finite": lambda: good.with_points(broken),
            "an array of": lambda: good.with_points(good.points[:-1]),
            "do not rise": lambda: Surface(good.degree, (good.knots[0][::-1], good.knots[1]), good.points),
            "degree 9": lambda: Surface((9, 2), good.knots, good.points),
            "not positive": lambda: Surface(good.degree, good.knots, good.points, -np.ones(good.points.shape[:2])),
            "not clamped": lambda: Surface(good.degree, (np.arange(7.0), good.knots[1]), good.points),
        }
        for words, make in cases.items():
            with self.subTest(words), self.assertRaises(InvalidShape) as caught:
                make()
            self.assertIn(words, str(caught.exception))
            self.assertTrue(caught.exception.cure)


class FootPointTest(unittest.TestCase):
    def test_offset_points_come_back(self) -> None:
        """A point lifted along the normal, less than the radius of curvature, has its foot where it started."""
        surface = random_surface((3, 3), (2, 2), seed=4)
        uv = 0.1 + 0.8 * UV
        lifted = surface.at(uv) + 0.3 * surface.normals(uv)
        feet = foot_points(surface, lifted)
        np.testing.assert_allclose(feet.uv, uv, atol=1e-6)
        self.assertTrue(feet.inside.all())

    def test_points_beyond_the_edge_are_outside(self) -> None:
        surface = Surface.bezier([[[0, 0, 0], [0, 10, 0]], [[10, 0, 0], [10, 10, 0]]])
        feet = foot_points(surface, np.array([[-3.0, 5, 1], [5.0, 5, 1]]))
        np.testing.assert_array_equal(feet.inside, [False, True])


class TeapotTest(unittest.TestCase):
    def test_extent_of_the_published_patches(self) -> None:
        """32 bicubic patches; each keeps to the hull of its control points and meets its corners."""
        patches = [Surface.bezier(points) for points in teapot_patches()]
        self.assertEqual(len(patches), 32)
        for patch in patches:
            on = patch.at(UV)
            flat = patch.points.reshape(-1, 3)
            self.assertTrue(np.all(on >= flat.min(axis=0) - 1e-9) and np.all(on <= flat.max(axis=0) + 1e-9))
            np.testing.assert_array_equal(patch.at([[0, 0], [1, 1]]), patch.points[[0, -1], [0, -1]])


def _splipy(surface: Surface) -> splipy.Surface:
    bases = [splipy.BSplineBasis(p + 1, k) for p, k in zip(surface.degree, surface.knots, strict=True)]
    return splipy.Surface(*bases, surface.points, raw=True)
