"""Cages fitted to scans: the tolerance with an even net, alike on both sides, pinned, drawn to lines."""

import unittest

import numpy as np
import trimesh

from arabesque.cages import Cage, CageProblem
from arabesque.cages.edits import insert_loop, mirror_and_weld, seat, subdivide, subdivide_faces
from arabesque.cages.symmetry import is_symmetric
from arabesque.cages.through import box_cage, grid_faces
from arabesque.checking import read_cage_net, shape_to_scan
from arabesque.errors import FitProblem
from arabesque.fitting import CageSettings, faces_beyond, fit_cage
from arabesque.geometry import Plane, motion
from arabesque.scan import Scan, ready_to_fit
from tests.cages.nets import bumpy, open_grid
from tests.examples import heron, sphere

MIDDLE = Plane.coordinate(1)


def pebble_like(noise: float = 0.02) -> Scan:
    """A closed bulging form of 120 x 80 x 50 mm as a scan."""
    mesh = trimesh.creation.icosphere(subdivisions=5)
    unit = np.asarray(mesh.vertices)
    points = unit * [60, 40, 25] * (1 + 0.08 * np.sin(6 * unit[:, :1]) * np.cos(2 * unit[:, 1:2]))
    points = points + np.random.default_rng(0).normal(scale=noise, size=points.shape)
    return ready_to_fit(Scan(points, np.asarray(mesh.faces)))


def on_top(scan: Scan, n: int) -> Cage:
    """A grid of points picked from above on the saddle's calm top, one half and its image."""
    x, y = np.meshgrid(np.linspace(60, 230, 2 * n + 1), np.linspace(0, 25, n + 1), indexing="ij")
    picked = [scan.pick([a, b, 200], [0, 0, -1.0]) for a, b in zip(x.ravel(), y.ravel(), strict=True)]
    points = np.array([hit[0] for hit in picked if hit is not None])
    half = Cage.of(points, grid_faces(2 * n, n))
    return mirror_and_weld(seat(half, MIDDLE, 0.1), MIDDLE)


def post(height: float = 16.0, radius: float = 9.0) -> Scan:
    """A plate of 80 mm with a steep round post on it."""
    x, y = np.meshgrid(*2 * [np.linspace(-40, 40, 90)], indexing="ij")
    z = height / (1 + np.exp((np.hypot(x, y) - radius) / 0.9))
    faces = grid_faces(89, 89)
    return ready_to_fit(
        Scan(np.stack([x, y, z], -1).reshape(-1, 3), np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]]))
    )


