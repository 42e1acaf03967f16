"""Morphs and wraps: by closed forms of planes, cylinders and balls."""

import unittest

import numpy as np

from arabesque.cages import Cage
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Element, Elementary, ElementaryKind, ElementKind, Face, Sketch, Surface, motion
from arabesque.joining import Laid, Morph, reformed, wrapped_mesh, wrapped_places
from arabesque.scan import Scan
from arabesque.script import Project
from tests.examples import box_sides, plane

FULL = (0.0, 2 * np.pi)


def flat(size: float = 100.0) -> Surface:
    """A square of bicubic rows in z = 0."""
    return Surface.bezier([[[0.0, 0, 0], [0, size, 0]], [[size, 0, 0], [size, size, 0]]]).elevated(2, 2)


def line(*ends: list[float]) -> Curve:
    return Curve.bezier(list(ends))


class MorphTest(unittest.TestCase):
    def setUp(self) -> None:
        self.morph = Morph(line([0.0, 50, 0], [100, 50, 0]), line([0.0, 50, 6], [100, 50, 6]), 5.0, 25.0)

    def test_wholly_then_falling_then_not(self) -> None:
        """6 mm up within 5 mm of the line, half of it half way between the limits, none beyond."""
        places = np.array([[30.0, 50, 0], [30, 55, 0], [30, 65, 0], [30, 75, 0], [30, 90, 1]])
        np.testing.assert_allclose(self.morph.moved(places)[:, 2], [6, 6, 3, 0, 1], atol=1e-12)
        bent = Morph(line([0.0, 0, 0], [10, 0, 0]), line([0.0, 0, 0], [0, 20, 0]), 1.0, 2.0)
        np.testing.assert_allclose(bent.moved(np.array([[5.0, 0, 0]])), [[0, 10, 0]], atol=1e-6)
        with self.assertRaisesRegex(ArabesqueError, "two limits"):
            Morph(self.morph.start, self.morph.end, 5.0, 5.0)

    def test_a_patch_gets_the_knots_it_needs(self) -> None:
        made = reformed(flat(), self.morph.moved, 0.01)
        self.assertGreater(made.count, 16)
        uv = np.random.default_rng(0).random((4000, 2))
        wanted = self.morph.moved(flat().at(uv))
        self.assertLess(np.linalg.norm(made.at(uv) - wanted, axis=1).max(), 0.012)
        coarse = reformed(flat(), self.morph.moved, 0.2)
        self.assertLess(coarse.count, made.count)
        still = reformed(flat().moved(motion(shift=[0, 200, 0])), self.morph.moved, 0.01)
        self.assertEqual(still.count, 16)

    def test_a_curve_gets_the_knots_it_needs(self) -> None:
        """A straight line across the limits becomes the bump that the morph's polynomial is."""
        across = line([50.0, 0, 0], [50, 100, 0])
        made = reformed(across, self.morph.moved, 0.005)
        t = np.linspace(0, 1, 1001)
        self.assertLess(np.linalg.norm(made.at(t) - self.morph.moved(across.at(t)), axis=1).max(), 0.006)
        self.assertAlmostEqual(float(made.at([0.5])[0, 2]), 6.0, delta=0.006)

    def test_a_cage_and_a_body(self) -> None:
        x, y = np.meshgrid(np.arange(11.0) * 10, np.arange(11.0) * 10, indexing="ij")
        points = np.column_stack([x.ravel(), y.ravel(), np.zeros(121)])
        at = np.arange(121).reshape(11, 11)
        quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], -1).reshape(-1, 4)
        cage = Cage.of(points, quads)
        made = reformed(cage, self.morph.moved, 0.01)
        np.testing.assert_allclose(made.limit, self.morph.moved(cage.limit), atol=1e-9)
        with Project() as project:
            box = project.sew([project.add(f"Side {k}", side) for k, side in enumerate(box_sides(100, 100, 20))])
            start = project.add("From", line([0.0, 50, 20], [100, 50, 20]))
            end = project.add("To", line([0.0, 50, 26], [100, 50, 26]))
            bulged = project.morph(box, start, end, 5.0, 15.0)
            told = project.told_of_body(bulged)
            self.assertTrue(told.closed and told.valid)
            # over its top: 6 mm wholly over 10 mm, and half of it over both falls of 10 mm
            self.assertAlmostEqual(told.volume, 200_000 + 100 * 6 * 20, delta=12)
            project.reshape(end, line([0.0, 50, 20], [100, 50, 20]), "back")
            self.assertAlmostEqual(project.told_of_body(project.item(bulged.id)).volume, 200_000, delta=1)


