"""Fills in the window: borders clicked round an opening of a model that was opened, told, kept, followed."""

from PyQt6.QtCore import Qt

from arabesque.desk.steps import Step
from arabesque.desk.tools.patch.fill_opening import FillBetween
from arabesque.geometry import Edge, Face, Patchwork
from arabesque.model import Item, any_stale
from arabesque.recipes import FillOpening, FillWith
from arabesque.script import Project
from tests.desk.support import CTRL, NO, SHIFT, WindowTest
from tests.joining.test_filling import around, wavy


class FillTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        path = self.folder / "ring.step"
        with Project() as project:
            for patch in around(5, wavy):
                project.add("Side", patch)
            project.export(path, list(project.items))
        self.window.files.open_path(path)
        self.idle()
        self.items = self.session.document.surfaces()
        self.window.sight.look_along("top")
        self.window.hand.go_to(Step.PATCH)
        self.session.select(None)

    def fills(self) -> list[Item]:
        return [item for item in self.session.document if isinstance(item.recipe, FillOpening)]

    def test_clicked_told_kept_and_followed(self) -> None:
        self.key(Qt.Key.Key_F, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, FillBetween)
        for number, item in enumerate(self.items):
            self.assertIsNone(tool.made)
            self.assertEqual(len(tool.picked), number)
            self.click(item.shape.at([[0.0, 0.5]])[0])
            self.idle()
        self.assertEqual({border.rim for border in tool.picked}, {int(Edge.U_LOW)})
        facts = {fact.label: fact for fact in tool.facts}
        for label in ("Gap", "Tangent within", "Curvature within"):
            self.assertEqual(facts[label].state, "good", label)
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.fills()
        self.assertIsInstance(item.shape, Face)
        steps = len(self.session.history.steps)
        first = self.session.document[self.items[0].id]
        points = first.shape.points.copy()
        points[2:, 2:-2] += [0, 0, 0.2]
        self.session.commit("raised", self.session.document.with_shape(first.id, first.shape.with_points(points)))
        self.idle()
        self.assertFalse(any_stale(self.session.document))
        self.assertIsNot(self.session.document[item.id].shape, item.shape)
        self.assertEqual(len(self.session.history.steps), steps + 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertEqual(self.fills(), [])

    def test_four_sided_patches_and_taken_up_again(self) -> None:
        self.key(Qt.Key.Key_F, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, FillBetween)
        tool.options.pieces = FillWith.FOUR_SIDED
        for item in self.items:
            self.click(item.shape.at([[0.0, 0.5]])[0])
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.fills()
        assert isinstance(item.shape, Patchwork)
        self.assertEqual(len(item.shape.surfaces), 5)
        self.key(Qt.Key.Key_Escape)
        self.window.hand.take_up_again(self.session.document[item.id])
        again = self.window.hand.tool
        assert isinstance(again, FillBetween)
        self.idle()
        self.assertEqual((len(again.picked), again.options.pieces), (5, FillWith.FOUR_SIDED))
        self.key(Qt.Key.Key_Backspace)
        self.idle()
        self.assertEqual(len(again.picked), 4)
        self.assertFalse(again.can_apply)

    def test_one_border_met_less_smoothly(self) -> None:
        """A click with Ctrl takes a border's place only; once more raises it; the recipe keeps it."""
        self.key(Qt.Key.Key_F, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, FillBetween)
        for number, item in enumerate(self.items):
            self.click(item.shape.at([[0.0, 0.5]])[0], CTRL if number == 2 else NO)
        self.idle()
        facts = {fact.label: fact.value for fact in tool.facts}
        self.assertEqual(facts["Borders"], "G2, G2, G0, G2, G2")
        self.click(self.items[2].shape.at([[0.0, 0.5]])[0], CTRL)
        self.idle()
        self.assertEqual([border.order for border in tool.draft().borders], [2, 2, 1, 2, 2])  # type: ignore[union-attr]
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.fills()
        self.window.hand.take_up_again(item)
        again = self.window.hand.tool
        assert isinstance(again, FillBetween)
        self.assertEqual(again.options.order, 2)
        self.assertEqual([border.order for border in again.draft().borders], [2, 2, 1, 2, 2])  # type: ignore[union-attr]


if __name__ == "__main__":
    import unittest

    unittest.main()
