"""Skins with a thickness: Steiner's formula, plates, trimmed faces, what cannot be."""

import unittest

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, Surface, split_surface
from arabesque.joining import Cutter, cut_apart, thickened
from arabesque.script import Project
from tests.joining.test_blend import hill
from tests.joining.test_crossing import flat
from tests.joining.test_lines_and_images import flat as sheet
from tests.joining.test_trim import circle

THICK = 2.5


class ThickenTest(unittest.TestCase):
    def test_steiners_formula(self) -> None:
        """V = A t - H t² + K t³ / 3, with the integrals of the mean and of the Gaussian curvature over a wavy skin of
        two patches that look to different sides (Steiner 1840; Gray, "Tubes", 2004, chapter 10)."""
        whole = hill(0, 40, 0)
        samples = whole.sampler(400).read(whole)
        bends = whole.curvatures(samples.part, samples.uv)
        area, mean, gauss = (float((samples.areas * one).sum()) for one in (1.0, bends.mean, bends.gaussian))
        left, right = split_surface(whole, 0, 0.4)
        # one side is larger by as much as the other is smaller
        wanted = sorted(area * THICK + sign * mean * THICK**2 + gauss * THICK**3 / 3 for sign in (-1, 1))
        with Project() as project:
            first = project.add("Left", left)
            for right_way in (right, right.reversed(1)):
                items = [first, project.add("Right", right_way)]
                volumes = []
                for side in ("along the normals", "against the normals"):
                    told = project.told_of_body(project.thicken(items, THICK, side))
                    self.assertTrue(told.closed and told.valid)
                    self.assertLess(told.gap, 0.02)
                    volumes.append(told.volume)
                np.testing.assert_allclose(sorted(volumes), wanted, atol=0.1)
        self.assertGreater(wanted[1] - wanted[0], 1.0)

    def test_a_plate_and_one_that_follows(self) -> None:
        with Project() as project:
            plate = project.add("Plate", sheet(0, 40))
            solid = project.thicken([plate], THICK, "to both sides")
            told = project.told_of_body(solid)
            self.assertAlmostEqual(told.volume, 40 * 60 * THICK, delta=1e-3)
            np.testing.assert_allclose(told.centre, [20, 30, 0], atol=1e-6)
            project.reshape(plate, sheet(0, 50), "longer")
            self.assertAlmostEqual(project.told_of_body(project.item(solid.id)).volume, 50 * 60 * THICK, delta=1e-3)

    def test_a_trimmed_face(self) -> None:
        """A disc of 20 mm cut out of a level sheet becomes a coin."""
        disc = cut_apart(flat(0.0), [Cutter(circle(20.0))]).kept([1])
        with Project() as project:
            told = project.told_of_body(project.thicken([project.add("Disc", disc)], THICK))
        self.assertTrue(told.closed)
        self.assertAlmostEqual(told.volume, 400 * np.pi * THICK, delta=1.0)

    def test_what_cannot_be(self) -> None:
        x, y = np.meshgrid(np.linspace(40, 80, 4), np.linspace(0, 60, 4), indexing="ij")
        slope = Surface.bezier(np.stack([x, y, 0.5 * (x - 40)], -1))
        with self.assertRaisesRegex(ArabesqueError, "meet at 26.6"):
            thickened([sheet(0, 40), slope], 0.0, THICK)
        rod = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (2.0,), ((0.0, 1.5), (0.0, 20.0)))
        patch = Surface(rod.degree, rod.knots, rod.points, rod.weights)
        out = patch.at([[0.5, 0.5]])[0] * [1, 1, 0]
        inwards = -3.0 if float(patch.normals([[0.5, 0.5]])[0] @ out) > 0 else 3.0
        with self.assertRaisesRegex(ArabesqueError, "bends more tightly"):
            thickened([patch], *sorted((0.0, inwards)))
        with self.assertRaisesRegex(ArabesqueError, "more than 0 mm"):
            thickened([patch], 1.0, 1.0)


if __name__ == "__main__":
    unittest.main()
