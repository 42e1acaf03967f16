"""Cages as NURBS: exact away from irregular points, without gaps, smooth at them; blocks, solids, files."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

from arabesque.cages import Cage, deliver_cage, find_blocks, refined, to_surfaces
from arabesque.cages.blocks import odd_corners
from arabesque.cages.conversion import blossom_weights
from arabesque.cages.edits import collapse_face, make_sharp, relaxed, spin_edge, subdivide
from arabesque.cages.files import read_cage, write_cage
from arabesque.cages.through import cylinder_cage
from arabesque.errors import FileProblem
from arabesque.solid import FileKind, KernelWorker, deliver, read_model
from tests.cages.nets import bumpy, cube, fan, open_grid
from tests.solid.support import KernelTest


def torus(n: int = 8, m: int = 6) -> Cage:
    """A ring without an irregular point."""
    index = np.arange(n * m).reshape(n, m)
    faces = np.stack([index, np.roll(index, -1, 0), np.roll(index, (-1, -1), (0, 1)), np.roll(index, -1, 1)], -1)
    a, b = np.meshgrid(2 * np.pi * np.arange(n) / n, 2 * np.pi * np.arange(m) / m, indexing="ij")
    wide = 50 + 20 * np.cos(b)
    points = np.stack([wide * np.cos(a), wide * np.sin(a), 20 * np.sin(b)], -1)
    return Cage.of(points.reshape(-1, 3), faces.reshape(-1, 4))


def mesh_volume(cage: Cage) -> float:
    """mm³ by trimesh, of the limit points after 3 and 4 steps, whose errors are as 4 to 1 (Richardson)."""
    quads, points, found = cage.quads, cage.points, []
    for step in range(4):
        quads, matrix = refined(quads)
        points = matrix @ points
        if step >= 2:
            a, b, c, d = quads.faces.T
            triangles = np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])
            found.append(float(trimesh.Trimesh(Cage(points, quads).limit, triangles).volume))
    return (4 * found[1] - found[0]) / 3


class BlocksTest(unittest.TestCase):
    def test_as_few_as_irregular_points_allow(self) -> None:
        for words, cage, count in (
            ("cube", cube(), 6), ("cube twice divided", subdivide(subdivide(cube())), 6), ("sheet", open_grid(), 1),
            ("ring", torus(), 1), ("pipe", cylinder_cage(np.zeros(3), np.array([0, 0, 1.0]), 9, 30), 1),
        ):  # fmt: skip
            with self.subTest(words):
                blocks = find_blocks(cage.quads, odd_corners(cage.quads))
                self.assertEqual(len(blocks), count)
                self.assertEqual(sorted(np.concatenate([b.faces.ravel() for b in blocks])), list(range(cage.count)))
        self.assertEqual(len(find_blocks(cube().quads, odd_corners(cube().quads), merge=False)), 6)

    def test_sharp_edges_are_borders_of_blocks(self) -> None:
        cage = open_grid(4, 4)
        middle = [cage.quads.edge_of[cage.quads.half_edge(10 + k, 11 + k)] for k in range(4)]
        quads = make_sharp(cage, np.array(middle)).quads
        self.assertEqual(len(find_blocks(quads, odd_corners(quads))), 2)


class SurfacesTest(unittest.TestCase):
    def test_published_blossoms(self) -> None:
        """w(0,0,0) = 1/6, 2/3, 1/6, 0 and w(0,0,1) = 0, 2/3, 1/3, 0: Ramshaw 1989, of the uniform cubic."""
        found = blossom_weights(np.array([[0, 0, 0], [0, 0, 1.0]]))
        np.testing.assert_allclose(found, [[1 / 6, 2 / 3, 1 / 6, 0], [0, 2 / 3, 1 / 3, 0]], atol=1e-15)

    def test_without_irregular_points_it_is_the_surface_itself(self) -> None:
        for cage in (open_grid(), torus()):
            report = deliver_cage(cage).report
            self.assertLess(report.deviation, 1e-10)
            self.assertLess(report.angle, 1e-8)
            self.assertEqual(report.surfaces, 1)

    def test_close_without_gaps_and_smooth(self) -> None:
        """Within 5e-6 of the size (0.001 mm of 200 mm), gaps of 1e-6 mm, 0.1° at most for 3 to 6 faces; 7 are told."""
        base = subdivide(subdivide(cube(shaken=5.0)))
        cages = {
            "three": cube(shaken=5.0),
            "five": relaxed(spin_edge(base, 45), 5),
            "six": relaxed(collapse_face(base, 40), 5),
            "sharp": cube([[0, 1], [1, 2], [2, 3], [0, 3]]),
            "sharp end": cube([[0, 1]]),
            "seven": fan(7),
            "open": fan(5),
        }
        for words, cage in cages.items():
            with self.subTest(words):
                report = deliver_cage(cage).report
                size = float(np.linalg.norm(np.ptp(cage.points, axis=0)))
                self.assertLess(report.gap, 1e-6)
                self.assertLess(report.angle, 0.1)
                self.assertLess(report.deviation, 5e-6 * size)
                self.assertTrue(all(angle <= report.angle for angle in report.by_valence.values()))

    def test_a_patch_a_face_if_wanted(self) -> None:
        cage = bumpy(1)
        self.assertEqual(len(to_surfaces(cage, merge=False).surfaces), cage.count)


class SolidTest(KernelTest):
    worker: KernelWorker

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "cage.step"

    def test_closed_cages_are_valid_solids_with_the_volume_of_the_refined_mesh(self) -> None:
        """No free edge, shared edges to 1e-6 mm; the volume against trimesh's of the fine limit mesh."""
        for words, cage in {
            "bumpy": bumpy(1),
            "sharp": cube([[0, 1], [1, 2], [2, 3], [0, 3]]),
            "sharp end": cube([[0, 1]]),
            "ring": torus(),
            "six faces": relaxed(collapse_face(subdivide(subdivide(cube())), 40), 5),
        }.items():
            with self.subTest(words):
                deliver(self.path, [(words, cage)], FileKind.STEP_AP214, self.worker)
                (facts,) = self.worker.call("body_facts", str(self.path))
                self.assertTrue(facts["valid"] and facts["solid"])
                self.assertEqual(facts["free_edges"], 0)
                self.assertLess(facts["tolerance"], 1e-6)
                self.assertAlmostEqual(facts["volume"] / mesh_volume(cage), 1, 4)

    def test_an_open_cage_is_a_sheet(self) -> None:
        for cage, free in ((open_grid(), 4), (fan(5), 5)):
            deliver(self.path, [("sheet", cage)], FileKind.STEP_AP214, self.worker)
            (facts,) = self.worker.call("body_facts", str(self.path))
            self.assertTrue(facts["valid"])
            self.assertFalse(facts["solid"])
            self.assertGreaterEqual(facts["free_edges"], free)

    def test_step_and_iges_come_back_as_the_same_patches(self) -> None:
        cage = open_grid()
        for kind, name in ((FileKind.STEP_AP214, "a.step"), (FileKind.STEP_AP242, "b.step"), (FileKind.IGES, "c.igs")):
            path = self.path.with_name(name)
            deliver(path, [("sheet", cage)], kind, self.worker)
            ((_, surface),) = read_model(path, self.worker).faces
            feet, _, _ = cage.feet(surface.at(np.random.default_rng(0).random((50, 2)) * [5, 4]))
            there = surface.at(np.random.default_rng(0).random((50, 2)) * [5, 4])
            self.assertLess(np.linalg.norm(feet - there, axis=1).max(), 1e-6)


class FilesTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "cage.obj"

    def test_written_and_read_without_loss(self) -> None:
        sharp = make_sharp(bumpy(), np.array([3, 9]))
        for unit in ("mm", "inch"):
            write_cage(self.path, sharp, unit)
            back = read_cage(self.path, unit)
            np.testing.assert_allclose(back.points, sharp.points, rtol=1e-15)
            np.testing.assert_array_equal(back.faces, sharp.faces)
            np.testing.assert_array_equal(back.quads.sharp, sharp.quads.sharp)
        # any other reader takes the faces
        self.assertEqual(len(trimesh.load(self.path, process=False).faces), 2 * sharp.count)

    def test_files_from_elsewhere(self) -> None:
        """Texture and normal numbers, counting from the end, CRLF, names, points that nothing uses."""
        lines = [
            "o thing",
            "v 9 9 9",
            "v 0 0 0",
            "v 1 0 0",
            "v 1 1 0",
            "v 0 1 0",
            "vn 0 0 1",
            "f 2//1 3//1 4//1 -1//1",
            "",
        ]
        self.path.write_text("\r\n".join(lines), newline="")
        self.assertEqual(read_cage(self.path, "cm").points.max(), 10.0)

    def test_what_is_no_cage_is_told_with_a_cure(self) -> None:
        square = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n"
        for text, words in (
            ("", "holds no faces"), (square + "f 1 2 3\n", "no quads"), (square + "f 1 2 3 9\n", "does not hold"),
            ("v nan 0 0\n" + square + "f 2 3 4 5\n", "cannot be"), (square + "f 1 2 2 3\n", "no surface"),
            ("v 1 2\n", "line 1"), (square + "f a b c d\n", "line 5"),
        ):  # fmt: skip
            with self.subTest(words=words, text=text):
                self.path.write_text(text)
                with self.assertRaisesRegex(FileProblem, words) as caught:
                    read_cage(self.path)
                self.assertTrue(caught.exception.cure)
        self.path.write_bytes(b"\xff\xfe\x00solid")
        with self.assertRaises(FileProblem):
            read_cage(self.path)
        with self.assertRaises(FileProblem):
            read_cage(self.path.with_name("none.obj"))
