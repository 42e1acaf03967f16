"""The lightest patch through four corners, on scans whose true surface is known."""

import unittest

import numpy as np
from scipy.interpolate import LSQBivariateSpline

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.fitting import Stop, four_corner_patch, raised, refit
from arabesque.geometry import Surface
from arabesque.progress import Cancelled
from arabesque.scan import Scan, read_scan
from tests.examples import heron, plane, random_surface, sphere
from tests.reference import rabbit

SQUARE = np.array([[20.0, 20, 0], [80, 20, 0], [80, 80, 0], [20, 80, 0]])


def rms_to_truth(surface: Surface) -> float:
    """Distance of a surface to the demo's true equation."""
    points = surface.on_grid(np.linspace(0, 1, 60), np.linspace(0, 1, 60))[0, 0].reshape(-1, 3)
    return float(np.sqrt(np.mean(heron().master.distance(points) ** 2)))


def corners_of(surface: Surface) -> Floats:
    p = surface.points
    return np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]])


class HeronTest(unittest.TestCase):
    """A flank of the saddle's top, 150 x 45 mm, 400k triangles, noise 0.03 mm."""

    def setUp(self) -> None:
        self.simulated = heron(400_000)
        self.scan = self.simulated.scan

    def test_both_flanks_at_the_usual_first_tolerance(self) -> None:
        """0.2 mm is a usual first tolerance for a styling surface (common practice)."""
        for name, corners in self.simulated.master.corners.items():
            with self.subTest(name):
                fit = four_corner_patch(corners, self.scan, 0.2)
                self.assertIs(fit.stopped, Stop.WITHIN)
                self.assertLessEqual(fit.surface.count, 36)
                self.assertLessEqual(fit.figures.inlier_p99, 0.2)
                self.assertLessEqual(rms_to_truth(fit.surface), 0.08)
                self.assertLessEqual(max(fit.surface.degree), 5)
                self.assertTrue(fit.within, fit.verdict)
                self.assertTrue(fit.net.calm)

    def test_fine_tolerance_reaches_below_the_noise(self) -> None:
        fit = four_corner_patch(self.simulated.master.corners["flank"], self.scan, 0.05)
        self.assertLessEqual(rms_to_truth(fit.surface), 0.02)
        self.assertIs(fit.stopped, Stop.NOISE)

    def test_a_looser_tolerance_is_lighter(self) -> None:
        """A calm panel is first fitted with degree 2 or 3 (common practice)."""
        corners = self.simulated.master.corners["flank"]
        counts = [four_corner_patch(corners, self.scan, tolerance).surface.count for tolerance in (2.0, 0.5, 0.2)]
        self.assertEqual(counts, sorted(counts))
        self.assertLessEqual(counts[0], 9)

    def test_as_close_as_a_general_smoother(self) -> None:
        """At no more control points, the rms to the truth is at most 1.5 x SciPy's least-squares spline."""
        corners = self.simulated.master.corners["flank"]
        ours = four_corner_patch(corners, self.scan, 0.2)
        (x0, y0), (x1, y1) = corners.min(axis=0)[:2], corners.max(axis=0)[:2]
        p = self.scan.points
        box = (p[:, 0] > x0) & (p[:, 0] < x1) & (p[:, 1] > y0) & (p[:, 1] < y1) & (self.scan.point_normals[:, 2] > 0.3)
        x, y, z = p[box].T
        degree = ours.surface.degree
        spline = LSQBivariateSpline(x, y, z, [], [], kx=degree[0], ky=degree[1], bbox=[x0, x1, y0, y1])
        gx, gy = np.meshgrid(np.linspace(x0, x1, 60), np.linspace(y0, y1, 60), indexing="ij")
        theirs = np.column_stack([gx.ravel(), gy.ravel(), spline.ev(gx.ravel(), gy.ravel())])
        rms = np.sqrt(np.mean(self.simulated.master.distance(theirs) ** 2))
        self.assertLessEqual(rms_to_truth(ours.surface), 1.5 * rms)


