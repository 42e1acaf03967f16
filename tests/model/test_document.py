"""Documents, items and history as values."""

import unittest

from arabesque.errors import ArabesqueError
from arabesque.model import Document, History, Item, Origin
from tests.examples import plane, random_surface


class DocumentTest(unittest.TestCase):
    def setUp(self) -> None:
        self.scan = Item("s", "scan", plane())
        self.patch = Item("p", "Patch", random_surface((2, 2), (1, 1)), Origin(("s",)))
        self.document = Document().with_item(self.scan).with_item(self.patch)

    def test_edits_leave_the_old_document_as_it_was(self) -> None:
        changed = self.document.with_shape("p", random_surface((3, 3), (1, 1)))
        self.assertEqual(self.document["p"].shape.degree, (2, 2))
        self.assertEqual(changed["p"].shape.degree, (3, 3))
        self.assertIs(changed["s"].shape, self.document["s"].shape)
        with self.assertRaises(TypeError):
            self.document.items["x"] = self.patch  # type: ignore[index]

    def test_the_first_scan_is_the_reference(self) -> None:
        self.assertEqual(self.document.reference, "s")
        second = self.document.with_item(Item("t", "second", plane()))
        self.assertIs(second.reference_scan, self.scan.shape)
        self.assertIsNot(second.without("s").reference_scan, None)
        self.assertIsNone(self.document.without("s").reference_scan)

    def test_names_are_one_line_of_what_can_be_printed(self) -> None:
        shape = random_surface((2, 2), (1, 1))
        for name, shown in (
            ("Kotflügel 翼", "Kotflügel 翼"),
            ("two\nlines\tand\u202etricks\x00", "two lines and tricks"),
            ("", "Unnamed"),
            ("\n", "Unnamed"),
            ("x" * 100_000, "x" * 119 + "…"),
        ):
            self.assertEqual(Item("a", name, shape).name, shown)

    def test_names_stay_apart(self) -> None:
        self.assertEqual(self.document.free_name("Patch"), "Patch 2")
        self.assertEqual(self.document.free_name("Rim"), "Rim")

    def test_impossible_tolerances(self) -> None:
        for tolerance in (0, -1, float("nan"), float("inf")):
            with self.assertRaises(ArabesqueError):
                self.document.with_tolerance(tolerance)

    def test_history_goes_back_and_forth(self) -> None:
        history = History(Document())
        history.commit("scan", self.document)
        history.commit("tolerance", self.document.with_tolerance(0.1))
        self.assertEqual(history.undo(), "tolerance")
        self.assertIs(history.document, self.document)
        self.assertEqual(history.redo(), "tolerance")
        self.assertIsNone(history.redo())
        history.undo()
        history.commit("other", self.document.without("p"))
        self.assertEqual([step.label for step in history.steps], ["Start", "scan", "other"])
        while history.undo():
            pass
        self.assertEqual(len(list(history.document)), 0)
