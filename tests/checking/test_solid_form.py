"""Walls, draft, radii, crossings and sections of bodies against closed forms."""

import unittest

import numpy as np

from arabesque.checking import (
    by_face,
    draft_angles,
    filled_sections,
    least_place,
    self_crossings,
    smallest_radii,
    wall_thickness,
)
from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, Patchwork, Plane, motion
from arabesque.script import Project
from arabesque.solid import KernelWorker, body_of, combine, hollow, sew
from tests.examples import box_body, box_sides, heron
from tests.solid.test_body import FULL, rod

UP = np.array([0.0, 0, 1])


class SolidFormTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        worker = KernelWorker()
        cls.box = box_body()
        cls.open = hollow(cls.box, 1.5, np.array([[15.0, 10, 10]]), worker)
        tube = combine("cut", body_of(rod(6, 0, 0, 0, 20), worker), [rod(4, 0.5, 0, -5, 30)], worker)
        cls.tube = tube
        frame = motion(shift=[0, 0, 0])
        cone = Elementary.make(ElementaryKind.CONE, frame, (10.0, np.radians(-5)), (FULL, (0.0, 20.0)))
        cls.cone = sew([("cone", cone)], 1e-4, worker, cap=True)
        worker.close()

    def test_walls(self) -> None:
        """1.5 mm walls of a hollow box; a tube whose bore is off by 0.5 mm has 1.5 mm at its thinnest place."""
        samples = self.open.sampler(20).read(self.open)
        walls = wall_thickness(samples)
        self.assertAlmostEqual(float(walls.min()), 1.5, places=6)
        outside = np.isclose(samples.normals @ UP, -1) & np.isclose(samples.points[:, 2], 0)
        inner = (np.abs(samples.points[:, :2] - [15, 10]) < [13, 8]).all(axis=1)
        np.testing.assert_allclose(walls[outside & inner], 1.5, atol=1e-6)
        samples = self.tube.sampler(200).read(self.tube)
        least, place = least_place(wall_thickness(samples), samples) or (0.0, np.zeros(3))
        self.assertAlmostEqual(least, 1.5, delta=0.01)
        self.assertGreater(place[0], 4.4)
        faces = by_face(wall_thickness(samples), samples)
        self.assertEqual(faces[0].least, least)
        self.assertEqual(len(faces), len(self.tube.surfaces))
        self.assertTrue(np.isinf(wall_thickness(plane_samples())).all())

    def test_draft(self) -> None:
        """A cone that narrows by 5° upwards draws upwards, and is undercut downwards; its caps look along it."""
        samples = self.cone.sampler(20).read(self.cone)
        angles = draft_angles(samples, UP)
        self.assertEqual(sorted({round(float(value), 6) for value in angles}), [-90.0, 5.0, 90.0])
        np.testing.assert_allclose(draft_angles(samples, -UP), -angles)
        with self.assertRaisesRegex(ArabesqueError, "needs a direction"):
            draft_angles(samples, np.zeros(3))

    def test_radii(self) -> None:
        ball = Elementary.make(ElementaryKind.SPHERE, np.eye(4), (7.0,), (FULL, (-1.0, 1.0)))
        ring = Elementary.make(ElementaryKind.TORUS, np.eye(4), (20.0, 3.0), (FULL, FULL))
        for shape, radius in ((ball, 7.0), (ring, 3.0)):
            work = Patchwork((shape,))
            np.testing.assert_allclose(smallest_radii(work, work.sampler(20).read(work)), radius, rtol=1e-9)

    def test_crossings(self) -> None:
        """Two tubes through each other cross where |x| = |y|; a sound body does not, nor one bent into itself less."""
        for body in (self.box, self.tube, self.open):
            self.assertEqual(len(self_crossings(body.sampler(60).read(body))), 0)
        # x² + z² = 16 and y² + z² = 16 meet where |x| = |y|
        along = Elementary.make(ElementaryKind.CYLINDER, _lying("x"), (4.0,), (FULL, (-10.0, 10.0)))
        across = Elementary.make(ElementaryKind.CYLINDER, _lying("y"), (4.0,), (FULL, (-10.0, 10.0)))
        work = Patchwork((along, across))
        places = self_crossings(work.sampler(60).read(work))
        self.assertGreater(len(places), 50)
        np.testing.assert_allclose(np.abs(places[:, 0]), np.abs(places[:, 1]), atol=0.3)

    def test_sections(self) -> None:
        """Rings and rectangles, filled: their areas by their formulas."""
        samples = self.tube.sampler(200).read(self.tube)
        (ring,) = filled_sections(samples, [Plane(UP, 10.0)])
        self.assertAlmostEqual(ring.area / (np.pi * (36 - 16)), 1.0, delta=1e-3)
        a, b, c = np.swapaxes(ring.triangles, 0, 1)
        self.assertAlmostEqual(float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2), ring.area, places=6)
        self.assertEqual(len(ring.outlines), 2)
        samples = self.open.sampler(40).read(self.open)
        cut, beside = filled_sections(samples, [Plane(np.array([1.0, 0, 0]), 15.0), Plane(UP, 99.0)])
        self.assertAlmostEqual(cut.area, 20 * 10 - 17 * 8.5, places=4)
        self.assertEqual((beside.area, len(beside.triangles)), (0.0, 0))


class LookTest(unittest.TestCase):
    def test_each_look_from_a_script(self) -> None:
        """A block of 30 x 20 x 10 mm over a saddle's scan: its least wall, draft, sections; what cannot be looked at
        says so."""
        with Project() as project:
            box = project.sew([project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))])
            self.assertAlmostEqual((project.look_at_body(box, "wall thickness").least or (0.0,))[0], 10.0, places=5)
            self.assertAlmostEqual((project.look_at_body(box, "draft angle").least or (1.0,))[0], 0.0, places=6)
            self.assertGreater((project.look_at_body(box, "smallest radius").least or (0.0,))[0], 1e9)
            self.assertEqual(len(project.look_at_body(box, "where it crosses itself").crossings), 0)
            sections = project.look_at_body(box, "filled sections", [1, 0, 0], 3).sections
            np.testing.assert_allclose([section.area for section in sections], 200.0, rtol=1e-6)
            with self.assertRaisesRegex(ArabesqueError, "There is no scan"):
                project.look_at_body(box, "distance, face by face")
            project.add("Scan", heron(20_000).scan)
            away = project.look_at_body(box, "distance, face by face")
            self.assertEqual(len(away.samples.points), len(away.values if away.values is not None else ()))
            shell = project.sew([project.item("Side 0")])
            with self.assertRaisesRegex(ArabesqueError, "no walls"):
                project.look_at_body(shell, "wall thickness")
            with self.assertRaisesRegex(ArabesqueError, "is no body"):
                project.look_at_body(project.item("Side 1"), "draft angle")


def _lying(axis: str) -> np.ndarray:
    turn = {"x": [[0, 0, 1], [1, 0, 0], [0, 1, 0]], "y": [[0, 1, 0], [0, 0, 1], [1, 0, 0]]}[axis]
    return motion(turn, [0.0, 0.0, 0.0])


def plane_samples() -> object:
    """Of a plane alone, behind which nothing is."""
    work = Patchwork((Elementary.make(ElementaryKind.PLANE, np.eye(4), (), ((0.0, 5.0), (0.0, 5.0))),))
    return work.sampler(5).read(work)


if __name__ == "__main__":
    unittest.main()
