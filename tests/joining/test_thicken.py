"""Skins with a thickness: Steiner's formula, plates, trimmed faces, what cannot be."""

import unittest

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, Plane, Surface, foot_points, split_surface
from arabesque.joining import Cutter, cut_apart, thickened
from arabesque.script import Project
from tests.examples import box_sides
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

    def test_edges_stay_edges(self) -> None:
        """A box all round and open at one end, and a roof of two bent patches: their sides meet in the mitre."""
        a, b, c, t = 30.0, 20.0, 10.0, 1.5
        with Project() as project:
            sides = [project.add(f"Side {k}", side) for k, side in enumerate(box_sides(a, b, c))]
            outer, inner = ((a + s * 2 * t) * (b + s * 2 * t) * (c + s * 2 * t) for s in (1, -1))
            volumes = []
            for side in ("along the normals", "against the normals"):
                told = project.told_of_body(project.thicken(sides, t, side))
                self.assertTrue(told.closed and told.valid)
                self.assertLess(told.gap, 1e-4)
                volumes.append(told.volume)
            np.testing.assert_allclose(sorted(volumes), sorted([outer - a * b * c, a * b * c - inner]), rtol=1e-6)
            # its end at x = a is open: the walls are cut square there
            told = project.told_of_body(project.thicken(sides[:5], t, "along the normals"))
            wanted = {(a + t) * (b + 2 * t) * (c + 2 * t) - a * b * c, a * b * c - (a - t) * (b - 2 * t) * (c - 2 * t)}
            self.assertTrue(any(abs(told.volume / one - 1) < 1e-6 for one in wanted))
            x, y = np.meshgrid(np.linspace(0, 40, 4), np.linspace(0, 60, 4), indexing="ij")
            bent = Surface.bezier(np.stack([x, y, 0.6 * x + 0.004 * (y - 30) ** 2 - 0.002 * x * x], -1))
            roof = [project.add("One", bent), project.add("Other", bent.mirrored(Plane(np.array([1.0, 0, 0]))))]
            thick = project.thicken(roof, t)
            told = project.told_of_body(thick)
            self.assertTrue(told.closed and told.valid)
            self.assertLess(told.gap, 1e-3)
            # every place of one side of the roof is t away from the other
            samples = thick.shape.surfaces[0].sampler(25).read(thick.shape.surfaces[0])
            near = np.min([np.linalg.norm(foot_points(one.shape, samples.points).points - samples.points, axis=1)
                           for one in roof], axis=0)  # fmt: skip
            inside = near[np.abs(samples.points[:, 0]) > 3 * t]
            self.assertTrue(np.allclose(inside, t, atol=0.01) or np.allclose(inside, 0, atol=0.01))

    def test_rims(self) -> None:
        """The rim of a coin rounded, and drawn to an edge, by Pappus' theorem; corners of a plate are closed."""
        disc = cut_apart(flat(0.0), [Cutter(circle(20.0))]).kept([1])
        r = THICK / 2
        with Project() as project:
            coin = project.add("Disc", disc)
            wanted = {
                "rounded": 2 * np.pi * (20 + 4 * r / (3 * np.pi)) * np.pi * r**2 / 2,
                "drawn to an edge": 2 * np.pi * (20 + r / 3) * r**2,
            }
            plate = project.add("Plate", sheet(0, 40))
            for rims, more in wanted.items():
                told = project.told_of_body(project.thicken([coin], THICK, rims=rims))
                self.assertTrue(told.closed and told.valid)
                self.assertAlmostEqual(told.volume / (400 * np.pi * THICK + more), 1.0, delta=1e-3)
                told = project.told_of_body(project.thicken([plate], THICK, rims=rims))
                self.assertTrue(told.closed and told.valid)
                self.assertGreater(told.volume, 40 * 60 * THICK + 150 * r**2)

    def test_what_cannot_be(self) -> None:
        disc = cut_apart(flat(0.0), [Cutter(circle(20.0))]).kept([1])
        wall = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (20.0,), ((0.0, 2 * np.pi), (0.0, 9.0)))
        with self.assertRaisesRegex(ArabesqueError, "trimmed or closed part meets another"):
            thickened([disc, wall], 0.0, THICK)
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
