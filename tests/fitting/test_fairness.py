"""The fairness energy, against integrals done by hand."""

import unittest

import numpy as np

from arabesque.fitting import fairness_matrix
from arabesque.fitting.fairness import gram_matrix
from arabesque.geometry import Surface, bezier_knots, greville, uniform_knots


def _height_field(function, size: tuple[float, float]) -> tuple[Surface, np.ndarray]:  # type: ignore[no-untyped-def]
    """A bicubic patch over a rectangle, and heights interpolating ``function`` of u, v on it (exact for cubics)."""
    knots = uniform_knots(3, 2)
    g = greville(knots, 3)
    x, y = np.meshgrid(g * size[0], g * size[1], indexing="ij")
    surface = Surface((3, 3), (knots, knots), np.stack([x, y, 0 * x], -1))
    from arabesque.geometry import basis_matrix

    b = basis_matrix(knots, 3, g, 0)
    u, v = np.meshgrid(g, g, indexing="ij")
    return surface, np.linalg.solve(b, np.linalg.solve(b, function(u, v)).T).T


class FairnessTest(unittest.TestCase):
    def test_gram_matrices_of_a_line(self) -> None:
        """∫ of products of 1-t and t over [0, 1]: 1/3 and 1/6; of their slopes: ±1."""
        np.testing.assert_allclose(gram_matrix(bezier_knots(1), 1, 0), [[1 / 3, 1 / 6], [1 / 6, 1 / 3]], atol=1e-14)
        np.testing.assert_allclose(gram_matrix(bezier_knots(1), 1, 1), [[1, -1], [-1, 1]], atol=1e-14)

    def test_energy_of_known_heights(self) -> None:
        """u³ has third derivative 6: energy 36; u²v has mixed derivative 2, counted three times: 12."""
        for function, energy in ((lambda u, v: u**3, 36.0), (lambda u, v: u**2 * v, 12.0), (lambda u, v: u * v, 0.0)):
            surface, heights = _height_field(function, (10, 10))
            flat = heights.ravel()
            self.assertAlmostEqual(flat @ fairness_matrix(surface) @ flat, energy, places=8)

    def test_a_long_patch_is_not_stiffer_one_way(self) -> None:
        """Twice as long along u: a wave along u costs (1/2)³ of the square's, one along v 2³ of it."""
        for function, factor in ((lambda u, v: u**3, 1 / 8), (lambda u, v: v**3, 8.0)):
            surface, heights = _height_field(function, (20, 10))
            flat = heights.ravel()
            self.assertAlmostEqual(flat @ fairness_matrix(surface) @ flat, 36 * factor, places=6)
