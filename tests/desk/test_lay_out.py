"""Lay out in the real window: tried, another count on the same rows, kept, rebuilt, edited by hand, undone."""

from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, Qt

from arabesque.arrays import unit
from arabesque.cages import Cage
from arabesque.cages.edits import merged, weld_near
from arabesque.cages.symmetry import is_symmetric
from arabesque.desk.tools.cage.fit_cage import FitCageTool
from arabesque.desk.tools.cage.improve_cage import ImproveCage
from arabesque.desk.tools.cage.lay_out import By, LayOut
from arabesque.desk.tools.cage.layout_hand import Hand
from arabesque.desk.tools.cage.layout_part import What
from arabesque.geometry import Plane
from arabesque.layout import Detail, Wishes, lay_out
from arabesque.model import Item
from arabesque.recipes import LayoutOfScan
from tests.desk.test_cage_tools import CageTest
from tests.layout.forms import blob, egg, sheet


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
        self.assertEqual(said["Irregular points"], "8 of valence 3")
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

    def test_a_part_guided_by_hand(self) -> None:
        """What is marked, with a stroke that rows follow and a brushed place; then the rest, which meets it; the whole
        is welded. Backspace takes back what was drawn, Esc drops it."""
        scan = blob(4)
        self.begin(Item("scan", "ball clay", scan))
        self.session.marks.put(scan, scan.points[scan.triangles].mean(axis=1)[:, 2] > 20)
        tool = self.take(Qt.Key.Key_U, LayOut)
        assert isinstance(tool, LayOut)
        tool.options.quads, tool.options.what = 60, What.MARKED
        tool.options_changed()
        middle = self.pixel(scan.closest(np.array([[0.0, 0, 60]])).points[0])
        self.drag(middle, middle + QPoint(60, 60))
        self.assertIn("1 stroke", {fact.label: fact.value for fact in tool.facts}["Drawn"])
        tool.options.hand = Hand.MORE
        tool.options_changed()
        self.click(middle)
        self.assertIn("1 brushed place", {fact.label: fact.value for fact in tool.facts}["Drawn"])
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Drawn"], "1 stroke")
        # a brush that cannot be is said where the hand is, and asks for nothing
        tool.options.factor = 50.0
        with mock.patch.object(self.session, "tell_problem") as told:
            self.click(middle)
        told.assert_called_once()
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Drawn"], "1 stroke")
        made = self.tried().made
        self.assertEqual(len(made.cage.quads.borders()), 1)
        self.assertGreater(made.left_out, 0.4)
        # rows run along the stroke: the edges nearest to it do, or square to it
        (line,) = tool.draft().guides.curves  # type: ignore[union-attr]
        way = unit((line[-1] - line[0])[None])[0]
        ends = made.cage.limit[made.cage.quads.edges]
        near = np.linalg.norm(ends.mean(axis=1) - line[len(line) // 2], axis=1) < 8
        along = np.abs(unit(ends[near, 1] - ends[near, 0]) @ way)
        self.assertGreater(np.maximum(along, np.sqrt(1 - along**2)).min(), 0.9)
        self.key(Qt.Key.Key_Return)
        self.idle()
        (cap,) = self.session.document.of(Cage)
        # the rest
        tool = self.take(Qt.Key.Key_U, LayOut)
        assert isinstance(tool, LayOut)
        tool.options.quads, tool.options.what = 100, What.FREE
        tool.options_changed()
        rest = self.tried().made
        whole = weld_near(merged([cap.shape, rest.cage]), 1e-6)
        self.assertFalse(whole.quads.borders())
        # an irregular point is dragged to another place, then let be
        tool.options.hand = Hand.MOVE
        tool.made = rest
        odd = rest.cage.limit[rest.cage.quads.irregular & ~rest.cage.quads.on_border]
        self.view.look(self.view.camera.looking("bottom"))
        self.idle()
        seen = odd[odd[:, 2].argmin()]
        self.drag(self.pixel(seen), self.pixel(seen) + QPoint(30, 0))
        self.assertEqual(len(tool.draft().guides.moved), 1)  # type: ignore[union-attr]
        np.testing.assert_allclose(tool.draft().guides.moved[0].start, seen)  # type: ignore[union-attr]
        self.key(Qt.Key.Key_Escape)
        self.assertFalse(tool.begun)

    def test_better_by_strips(self) -> None:
        """The strip is shown with what it brings, kept, and taken back."""
        scan = egg()
        cage = lay_out(scan, Wishes(120, 0.02, plane=Plane.coordinate(1))).cage
        self.begin(Item("scan", "egg clay", scan), Item("cage", "cage", cage))
        self.session.set_tolerance(0.02)
        self.session.select("cage")
        self.window.hand.take_up(ImproveCage)
        tool = self.window.hand.tool
        assert isinstance(tool, ImproveCage)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertIsNotNone(tool.made)
        said = {fact.label: fact.value for fact in tool.facts}
        self.assertLess(float(said["Now"].split()[0]), float(said["Before"].split()[0]))
        self.assertTrue(tool.parts(self.view.camera))
        self.assertIs(self.session.history.document["cage"].shape, cage)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertGreater(self.session.document["cage"].shape.count, cage.count)
        self.session.undo()
        self.assertIs(self.session.document["cage"].shape, cage)
