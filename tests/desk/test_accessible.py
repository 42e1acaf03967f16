"""For everyone: names for assistive tools, a focus that is seen, large text, menus by keyboard alone."""

from __future__ import annotations

import subprocess
import sys
import unittest

import numpy as np
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QScrollArea,
    QScrollBar,
    QToolButton,
    QWidget,
)

from arabesque.desk.panels.path_bar import ToolButton
from arabesque.desk.settings import TextSize
from arabesque.desk.steps import Step
from arabesque.desk.tools import TOOLS
from arabesque.desk.tools.deliver.report import WriteReport
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.tools.preferences import Preferences
from arabesque.model import Document, Item
from tests.desk.assistive import Bus, Seen
from tests.desk.support import ALT, WindowTest
from tests.examples import heron, random_surface

BORDERS = 12
"""Pixels of padding and border of a tool."""
ICON_ONLY = Qt.ToolButtonStyle.ToolButtonIconOnly
CONTROLS = frozenset({
    "push button", "toggle button", "check box", "radio button", "combo box", "text", "spin button", "slider", "list",
    "list item", "tree", "tree table", "tree item", "table", "table cell", "menu", "menu item", "check menu item",
    "progress bar", "label", "link", "document text",
})  # fmt: skip
"""Roles, by the words of AT-SPI, whose things must be called something."""


class AssistiveTest(unittest.TestCase):
    """The tree that a screen reader walks, over the desktop's own bus, of a window in a process of its own."""

    def setUp(self) -> None:
        self.bus = Bus()
        self.bus.__enter__()
        self.addCleanup(self.bus.__exit__, None, None, None)
        command = [sys.executable, "-m", "tests.desk.accessible_window"]
        pipe = subprocess.PIPE
        self.process = subprocess.Popen(command, env=self.bus.environment, stdin=pipe, stdout=pipe, text=True)
        self.addCleanup(self.leave)
        self.answered("ready")
        self.program = self.bus.program()

    def leave(self) -> None:
        self.process.communicate("\n", timeout=30)

    def answered(self, word: str) -> None:
        assert self.process.stdout is not None
        self.assertEqual(self.process.stdout.readline().strip(), word)

    def ask(self, word: str) -> None:
        assert self.process.stdin is not None
        self.process.stdin.write(word + "\n")
        self.process.stdin.flush()
        self.answered(word)

    def named(self, seen: list[Seen]) -> None:
        nameless = [one for one in seen if one.role in CONTROLS and one.shows and not one.name.strip()]
        self.assertEqual(nameless, [])
        focusable = [one for one in seen if one.focusable and one.shows and not one.name.strip()]
        self.assertEqual(focusable, [])

    def test_every_control_has_role_and_name(self) -> None:
        """In the empty window, with items, in the form of every tool and in the guide."""
        empty = list(self.bus.walk(self.program))
        self.named(empty)
        names = {one.name for one in empty if one.role in CONTROLS}
        self.assertTrue({"Open a scan", "Prepare", "Find a command", "Or be led through it in one minute"} <= names)
        self.ask("demo")
        self.named(list(self.bus.walk(self.program)))
        inspector = self.bus.find(self.program, "Inspector")
        forms = 0
        for tool in TOOLS:
            with self.subTest(tool=tool.id):
                self.ask(tool.id)
                form = list(self.bus.walk(inspector))
                self.named(form)
                self.assertIn(tool.label, " ".join(one.name for one in form))
                forms += len(form)
        self.assertGreater(forms, 1000)
        self.ask("guide")
        self.named(list(self.bus.walk(self.program)))


class FocusTest(WindowTest):
    drawn = True

    def test_the_focus_is_seen_wherever_it_goes(self) -> None:
        """From control to control with Tab, through all of the window: each looks otherwise than without the focus."""
        document = Document().with_item(Item("scan", "heron clay", heron(25_000).scan))
        self.session.start(document.with_item(Item("patch", "Patch", random_surface((3, 3), (2, 2)))), None, "opened")
        self.window.resize(1280, 800)
        seen: set[str] = set()
        for kind in (MovePoints, WriteReport):
            self.window.hand.take_up(kind)
            self.idle()
            self.window.finder.setFocus()
            self.view.setFocus(Qt.FocusReason.TabFocusReason)
            for _ in range(120):
                widget = QApplication.focusWidget()
                assert widget is not None
                seen.add(type(widget).__name__)
                self.assertTrue(
                    self.shows(widget),
                    f"{type(widget).__name__} {widget.accessibleName()} {getattr(widget, 'text', str)()}",
                )
                QTest.keyClick(widget, Qt.Key.Key_Tab)
                if QApplication.focusWidget() is self.view:
                    break
            self.assertIs(QApplication.focusWidget(), self.view, "Tab never came back")
        kinds = {"View", "QToolButton", "ToolButton", "QComboBox", "QLineEdit", "QCheckBox", "QPushButton", "_Tree"}
        self.assertLessEqual(kinds, seen)

    def shows(self, widget: QWidget) -> bool:
        """True when the pixels round a control are others than without the focus, which it gets back."""
        around = QRect(widget.mapTo(self.window, widget.rect().topLeft()), widget.size()).adjusted(-3, -3, 3, 3)
        QTest.qWait(15)
        with_focus = pixels(self.window.grab(around).toImage())
        widget.clearFocus()
        QTest.qWait(15)
        without = pixels(self.window.grab(around).toImage())
        widget.setFocus(Qt.FocusReason.TabFocusReason)
        return int((np.abs(with_focus.astype(int) - without).max(axis=2) > 24).sum()) >= 12


