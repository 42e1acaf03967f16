"""Files that are read back: what they hold by other readers, and what is said where they do not."""

import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import numpy as np
import trimesh

from arabesque.delivery import deliver_checked, tag_of
from arabesque.errors import FileProblem
from arabesque.model import Document, Item, Layer
from arabesque.solid import FileKind, Tag, read_3mf
from tests.examples import box_body, random_surface
from tests.solid.support import KernelTest

RED = Tag("Shell", "#A05C6B")


class FilesTest(KernelTest):
    def deliver(self, kind: FileKind, **more: object) -> str:
        self.path = self.folder / f"box{kind.suffix}"
        return deliver_checked(self.path, [("Box", box_body())], kind, self.worker, tags=[RED], **more).words

    def test_bodies_are_closed_triangles(self) -> None:
        """A box of 30 x 20 x 10 mm in every kind: read by trimesh, closed, 6000 mm³."""
        for kind in (FileKind.STL, FileKind.PLY, FileKind.OBJ):
            with self.subTest(kind=kind):
                self.assertIn("closed, 6000 mm³", self.deliver(kind))
                mesh = trimesh.load_mesh(self.path)
                self.assertTrue(mesh.is_watertight)
                self.assertAlmostEqual(mesh.volume, 6000.0, places=2)

    def test_3mf(self) -> None:
        """Name, colour, unit: in the file, and in what its own library reads."""
        self.assertIn("closed", self.deliver(FileKind.THREE_MF, unit="inch"))
        (thing,) = read_3mf(self.path)
        self.assertEqual(thing.name, "Box")
        np.testing.assert_allclose(np.ptp(thing.mesh.points, axis=0), [30, 20, 10], atol=1e-4)
        model = zipfile.ZipFile(self.path).read("3D/3dmodel.model").decode()
        self.assertIn('unit="inch"', model)
        self.assertIn("A05C6B", model.upper())
        with self.assertRaisesRegex(FileProblem, "not closed"):
            open_one = [("Sheet", random_surface((3, 3), (1, 1)))]
            deliver_checked(self.folder / "s.3mf", open_one, FileKind.THREE_MF, self.worker)

    def test_names_layers_colours_and_triangles_in_step(self) -> None:
        self.assertIn("1 closed", self.deliver(FileKind.STEP_AP242, triangles=True))
        text = self.path.read_text(encoding="latin-1")
        for words in ("'Box'", "'Shell'", "COLOUR_RGB", "PRESENTATION_LAYER_ASSIGNMENT", "TRIANGULATED_FACE"):
            self.assertIn(words, text)
        self.deliver(FileKind.STEP_AP214)
        text = self.path.read_text(encoding="latin-1")
        self.assertNotIn("TRIANGULATED_FACE", text)
        self.assertIn("COLOUR_RGB", text)
        self.assertIn("faces", self.deliver(FileKind.IGES))

    def test_layers_of_a_document(self) -> None:
        document = Document(layers=(Layer("l", "Shell", "#A05C6B"),))
        item = Item("a", "Box", box_body(), layer="l")
        self.assertEqual(tag_of(document.with_item(item), item), RED)
        self.assertEqual(tag_of(document, Item("b", "Box", box_body())), Tag())

    def test_what_is_not_as_it_was_is_said(self) -> None:
        """A file in which something else stands than was given: refused, with what differs."""
        other = random_surface((3, 3), (2, 2), seed=4)
        with mock.patch("arabesque.delivery.read_back.deliver", return_value=[]):
            for kind in (FileKind.STEP_AP214, FileKind.STL):
                self.deliver_as(kind, [("Flank", other)])
                with self.subTest(kind=kind), self.assertRaisesRegex(FileProblem, "was written, but"):
                    deliver_checked(self.path, [("Flank", random_surface((3, 3), (2, 2)))], kind, self.worker)

    def deliver_as(self, kind: FileKind, items: list[tuple[str, object]]) -> None:
        """What the file really holds."""
        from arabesque.solid import deliver

        self.path = self.folder / f"other{kind.suffix}"
        deliver(self.path, items, kind, self.worker)


FULL = """
import resource, signal, sys
from pathlib import Path
from arabesque.errors import ArabesqueError
from arabesque.script import Project
from tests.examples import box_sides, heron

folder = Path(sys.argv[1])
with Project() as project:
    project.add("Scan", heron(8_000).scan)
    project.tolerance = 0.5
    project.patch([(40, -61, 3.1), (150, -61, -12.0), (150, -16, 2.5), (40, -16, 13.4)])
    body = project.sew([project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))])
    project.close()
    # from here on the disk takes 600 bytes a file, and says so by an error instead of a signal
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (600, 600))
    writers = {
        "report": (project.report, ("pdf", "html", "json")), "sheet": (project.sheet, ("pdf", "svg", "dxf")),
        "export": (project.export, ("step", "igs", "stl", "ply", "obj")), "record": (project.record, ("py",)),
        "save": (project.save, ("arabesque",)), "print": (lambda path: project.export(path, [body]), ("3mf",)),
    }
    for name, (write, endings) in writers.items():
        for ending in endings:
            path = folder / f"{name}.{ending}"
            path.write_bytes(b"old")
            try:
                write(path)
                print(path.name, "was written")
            except ArabesqueError as problem:
                clear = "cannot be written" in str(problem) and ".arabesque-" not in str(problem)
                whole = path.read_bytes() == b"old"
                print(path.name, "ok" if clear and whole else f"clear {clear}, whole {whole}: {problem}")
    print("left", sorted(one.name for one in folder.iterdir() if one.name.startswith(".")))
"""


class FullDiskTest(unittest.TestCase):
    def test_old_files_stay_whole_and_the_word_is_clear(self) -> None:
        """A disk that takes 600 bytes a file: reports, sheets, exports, jobs, projects; nothing is left beside them."""
        with tempfile.TemporaryDirectory() as folder:
            root = Path(__file__).parent.parent.parent
            command = [sys.executable, "-c", FULL, folder]
            done = subprocess.run(command, capture_output=True, text=True, cwd=root, timeout=300, check=True)
        lines = [line for line in done.stdout.splitlines() if " " in line]
        self.assertEqual([line for line in lines[:-1] if not line.endswith(" ok")], [])
        self.assertEqual((len(lines), lines[-1]), (15, "left []"))
