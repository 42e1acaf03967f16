"""Derived items in the window: rebuilt beside it, their state in the Outline, free when changed by hand."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from arabesque.desk.tools.base import DegreeChoice
from arabesque.desk.tools.patch.between_edges import LayBetween
from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.geometry import split_surface
from arabesque.model import Item, any_stale, edits, settled
from arabesque.recipes import PatchBetween, PatchOnScan, RingPiece
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

    def test_a_double_click_takes_its_tool_up_again(self) -> None:
        """With its picks lit; another degree makes the same item again, and it still follows."""
        self.patched()
        item = self.session.surface_item
        assert item is not None
        (cell,) = self.window.outline.model.findItems(item.name)
        tree = self.window.outline.tree
        tree.expand(cell.index())
        line = cell.child(0)
        self.assertIn("⛓", line.text())
        at = tree.visualRect(line.index()).center()
        QTest.mouseClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=at)
        QTest.mouseDClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=at)
        tool = self.window.hand.tool
        assert isinstance(tool, FourCornerPatch)
        self.assertEqual(len(tool.corners), 4)
        tool.options.degree, tool.options.u, tool.options.v = DegreeChoice.FIXED, 5, 2
        tool.options_changed()
        self.idle()
        self.assertEqual(self.surface().degree, (5, 2))
        again = self.session.surface_item
        assert again is not None and isinstance(again.recipe, PatchOnScan)
        self.assertEqual((again.id, again.recipe.degree), (item.id, (5, 2)))
        self.assertFalse(any_stale(self.session.document))

    def test_a_patch_between_follows_and_is_taken_up_again(self) -> None:
        self.patched()
        whole, item = self.surface(), self.session.surface_item
        assert item is not None
        one, rest = split_surface(whole, 0, 0.3)
        three = split_surface(rest, 0, 0.7)[1]
        document = self.session.document.without(item.id)
        document = document.with_item(Item("a", "one", one)).with_item(Item("b", "three", three))
        recipe = PatchBetween((RingPiece("a", 1), RingPiece("b", 3)))
        self.session.commit("gap", document.with_item(Item("d", "between", whole, recipe=recipe)))
        self.idle()
        laid = self.session.document["d"]
        self.assertEqual((laid.trouble, any_stale(self.session.document)), ("", False))
        points = one.points.copy()
        points[-1, 1:-1] += [0, 0, 0.5]
        self.session.commit("pulled", self.session.document.with_shape("a", one.with_points(points)))
        self.idle()
        self.assertIsNot(self.session.document["d"].shape, laid.shape)
        self.window.hand.take_up_again(self.session.document["d"])
        tool = self.window.hand.tool
        assert isinstance(tool, LayBetween)
        self.idle()
        self.assertEqual((len(tool.pieces), tool.can_apply), (2, True))
        tool.options.u = 5
        tool.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        made = self.session.document["d"]
        assert isinstance(made.recipe, PatchBetween)
        self.assertEqual((made.recipe.degree, any_stale(self.session.document)), ((5, 3), False))

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

    def test_in_a_drag_images_follow_and_what_takes_longer_fades(self) -> None:
        self.patched()
        item, whole = self.session.surface_item, self.surface()
        assert item is not None
        self.session.edit(edits.twins.mirrored_live, item)
        recipe = PatchBetween((RingPiece(item.id, 1), RingPiece(item.id, 3)))
        beside = Item("d", "between", split_surface(whole, 0, 0.3)[0], recipe=recipe)
        self.session.commit("derived", settled(self.session.document.with_item(beside), "d"))
        self.idle()

        def faint() -> dict[str, bool]:
            self.view.repaint()
            QTest.qWait(50)
            return {mesh.slot: mesh.dimmed for mesh in self.view.scene.triangles if mesh.slot in drawn}

        drawn = (item.id, f"{item.id} image", "d")
        self.assertEqual(faint(), dict.fromkeys(drawn, False))
        moved = whole.with_points(whole.points + np.array([0, 0, 3.0]))
        self.session.show(self.session.moving(self.session.document.with_shape(item.id, moved)))
        self.assertEqual(faint(), {**dict.fromkeys(drawn, False), "d": True})
        shown = {mesh.slot: mesh.points for mesh in self.view.scene.triangles}
        here, there = shown[item.id].mean(axis=0), shown[f"{item.id} image"].mean(axis=0)
        np.testing.assert_allclose(there, here * [1, -1, 1], atol=1e-6)
        self.session.drop_shown()
        self.assertEqual(faint(), dict.fromkeys(drawn, False))
