"""Surfaces set off: true shapes by their formulas, splines near the true offset, areas by Steiner, folds."""

import unittest

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, Surface
from arabesque.joining import set_off
from arabesque.script import Project
from tests.joining.test_blend import hill

K = ElementaryKind


def true(kind: K, sizes: tuple[float, ...], bounds: tuple[tuple[float, float], tuple[float, float]]) -> Elementary:
    return Elementary.make(kind, np.eye(4), sizes, bounds)


class TrueShapeTest(unittest.TestCase):
    def test_each_kind_stays_exact(self) -> None:
        """Every place moves by the length along the normal, whichever way that looks."""
        shapes = (
            true(K.PLANE, (), ((0.0, 20.0), (0.0, 30.0))),
            true(K.CYLINDER, (8.0,), ((0.0, 2.0), (0.0, 30.0))),
            true(K.CONE, (8.0, 0.3), ((0.0, 2.0), (0.0, 20.0))),
            true(K.SPHERE, (12.0,), ((0.0, 2.0), (-0.5, 0.9))),
            true(K.TORUS, (20.0, 6.0), ((0.0, 2.0), (0.2, 2.4))),
        )
        uv = np.random.default_rng(0).random((60, 2))
        for shape in shapes:
            (u0, u1), (v0, v1) = shape.domain
            at = np.array([u0, v0]) + uv * [u1 - u0, v1 - v0]
            for length in (1.5, -1.5):
                made = set_off(shape, length)
                self.assertIsInstance(made.surface, Elementary)
                gap = made.surface.at(at) - shape.at(at)
                np.testing.assert_allclose(gap, length * shape.normals(at), atol=1e-9, err_msg=shape.kind.value)

    def test_radii(self) -> None:
        rod = true(K.CYLINDER, (8.0,), ((0.0, 2.0), (0.0, 30.0)))
        lengths = [set_off(rod, d).surface.sizes[0] for d in (2.5, -2.5)]  # type: ignore[attr-defined]
        self.assertEqual(sorted(lengths), [5.5, 10.5])
        outward = 1.0 if rod.normals(np.array([[1.0, 1.0]]))[0] @ rod.at(np.array([[1.0, 1.0]]))[0] > 0 else -1.0
        with self.assertRaisesRegex(ArabesqueError, "nothing is left"):
            set_off(rod, -9.0 * outward)


class SplineTest(unittest.TestCase):
    def test_near_the_true_offset_with_the_rows_kept_where_they_do(self) -> None:
        patch = hill(0, 40, 0)
        rng = np.random.default_rng(1)
        uv = rng.random((400, 2))
        for near, spans in ((0.05, (1, 1)), (0.001, None)):
            made = set_off(patch, 2.5, near)
            self.assertLessEqual(made.off, near)
            self.assertEqual(made.surface.degree, patch.degree)
            if spans:
                self.assertEqual(made.surface.spans, spans)
            away = np.linalg.norm(made.surface.at(uv) - patch.at(uv) - 2.5 * patch.normals(uv), axis=1)
            self.assertLess(away.max(), 1.2 * near)

    def test_area_by_steiner(self) -> None:
        """A(t) = A - 2 t ∫H + t² ∫K for the normal that H is counted with (Steiner; do Carmo, 3-5): of a paraboloid."""
        n = 3
        x, y = np.meshgrid(np.linspace(-10, 10, n), np.linspace(-10, 10, n), indexing="ij")
        # z = (x² + y²) / 80 as a Bezier patch: control heights by blossoming
        z = np.array([[1.0, -1, 1]]).T @ np.ones((1, 3)) + np.ones((3, 1)) @ np.array([[1.0, -1, 1]])
        bowl = Surface.bezier(np.stack([x, y, 100 / 80 * z], -1))
        place = bowl.at(np.array([[0.3, 0.8]]))[0]
        self.assertAlmostEqual(place[2], (place[0] ** 2 + place[1] ** 2) / 80, places=12)

        def integrals(surface: Surface, count: int = 400) -> tuple[float, float, float]:
            t = (np.arange(count) + 0.5) / count
            px, py = surface.at(np.column_stack([t, t]))[:, :2].T
            gx, gy = np.meshgrid(px / 40, py / 40, indexing="ij")
            w = np.sqrt(1 + gx**2 + gy**2)
            mean = ((1 + gy**2) + (1 + gx**2)) / 40 / (2 * w**3)
            cell = (20 / count) ** 2
            return float(w.sum() * cell), float((mean * w).sum() * cell), float((1 / 1600 / w**3).sum() * cell)

        area, bend, gauss = integrals(bowl)
        for length in (2.0, -2.0):
            made = set_off(bowl, length, 1e-5).surface
            t = (np.arange(200) + 0.5) / 200
            d = made.on_grid(t, t, 1)
            got = float(np.linalg.norm(np.cross(d[1, 0], d[0, 1]), axis=-1).mean())
            self.assertAlmostEqual(got, area - 2 * length * bend + length**2 * gauss, delta=2e-3)

    def test_where_it_folds_is_told(self) -> None:
        """A parabolic gutter z = x²/20 has radius 10 along its bottom: towards its middle it folds from 10 mm on."""
        x = np.array([-10.0, 0, 10])
        points = np.stack([np.stack([x, np.full(3, y), np.array([5.0, -5, 5])], -1) for y in (0.0, 30)], axis=1)
        gutter = Surface.bezier(points)
        up = 1.0 if gutter.normals(np.array([[0.5, 0.5]]))[0, 2] > 0 else -1.0
        found = set_off(gutter, up * 12.0, 0.01)
        self.assertAlmostEqual(found.longest, 10.0, delta=0.01)
        self.assertGreater(len(found.folded), 0)
        self.assertLess(np.abs(found.folded[:, 0]).max(), 4.0)
        self.assertEqual(len(set_off(gutter, up * 9.0, 0.01).folded), 0)
        self.assertTrue(np.isinf(set_off(gutter, -up * 12.0, 0.01).longest))

    def test_refused_and_followed(self) -> None:
        for wrong in (0.0, np.nan, np.inf):
            with self.assertRaisesRegex(ArabesqueError, "by nothing"):
                set_off(hill(0, 40, 0), wrong)
        with Project() as project:
            patch = project.add("Patch", hill(0, 40, 0))
            made = project.offset(patch, 2.0)
            project.reshape(patch, patch.shape.with_points(patch.shape.points + np.array([0, 0, 5.0])), "raised")
            raised = project.item(made.id).shape.points - made.shape.points
            np.testing.assert_allclose(raised, np.broadcast_to([0, 0, 5.0], raised.shape), atol=1e-9)


if __name__ == "__main__":
    unittest.main()