class OvershootTest(unittest.TestCase):
    def test_past_a_plane_and_trimmed_clean(self) -> None:
        """A trough that ends 0.01 mm below a plane is pushed 1 mm past it; further than 4 mm from it nothing moves; the
        trim that could not be made before is made."""
        x, y = np.meshgrid(np.linspace(-30, 30, 7), np.linspace(-30, 30, 7), indexing="ij")
        # a trough whose two long borders lie 0.01 mm below z = 9
        trough = Surface.bezier(np.stack([x, y, 0.01 * x * x - 0.01], -1))
        top = float(trough.at([[0.0, 0.5]])[0, 2])
        plane = Elementary.make(
            ElementaryKind.PLANE, motion(shift=[0, 0, top + 0.01]), (), ((-50.0, 50.0), (-50.0, 50.0))
        )
        with Project() as project:
            patch, level = project.add("Trough", trough), project.add("Level", plane)
            with self.assertRaisesRegex(ArabesqueError, "do not meet|nothing|ends"):
                project.trim(patch, level, keep=[[0, 0, 0]])
            made = project.overshoot(patch, level, 4.0, 1.0)
            edge = made.shape.at([[0.0, 0.5], [1.0, 0.5]])
            np.testing.assert_allclose(edge[:, 2], top + 0.01 + 1.0, atol=0.02)
            uv = np.random.default_rng(0).random((2000, 2))
            low = trough.at(uv)[:, 2] < top - 4.0
            np.testing.assert_allclose(made.shape.at(uv)[low], trough.at(uv)[low], atol=0.006)
            cut = project.trim(made, level, keep=[[0, 0, 0]])
            self.assertIsInstance(cut.shape, Face)
            project.reshape(level, plane.moved(motion(shift=[0, 0, 0.5])), "higher")
            higher = project.item(made.id).shape.at([[0.0, 0.5]])[0, 2]
            self.assertAlmostEqual(higher, top + 0.51 + 1.0, delta=0.2)
            with self.assertRaisesRegex(ArabesqueError, "No place of it lies within"):
                project.overshoot(patch, project.add("Far", plane.moved(motion(shift=[0, 0, 99]))))
            with self.assertRaisesRegex(ArabesqueError, "two lengths above 0"):
                project.overshoot(patch, level, 0.0)


class WrapTest(unittest.TestCase):
    def test_ways_keep_their_lengths(self) -> None:
        """Great circles on a ball; on a cylinder, which unrolls, all lengths."""
        ball = Elementary.make(ElementaryKind.SPHERE, np.eye(4), (20.0,), (FULL, (-np.pi / 2, np.pi / 2)))
        places = np.array([[5.0, 0], [0, 12], [9, 9]])
        found, normals, *_ = wrapped_places(ball, Laid([20, 0, 0], [0, 0, 1]), places)
        angles = np.arccos(np.clip(found @ [1, 0, 0] / 20, -1, 1))
        np.testing.assert_allclose(angles * 20, np.linalg.norm(places, axis=1), rtol=2e-3)
        np.testing.assert_allclose(np.abs(np.einsum("nc,nc->n", found / 20, normals)), 1, atol=1e-9)
        self.assertGreater(found[1][2], 10)
        rod = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (10.0,), (FULL, (-30.0, 30.0)))
        square = np.array([[-6.0, -6], [6, -6], [6, 6], [-6, 6]])
        found, *_ = wrapped_places(rod, Laid([10, 0, 0], [0, 0, 1]), square)
        unrolled = np.column_stack([10 * np.arctan2(found[:, 1], found[:, 0]), found[:, 2]])
        np.testing.assert_allclose(np.abs(unrolled), 6, rtol=3e-3)
        with self.assertRaisesRegex(ArabesqueError, "over a border"):
            wrapped_places(rod, Laid([10, 0, 0], [0, 0, 1]), np.array([[0.0, 60]]))

    def test_a_relief(self) -> None:
        """Heights stand off a ball by what they are, times size and bulge; its lowest lies on it."""
        ball = Elementary.make(ElementaryKind.SPHERE, np.eye(4), (50.0,), (FULL, (-np.pi / 2, np.pi / 2)))
        relief = plane(steps=12)
        points = np.column_stack([relief.points[:, :2] - relief.points[:, :2].mean(axis=0), relief.points[:, 0] * 0])
        points[:, :2] *= 10 / np.abs(points[:, :2]).max()
        points[:, 2] = np.arange(len(points)) % 2
        made = wrapped_mesh(ball, Laid([50, 0, 0], [0, 0, 1], 2.0, 1.5), Scan(points, relief.triangles))
        away = np.linalg.norm(made.points, axis=1) - 50
        np.testing.assert_allclose(away, np.where(np.arange(len(points)) % 2, 3.0, 0.0), atol=1e-6)

    def test_raised_and_followed(self) -> None:
        """A disc of 5 mm raised 2 mm out of a plane and sunk 0.5 mm: pi r² times 2.5; the curve itself; kept and
        followed."""
        with Project() as project:
            ground = project.add("Ground", flat())
            circle = Sketch(np.eye(4), [[0.0, 0], [5, 0]], (Element(ElementKind.CIRCLE, (0, 1)),))
            drawn = project.add("Disc", circle)
            raised = project.wrap(drawn, ground, [40, 60, 0], [0, 1, 0], height=2.0)
            self.assertAlmostEqual(project.told_of_body(raised).volume / (62.5 * np.pi), 1.0, delta=2e-3)
            np.testing.assert_allclose(project.told_of_body(raised).centre[:2], [40, 60], atol=1e-3)
            along = project.wrap(project.add("Round", circle.curves[0]), ground, [40, 60, 0], [0, 1, 0], size=2.0)
            places = along.shape.at(np.linspace(*along.shape.domain, 50))
            np.testing.assert_allclose(np.linalg.norm(places - [40, 60, 0], axis=1), 10, atol=0.01)
            project.reshape(drawn, circle.with_flat([[0.0, 0], [4, 0]]), "smaller")
            smaller = project.told_of_body(project.item(raised.id)).volume
            self.assertAlmostEqual(smaller / (40 * np.pi), 1.0, delta=2e-3)
            with self.assertRaisesRegex(ArabesqueError, "open curve"):
                project.wrap(project.add("Open", line([0.0, 0, 0], [5, 5, 0])), ground, [40, 60, 0], height=1.0)


if __name__ == "__main__":
    unittest.main()