class LadderTest(unittest.TestCase):
    def test_corners_stay_where_they_were_put(self) -> None:
        scan = heron().scan
        corners = scan.closest(heron().master.corners["flank"]).points
        for degree in (None, (3, 3), (7, 2)):
            fit = four_corner_patch(corners, scan, 0.2, degree)
            found = corners_of(fit.surface)
            for corner in corners:
                self.assertEqual(np.abs(found - corner).max(axis=1).min(), 0.0)

    def test_a_plane_needs_four_points(self) -> None:
        fit = four_corner_patch(SQUARE, plane(noise=0.01), 0.2)
        self.assertEqual((fit.surface.degree, fit.surface.count), ((1, 1), 4))
        self.assertIs(fit.stopped, Stop.WITHIN)

    def test_a_given_degree_is_kept(self) -> None:
        scan = heron().scan
        for degree in ((1, 4), (2, 2), (7, 3)):
            fit = four_corner_patch(heron().master.corners["flank"], scan, 0.2, degree)
            self.assertEqual(fit.surface.degree, degree)
            self.assertIs(fit.stopped, Stop.FIXED)

    def test_a_cap_of_a_sphere(self) -> None:
        """A sphere of radius 50, tolerance 0.1: every point of the patch is 50 mm from the centre to within that."""
        scan = sphere(subdivisions=6)
        corners = 50 * np.array([[0.5, 0.5, 1], [-0.5, 0.5, 1], [-0.5, -0.5, 1], [0.5, -0.5, 1]]) / np.sqrt(1.5)
        fit = four_corner_patch(corners, scan, 0.1)
        self.assertIs(fit.stopped, Stop.WITHIN)
        points = fit.surface.on_grid(np.linspace(0, 1, 40), np.linspace(0, 1, 40))[0, 0]
        self.assertLess(np.abs(np.linalg.norm(points, axis=2) - 50).max(), 0.12)

    def test_dents_do_not_pull_the_patch(self) -> None:
        """A dent 0.8 mm deep leaves the patch within an eighth of its depth."""
        scan = plane(steps=100, noise=0.02)
        away = np.linalg.norm(scan.points[:, :2] - 50, axis=1) / 6
        dented = Scan(scan.points - np.outer(0.8 * np.exp(-2 * away**2), [0, 0, 1]), scan.triangles)
        fit = four_corner_patch(SQUARE, dented, 0.2, (3, 3))
        self.assertLess(np.abs(fit.surface.points[..., 2]).max(), 0.1)
        self.assertGreater(fit.figures.outlier_share, 0.0)

    def test_a_hole_is_bridged(self) -> None:
        """Over a hole of 20 mm in a cylinder's flank the patch goes on with the curvature around it."""
        scan = plane(steps=100)
        x, y, _ = scan.points.T
        bent = np.column_stack([x, y, np.sqrt(150**2 - (x - 50) ** 2) - 150])
        middles = bent[scan.triangles].mean(axis=1)
        kept = np.hypot(middles[:, 0] - 50, middles[:, 1] - 50) > 10
        scan = Scan(bent, scan.triangles[kept])
        corners = SQUARE.copy()
        corners[:, 2] = np.sqrt(150**2 - 30**2) - 150
        fit = four_corner_patch(corners, scan, 0.1)
        self.assertIs(fit.stopped, Stop.WITHIN)
        middle = fit.surface.at([[0.5, 0.5]])[0]
        self.assertAlmostEqual(np.hypot(middle[0] - 50, middle[2] + 150), 150, delta=0.1)
        self.assertGreater(fit.figures.missing, 0.02)

    def test_refit_brings_a_pulled_patch_back(self) -> None:
        scan = heron().scan
        fit = four_corner_patch(heron().master.corners["flank"], scan, 0.2)
        points = fit.surface.points.copy()
        points[1:-1, 1:-1] += [0.5, -1.0, 4.0]
        again = refit(fit.surface.with_points(points), scan, 0.2)
        self.assertEqual(again.surface.degree, fit.surface.degree)
        self.assertTrue(again.within)
        self.assertLess(again.figures.inlier_rms, 1.3 * fit.figures.inlier_rms)

    def test_the_rabbit(self) -> None:
        """1 mm is a usual tolerance for an anatomical shape (common practice): kept on the rabbit's flank."""
        scan = read_scan(rabbit(), "m")
        low, high = scan.bounds
        size = high - low
        places = [(0.45, 0.15), (0.75, 0.15), (0.75, 0.45), (0.45, 0.45)]
        picks = [scan.pick([low[0] + x * size[0], low[1] + y * size[1], high[2] + 50], [0, 0, -1]) for x, y in places]
        corners = [pick[0] for pick in picks if pick is not None]
        fit = four_corner_patch(corners, scan, 1.0)
        self.assertTrue(fit.within, fit.verdict)
        self.assertTrue(fit.net.fair or fit.stopped is Stop.TURNS)
        self.assertLessEqual(fit.net.leg, 1.3)
        self.assertLessEqual(fit.surface.count, 100)

    def test_raised_keeps_the_shape(self) -> None:
        surface = random_surface((5, 3), (2, 1))
        uv = np.random.default_rng(0).random((100, 2))
        for way in ((1, 0), (0, 1), (1, 1)):
            heavier = raised(surface, *way)
            self.assertGreater(heavier.count, surface.count)
            np.testing.assert_allclose(heavier.at(uv), surface.at(uv), atol=1e-9)


