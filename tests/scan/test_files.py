"""Mesh files: what is read, in which unit, and what is said of broken ones."""

import logging
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

from arabesque.errors import ArabesqueError, FileProblem
from arabesque.progress import Cancelled
from arabesque.scan import read_scan, write_scan
from tests.examples import sphere
from tests.reference import rabbit


class LoggerTest(unittest.TestCase):
    def test_a_library_goes_on_being_heard(self) -> None:
        """Reading a mesh keeps the library quiet for that reading alone, not for the whole process."""
        logger = logging.getLogger("trimesh")
        level, filters = logger.level, list(logger.filters)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "broken.ply"
            path.write_bytes(b"ply\nformat ascii 1.0\nelement vertex 3\nend_header\n1 2\n")
            with self.assertRaises(FileProblem), self.assertNoLogs("trimesh", "WARNING"):
                read_scan(path)
        self.assertEqual((logger.level, logger.filters), (level, filters))
        with self.assertLogs("trimesh", "WARNING"):
            logger.warning("heard")


class FilesTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_every_format_comes_back(self) -> None:
        scan = sphere(subdivisions=3)
        for name in ("a.stl", "a.ply", "a.obj"):
            with self.subTest(name):
                write_scan(self.folder / name, scan)
                back = read_scan(self.folder / name)
                self.assertEqual(len(back.points), len(scan.points))
                self.assertEqual(len(back.triangles), len(scan.triangles))
                self.assertLess(np.abs(back.closest(scan.points).distance).max(), 1e-5)

    def test_ascii_files(self) -> None:
        mesh = trimesh.creation.box((10, 20, 30))
        (self.folder / "a.stl").write_text(trimesh.exchange.stl.export_stl_ascii(mesh), encoding="ascii")
        (self.folder / "a.ply").write_bytes(trimesh.exchange.ply.export_ply(mesh, encoding="ascii"))
        for name in ("a.stl", "a.ply"):
            scan = read_scan(self.folder / name)
            self.assertEqual((len(scan.points), len(scan.triangles)), (8, 12))

    def test_colours_normals_and_texture_do_no_harm(self) -> None:
        box = trimesh.creation.box((10, 20, 30))
        box.visual.vertex_colors = np.random.default_rng(0).integers(0, 255, (8, 4))
        (self.folder / "a.ply").write_bytes(trimesh.exchange.ply.export_ply(box, vertex_normal=True))
        lines = ["mtllib none.mtl", "o box"]
        lines += [f"v {x} {y} {z} 0.5 0.2 0.1" for x, y, z in box.vertices]
        lines += ["vt 0 0", "vt 1 0", "vt 1 1", "vn 0 0 1", "usemtl clay", "s 1"]
        lines += [f"f {a}/1/1 {b}/2/1 {c}/3/1" for a, b, c in box.faces + 1]
        (self.folder / "a.obj").write_text("\n".join(lines), encoding="ascii")
        for name in ("a.ply", "a.obj"):
            with self.subTest(name):
                scan = read_scan(self.folder / name)
                self.assertEqual((len(scan.points), len(scan.triangles)), (8, 12))
                np.testing.assert_allclose(scan.bounds[1], [5, 10, 15], atol=1e-6)

    def test_units(self) -> None:
        """International inch 25.4 mm and foot 304.8 mm exactly (1959 agreement)."""
        write_scan(self.folder / "a.stl", sphere(radius=1, subdivisions=3))
        for unit, factor in (("mm", 1), ("cm", 10), ("m", 1000), ("inch", 25.4), ("foot", 304.8)):
            low, high = read_scan(self.folder / "a.stl", unit).bounds
            self.assertAlmostEqual((high - low).max() / (2 * factor), 1.0, places=5)
        with self.assertRaises(ArabesqueError):
            read_scan(self.folder / "a.stl", "yard")

    def test_rabbit(self) -> None:
        """34,834 points, 69,451 triangles, 0.156 m long: the data set's published figures; five openings."""
        scan = read_scan(rabbit(), "m")
        self.assertEqual((len(scan.points), len(scan.triangles)), (34834, 69451))
        low, high = scan.bounds
        self.assertAlmostEqual((high - low).max(), 156, delta=1)
        outline = trimesh.Trimesh(scan.points, scan.triangles, process=False).outline()
        self.assertEqual(len(outline.entities), 5)

    def test_broken_files_are_told_with_a_cure(self) -> None:
        good = self.folder / "good.stl"
        write_scan(good, sphere(subdivisions=2))
        stl = good.read_bytes()
        nan = bytearray(stl)
        nan[96:100] = np.float32(np.nan).tobytes()
        cases: dict[str, bytes] = {
            "empty.stl": b"",
            "cut.stl": stl[: len(stl) // 2],
            "short.stl": stl[:50],
            "nan.stl": bytes(nan),
            "random.stl": np.random.default_rng(0).bytes(5000),
            "random.ply": np.random.default_rng(1).bytes(5000),
            "random.obj": np.random.default_rng(2).bytes(5000),
            "points.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\n",
            "far.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n",
            "half.ply": b"ply\nformat binary_little_endian 1.0\nelement vertex 100\nproperty float x\n"
            b"property float y\nproperty float z\nelement face 50\nproperty list uchar int vertex_indices\n"
            b"end_header\n\x00\x01",
            "far.ply": b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\n"
            b"property float z\nelement face 1\nproperty list uchar int vertex_indices\n"
            b"end_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 7\n",
            "flat.stl": b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 1 1 1\nvertex 1 1 1\nvertex 1 1 1\nendloop\n"
            b"endfacet\nendsolid a\n",
            "what.txt": b"hello",
            "remote.obj": b"v 0 0 0\nv 1e30 0 0\nv 0 1e30 0\nf 1 2 3\n",
            "huge.ply": b"ply\nformat binary_little_endian 1.0\nelement vertex 99999999999\nproperty float x\n"
            b"property float y\nproperty float z\nelement face 9999999999\n"
            b"property list uchar int vertex_indices\nend_header\n" + bytes(100),
            "none.stl": b"solid a\nendsolid a\n",
        }
        for name, content in cases.items():
            with self.subTest(name):
                (self.folder / name).write_bytes(content)
                with self.assertRaises(FileProblem) as caught:
                    read_scan(self.folder / name)
                self.assertIn(name, caught.exception.cause)
                self.assertTrue(caught.exception.cure)

    def test_half_a_text_file_is_told(self) -> None:
        """Cut anywhere, a text file gives an error or all of the mesh, never a part without a word."""
        mesh = trimesh.creation.icosphere(subdivisions=2, radius=20.0)
        written = {
            "stl": mesh.export(file_type="stl_ascii").encode(),
            "ply": mesh.export(file_type="ply", encoding="ascii"),
            "obj": mesh.export(file_type="obj", include_normals=False).encode(),
        }
        for kind, content in written.items():
            path = self.folder / f"cut.{kind}"
            path.write_bytes(content)
            self.assertEqual(len(read_scan(path).triangles), len(mesh.faces))
            for cut in np.linspace(0.3, 0.999, 40):
                part = content[: int(cut * len(content))]
                if kind == "obj":
                    # an OBJ says nowhere how much there is: only a line that is cut itself can be seen
                    part = part[: part.rindex(b" ")]
                path.write_bytes(part)
                with self.subTest(kind=kind, cut=cut), self.assertRaises(FileProblem):
                    read_scan(path)
        damaged = written["stl"].replace(b"vertex", b"vortex", 4)
        path = self.folder / "damaged.stl"
        path.write_bytes(damaged)
        with self.assertRaises(FileProblem):
            read_scan(path)

    def test_missing_and_folders(self) -> None:
        with self.assertRaisesRegex(FileProblem, "does not exist"):
            read_scan(self.folder / "none.stl")
        with self.assertRaisesRegex(FileProblem, "is a folder"):
            read_scan(self.folder)

    def test_unwritable_places_are_told(self) -> None:
        with self.assertRaisesRegex(FileProblem, "cannot be written"):
            write_scan(self.folder / "no" / "where.stl", sphere(subdivisions=1))
        with self.assertRaisesRegex(FileProblem, "not a kind"):
            write_scan(self.folder / "a.xyz", sphere(subdivisions=1))

    def test_cancel(self) -> None:
        def stop(fraction: float, message: str) -> None:
            raise Cancelled

        write_scan(self.folder / "a.stl", sphere(subdivisions=1))
        with self.assertRaises(Cancelled):
            read_scan(self.folder / "a.stl", progress=stop)
