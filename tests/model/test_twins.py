"""Documents whose patches follow their mirror images: exact through any edits, saved and read again."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from arabesque.geometry import Plane, Seam, Surface, Twin, TwinKind
from arabesque.model import Document, History, Item, Project, Ties, Version, edits, load_project, rebuilt, save_project
from tests.examples import random_surface

MIDDLE = Plane.coordinate(1)


def document() -> Document:
    """A patch across the plane, one that ends on it and one beside it."""
    across = random_surface((3, 3), (3, 2), seed=1)
    across = across.with_points(across.points - np.array([0, 25, 0]))
    made = Document()
    for key, surface, twin in (
        ("across", across, Twin(TwinKind.SPANS, 1)),
        ("ends", random_surface((3, 4), (2, 2), seed=2), Twin(TwinKind.ENDS, 1, False, Seam.EVEN)),
        ("beside", random_surface((2, 3), (2, 2), seed=3), Twin(TwinKind.BESIDE)),
    ):
        made = made.with_item(Item(key, key, surface)).with_twin(key, twin)
    return made


class ExactTest(unittest.TestCase):
    def test_symmetric_to_the_bit_after_a_thousand_edits_undo_and_redo(self) -> None:
        """Random moves of points, rows, everything; degrees up; back and forth: pairs stay equal bit by bit."""
        rng = np.random.default_rng(7)
        history = History(document())
        states = [history.document]
        for step in range(1000):
            what = rng.random()
            if what < 0.2 and history.position:
                history.undo()
            elif what < 0.35:
                history.redo()
            else:
                now = history.document
                item = now[("across", "ends", "beside")[int(rng.integers(3))]]
                assert isinstance(item.shape, Surface)
                if step % 200 == 99 and max(item.shape.degree) < 6:
                    changed = item.shape.elevated(1, 1)
                else:
                    mask = rng.random(item.shape.points.shape[:2]) < rng.choice([0.05, 0.3, 1.0])
                    move = rng.normal(scale=0.2, size=item.shape.points.shape)
                    changed = item.shape.with_points(item.shape.points + mask[..., None] * move)
                history.commit("edit", rebuilt(now.with_shape(item.id, changed), live=True))
                states.append(history.document)
            across, ends = history.document["across"].shape, history.document["ends"].shape
            assert isinstance(across, Surface) and isinstance(ends, Surface)
            np.testing.assert_array_equal(across.points[:, ::-1] * [1, -1, 1], across.points + 0.0)
            np.testing.assert_array_equal(ends.points[:, 0, 1], 0.0)
            np.testing.assert_array_equal(ends.points[:, 0, [0, 2]], ends.points[:, 1, [0, 2]])
            for item in history.document:
                for image in history.document.images_of(item):
                    assert item.ties.twin is not None
                    turned = np.flip(image.shape.points, item.ties.twin.axis)
                    np.testing.assert_array_equal(turned * [1, -1, 1], item.shape.points + 0.0)
        self.assertGreater(len(states), 400)

    def test_an_edit_of_the_image_side_is_the_same_edit(self) -> None:
        """A patch across the plane, pulled left or pulled right by the mirrored move: the same patch."""
        made = document()
        shape = made["across"].shape
        assert isinstance(shape, Surface)
        left, right = shape.points.copy(), shape.points.copy()
        left[2, 0] += [0.1, 0.2, 0.3]
        right[2, -1] += [0.1, -0.2, 0.3]
        one, two = (made.with_shape("across", shape.with_points(p))["across"].shape for p in (left, right))
        assert isinstance(one, Surface) and isinstance(two, Surface)
        np.testing.assert_array_equal(one.points, two.points)


class PlaneTest(unittest.TestCase):
    def test_a_layer_may_have_its_own_plane(self) -> None:
        made = document()
        layer = made.new_layer("Post")
        made = made.with_layer(layer).changed("across", layer=layer.id)
        moved = made.with_plane(Plane(np.array([0, 1.0, 0]), 2.0), layer.id)
        self.assertEqual(moved.plane_of(moved["across"]).offset, 2.0)
        self.assertEqual(moved.plane_of(moved["ends"]).offset, 0.0)
        shape = moved["across"].shape
        assert isinstance(shape, Surface)
        np.testing.assert_allclose(shape.points[:, ::-1, 1], 4.0 - shape.points[:, :, 1], atol=1e-12)

    def test_the_plane_moves_with_the_patches(self) -> None:
        matrix = np.eye(4)
        matrix[:3, 3] = [1, 7, 2]
        moved = edits.scans.others_moved(document(), matrix)
        self.assertAlmostEqual(moved.plane.offset, 7.0)
        before, after = document()["ends"].shape, moved["ends"].shape
        assert isinstance(before, Surface) and isinstance(after, Surface)
        np.testing.assert_allclose(after.points, before.points + np.array([1, 7, 2]), atol=1e-12)

    def test_saved_and_read_again(self) -> None:
        made = document()
        layer = replace(made.new_layer("Post"), plane=Plane(np.array([1.0, 0, 0]), 3.0))
        made = made.with_layer(layer).changed("ends", ties=replace(made["ends"].ties, pins=frozenset({(1, 2), (0, 0)})))
        made = made.changed("beside", versions=(Version("version 1", made["beside"].shape, Ties()),))
        with tempfile.TemporaryDirectory() as folder:
            save_project(Path(folder) / "p.arabesque", Project(made))
            again = load_project(Path(folder) / "p.arabesque").document
        for item in made:
            self.assertEqual(again[item.id].ties, item.ties)
            self.assertEqual([one.name for one in again[item.id].versions], [one.name for one in item.versions])
            np.testing.assert_array_equal(again[item.id].shape.points, item.shape.points)  # type: ignore[union-attr]
        own = again.layers[0].plane
        assert own is not None
        self.assertEqual((own.offset, again.plane.offset), (3.0, 0.0))

    def test_pins_go_when_the_net_changes(self) -> None:
        made = document().changed("beside", ties=Ties(pins=frozenset({(1, 1)})))
        shape = made["beside"].shape
        assert isinstance(shape, Surface)
        kept = made.with_shape("beside", shape.with_points(shape.points + 1))["beside"]
        self.assertEqual(kept.ties.pins, {(1, 1)})
        self.assertEqual(made.with_shape("beside", shape.elevated(1, 0))["beside"].ties.pins, frozenset())

    def test_a_version_comes_back_with_its_ties(self) -> None:
        """Parked while tied, let go and pulled, brought back: tied exactly, even where the plane has moved since."""
        made = edits.versions.parked(document(), document()["across"]).document
        made = edits.twins.let_go(made, made["across"]).document
        made = made.with_shape("across", made["across"].shape.moved(np.eye(4) + np.eye(4, k=3))).with_plane(
            Plane(np.array([0.0, 1, 0]), 2.0)
        )
        back = edits.versions.brought_back(made, made["across"], 0).document
        item = back["across"]
        assert item.ties.twin is not None
        self.assertTrue(item.ties.twin.holds(item.shape, back.plane_of(item)))
        self.assertIsNone(item.versions[0].ties.twin)


if __name__ == "__main__":
    unittest.main()
