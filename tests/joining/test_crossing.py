"""Lines in which surfaces cross: circles by formulas, two rods, the kernel's own intersections, and what is none."""

import unittest

import numpy as np
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAdaptor import GeomAdaptor_Curve
from OCP.GeomAPI import GeomAPI_IntSS

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, Surface
from arabesque.joining import Crossing, crossings
from arabesque.solid.kernel import spline_surface
from tests.joining.test_blend import hill

K = ElementaryKind
FULL = (0.0, 2 * np.pi)


def flat(height: float = 0.0, size: float = 50.0, tilt: float = 0.0) -> Elementary:
    frame = np.eye(4)
    frame[:3, :3] = [[np.cos(tilt), 0, np.sin(tilt)], [0, 1, 0], [-np.sin(tilt), 0, np.cos(tilt)]]
    frame[2, 3] = height
    return Elementary.make(K.PLANE, frame, (), ((-size, size), (-size, size)))


def rough(seed: int, tilt: float = 0.0, size: float = 100.0, amplitude: float = 3.0) -> Surface:
    """A wavy patch of 10 x 10 control points of degree 3."""
    rng = np.random.default_rng(seed)
    knots = np.concatenate([np.zeros(3), np.linspace(0, 1, 8), np.ones(3)])
    at = np.array([knots[k + 1 : k + 4].mean() for k in range(10)]) * size
    x, y = np.meshgrid(at, at, indexing="ij")
    z = tilt * (x - size / 2) + amplitude * rng.standard_normal(x.shape)
    return Surface((3, 3), (knots, knots), np.stack([x, y, z], axis=-1))


class CrossingTest(unittest.TestCase):
    def exact(self, one: Surface, two: Surface, line: Crossing) -> None:
        """Places lie on both surfaces, and a spline through them as well."""
        from scipy.interpolate import CubicSpline

        np.testing.assert_allclose(one.at(line.one), line.points, atol=1e-9)
        np.testing.assert_allclose(two.at(line.two), line.points, atol=1e-9)
        along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(line.points, axis=0), axis=1))])
        both = CubicSpline(along, np.hstack([line.one, line.two]))(np.linspace(0, along[-1], 999))
        gap = np.linalg.norm(one.at(both[:, :2]) - two.at(both[:, 2:]), axis=1)
        self.assertLess(gap.max(), 1e-4)

    def test_a_ball_and_a_plane(self) -> None:
        """A circle: r² = R² - h²."""
        ball = Elementary.make(K.SPHERE, np.eye(4), (30.0,), (FULL, (-np.pi / 2, np.pi / 2)))
        for height in (0.0, 10.0, 29.9):
            (line,) = crossings(flat(height), ball)
            self.exact(flat(height), ball, line)
            radius = np.sqrt(900 - height**2)
            np.testing.assert_allclose(np.linalg.norm(line.points[:, :2], axis=1), radius, atol=1e-9)
            self.assertAlmostEqual(line.length, 2 * np.pi * radius, delta=0.01)
        self.assertEqual(crossings(flat(30.5), ball), ())

    def test_two_rods(self) -> None:
        """A rod through a thicker one comes out on both sides; places keep both radii."""
        upright = Elementary.make(K.CYLINDER, np.eye(4), (10.0,), (FULL, (-40.0, 40.0)))
        across = np.array([[0, 0, 1.0, 0], [1, 0, 0, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
        lying = Elementary.make(K.CYLINDER, across, (6.0,), (FULL, (-40.0, 40.0)))
        lines = crossings(upright, lying)
        total = 0.0
        for line in lines:
            self.exact(upright, lying, line)
            x, y, z = line.points.T
            np.testing.assert_allclose(np.hypot(x, y), 10.0, atol=1e-9)
            np.testing.assert_allclose(np.hypot(y, z), 6.0, atol=1e-9)
            total += line.length
        # by the formula of the curve, (sqrt(100 - 36 sin² t), 6 sin t, 6 cos t), twice
        t = np.linspace(0, 2 * np.pi, 200_001)
        curve = np.column_stack([np.sqrt(100 - 36 * np.sin(t) ** 2), 6 * np.sin(t), 6 * np.cos(t)])
        self.assertAlmostEqual(total, 2 * np.linalg.norm(np.diff(curve, axis=0), axis=1).sum(), delta=0.01)

    def test_wavy_patches_as_the_kernel_has_them(self) -> None:
        """The same total length as the kernel's own intersection, and the same places."""
        for seed in range(3):
            one, two = rough(seed), rough(seed + 10, 0.5)
            lines = crossings(one, two)
            for line in lines:
                self.exact(one, two, line)
            made = GeomAPI_IntSS(*(spline_surface(vars(s)) for s in (one, two)), 1e-7)
            known = [made.Line(k) for k in range(1, made.NbLines() + 1)]
            length = sum(GCPnts_AbscissaPoint.Length_s(GeomAdaptor_Curve(one)) for one in known)
            self.assertAlmostEqual(sum(line.length for line in lines), length, delta=2e-4 * length)

    def test_lines_end_on_edges(self) -> None:
        """A line that leaves one of the surfaces ends exactly on its edge."""
        small = flat(5.0, 8.0, 0.4)
        (line,) = crossings(rough(4, amplitude=1.0, size=100.0), small.moved(_shift(50, 50, -5)))
        self.assertFalse(line.closed)
        for end in (0, -1):
            self.assertLess(np.abs(line.two[end, :, None] - np.array(small.domain)).min(), 1e-12)

    def test_surfaces_in_each_other_are_refused(self) -> None:
        patch = hill(0, 40, 0)
        with self.assertRaisesRegex(ArabesqueError, "lie in each other"):
            crossings(patch, patch)


def _shift(*by: float) -> Floats:
    matrix = np.eye(4)
    matrix[:3, 3] = by
    return matrix


if __name__ == "__main__":
    unittest.main()
