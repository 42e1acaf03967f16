"""The guided path: gone to its end by mouse and keys, left in the middle, never back by itself."""

from unittest import mock

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.geometry import Surface
from tests.desk.support import CTRL, SHIFT, WindowTest

LED = "Or be led through it in one minute"


class FirstMinuteTest(WindowTest):
    fresh = True

    def begin(self) -> None:
        self.until(lambda: self.window.start_page.isVisible())
        QTest.mouseClick(self.window.start_page.buttons[LED], Qt.MouseButton.LeftButton)
        self.until(lambda: self.window.minute.stage == 0 and isinstance(self.window.hand.tool, FourCornerPatch), 120)
        self.idle()

    def test_to_its_end(self) -> None:
        self.begin()
        card, path = self.window.guide_card, self.window.minute
        self.assertTrue(card.isVisible())
        self.assertIn("1 of 4", card.heading.text())
        self.assertTrue(self.view.rect().contains(card.geometry()))
        places = path.places
        assert places is not None
        for number, place in enumerate(places):
            self.assertEqual(len(path.parts), 5 - number)
            self.click(place)
        self.idle()
        self.assertEqual(path.parts, [])
        self.assertIn("Enter", card.says.text())
        self.key(Qt.Key.Key_Return)
        self.until(lambda: path.stage == 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(path.stage, 0)
        self.key(Qt.Key.Key_Z, CTRL | SHIFT)
        self.until(lambda: path.stage == 1)
        self.assertTrue(card.tool_button.isVisible())
        QTest.mouseClick(card.tool_button, Qt.MouseButton.LeftButton)
        self.assertIn("drag", card.says.text())
        (item,) = self.session.document.of(Surface)
        points = item.shape.points
        middle = self.pixel(points[points.shape[0] // 2, points.shape[1] // 2])
        self.click(middle)
        self.drag(middle, middle - QPoint(0, 12))
        QTest.mouseRelease(self.view, Qt.MouseButton.LeftButton, pos=middle - QPoint(0, 12))
        self.until(lambda: path.stage == 2)
        self.key(Qt.Key.Key_1)
        self.until(lambda: path.stage == 3)
        self.key(Qt.Key.Key_E, CTRL)
        written = self.folder / "first.step"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(written), "")):
            self.key(Qt.Key.Key_Return)
        self.until(lambda: path.now is None)
        self.assertTrue(written.exists())
        self.assertEqual(card.heading.text(), "Done")
        QTest.mouseClick(card.leave_button, Qt.MouseButton.LeftButton)
        self.assertFalse(card.isVisible())

    def test_left_in_the_middle_it_is_not_offered_again(self) -> None:
        self.begin()
        QTest.mouseClick(self.window.guide_card.leave_button, Qt.MouseButton.LeftButton)
        self.assertFalse(self.window.guide_card.isVisible())
        self.assertEqual(self.window.minute.parts, [])
        self.session.work.give_up()
        self.window.files.new_project()
        self.window._offer()
        self.assertNotIn(LED, self.window.start_page.buttons)
        self.assertIn("first-minute", {command.id for command in self.window.commands.all()})
