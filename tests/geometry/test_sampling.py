"""Samples of patches and faces, and the triangles made of them."""

import unittest

import numpy as np
import trimesh

from arabesque.errors import InvalidShape
from arabesque.geometry import Elementary, ElementaryKind, Face, Surface, Trim, tessellate
from arabesque.shapes import Samples
from tests.examples import random_surface

TURN = np.linspace(0, 2 * np.pi, 96, endpoint=False)
UP = np.array([0, 0, 1.0])
RING = np.column_stack([np.cos(TURN), np.sin(TURN)])


def square(side: float = 100.0) -> Surface:
    return Surface.bezier([[[0.0, 0, 0], [0, side, 0]], [[side, 0, 0], [side, side, 0]]])


def trimmed(patch: Surface, *loops: np.ndarray) -> Face:
    return Face(patch.degree, patch.knots, patch.points, patch.weights, Trim(loops))


def read(shape: Surface, along: int = 60) -> Samples:
    return shape.sampler(along).read(shape)


def mesh(samples: Samples) -> trimesh.Trimesh:
    return trimesh.Trimesh(samples.points, samples.triangles, process=False)


class SamplerTest(unittest.TestCase):
    def test_points_and_normals_are_the_surface_s_own(self) -> None:
        for rational in (False, True):
            patch = random_surface((3, 4), (3, 2), rational=rational)
            for shape in (patch, trimmed(patch, 0.5 + 0.4 * RING)):
                samples = read(shape)
                np.testing.assert_allclose(samples.points, patch.at(samples.uv), atol=1e-9)
                np.testing.assert_allclose(samples.normals, patch.normals(samples.uv), atol=1e-9)
                a, b, c = np.swapaxes(samples.uv[samples.triangles], 0, 1)
                area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
                self.assertGreater(area.min(), 0)

    def test_a_sampler_goes_on_while_only_points_move(self) -> None:
        patch = random_surface((3, 3), (2, 2))
        face = trimmed(patch, 0.5 + 0.4 * RING)
        for shape, other in ((patch, face), (face, patch)):
            sampler = shape.sampler(40)
            moved = shape.with_points(shape.points + UP)
            self.assertTrue(sampler.fits(moved))
            np.testing.assert_allclose(sampler.read(moved).points, read(shape, 40).points + UP, atol=1e-9)
            for unlike in (other, shape.elevated(1), shape.with_knots([0.3])):
                self.assertFalse(sampler.fits(unlike))
        self.assertFalse(face.sampler(40).fits(trimmed(patch, 0.5 + 0.3 * RING)))

    def test_area_of_a_disc_with_a_hole(self) -> None:
        """Polygons of 96 corners: 48 r² sin(2π/96) each."""
        samples = read(trimmed(square(), 0.5 + 0.45 * RING, 0.5 + 0.2 * RING))
        area = 48 * np.sin(2 * np.pi / 96)
        self.assertAlmostEqual(mesh(samples).area, area * (45**2 - 20**2), places=6)
        self.assertEqual(len(samples.rims), 2)
        outer = samples.points[samples.rims[0]]
        np.testing.assert_array_equal(outer[0], outer[-1])
        self.assertAlmostEqual(np.linalg.norm(np.diff(outer, axis=0), axis=1).sum(), 96 * 90 * np.sin(np.pi / 96))

    def test_a_narrow_tongue_and_a_sharp_corner(self) -> None:
        """Parts far narrower than a step of the grid keep their area."""
        tongue = np.array([[0.1, 0.1], [0.9, 0.5], [0.1, 0.9], [0.1, 0.502], [0.8, 0.5], [0.1, 0.498]])
        x, y = tongue.T
        area = abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2
        self.assertAlmostEqual(mesh(read(trimmed(square(1.0), tongue), 30)).area / area, 1.0, delta=2e-3)

    def test_every_trim_is_covered_once_to_its_loops(self) -> None:
        """Random blobs, with holes, slits thinner than a cell, uneven knots, coarse and fine: the borders of the
        triangles are the loops, each once, and the area is the polygon's (shoelace formula)."""
        rng = np.random.default_rng(3)
        uneven = random_surface((3, 3), (1, 1)).with_knots([0.1, 0.15, 0.8], [0.5, 0.52])
        for number in range(24):
            waves = rng.uniform(-0.06, 0.06, 4)
            reach = 0.38 + sum(wave * np.sin((k + 1) * TURN + k) for k, wave in enumerate(waves))
            loops = [0.5 + 0.5 * reach[:, None] * RING / 0.62]
            if number % 3 == 1:
                loops = [np.array([[0.01, 0.01], [0.99, 0.01], [0.99, 0.99], [0.01, 0.99]]), 0.5 + 0.2 * RING]
            if number % 3 == 2:
                slit = 0.002 * (1 + number)
                loops = [np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]]),
                         np.array([[0.2, 0.5 - slit], [0.8, 0.5], [0.2, 0.5 + slit]])]  # fmt: skip
            for along in (6, 25, 80):
                samples = read(trimmed(uneven, *loops), along)
                t = samples.triangles
                edges = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
                sides, times = np.unique(edges, axis=0, return_counts=True)
                self.assertLessEqual(times.max(), 2)
                rims = np.concatenate([np.column_stack([ring[:-1], ring[1:]]) for ring in samples.rims])
                a, b, c = np.swapaxes(samples.uv[t], 0, 1)
                area = ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2
                self.assertAlmostEqual(float(area.sum()), Trim(tuple(loops)).area, delta=2e-6)
                self.assertEqual(len(sides[times == 1]), len(rims))

    def test_a_trim_of_one_triangle(self) -> None:
        """Three places are one triangle; a grid has none in it."""
        samples = read(trimmed(square(), np.array([[0.5, 0.5], [0.501, 0.5], [0.5, 0.501]])), 4)
        self.assertEqual(samples.triangles.shape, (1, 3))

    def test_nothing_shows(self) -> None:
        samples = read(trimmed(square(), np.zeros((5, 2))))
        self.assertEqual(len(samples.triangles), 0)
        self.assertEqual(samples.size, 0.0)


