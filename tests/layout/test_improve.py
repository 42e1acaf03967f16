"""Cages made better by strips: nearer for the fewest quads, lighter within the tolerance, calmer."""

import unittest

import numpy as np

from arabesque.cages import Cage
from arabesque.cages.edits import collapse_face
from arabesque.errors import FitProblem
from arabesque.geometry import Plane
from arabesque.layout import Aim, Wishes, improved, lay_out, symmetric_error
from arabesque.layout.improve import strips_of
from tests.layout.forms import blob, egg, sheet
from tests.layout.test_layout import euler


class ImproveTest(unittest.TestCase):
    def test_a_strip_where_it_fails(self) -> None:
        """Nearer by a strip, alike where it was, and no less sound; where the tolerance is kept nothing is put in."""
        scan, plane = egg(), Plane.coordinate(1)
        cage = lay_out(scan, Wishes(120, 0.02, plane=plane)).cage
        made = improved(cage, scan, Aim.CLOSER, 0.02, plane)
        self.assertGreater(made.faces, 0)
        self.assertEqual(made.cage.count, cage.count + made.faces)
        self.assertLess(made.fit.figures.inlier_p99, made.before.inlier_p99)
        self.assertGreater(made.gain, 0)
        self.assertEqual(symmetric_error(made.cage, plane), 0.0)
        self.assertEqual(euler(made.cage), 2)

    def test_strips_that_are_not_needed(self) -> None:
        """Out as long as the tolerance is kept; every strip is needed for one that is just kept."""
        scan = blob()
        cage = lay_out(scan, Wishes(400, 0.2)).cage
        made = improved(cage, scan, Aim.LIGHTER, 0.2, most=3)
        self.assertLess(made.cage.count, 0.9 * cage.count)
        self.assertTrue(made.fit.within)
        self.assertEqual(len(np.unique(made.cage.quads.valence)), len(np.unique(cage.quads.valence)))
        # a cube of one quad a side is as light as it gets
        corners = np.array([[x, y, z] for x in (0.0, 1) for y in (0.0, 1) for z in (0.0, 1)])
        faces = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
        with self.assertRaises(FitProblem):
            improved(Cage.of(100 * (corners - 0.5), faces), scan, Aim.LIGHTER, 0.2)

    def test_fewer_irregular_points(self) -> None:
        """A face of a sheet drawn together leaves points of three, six and three; a strip takes some of that out."""
        scan = sheet()
        plain = lay_out(scan, Wishes(100, 0.3)).cage
        middle = int(np.linalg.norm(plain.limit[plain.faces].mean(axis=1) - [60, 40, 0], axis=1).argmin())
        odd = collapse_face(plain, middle)
        self.assertEqual(int(np.abs(odd.quads.valence - 4)[~odd.quads.on_border].sum()), 4)
        made = improved(odd, scan, Aim.CALMER, 0.3)
        self.assertLess(int(np.abs(made.cage.quads.valence - 4)[~made.cage.quads.on_border].sum()), 4)
        with self.assertRaises(FitProblem):
            improved(plain, scan, Aim.CALMER, 0.3)

    def test_every_edge_is_in_one_strip(self) -> None:
        cage = lay_out(blob(), Wishes(60)).cage
        strips = strips_of(cage)
        edges = np.concatenate([cage.quads.numbers(strip.rungs) for strip in strips])
        np.testing.assert_array_equal(np.sort(edges), np.arange(len(cage.quads.edges)))


if __name__ == "__main__":
    unittest.main()
