"""Curvature, length, boxes and closest points against shapes with known answers."""

import unittest

import numpy as np
from scipy.integrate import quad

from arabesque.arrays import Floats
from arabesque.geometry import (
    Curve,
    Surface,
    arc_length,
    bezier_knots,
    curve_box,
    curve_curvature,
    curve_feet,
    section_bends,
    surface_box,
    surface_curvature,
    uniform_knots,
)
from tests.examples import random_surface

UV = 0.05 + 0.9 * np.random.default_rng(0).random((100, 2))
ROOT = np.sqrt(0.5)


def revolved(profile: Floats, weights: Floats) -> Surface:
    """A quarter turn about z of a degree 2 profile in the xz plane: exact, rational (The NURBS Book, section 8.5)."""
    x, z = profile.T
    points = np.stack([np.column_stack([x, 0 * x, z]), np.column_stack([x, x, z]), np.column_stack([0 * x, x, z])])
    return Surface((2, 2), (bezier_knots(2),) * 2, points, np.array([1, ROOT, 1])[:, None] * weights)


class CurvatureTest(unittest.TestCase):
    def test_sphere(self) -> None:
        """All curvatures of a sphere of radius r are 1/r, 1/r²."""
        surface = revolved(np.array([[20, 0], [20, 20], [0, 20]], dtype=float), np.array([1, ROOT, 1]))
        c = surface_curvature(surface, UV)
        for values, expected in ((c.largest, 0.05), (c.smallest, 0.05), (c.mean, 0.05), (c.gaussian, 0.0025)):
            np.testing.assert_allclose(np.abs(values), expected, atol=1e-8)

    def test_cylinder(self) -> None:
        surface = revolved(np.array([[8, 0], [8, 5], [8, 10]], dtype=float), np.ones(3))
        c = surface_curvature(surface, UV)
        np.testing.assert_allclose(np.maximum(abs(c.largest), abs(c.smallest)), 1 / 8, atol=1e-10)
        np.testing.assert_allclose(c.gaussian, 0, atol=1e-12)

    def test_torus(self) -> None:
        """Outer quarter of a torus, tube r about R: curvatures 1/r and cos θ / (R + r cos θ) (do Carmo, 3-3)."""
        R, r = 30.0, 10.0
        surface = revolved(np.array([[R + r, 0], [R + r, r], [R, r]]), np.array([1, ROOT, 1]))
        points = surface.at(UV)
        cosine = (np.hypot(points[:, 0], points[:, 1]) - R) / r
        c = surface_curvature(surface, UV)
        sizes = np.sort(np.abs([c.largest, c.smallest]), axis=0)
        np.testing.assert_allclose(sizes[1], 1 / r, atol=1e-10)
        np.testing.assert_allclose(sizes[0], cosine / (R + r * cosine), atol=1e-10)
        np.testing.assert_allclose(c.gaussian, cosine / (r * (R + r * cosine)), atol=1e-10)

    def test_saddle(self) -> None:
        """z = xy at the origin: principal curvatures ±1, mean 0, Gaussian -1 (do Carmo, section 3-3)."""
        corner = np.array([[[-1, -1, 1], [-1, 1, -1]], [[1, -1, -1], [1, 1, 1.0]]])
        c = surface_curvature(Surface.bezier(corner).elevated(1, 1), [[0.5, 0.5]])
        np.testing.assert_allclose([c.largest[0], c.smallest[0], c.gaussian[0]], [1, -1, -1], atol=1e-12)
        np.testing.assert_allclose(np.abs(c.direction[0]), [ROOT, ROOT, 0], atol=1e-12)

    def test_euler_formula(self) -> None:
        """Normal curvature at angle φ to the first principal direction: k1 cos²φ + k2 sin²φ (Euler 1760)."""
        surface = random_surface((4, 3), (2, 2))
        c = surface_curvature(surface, UV)
        other = np.cross(c.normal, c.direction)
        for angle in (0.0, 0.4, 1.2, np.pi / 2):
            direction = np.cos(angle) * c.direction + np.sin(angle) * other
            expected = c.largest * np.cos(angle) ** 2 + c.smallest * np.sin(angle) ** 2
            np.testing.assert_allclose(section_bends(surface.derivatives(UV, 3), direction)[0], expected, atol=1e-9)

    def test_feet_over_the_start_of_a_closed_curve(self) -> None:
        """Places just before the start of a circle have their feet there, not on the start."""
        ring = Curve(2, [0, 0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 4], 5 * np.array(
            [[1, 0, 0], [1, 1, 0], [0, 1, 0], [-1, 1, 0], [-1, 0, 0], [-1, -1, 0], [0, -1, 0], [1, -1, 0], [1, 0, 0]]
        ), [1, ROOT] * 4 + [1])  # fmt: skip
        angle = np.radians([-3, -1, -0.01, 0.01, 1.0])
        away = 6 * np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
        np.testing.assert_allclose(curve_feet(ring, away).distance, 1.0, atol=1e-9)

    def test_circle(self) -> None:
        arc = Curve(2, bezier_knots(2), [[5, 0, 0], [5, 5, 0], [0, 5, 0]], [1, ROOT, 1])
        t = np.linspace(0, 1, 20)
        np.testing.assert_allclose(curve_curvature(arc, t), -arc.at(t) / 25, atol=1e-12)


class MeasureTest(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(1)
        self.curve = Curve(3, uniform_knots(3, 4), rng.normal(size=(7, 3)) * 20)

    def test_lengths(self) -> None:
        arc = Curve(2, bezier_knots(2), [[5, 0, 0], [5, 5, 0], [0, 5, 0]], [1, ROOT, 1])
        self.assertAlmostEqual(arc_length(arc), 5 * np.pi / 2, places=10)

        def speed(t: float) -> float:
            return float(np.linalg.norm(self.curve.derivatives([t], 1)[1, 0]))

        oracle = quad(speed, 0.1, 0.8, points=[0.25, 0.5, 0.75], epsabs=1e-9)[0]
        self.assertAlmostEqual(arc_length(self.curve, 0.1, 0.8), oracle, places=6)

    def test_boxes_contain_and_are_tight(self) -> None:
        low, high = curve_box(self.curve)
        points = self.curve.at(np.linspace(0, 1, 5000))
        self.assertTrue((points >= low - 1e-9).all() and (points <= high + 1e-9).all())
        np.testing.assert_allclose([low, high], [points.min(axis=0), points.max(axis=0)], atol=0.05)
        surface = random_surface((3, 3), (2, 2))
        low, high = surface_box(surface)
        points = surface.on_grid(np.linspace(0, 1, 200), np.linspace(0, 1, 200))[0, 0].reshape(-1, 3)
        self.assertTrue((points >= low - 1e-9).all() and (points <= high + 1e-9).all())
        np.testing.assert_allclose([low, high], [points.min(axis=0), points.max(axis=0)], atol=0.1)

    def test_closest_points(self) -> None:
        """No sample of the curve is closer, and the gap is perpendicular to the curve."""
        queries = np.random.default_rng(2).normal(size=(80, 3)) * 25
        feet = curve_feet(self.curve, queries)
        samples = self.curve.at(np.linspace(0, 1, 20000))
        brute = np.linalg.norm(queries[:, None] - samples[None, ::10], axis=2).min(axis=1)
        self.assertTrue((feet.distance <= brute + 1e-9).all())
        inner = (feet.parameters > 0) & (feet.parameters < 1)
        tangent = self.curve.derivatives(feet.parameters, 1)[1]
        slope = np.einsum("nc,nc->n", feet.points - queries, tangent)
        np.testing.assert_allclose(slope[inner], 0, atol=1e-5)
