"""Lay out in the real window: tried, another count on the same rows, kept, rebuilt, edited by hand, undone."""

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.cages import Cage
from arabesque.cages.symmetry import is_symmetric
from arabesque.desk.tools.cage.fit_cage import FitCageTool
from arabesque.desk.tools.cage.lay_out import By, LayOut
from arabesque.geometry import Plane
from arabesque.layout import Detail
from arabesque.model import Item
from arabesque.recipes import LayoutOfScan
from tests.desk.test_cage_tools import CageTest
from tests.layout.forms import egg, sheet


class LayOutTest(CageTest):
    def tried(self) -> LayOut:
        """The tool after Enter, and what it made."""
        self.key(Qt.Key.Key_Return)
        self.idle()
        tool = self.window.hand.tool
        assert isinstance(tool, LayOut)
        self.assertIsNotNone(tool.made)
        return tool

    def test_try_look_keep(self) -> None:
        """From a document with a scan alone: Enter tries, another count is quick, Enter keeps a tied cage that follows
        the tolerance until it is edited by hand; undo takes it back."""
        self.begin(Item("scan", "egg clay", egg()))
        self.session.set_tolerance(0.2)
        tool = self.take(Qt.Key.Key_U, LayOut)
        assert isinstance(tool, LayOut)
        self.assertFalse(self.session.document.of(Cage))
        tool.options.quads, tool.options.alike, tool.options.detail = 120, True, Detail.CALM
        tool.options_changed()
        first = self.tried().made
        self.assertLess(abs(first.cage.count - 120), 20)
        said = {fact.label: fact.value for fact in tool.facts}
        self.assertEqual(said["Quads"], str(first.cage.count))
        self.assertEqual(said["Irregular points"], "8 of 3")
        self.assertEqual(said["Folded faces"], "0")
        self.assertTrue(tool.parts(self.view.camera))
        # nothing is in the document yet; another count uses the rows again
        self.assertFalse(self.session.document.of(Cage))
        tool.options.quads = 240
        tool.options_changed()
        self.assertIsNone(tool.made)
        second = self.tried().made
        self.assertIs(second.ground, first.ground)
        self.assertNotIn("field", second.seconds)
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.session.document.of(Cage)
        np.testing.assert_array_equal(item.shape.points, second.cage.points)
        self.assertIsInstance(item.recipe, LayoutOfScan)
        self.assertTrue(is_symmetric(item.shape, Plane.coordinate(1)))
        # another tolerance: made anew
        self.session.set_tolerance(0.05)
        self.until(lambda: self.session.document[item.id].shape is not item.shape)
        self.idle()
        again = self.session.document[item.id]
        self.assertEqual(again.trouble, "")
        self.assertTrue(is_symmetric(again.shape, Plane.coordinate(1)))
        # by hand: free from then on, and still alike
        self.session.select(item.id)
        fit = self.take(Qt.Key.Key_T, FitCageTool)
        assert isinstance(fit, FitCageTool)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        by_hand = self.session.document[item.id]
        self.assertIsNone(by_hand.recipe)
        self.assertTrue(is_symmetric(by_hand.shape, Plane.coordinate(1)))
        self.session.undo()
        self.assertIsInstance(self.session.document[item.id].recipe, LayoutOfScan)

    def test_stopped_and_refused(self) -> None:
        """Esc stops the work; what cannot be is said where the hand is, and nothing is lost."""
        self.begin(Item("scan", "sheet clay", sheet()))
        tool = self.take(Qt.Key.Key_U, LayOut)
        assert isinstance(tool, LayOut)
        tool.options.by = By.TOLERANCE
        tool.options_changed()
        self.key(Qt.Key.Key_Return)
        self.assertTrue(tool.working)
        self.key(Qt.Key.Key_Escape)
        self.assertFalse(tool.working)
        self.assertIsNone(tool.made)
        self.session.set_tolerance(0.3)
        made = self.tried().made
        self.assertLess(made.cage.count, 40)
        self.assertEqual(made.lacking, ())
        corners = np.bincount(made.cage.faces.ravel())[made.cage.quads.on_border] == 1
        self.assertEqual(int(corners.sum()), 4)
        self.key(Qt.Key.Key_Escape)
        self.assertIsNone(tool.made)
        self.assertFalse(self.session.document.of(Cage))
