"""Files that are read back: what they hold by other readers, and what is said where they do not."""

import zipfile
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
