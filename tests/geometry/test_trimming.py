"""Trim loops."""

import unittest

import numpy as np

from arabesque.errors import InvalidShape
from arabesque.geometry import Face, Plane, Surface, Trim, extended, motion, rotation_about, split_surface
from tests.examples import random_surface

TURN = motion(rotation_about([1, 1, 0], 30.0), (5.0, 0.0, -2.0))
AROUND = np.linspace(0, 2 * np.pi, 60, endpoint=False)


class TrimTest(unittest.TestCase):
    def test_ring(self) -> None:
        """Inside a square but outside its round hole; area = square - polygon of the hole."""
        angle = np.linspace(0, 2 * np.pi, 400, endpoint=False)
        hole = 0.5 + 0.25 * np.column_stack([np.cos(angle), np.sin(angle)])
        square = np.array([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]])
        trim = Trim((hole, square))
        uv = np.array([[0.5, 0.5], [0.2, 0.2], [0.05, 0.5], [0.5, 0.85]])
        np.testing.assert_array_equal(trim.contains(uv), [False, True, False, True])
        self.assertAlmostEqual(trim.area, 0.64 - np.pi / 16, places=4)

    def test_a_face_keeps_its_trim_only_with_its_parameters(self) -> None:
        corner = Trim((np.array([[0.1, 0.1], [0.9, 0.1], [0.1, 0.9]]),))
        patch = random_surface((3, 2), (2, 1))
        face = Face(patch.degree, patch.knots, patch.points, None, corner)
        for kept in (face.with_points(patch.points + 1), face.elevated(1, 1), face.with_knots([0.3]), face.moved(TURN)):
            self.assertIsInstance(kept, Face)
            self.assertIs(kept.trim, corner)  # type: ignore[union-attr]
        self.assertIs(type(extended(face, 0, True, 3.0)), Surface)

    def test_the_parts_of_a_split_face_show_what_it_showed(self) -> None:
        """Shares of random parameters: those of the whole, on either side of the cut."""
        ring = 0.5 + 0.4 * np.column_stack([np.cos(AROUND), np.sin(AROUND)])
        patch = random_surface((3, 2), (2, 1))
        face = Face(patch.degree, patch.knots, patch.points, None, Trim((ring, 0.5 + 0.5 * (ring - 0.5))))
        uv = np.random.default_rng(0).random((4000, 2))
        for axis in (0, 1):
            parts = split_surface(face, axis, 0.37)
            shown = np.where(uv[:, axis] < 0.37, parts[0].shows(uv), parts[1].shows(uv))
            np.testing.assert_array_equal(shown, face.shows(uv))
        self.assertIs(type(split_surface(patch, 0, 0.37)[0]), Surface)
        with self.assertRaisesRegex(InvalidShape, "outside the trim"):
            split_surface(face, 0, 0.05)

    def test_the_mirror_image_of_a_face_shows_the_image_of_what_shows(self) -> None:
        corner = Trim((np.array([[0.1, 0.1], [0.9, 0.1], [0.1, 0.9]]),))
        patch = random_surface((3, 2), (2, 1))
        face = Face(patch.degree, patch.knots, patch.points, None, corner)
        plane = Plane.through([1.0, 2, 3], [1, 1, 0])
        image = face.mirrored(plane)
        shown = [one.at(one.trim.loops[0]) for one in (image, face)]
        np.testing.assert_allclose(shown[0], plane.mirrored(shown[1]), atol=1e-12)