class TessellationTest(unittest.TestCase):
    def test_a_cap_of_a_sphere(self) -> None:
        """Area 2 π r h (Archimedes); triangles lie within the chord of the sphere."""
        radius, chord = 50.0, 0.02
        ball = Elementary.make(ElementaryKind.SPHERE, np.eye(4), (radius,), ((0.0, 3.0), (-1.2, 1.2)))
        for share in (0.3, 0.45):
            face = trimmed(ball, 0.5 + share * RING)
            points, triangles = tessellate(face, chord)
            made = trimesh.Trimesh(points, triangles, process=False)
            np.testing.assert_allclose(np.linalg.norm(points, axis=1), radius, atol=1e-9)
            sunk = radius - np.linalg.norm(made.triangles_center, axis=1)
            self.assertLess(sunk.max(), chord)
            fine = read(face, 400)
            self.assertAlmostEqual(made.area / mesh(fine).area, 1.0, delta=1e-3)
            self.assertTrue(face.shows(ball_uv(face, made.triangles_center)).mean() > 0.99)

    def test_a_round_plate_is_closed_along_its_rim(self) -> None:
        """The edges with one triangle are exactly those of the trim."""
        points, triangles = tessellate(trimmed(square(), 0.5 + 0.4 * RING), 1.0)
        edges = np.sort(trimesh.Trimesh(points, triangles, process=False).edges_sorted, axis=1)
        once = np.unique(edges, axis=0, return_counts=True)
        rim = once[0][once[1] == 1]
        self.assertEqual(len(rim), len(np.unique(rim)))
        np.testing.assert_allclose(np.linalg.norm(points[rim].mean(axis=1)[:, :2] - 50, axis=1), 40, atol=0.1)

    def test_an_absurd_chord_is_refused(self) -> None:
        ball = Elementary.make(ElementaryKind.SPHERE, np.eye(4), (50.0,), ((0.0, 3.0), (-1.2, 1.2)))
        with self.assertRaisesRegex(InvalidShape, "larger"):
            tessellate(trimmed(ball, 0.5 + 0.45 * RING), 1e-5)


def ball_uv(face: Face, places: np.ndarray) -> np.ndarray:
    from arabesque.geometry import foot_points

    return foot_points(face, places).uv
