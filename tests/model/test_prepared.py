"""What preparing a scan leaves in the document, and that all of it comes back from a file."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from arabesque.geometry import Elementary, ElementaryKind, frame_of, motion, rotation_about
from arabesque.model import Document, Item, Origin, Project, edits, load_project, save_project
from arabesque.reading import LineSet, Region, Regions, TrueShape
from tests.examples import plane, random_surface

ROD = Elementary.make(ElementaryKind.CYLINDER, frame_of([1, 2, 3], [0, 1, 1]), (8.0,), ((-1.0, 2.0), (0.0, 9.0)))
TURN = motion(rotation_about([1, 1, 0], 30.0), (5.0, 0.0, -2.0))


def shape(kind: ElementaryKind) -> TrueShape:
    """A true shape with some figures."""
    return TrueShape(kind, np.array([1.0, 2, 3]), np.array([0.0, 0, 1]), (8.0,), 0.03, 0.08, 0.4, 0.97)


class PreparedTest(unittest.TestCase):
    def setUp(self) -> None:
        self.document = Document().with_item(Item("s", "clay", plane()))

    def test_the_original_stays_as_hidden_parent(self) -> None:
        document, item_id = self.document.prepared("s", plane(steps=10), "lightened")
        self.assertEqual(list(document.items), ["s", item_id])
        self.assertFalse(document["s"].look.visible)
        self.assertEqual(document[item_id].origin.made_from, ("s",))
        self.assertEqual(document.reference, item_id)
        self.assertIs(document["s"].shape, self.document["s"].shape)

    def test_a_prepared_scan_is_replaced_unless_something_hangs_on_it(self) -> None:
        document, item_id = self.document.prepared("s", plane(steps=10), "lightened")
        again, same = document.prepared(item_id, plane(steps=5), "lightened")
        self.assertEqual((same, len(again.items)), (item_id, 2))
        self.assertEqual(again[item_id].origin.words, "lightened, lightened")
        regions = Item("r", "Regions", Regions(np.zeros(200, dtype=np.int64), (Region(),)), Origin((item_id,)))
        third, other = document.with_item(regions).prepared(item_id, plane(steps=5), "lightened")
        self.assertNotEqual(other, item_id)
        self.assertIsNotNone(third.scan_of(third["r"]))

    def test_motions_add_up(self) -> None:
        document, item_id = self.document.prepared("s", plane().moved(TURN), "laid square", TURN)
        document, _ = document.prepared(item_id, plane(), "laid square", TURN)
        np.testing.assert_allclose(document[item_id].origin.motion, TURN @ TURN)

    def test_regions_of_a_scan_that_changed(self) -> None:
        item = Item("r", "Regions", Regions(np.zeros(7, dtype=np.int64), (Region(),)), Origin(("s",)))
        self.assertIsNone(self.document.with_item(item).scan_of(item))

    def test_everything_comes_back(self) -> None:
        labels = np.arange(5000) % 2
        areas = (Region(shape(ElementaryKind.CYLINDER)), Region(None, by_hand=True))
        lines = LineSet.of([np.random.default_rng(0).random((4, 3)), np.ones((3, 3))], [False, True])
        document = self.document
        for item in (
            Item("r", "Regions", Regions(labels, areas), Origin(("s",))),
            Item("l", "Lines", lines, Origin(("s",))),
            Item("c", "Rod", ROD, Origin(("s",))),
            Item("m", "Moved", plane(steps=4), Origin(("s",), motion=TURN)),
        ):
            document = document.with_item(item)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.arabesque"
            save_project(path, Project(document))
            back = load_project(path).document
        regions, rod = back["r"].shape, back["c"].shape
        assert isinstance(regions, Regions) and isinstance(rod, Elementary)
        np.testing.assert_array_equal(regions.labels, labels)
        self.assertEqual([area.word for area in regions.areas], ["cylinder", "free form"])
        self.assertTrue(regions.areas[1].by_hand)
        assert regions.areas[0].shape is not None
        self.assertEqual(regions.areas[0].shape.p99, 0.08)
        self.assertEqual((rod.kind, rod.sizes, rod.bounds), (ROD.kind, ROD.sizes, ROD.bounds))
        np.testing.assert_allclose(rod.points, ROD.points, atol=1e-12)
        self.assertEqual(back["c"].kind, "cylinder")
        np.testing.assert_array_equal(back["m"].origin.motion, TURN)

    def test_others_move_along(self) -> None:
        patch = random_surface((2, 2), (1, 1))
        document = self.document.with_item(Item("p", "Patch", patch)).with_item(Item("c", "Rod", ROD))
        document = edits.remarks.noted(document, (1.0, 2.0, 3.0), "Softer here").document
        document = edits.remarks.measured(document, (0.0, 0.0, 0.0), (3.0, 4.0, 0.0)).document
        moved = edits.scans.others_moved(document, TURN)
        np.testing.assert_allclose(moved.notes[0].place, TURN[:3, :3] @ [1.0, 2.0, 3.0] + TURN[:3, 3])
        self.assertAlmostEqual(moved.measures[0].length, 5.0)
        self.assertIs(moved["s"].shape, document["s"].shape)
        rod = moved["c"].shape
        assert isinstance(rod, Elementary)
        np.testing.assert_allclose(rod.axis, TURN[:3, :3] @ ROD.axis, atol=1e-12)
        scan = plane().moved(TURN)
        np.testing.assert_allclose(scan.areas, np.linalg.norm(plane().area_vectors, axis=1), atol=1e-9)
