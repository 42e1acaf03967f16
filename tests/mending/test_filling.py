"""Closing openings, and removing a part and healing the gap."""

import unittest

import numpy as np
import trimesh

from arabesque.errors import ArabesqueError
from arabesque.mending import Fill, fill, grown, heal, in_ball, openings, remove
from arabesque.scan import Scan, examine, kept, read_scan
from tests.examples import heron, plane, sphere
from tests.reference import rabbit


def open_ball(radius: float) -> Scan:
    """A sphere of radius 20 with a hole at its top."""
    ball = sphere(20.0, 5)
    middles = ball.points[ball.triangles].mean(axis=1)
    return kept(ball, np.linalg.norm(middles - [0, 0, 20], axis=1) > radius)


def volume(scan: Scan) -> float:
    return float(trimesh.Trimesh(scan.points, scan.triangles, process=False).volume)


class OpeningsTest(unittest.TestCase):
    def test_sizes(self) -> None:
        (opening,) = openings(open_ball(5.0))
        # a ball of 5 mm about the pole cuts a circle of radius 5 sqrt(1 - (5 / 40)²)
        self.assertAlmostEqual(opening.width, 2 * 5 * np.sqrt(1 - (5 / 40) ** 2), delta=0.9)
        self.assertFalse(opening.outer)

    def test_outer_rim_is_recognised(self) -> None:
        found = openings(heron().scan)
        self.assertEqual([o.outer for o in found], [True, False, False])
        self.assertTrue(openings(plane())[0].outer)
        self.assertEqual(openings(sphere()), [])


class FillTest(unittest.TestCase):
    def test_curved_continues_a_sphere(self) -> None:
        """New points lie on the sphere to 0.2 % of its radius, though 5 mm of it are gone."""
        scan = open_ball(5.0)
        done = fill(scan, openings(scan))
        new = np.linalg.norm(done.scan.points[len(scan.points) :], axis=1)
        self.assertLess(np.abs(new - 20).max(), 0.04)
        self.assertTrue(examine(done.scan).watertight)
        self.assertEqual(int(done.new.sum()), len(done.scan.triangles) - len(scan.triangles))

    def test_flat_is_flat(self) -> None:
        scan = open_ball(5.0)
        done = fill(scan, openings(scan), Fill.FLAT)
        new = done.scan.points[len(scan.points) :]
        self.assertLess(np.ptp(new[:, 2]), 0.15)
        self.assertTrue(examine(done.scan).watertight)

    def test_bridged_closes_half_a_sphere(self) -> None:
        """Bridges leave both rims along the surface; a large cap comes back to 2 % of the radius."""
        scan = open_ball(12.0)
        done = fill(scan, openings(scan), Fill.BRIDGED)
        new = np.linalg.norm(done.scan.points[len(scan.points) :], axis=1)
        self.assertLess(np.abs(new - 20).max(), 0.4)
        self.assertTrue(examine(done.scan).watertight)

    def test_the_scan_itself_stays(self) -> None:
        scan = open_ball(5.0)
        done = fill(scan, openings(scan))
        self.assertTrue(np.array_equal(done.scan.points[: len(scan.points)], scan.points))
        self.assertTrue(np.array_equal(done.scan.triangles[: len(scan.triangles)], scan.triangles))

    def test_rabbit_closed_in_every_way(self) -> None:
        """The published scan's five holes: watertight, and the volume the same to 1 % whichever way."""
        scan = read_scan(rabbit(), "m")
        volumes = []
        for way in Fill:
            closed = fill(scan, openings(scan), way).scan
            mesh = trimesh.Trimesh(closed.points, closed.triangles, process=False)
            self.assertTrue(mesh.is_watertight and mesh.is_winding_consistent)
            volumes.append(mesh.volume)
        self.assertLess(np.ptp(volumes) / np.mean(volumes), 0.01)

    def test_holes_of_the_saddle(self) -> None:
        """The true surface is known: fills stay within four times the noise of it."""
        scan, master = heron().scan, heron().master
        holes = [o for o in openings(scan) if not o.outer]
        done = fill(scan, holes)
        self.assertLess(master.distance(done.scan.points[len(scan.points) :]).max(), 0.15)
        self.assertEqual(examine(done.scan).worse_than(examine(scan)), [])

    def test_tiny_holes(self) -> None:
        """One triangle, two, and a fan missing."""
        ball = sphere(20.0, 3)
        for count in (1, 2, 6):
            gone = np.zeros(len(ball.triangles), dtype=bool)
            if count == 6:
                gone |= (ball.triangles == ball.triangles[40, 0]).any(axis=1)
            else:
                first = ball.neighbours[7]
                gone[first[:count]] = True
            done = fill(kept(ball, ~gone), openings(kept(ball, ~gone)))
            self.assertTrue(examine(done.scan).watertight)


class HealTest(unittest.TestCase):
    def test_a_dent_goes(self) -> None:
        """A known dent (0.7 mm deep) is marked and healed: the true surface comes back to 0.15 mm."""
        scan, master = heron().scan, heron().master
        dent = master.dents[2]
        mask = grown(scan, in_ball(scan, np.array(dent.centre), 1.7 * dent.radius))
        before = master.distance(scan.points[np.unique(scan.triangles[mask])]).max()
        done = heal(scan, mask)
        after = master.distance(done.scan.points[np.unique(done.scan.triangles[done.new])]).max()
        self.assertGreater(before, 0.5)
        self.assertLess(after, 0.2)
        self.assertEqual(examine(done.scan).worse_than(examine(scan)), [])

    def test_a_boss_on_a_plane_goes(self) -> None:
        sheet = plane(100.0, 60)
        away = np.hypot(*(sheet.points[:, :2] - 50).T)
        points = sheet.points + np.array([0, 0, 4.0]) * (away < 8)[:, None]
        bossed = Scan(points, sheet.triangles)
        done = heal(bossed, in_ball(bossed, np.array([50.0, 50, 4]), 14.0))
        self.assertLess(np.abs(done.scan.points[:, 2]).max(), 0.02)

    def test_what_cannot_be_healed(self) -> None:
        sheet = plane(100.0, 30)
        with self.assertRaisesRegex(ArabesqueError, "outer rim"):
            heal(sheet, in_ball(sheet, np.zeros(3), 12.0))
        nothing = np.zeros(len(sheet.triangles), dtype=bool)
        for mask in (nothing, ~nothing):
            with self.assertRaises(ArabesqueError):
                remove(sheet, mask)
