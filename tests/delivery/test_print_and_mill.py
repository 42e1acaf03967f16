"""Printing and milling: against closed forms, SciPy and rules of the trade."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh
from scipy.ndimage import grey_dilation

from arabesque.delivery import (
    Milling,
    PrintLimits,
    check_mill,
    check_print,
    compared,
    cut_block,
    parallel_path,
    read_gcode,
    tip_heights,
    whole_of,
    write_gcode,
)
from arabesque.delivery.height_field import ball
from arabesque.delivery.milling_kernel import dilated
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.scan import Scan

UP = (0.0, 0.0, 1.0)


def meshed(mesh: trimesh.Trimesh) -> Scan:
    """A mesh of a general library as a scan."""
    return Scan(mesh.vertices, mesh.faces)


def sphere(radius: float) -> Scan:
    return meshed(trimesh.creation.icosphere(5, radius))


class PrintTest(unittest.TestCase):
    def test_a_sphere_hangs_over_below_its_circle(self) -> None:
        """The cap that looks down by more than 45° has the area 2πr²(1 - cos 45°), less what lies on the bed
        (Archimedes); its mass is 4/3 πr³ times the density."""
        found = check_print(whole_of(sphere(20.0)), UP, PrintLimits(overhang=45.0, density=1.24))
        wanted = 2 * np.pi * 400 * (1 - np.cos(np.pi / 4)) - 2 * np.pi * 20 * 0.2
        self.assertAlmostEqual(found.area(found.hanging), wanted, delta=0.03 * wanted)
        self.assertAlmostEqual(found.mass, 4 / 3 * np.pi * 8 * 1.24, delta=0.1)
        self.assertTrue(found.closed)
        self.assertFalse(found.thin.any())
        self.assertAlmostEqual(float(np.median(found.walls)), 40.0, delta=0.2)

    def test_walls_and_gaps_against_the_nozzle(self) -> None:
        """A plate of 0.3 mm is lost to a nozzle of 0.4; two blocks 0.3 mm apart grow together."""
        plate = check_print(whole_of(meshed(trimesh.creation.box((30, 20, 0.3)))), UP, PrintLimits())
        self.assertTrue(plate.thin.any() and plate.lost.any())
        self.assertAlmostEqual(float(plate.walls.min()), 0.3, places=3)
        blocks = [trimesh.creation.box((10, 10, 10)).subdivide().subdivide() for _ in range(2)]
        blocks[1].apply_translation((10.3, 0, 0))
        pair = check_print(whole_of(meshed(trimesh.util.concatenate(blocks))), UP, PrintLimits())
        self.assertFalse(pair.thin.any())
        self.assertAlmostEqual(float(pair.gaps.min()), 0.3, places=3)
        self.assertAlmostEqual(pair.area(pair.lost), 200.0, delta=60.0)

    def test_the_best_of_26_ways_lies_a_wedge_on_its_long_side(self) -> None:
        """An L stands on its back without support; upright, its arm hangs over with its whole area."""
        stem, arm = trimesh.creation.box((5, 20, 40)), trimesh.creation.box((30, 20, 5))
        arm.apply_translation((17.5, 0, 17.5))
        found = check_print(whole_of(meshed(trimesh.util.concatenate([stem, arm]).subdivide())), UP, PrintLimits())
        self.assertEqual(len(found.ways), 26)
        self.assertLess(found.ways[0].hanging, 1.0)
        upright = next(laid for laid in found.ways if np.allclose(laid.way, UP))
        self.assertAlmostEqual(upright.hanging, 600.0, delta=1.0)
        self.assertAlmostEqual(found.area(found.hanging), 600.0, delta=1.0)

    def test_what_is_open_is_told(self) -> None:
        box = trimesh.creation.box((10, 10, 10))
        found = check_print(whole_of(Scan(box.vertices, box.faces[:-1])), UP, PrintLimits())
        self.assertFalse(found.closed or found.good)
        self.assertEqual(found.volume, 0.0)
        with self.assertRaisesRegex(ArabesqueError, "direction of length 0"):
            check_print(whole_of(meshed(box)), (0, 0, 0), PrintLimits())
        with self.assertRaisesRegex(ArabesqueError, "above 0"):
            PrintLimits(wall=0.0)


class MillTest(unittest.TestCase):
    def test_dilation_is_scipys(self) -> None:
        heights = np.random.default_rng(3).normal(size=(40, 31))
        rise = ball(2.0, 0.5)
        inside = np.isfinite(rise)
        peer = grey_dilation(
            heights, footprint=inside, structure=np.where(inside, -rise, 0), mode="constant", cval=-1e9
        )
        np.testing.assert_allclose(dilated(heights, rise), peer, atol=1e-12)

    def test_a_groove_asks_for_a_ball_that_fits(self) -> None:
        """In a round groove of radius 4, a ball up to that radius does it all; a larger one leaves, at the bottom, what
        stands over it where it touches both rims: depth 4, half width 4, so r - sqrt(r² - 16) reaches down."""
        plate = grooved(4.0)
        small = check_mill(whole_of(plate), Milling(radius=3.0, limit=0.1, step=0.5, cell=0.2))
        self.assertTrue(small.reached.all())
        self.assertLess(small.most, 0.1)
        self.assertAlmostEqual(small.largest or 0.0, 4.0, delta=0.25)
        large = check_mill(whole_of(plate), Milling(radius=6.0, limit=0.1, step=0.5, cell=0.15), search=False)
        wanted = 4.0 - (6.0 - np.sqrt(36.0 - 16.0))
        self.assertAlmostEqual(large.most, wanted, delta=0.1)
        self.assertFalse(large.good)

    def test_what_is_undercut_is_not_reached(self) -> None:
        """Of a sphere a spindle sees the upper half; a mushroom hides its stem."""
        ball_check = check_mill(whole_of(sphere(15.0)), Milling(limit=0.3), search=False)
        self.assertAlmostEqual(ball_check.missed, 2 * np.pi * 225, delta=0.03 * 2 * np.pi * 225)
        self.assertFalse(ball_check.good)

    def test_cut_block_has_the_scallops_of_the_formula(self) -> None:
        """h = r - sqrt(r² - (s/2)²) on a plane (common practice); the path is read back from the file."""
        plate = meshed(trimesh.creation.box((20, 20, 4)).subdivide().subdivide().subdivide())
        milling = Milling(radius=3.0, limit=0.1, step=1.2, cell=0.1)
        found = check_mill(whole_of(plate), milling, search=False)
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "plate.nc"
            write_gcode(file, parallel_path(found), 3.0)
            way = read_gcode(file)
            text = file.read_text()
        self.assertEqual(text.split()[0], "%")
        self.assertIn("G21 G90", text)
        np.testing.assert_allclose(way.places, parallel_path(found).places, atol=1e-4)
        block = cut_block(found.tips, way, 3.0)
        inside = block.heights[40:-40, 40:-40]
        self.assertAlmostEqual(float(inside.max() - inside.min()), milling.scallop, delta=0.01)
        self.assertGreater(float(inside.min()), 2.0 - 0.01)
        stock, seen = compared(found, block)
        # at its borders the block is only as true as its grid
        inner = (np.abs(found.samples.points[:, :2]) < 9.8).all(axis=1)
        on_top = seen & inner & (found.samples.normals[:, 2] > 0.9)
        self.assertLess(float(stock[on_top].max()), milling.scallop + 0.02)
        self.assertGreater(float(stock[on_top].min()), -0.02)

    def test_the_block_is_what_the_fields_say(self) -> None:
        """Two ways to one thing: the ball set in along close lines leaves what dilation and erosion tell."""
        plate = grooved(4.0)
        milling = Milling(radius=2.5, limit=0.1, step=0.15, cell=0.15)
        found = check_mill(whole_of(plate), milling, search=False)
        block = cut_block(found.tips, parallel_path(found), 2.5)
        # the grey erosion by the same ball
        left = -dilated(-tip_heights(found.tips, 0.01).heights, ball(2.5, found.tips.cell))
        inner = (slice(30, -30), slice(30, -30))
        np.testing.assert_allclose(block.heights[inner], left[inner], atol=0.05)

    def test_paths_that_are_not_understood_are_refused(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "arc.nc"
            file.write_text("G21 G90\nG2 X1 Y1 I0 J1\n")
            with self.assertRaisesRegex(FileProblem, "Line 2.*G2"):
                read_gcode(file)
            file.write_text("hello\n")
            with self.assertRaisesRegex(FileProblem, "no G-code"):
                read_gcode(file)
        with self.assertRaisesRegex(ArabesqueError, "smaller step"):
            Milling(radius=1.0, step=3.0)


def grooved(radius: float) -> Scan:
    """A plate of 30 x 20 mm with a round groove along its middle."""
    x, y = np.meshgrid(np.linspace(-15, 15, 301), np.linspace(-10, 10, 41), indexing="ij")
    z = -np.sqrt(np.maximum(radius**2 - x**2, 0.0))
    points = np.stack([x, y, z], -1).reshape(-1, 3)
    index = np.arange(301 * 41).reshape(301, 41)
    a, b, c, d = (part.ravel() for part in (index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]))
    return Scan(points, np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])]))
