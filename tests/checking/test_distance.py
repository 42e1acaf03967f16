"""Distances of surfaces to scans, in both directions, against shapes with known answers."""

import unittest

import igl
import numpy as np

from arabesque.checking import Figures, measure_both_ways, scan_to_shapes, shape_to_scan
from arabesque.geometry import Face, Surface, Trim
from arabesque.scan import Scan
from tests.examples import grid_faces, heron, plane, random_surface
from tests.reference import teapot_patches


def flat(height: float, low: float = 20, high: float = 80) -> Surface:
    """A square patch over the plane at some height."""
    corner = np.array([[[low, low, height], [low, high, height]], [[high, low, height], [high, high, height]]])
    return Surface.bezier(corner).elevated(2, 2)


class BothWaysTest(unittest.TestCase):
    def test_a_lifted_patch_is_as_far_as_it_was_lifted(self) -> None:
        scan = plane()
        for height in (0.15, -0.4):
            both = measure_both_ways([flat(height)], scan, 0.2)
            for figures in (both.surface_to_scan, both.scan_to_surface):
                self.assertAlmostEqual(figures.rms, abs(height), places=9)
                self.assertAlmostEqual(figures.max, abs(height), places=9)
                self.assertAlmostEqual(figures.highest, height, places=9)
                self.assertEqual(figures.inside, 1.0 if abs(height) <= 0.2 else 0.0)
            self.assertEqual(both.within(0.2), abs(height) <= 0.2)
            self.assertEqual(both.missing, 0.0)

    def test_the_sign_does_not_depend_on_the_way_round(self) -> None:
        surface = flat(0.3)
        turned = surface.with_points(surface.points[::-1])
        self.assertGreater(shape_to_scan(turned, plane()).distance.min(), 0.29)
        self.assertGreater(scan_to_shapes(plane(), [turned], 5.0, 0.2).distance.min(), 0.29)

    def test_beyond_the_rim_nothing_is_measured(self) -> None:
        """Half of a patch that sticks out of the scan by half has no scan below."""
        found = shape_to_scan(flat(0.1, 50, 150), plane())
        self.assertAlmostEqual(found.valid.mean(), 0.25, delta=0.02)
        self.assertAlmostEqual(measure_both_ways([flat(0.1, 50, 150)], plane(), 0.2).missing, 0.75, delta=0.02)

    def test_scan_points_are_counted_once_and_only_below_the_patch(self) -> None:
        scan = plane(steps=50)  # a point every 2 mm
        self.assertEqual(len(scan_to_shapes(scan, [flat(0.1), flat(0.1)], 5.0, 0.2).distance), 29 * 29)

    def test_of_two_patches_the_nearer_counts(self) -> None:
        back = scan_to_shapes(plane(), [flat(0.5), flat(0.1)], 5.0, 0.2)
        np.testing.assert_allclose(back.distance, 0.1, atol=1e-9)

    def test_trimmed_away_parts_do_not_count(self) -> None:
        half = Trim((np.array([[0, 0], [0.5, 0], [0.5, 1], [0, 1.0]]),))
        whole = flat(0.1)
        both = measure_both_ways([Face(whole.degree, whole.knots, whole.points, None, half)], plane(), 0.2)
        self.assertEqual(both.missing, 0.0)
        self.assertAlmostEqual(both.scan_to_surface.samples / (29 * 29), 0.5, delta=0.03)
        self.assertAlmostEqual(both.surface_to_scan.samples / 101**2, 0.5, delta=0.03)

    def test_distances_equal_libigl(self) -> None:
        scan = heron().scan
        surface = random_surface((3, 3), (2, 2))
        surface = surface.with_points(surface.points + np.array([60, -60, 2]))
        found = shape_to_scan(surface, scan)
        squared, _, _ = igl.point_mesh_squared_distance(
            found.samples.points, np.array(scan.points), np.array(scan.triangles)
        )
        ours = np.abs(found.distance).ravel()[found.valid.ravel()]
        np.testing.assert_allclose(ours, np.sqrt(squared)[found.valid.ravel()], atol=1e-9)

    def test_teapot_lies_on_its_own_samples(self) -> None:
        """The published patches against a mesh sampled from them: off by no more than the chords' sagitta."""
        patches = [Surface.bezier(points) for points in teapot_patches()[:28]]  # without the flat bottom
        t = np.linspace(0, 1, 33)
        one = grid_faces(33)
        points = np.concatenate([p.on_grid(t, t)[0, 0].reshape(-1, 3) for p in patches])
        triangles = np.concatenate([one + 33 * 33 * n for n in range(len(patches))])
        scan = Scan(points, triangles)
        for patch in patches[:8]:
            found = shape_to_scan(patch, scan, 40)
            d = patch.on_grid(t, t, 2)
            bend = max(np.linalg.norm(d[2, 0], axis=-1).max(), np.linalg.norm(d[0, 2], axis=-1).max())
            mixed = np.linalg.norm(d[1, 1], axis=-1).max()
            sagitta = (bend / 4 + mixed / 4) / 32**2
            self.assertLess(np.abs(found.distance).max(), sagitta + 1e-9)


class FiguresTest(unittest.TestCase):
    def test_percentiles_and_shares(self) -> None:
        figures = Figures.of(np.linspace(-1, 1, 2001), 0.5)
        self.assertAlmostEqual(figures.rms, np.sqrt(1 / 3), places=3)
        self.assertAlmostEqual(figures.p95, 0.95, places=3)
        self.assertAlmostEqual(figures.p99, 0.99, places=3)
        self.assertAlmostEqual(figures.inside, 0.5, places=2)
        self.assertEqual((figures.lowest, figures.highest), (-1, 1))

    def test_a_dent_is_an_outlier_and_an_offset_is_not(self) -> None:
        away = np.linalg.norm(plane(steps=100).points[:, :2] - 50, axis=1)
        # three tolerances deep within r = width sqrt(ln(depth / 0.6))
        small = np.pi * 1.5**2 * np.log(2.0 / 0.6) / 60**2
        for depth, width, share in ((2.0, 1.5, small), (2.0, 20.0, 0.0)):
            scan = plane(steps=100, noise=0.03)
            dented = Scan(scan.points - np.outer(depth * np.exp(-((away / width) ** 2)), [0, 0, 1]), scan.triangles)
            both = measure_both_ways([flat(0.0)], dented, 0.2)
            for figures in (both.surface_to_scan, both.scan_to_surface):
                self.assertAlmostEqual(figures.outlier_share, share, delta=0.0015)
                self.assertEqual(figures.within(0.2), share > 0)
        lifted = measure_both_ways([flat(1.0)], plane(), 0.2)
        self.assertEqual(lifted.outlier_share, 0.0)

    def test_many_outliers_are_not_within(self) -> None:
        """A surface off by 2 mm over a tenth of its area is not within 0.2 mm, whatever the rest does."""
        distances = np.concatenate([np.zeros(900), np.full(100, 2.0)])
        self.assertFalse(Figures.of(distances, 0.2).within(0.2))

    def test_nothing_measured_is_not_within(self) -> None:
        self.assertFalse(Figures.of(np.zeros(0), 0.2).within(0.2))