class TextTest(WindowTest):
    fresh = True

    def test_large_text_is_not_cut(self) -> None:
        """At 150 %, in a window of 1280 x 800: every step, and the form of every tool."""
        self.assertEqual(float(TextSize.LARGEST.value), 1.5 * float(TextSize.USUAL.value))
        self.settings.choose(TextSize.LARGEST)
        self.window._dress()
        self.addCleanup(self.window._dress)
        self.addCleanup(self.settings.choose, TextSize.USUAL)
        self.window.resize(1280, 800)
        QTest.qWait(50)
        self.assertEqual(self.cut(self.window), [])
        document = Document().with_item(Item("scan", "heron clay", heron(25_000).scan))
        self.session.start(document.with_item(Item("patch", "Patch", random_surface((3, 3), (2, 2)))), None, "opened")
        self.idle()
        for step in Step:
            self.window.hand.go_to(step)
            QTest.qWait(20)
            self.assertEqual(self.cut(self.window), [], step)
        for tool in [*TOOLS, Preferences]:
            with self.subTest(tool=tool.id):
                self.window.hand.take_up(tool)
                QTest.qWait(20)
                self.assertEqual(self.cut(self.window.inspector), [])
        self.assertLessEqual(self.window.width(), 1280)

    def test_no_tool_is_cut_at_the_usual_size(self) -> None:
        """Icon, word and what lies round them fit the column of each step; the view keeps its share beside it."""
        self.window.resize(1280, 800)
        for step in Step:
            self.window.hand.go_to(step)
            QTest.qWait(20)
            self.assertEqual(self.window.tool_column.verticalScrollBar().maximum(), 0, step)
            for button in self.window.tool_column.findChildren(ToolButton):
                words = button.fontMetrics().horizontalAdvance(button.text().split("\n")[0])
                beside = button.objectName() == "line"
                wanted = words + (button.iconSize().width() + 4 if beside else 0) + BORDERS
                if button.isVisible():
                    self.assertGreaterEqual(button.width(), wanted, button.text())

    def cut(self, within: QWidget) -> list[str]:
        """What does not have the room that its text needs."""
        found = []
        for widget in within.findChildren(QWidget):
            if not widget.isVisible():
                continue
            if isinstance(widget, QLabel) and widget.text():
                if widget.wordWrap():
                    room = widget.height() + 2 >= widget.heightForWidth(widget.width())
                else:
                    room = widget.width() + 1 >= widget.sizeHint().width()
                words = widget.text()
            elif isinstance(widget, QAbstractButton) and widget.text():
                if isinstance(widget, QToolButton) and widget.toolButtonStyle() is ICON_ONLY:
                    continue
                wanted = widget.sizeHint() if isinstance(widget, QToolButton) else widget.minimumSizeHint()
                room = widget.width() + 1 >= wanted.width() and widget.height() + 1 >= wanted.height()
                words = widget.text()
            elif isinstance(widget, QComboBox):
                words = max((widget.itemText(n) for n in range(widget.count())), key=len)
                wide = widget.fontMetrics().horizontalAdvance(words) + 28
                room = widget.height() >= widget.fontMetrics().height() and widget.width() >= wide
            elif isinstance(widget, QLineEdit) and not isinstance(widget.parent(), QAbstractSpinBox | QComboBox):
                words = widget.text() or widget.placeholderText()
                room = widget.width() >= widget.fontMetrics().horizontalAdvance(words[:24]) + 8
            else:
                continue
            if not room or not self.reached(widget):
                found.append(f"{type(widget).__name__}: {words}")
        return found

    def reached(self, widget: QWidget) -> bool:
        """True when no edge of what holds it cuts it off sideways; upwards one scrolls."""
        area: QWidget | None = widget.parentWidget()
        while area is not None and not isinstance(area, QScrollArea):
            if isinstance(area, QScrollBar):
                return True
            area = area.parentWidget()
        room = self.window if area is None else area
        left = widget.mapTo(room, widget.rect().topLeft()).x()
        return left >= -1 and left + widget.width() <= room.width() + 1


class MenuTest(WindowTest):
    def test_every_tool_by_keyboard_alone(self) -> None:
        """Alt and the letter of the menu, arrows, Enter: the tool is in the hand; F10 opens the first menu."""
        document = Document().with_item(Item("scan", "heron clay", heron(25_000).scan))
        self.session.start(document.with_item(Item("patch", "Patch", random_surface((3, 3), (2, 2)))), None, "opened")
        self.idle()
        bar = self.window.menuBar()
        assert bar is not None
        self.key(Qt.Key.Key_F10)
        first = QApplication.activePopupWidget()
        assert first is not None
        QTest.keyClick(first, Qt.Key.Key_Escape)
        QTest.keyClick(bar, Qt.Key.Key_Escape)
        taken = 0
        for tool in TOOLS:
            action = self.window.commands[tool.id]
            if not action.isEnabled() or tool.id in ("open-scan", "export"):
                continue
            with self.subTest(tool=tool.id):
                self.window.hand.lay_down()
                title = next(one.text() for one in bar.actions() if one.text().replace("&", "") == tool.step.title)
                self.key(title[title.index("&") + 1].upper(), ALT)
                menu = QApplication.activePopupWidget()
                assert menu is not None
                for _ in menu.actions():
                    if menu.activeAction() is action:  # type: ignore[attr-defined]
                        break
                    QTest.keyClick(menu, Qt.Key.Key_Down)
                QTest.keyClick(menu, Qt.Key.Key_Return)
                self.assertIs(type(self.window.hand.tool), tool)
                taken += 1
        self.assertGreater(taken, 60)


def pixels(image: QImage) -> np.ndarray:
    """(h, w, 3) colours 0 to 255."""
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = image.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8).reshape(image.height(), -1)
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3)