class RefusalTest(unittest.TestCase):
    def test_corners_that_make_no_patch(self) -> None:
        scan = plane()
        cases = {
            "away from the scan": SQUARE + np.array([0, 0, 40]),
            "on the same place": SQUARE[[0, 0, 2, 3]],
            "not four points": SQUARE[:3],
            "three finite": np.where(SQUARE == 80, np.nan, SQUARE),
        }
        for words, corners in cases.items():
            with self.subTest(words), self.assertRaisesRegex(FitProblem, words):
                four_corner_patch(corners, scan, 0.2)

    def test_tolerance_and_degree(self) -> None:
        for tolerance in (0.0, -1.0, float("nan"), float("inf")):
            with self.assertRaisesRegex(FitProblem, "tolerance"):
                four_corner_patch(SQUARE, plane(), tolerance)
        for degree in ((0, 3), (3, 8)):
            with self.assertRaisesRegex(FitProblem, "not possible"):
                four_corner_patch(SQUARE, plane(), 0.2, degree)

    def test_crossed_corners_are_put_in_order(self) -> None:
        for order in ([0, 2, 1, 3], [0, 1, 3, 2], [0, 3, 2, 1]):
            fit = four_corner_patch(SQUARE[order], plane(), 0.2)
            self.assertEqual(fit.figures.missing, 0.0)
            self.assertTrue(np.all(fit.surface.normals([[0.5, 0.5]])[:, 2] > 0.99))
            self.assertEqual(np.abs(corners_of(fit.surface) - SQUARE[0]).max(axis=1).min(), 0.0)

    def test_the_first_degree_runs_from_the_first_corner_to_the_second(self) -> None:
        """Whichever way round and from whichever corner the patch is clicked."""
        scan = heron().scan
        corners = heron().master.corners["flank"]
        for order in ([0, 1, 2, 3], [1, 0, 3, 2], [3, 2, 1, 0]):
            surface = four_corner_patch(corners[order], scan, 0.2, (4, 2)).surface
            self.assertEqual(surface.degree, (4, 2))
            along = surface.points[-1, 0] - surface.points[0, 0]
            self.assertGreater(abs(along[0]), 100)  # the long side is the one from the first to the second

    def test_cancel(self) -> None:
        def stop(fraction: float, message: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            four_corner_patch(heron().master.corners["flank"], heron().scan, 0.2, progress=stop)
