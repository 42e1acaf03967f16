"""One example of every kind runs every general promise of the core: stored, moved, mirrored, undone, delivered."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane, Surface, motion, rotation_about
from arabesque.model import KINDS, History, Project, edits, kind_of, load_project, save_project
from arabesque.reading import Regions
from arabesque.solid import FileKind, deliver, read_model
from tests.examples import every_kind
from tests.solid.support import KernelTest

TURN = motion(rotation_about([1, 2, 3], 40.0), (5.0, -3.0, 2.0))
PLANE = Plane.through([3.0, 1, 2], [1, 1, 0.5])


def places(shape: object) -> np.ndarray:
    """(n, 3) points of a shape."""
    return np.asarray(shape.points).reshape(-1, 3)  # type: ignore[attr-defined]


class EveryKindTest(unittest.TestCase):
    def test_the_table_lists_each_once(self) -> None:
        words = [kind.word for kind in KINDS]
        self.assertEqual(sorted(words), sorted(item.id for item in every_kind()))
        for item in every_kind():
            self.assertEqual(kind_of(item.shape).word, item.id)
            self.assertGreater(kind_of(item.shape).weight(item.shape), 0)
        with self.assertRaises(ArabesqueError):
            kind_of("a word")

    def test_stored(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            save_project(Path(folder) / "a.arabesque", Project(every_kind()))
            back = load_project(Path(folder) / "a.arabesque").document
        for item in every_kind():
            self.assertIs(type(back[item.id].shape), type(item.shape))
            if not isinstance(item.shape, Regions):
                np.testing.assert_array_equal(places(back[item.id].shape), places(item.shape))

    def test_moved_as_a_rigid_body(self) -> None:
        """Every point goes where the matrix takes it; a motion and its inverse bring the box back."""
        for item in every_kind():
            moved = item.shape.moved(TURN)
            self.assertIs(type(moved), type(item.shape))
            if isinstance(item.shape, Regions):
                self.assertIsNone(item.shape.box)
                continue
            np.testing.assert_allclose(places(moved), places(item.shape) @ TURN[:3, :3].T + TURN[:3, 3], atol=1e-9)
            low, high = moved.box
            self.assertTrue((places(moved) >= low - 1e-9).all() and (places(moved) <= high + 1e-9).all())

    def test_mirrored_twice_is_as_it_was(self) -> None:
        for item in every_kind():
            image = item.shape.mirrored(PLANE)
            self.assertIs(type(image), type(item.shape))
            if isinstance(item.shape, Regions):
                continue

            def sort(points: np.ndarray) -> np.ndarray:
                return points[np.lexsort(np.round(points, 6).T)]

            reflected = PLANE.mirrored(places(item.shape))
            np.testing.assert_allclose(sort(places(image)), sort(reflected), atol=1e-6)
            np.testing.assert_allclose(places(image.mirrored(PLANE)), places(item.shape), atol=1e-9)

    def test_mirror_images_look_to_the_same_side_of_the_form(self) -> None:
        """The normal of the image is the image of the normal: of scans and of all surfaces."""
        reflect = np.eye(3) - 2 * np.outer(PLANE.normal, PLANE.normal)
        for item in every_kind():
            image = item.shape.mirrored(PLANE)
            if isinstance(item.shape, Surface):
                (u0, u1), (v0, v1) = item.shape.domain
                middle = [[(u0 + u1) / 2, (v0 + v1) / 2]]
                np.testing.assert_allclose(image.normals(middle)[0], reflect @ item.shape.normals(middle)[0], atol=1e-9)
            elif item.id == "scan":
                np.testing.assert_allclose(image.area_vectors, item.shape.area_vectors @ reflect.T, atol=1e-9)

    def test_undone_and_everything_else_moves_with_others(self) -> None:
        history = History(every_kind())
        history.commit("moved", edits.scans.others_moved(every_kind(), TURN))
        for item in history.document:
            stays = item.id in ("scan", "regions")
            self.assertEqual(item.shape is every_kind()[item.id].shape, stays, item.id)
        history.undo()
        self.assertIs(history.document, every_kind())


class DeliveredTest(KernelTest):
    def test_delivered(self) -> None:
        """Surfaces, faces, true shapes and curves go out and come in at the same places."""
        items = [(item.name, item.shape) for item in every_kind() if isinstance(item.shape, Surface | Curve)]
        deliver(self.folder / "a.step", items, FileKind.STEP_AP214, self.worker)
        model = read_model(self.folder / "a.step", self.worker)
        self.assertEqual(len(model.faces) + len(model.curves), len(items))


if __name__ == "__main__":
    unittest.main()
