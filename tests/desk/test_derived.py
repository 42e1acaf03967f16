"""Derived items in the window: rebuilt beside it, their state in the Outline, free when changed by hand."""

from PyQt6.QtCore import Qt

from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.model import any_stale, edits
from arabesque.recipes import PatchOnScan
from tests.desk.support import CTRL, WindowTest
from tests.examples import heron


class DerivedTest(WindowTest):
    def lines(self, name: str) -> list[str]:
        """The lines that unfold below an item in the Outline."""
        (cell,) = self.window.outline.model.findItems(name)
        return [cell.child(row).text() for row in range(cell.rowCount())]

    def test_a_patch_follows_the_tolerance_until_a_hand_changes_it(self) -> None:
        self.patched()
        item = self.session.surface_item
        assert item is not None and isinstance(item.recipe, PatchOnScan)
        self.assertIn("⛓ patch on the scan", self.lines(item.name))
        first, steps = self.surface(), len(self.session.history.steps)
        self.session.set_tolerance(2.0)
        self.assertTrue(any(line.endswith("being rebuilt") for line in self.lines(item.name)))
        self.idle()
        self.assertLess(self.surface().count, first.count)
        self.assertFalse(any_stale(self.session.document))
        self.assertEqual(len(self.session.history.steps), steps + 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertIs(self.surface(), first)
        self.idle()
        self.assertIs(self.surface(), first)

        tool = self.window.hand.take_up(MovePoints)
        assert isinstance(tool, MovePoints)
        self.click(self.surface().points[1, 1])
        self.key(Qt.Key.Key_PageUp)
        self.assertIn("free now", self.view.overlay.message)
        assert self.session.surface_item is not None
        self.assertIsNone(self.session.surface_item.recipe)
        pulled = self.surface()
        self.session.set_tolerance(2.0)
        self.idle()
        self.assertIs(self.surface(), pulled)

    def test_a_corner_that_is_dragged_is_fitted_again_and_still_follows(self) -> None:
        self.patched()
        tool = self.window.hand.take_up(FourCornerPatch)
        assert isinstance(tool, FourCornerPatch)
        before = self.surface()
        start = self.pixel(tool.corners[0])
        self.drag(start, start + (self.pixel(tool.corners[2]) - start) / 4)
        self.idle()
        self.assertIsNot(self.surface(), before)
        item = self.session.surface_item
        assert item is not None and item.recipe is not None
        self.assertFalse(any_stale(self.session.document))

    def test_what_fails_keeps_its_shape_and_says_why(self) -> None:
        self.patched()
        item, shape = self.session.surface_item, self.surface()
        assert item is not None
        self.session.edit(edits.items.deleted, self.session.document["scan"])
        self.idle()
        self.assertIs(self.surface(), shape)
        self.assertTrue(any(line.startswith("✕ There is no scan") for line in self.lines(item.name)))
        self.assertIn("keeps its last shape", self.view.overlay.message)
        self.assertTrue(self.window.commands["make-free"].isEnabled())
        self.window.commands["make-free"].trigger()
        self.assertFalse(self.window.commands["make-free"].isEnabled())
        self.assertEqual([line for line in self.lines(item.name) if line.startswith("✕")], [])

    def test_a_newer_commit_cancels_the_rebuild_of_the_one_before(self) -> None:
        self.patched()
        for tolerance in (1.0, 1.5, 2.0):
            self.session.set_tolerance(tolerance)
        self.idle()
        self.assertFalse(any_stale(self.session.document))
        assert self.session.surface_item is not None
        self.assertEqual(self.session.surface_item.made_of[1], 2.0)
        self.assertIs(self.session.surface_item.made_of[0], heron(25_000).scan)