class FitTest(unittest.TestCase):
    def test_a_box_pushed_onto_a_closed_form(self) -> None:
        """96 faces reach 0.2 mm both ways from a plain box, with a net that does not fold."""
        scan = pebble_like()
        low, high = scan.bounds
        box = subdivide(subdivide(box_cage(low, high, (1, 1, 1))))
        fit = fit_cage(box, scan, CageSettings(0.2))
        self.assertTrue(fit.within, fit.verdict)
        self.assertEqual(fit.cage.count, 96)
        self.assertFalse(fit.net.folded.any())
        self.assertLess(fit.figures.scan_to_surface.p99, 0.2)
        # lighter: as close as it can, and said
        coarse = fit_cage(subdivide(box_cage(low, high, (1, 1, 1))), scan, CageSettings(0.2))
        self.assertFalse(coarse.within)
        self.assertIn("outside the tolerance", coarse.verdict)

    def test_a_steep_post_under_few_faces_folds_none(self) -> None:
        """64 faces over a post as wide as two of them: four would fold, and are smoothed and held instead."""
        scan = post()
        x, y = np.meshgrid(*2 * [np.linspace(-36, 36, 9)], indexing="ij")
        hits = [scan.pick([a, b, 200], [0, 0, -1.0]) for a, b in zip(x.ravel(), y.ravel(), strict=True)]
        cage = Cage.of(np.array([hit[0] for hit in hits if hit is not None]), grid_faces(8, 8))
        for balance in (None, 0.6):
            with self.subTest(balance=balance):
                fit = fit_cage(cage, scan, CageSettings(0.5, balance))
                self.assertTrue(fit.within, fit.verdict)
                self.assertLess(fit.net.leg, 3.0)

    def test_one_control_from_fair_to_close(self) -> None:
        scan = pebble_like()
        low, high = scan.bounds
        box = subdivide(subdivide(box_cage(low, high, (1, 1, 1))))
        fair, close = (fit_cage(box, scan, CageSettings(0.2, balance)) for balance in (0.2, 0.7))
        self.assertLess(close.figures.surface_to_scan.rms, fair.figures.surface_to_scan.rms)
        self.assertLessEqual(fair.net.leg, close.net.leg)

    def test_the_saddle_alike_to_the_last_bit(self) -> None:
        scan = heron().scan
        cage = on_top(scan, 8)
        fit = fit_cage(cage, scan, CageSettings(0.2, plane=MIDDLE))
        self.assertTrue(fit.within, fit.verdict)
        self.assertTrue(is_symmetric(fit.cage, MIDDLE))
        self.assertTrue(fit.net.fair)
        with self.assertRaisesRegex(CageProblem, "not alike"):
            fit_cage(cage.with_points(cage.points + np.arange(len(cage.points))[:, None]), scan,
                     CageSettings(0.2, plane=MIDDLE))  # fmt: skip

    def test_pinned_points_stay(self) -> None:
        scan = heron().scan
        cage = on_top(scan, 6)
        pinned = np.zeros(cage.quads.count, dtype=bool)
        pinned[:20] = True
        fit = fit_cage(cage, scan, CageSettings(0.2, pinned=pinned))
        np.testing.assert_array_equal(fit.cage.points[:20], cage.points[:20])
        self.assertTrue((fit.cage.points[20:] != cage.points[20:]).any())

    def test_borders_are_drawn_to_lines(self) -> None:
        """To a circle on a sphere, within 0.1 mm; without a line the border stays where it was laid on the scan."""
        scan = sphere(50.0)
        x, y = np.meshgrid(np.linspace(-20, 20, 7), np.linspace(-20, 20, 7), indexing="ij")
        points = np.stack([x, y, np.sqrt(2500 - x**2 - y**2)], -1).reshape(-1, 3)
        cage = Cage.of(points, grid_faces(6, 6))
        turn = np.linspace(0, 2 * np.pi, 200)
        ring = np.column_stack([25 * np.cos(turn), 25 * np.sin(turn), np.full(200, np.sqrt(2500 - 625))])
        drawn = fit_cage(cage, scan, CageSettings(0.1, lines=[ring], reach=12.0)).cage
        border = drawn.guides()[0].points
        off = np.abs(np.hypot(border[:, 0], border[:, 1]) - 25)
        self.assertLess(np.percentile(off, 90), 0.3)
        stayed = fit_cage(cage, scan, CageSettings(0.1)).cage.guides()[0].points
        self.assertLess(np.abs(np.abs(stayed[:, :2]).max(axis=1) - 20).mean(), 0.5)

    def test_folds_are_drawn_apart(self) -> None:
        scan = heron().scan
        cage = on_top(scan, 6)
        points = cage.points.copy()
        points[[20, 27]] = points[[27, 20]]
        folded = cage.with_points(points)
        self.assertTrue(read_cage_net(folded).folded.any())
        fit = fit_cage(folded, scan, CageSettings(0.3))
        self.assertFalse(fit.net.folded.any())

    def test_faces_that_break_the_tolerance_are_made_finer(self) -> None:
        scan = pebble_like()
        low, high = scan.bounds
        fit = fit_cage(subdivide(box_cage(low, high, (1, 1, 1))), scan, CageSettings(0.2))
        beyond = faces_beyond(fit.cage, shape_to_scan(fit.cage, scan), 0.2)
        self.assertGreater(len(beyond), 0)
        finer = fit_cage(subdivide_faces(fit.cage, beyond), scan, CageSettings(0.2))
        self.assertLess(finer.figures.surface_to_scan.rms, 0.5 * fit.figures.surface_to_scan.rms)
        self.assertLess(len(faces_beyond(finer.cage, shape_to_scan(finer.cage, scan), 0.2)) / finer.cage.count, 0.5)

    def test_nothing_below_and_no_tolerance(self) -> None:
        far = open_grid().moved(motion(shift=[0, 0, 5000.0]))
        with self.assertRaises(FitProblem):
            fit_cage(far, heron().scan, CageSettings(0.2))
        with self.assertRaises(FitProblem):
            fit_cage(open_grid(), heron().scan, CageSettings(0.0))


class NetTest(unittest.TestCase):
    def test_legs_bends_and_irregular_points(self) -> None:
        flat = open_grid(6, 6).with_points(open_grid(6, 6).points * [1, 1, 0])
        net = read_cage_net(flat)
        self.assertAlmostEqual(net.leg, 1.0)
        self.assertAlmostEqual(net.bend, 0.0)
        self.assertTrue(net.fair)
        self.assertEqual(read_cage_net(bumpy()).irregular, {3: 8})
        uneven = insert_loop(flat, flat.quads.half_edge(8, 15), 0.2, keep_form=False)
        self.assertAlmostEqual(read_cage_net(uneven).leg, 5.0, 6)
        points = flat.points.copy()
        points[24] += [0, 3.0, 0]
        # a leg of 10 mm that goes 3 mm aside, and back
        self.assertAlmostEqual(read_cage_net(flat.with_points(points)).bend, 2 * np.degrees(np.arctan(0.3)), 6)
