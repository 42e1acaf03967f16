"""The project file: everything comes back bit for bit; broken files are told."""

import json
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import numpy as np

from arabesque.errors import FileProblem
from arabesque.geometry import Curve, Surface
from arabesque.model import Document, Item, Look, Origin, Project, load_project, save_project
from arabesque.progress import Cancelled
from tests.examples import plane, random_surface


class StoreTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.arabesque"
        self.document = Document(tolerance=0.13, unit="inch")
        for item in (
            Item("s", "Ton ä", plane(noise=0.1), Origin(words="a.stl, mm")),
            Item(
                "p", "Patch", random_surface((3, 4), (2, 1)), Origin(("s",)), look=Look(visible=False, see_through=True)
            ),
            Item("q", "Rational", random_surface((2, 2), (1, 2), rational=True)),
            Item("c", "Curve", Curve.bezier(np.random.default_rng(0).normal(size=(4, 3)))),
        ):
            self.document = self.document.with_item(item)

    def test_everything_comes_back(self) -> None:
        save_project(self.path, Project(self.document))
        back = load_project(self.path).document
        self.assertEqual((back.tolerance, back.unit, back.reference), (0.13, "inch", "s"))
        self.assertEqual(list(back.items), list(self.document.items))
        for old, new in zip(self.document, back, strict=True):
            self.assertEqual(
                (old.name, old.origin.made_from, old.origin.words, old.look),
                (new.name, new.origin.made_from, new.origin.words, new.look),
            )
            np.testing.assert_array_equal(old.shape.points, new.shape.points)
        surface = back["q"].shape
        assert isinstance(surface, Surface) and surface.weights is not None
        np.testing.assert_array_equal(surface.weights, self.document["q"].shape.weights)
        self.assertEqual(surface.degree, (2, 2))

    def test_the_format_is_open(self) -> None:
        """A zip of JSON and .npy arrays: readable with nothing of ours."""
        save_project(self.path, Project(self.document))
        with zipfile.ZipFile(self.path) as archive:
            record = json.loads(archive.read("document.json"))
            self.assertEqual(record["format"], 11)
            name = record["items"][1]["shape"]["points"]
            with archive.open(f"arrays/{name}.npy") as file:
                np.testing.assert_array_equal(np.lib.format.read_array(file), self.document["p"].shape.points)

    def test_a_failed_save_leaves_the_old_file(self) -> None:
        save_project(self.path, Project(self.document))
        before = self.path.read_bytes()

        def stop(fraction: float, message: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            save_project(self.path, Project(self.document), stop)
        full = OSError(28, "No space left on device")
        with mock.patch("os.fsync", side_effect=full), self.assertRaisesRegex(FileProblem, "No space left"):
            save_project(self.path, Project(self.document))
        self.assertEqual(self.path.read_bytes(), before)
        self.assertEqual([p.name for p in self.path.parent.iterdir()], ["a.arabesque"])

    def test_broken_files_are_told(self) -> None:
        save_project(self.path, Project(self.document))
        whole = self.path.read_bytes()
        for content in (b"", b"hello", whole[: len(whole) // 2]):
            self.path.write_bytes(content)
            with self.assertRaisesRegex(FileProblem, "damaged"):
                load_project(self.path)
        with self.assertRaisesRegex(FileProblem, "does not exist"):
            load_project(self.path.with_name("none.arabesque"))
        with self.assertRaisesRegex(FileProblem, "folder"):
            load_project(self.path.parent)

    def test_a_newer_format_is_refused_kindly(self) -> None:
        with zipfile.ZipFile(self.path, "w") as archive:
            archive.writestr("document.json", json.dumps({"format": 99}))
        with self.assertRaisesRegex(FileProblem, "newer Arabesque"):
            load_project(self.path)

    def test_unwritable_places_are_told(self) -> None:
        with self.assertRaisesRegex(FileProblem, "unharmed"):
            save_project(self.path.parent / "no" / "a.arabesque", Project(self.document))
