"""True shapes as exact rational surfaces."""

import unittest

import numpy as np

from arabesque.errors import InvalidShape
from arabesque.geometry import Elementary, ElementaryKind, Surface, frame_of, motion, rotation_about, surface_curvature

K = ElementaryKind
FRAME = frame_of([10.0, -4.0, 2.0], [1.0, 2.0, 2.0])
SHAPES = {
    K.PLANE: Elementary.make(K.PLANE, FRAME, (), ((-5, 5), (-3, 8))),
    K.CYLINDER: Elementary.make(K.CYLINDER, FRAME, (8.0,), ((-np.pi, np.pi), (-2, 20))),
    K.CONE: Elementary.make(K.CONE, FRAME, (8.0, 0.3), ((-1, 2), (-2, 20))),
    K.SPHERE: Elementary.make(K.SPHERE, FRAME, (12.0,), ((-1, 1.5), (-0.7, 0.9))),
    K.TORUS: Elementary.make(K.TORUS, FRAME, (30.0, 6.0), ((-2, 2), (-np.pi, np.pi))),
}
PLACES = np.random.default_rng(0).uniform(0.02, 0.98, (400, 2))


def own(shape: Elementary) -> np.ndarray:
    """Points of the surface in the shape's own axes."""
    return (shape.at(PLACES) - shape.origin) @ shape.frame[:3, :3]


class ElementaryTest(unittest.TestCase):
    def test_points_meet_the_equations(self) -> None:
        """Implicit equations of the five shapes (any handbook of analytic geometry)."""
        away = {kind: np.hypot(*own(shape)[:, :2].T) for kind, shape in SHAPES.items()}
        height = {kind: own(shape)[:, 2] for kind, shape in SHAPES.items()}
        residuals = {
            K.PLANE: height[K.PLANE],
            K.CYLINDER: away[K.CYLINDER] - 8,
            K.CONE: away[K.CONE] - 8 - height[K.CONE] * np.tan(0.3),
            K.SPHERE: np.hypot(away[K.SPHERE], height[K.SPHERE]) - 12,
            K.TORUS: np.hypot(away[K.TORUS] - 30, height[K.TORUS]) - 6,
        }
        for kind, residual in residuals.items():
            np.testing.assert_allclose(residual, 0, atol=1e-12, err_msg=kind.value)

    def test_curvatures(self) -> None:
        """Principal curvatures: 1/r and 0 of a cylinder, 1/r twice of a sphere (do Carmo, section 3.3)."""
        for kind, wanted in ((K.CYLINDER, {0.0, 1 / 8}), (K.SPHERE, {1 / 12})):
            found = surface_curvature(SHAPES[kind], PLACES)
            both = np.abs(np.concatenate([found.largest, found.smallest]))
            self.assertTrue(all(min(abs(value - w) for w in wanted) < 1e-7 for value in both))

    def test_extended_by_millimetres(self) -> None:
        longer = SHAPES[K.CYLINDER].extended(v=(3.0, 5.0))
        self.assertEqual(longer.bounds[1], (-5.0, 25.0))
        wider = SHAPES[K.CONE].extended(u=(4.0, 4.0))
        self.assertAlmostEqual(wider.bounds[0][1] - wider.bounds[0][0], 3 + 8 / 8)
        full = SHAPES[K.CYLINDER].extended(u=(50.0, 50.0))
        self.assertAlmostEqual(full.bounds[0][1] - full.bounds[0][0], 2 * np.pi)

    def test_moved_rigidly(self) -> None:
        matrix = motion(rotation_about([0, 1, 0], 40.0), (1.0, 2.0, 3.0))
        for shape in SHAPES.values():
            moved = shape.moved(matrix)
            wanted = shape.at(PLACES) @ matrix[:3, :3].T + matrix[:3, 3]
            np.testing.assert_allclose(moved.at(PLACES), wanted, atol=1e-11)

    def test_pulled_points_make_a_free_surface(self) -> None:
        shape = SHAPES[K.SPHERE]
        pulled = shape.with_points(shape.points + 1.0)
        self.assertIs(type(pulled), Surface)

    def test_senseless_sizes(self) -> None:
        for kind, sizes in ((K.CYLINDER, (-1.0,)), (K.SPHERE, ()), (K.TORUS, (5.0, 0.0)), (K.CYLINDER, (np.nan,))):
            with self.assertRaises(InvalidShape):
                Elementary.make(kind, FRAME, sizes, ((0, 1), (0, 1)))
        with self.assertRaises(InvalidShape):  # wholly beyond the tip
            Elementary.make(K.CONE, FRAME, (5.0, 0.5), ((0, 1), (-40.0, -30.0)))
