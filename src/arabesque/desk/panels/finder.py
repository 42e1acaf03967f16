"""The command finder: type a few letters, see place and shortcut, Enter runs it."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QWidget

from arabesque.desk import theme
from arabesque.desk.commands.actions import Commands
from arabesque.desk.commands.command import Command

SPARE = 8
"""Pixels round the rows of the list."""
MOST_ROWS = 9


def matching(commands: list[Command], text: str) -> list[Command]:
    """Commands in whose label, hint or menu every typed word occurs; those whose label begins with it first."""
    words = text.lower().split()
    found = []
    for command in commands:
        label = command.label.lower()
        everything = f"{label} {command.hint.lower()} {command.menu.lower()}"
        if all(word in everything for word in words):
            in_label = sum(word in label for word in words)
            begins = bool(words) and any(part.startswith(words[0]) for part in label.split())
            found.append(((-in_label, not begins, label), command))
    return [command for _, command in sorted(found, key=lambda pair: pair[0])]


class Finder(QLineEdit):
    """A line at the right end of the path; its list drops below it."""

    def __init__(self, commands: Commands, window: QWidget) -> None:
        super().__init__()
        self._commands = commands
        self.setPlaceholderText("Find a command  (Ctrl+Space)")
        self.setAccessibleName("Find a command")
        self.setClearButtonEnabled(True)
        self.list = QListWidget(window)
        self.list.setObjectName("card")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.hide()
        self.list.itemClicked.connect(lambda _: self._run())
        self.textChanged.connect(self._show)

    def begin(self) -> None:
        """Take the keyboard."""
        self.setFocus()
        self.selectAll()
        self._show(self.text())

    def _show(self, text: str) -> None:
        if not self.hasFocus():
            return
        self.list.clear()
        for command in matching(self._commands.all(), text)[:MOST_ROWS]:
            action = self._commands[command.id]
            place = f"{command.menu} › " if command.menu else ""
            keys = f"   {command.shortcut}" if command.shortcut else ""
            item = QListWidgetItem(action.icon(), f"{place}{command.label.rstrip('…')}{keys}")
            item.setToolTip(command.hint)
            item.setData(Qt.ItemDataRole.UserRole, command.id)
            if not action.isEnabled():
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
            self.list.addItem(item)
        window = self.window()
        assert window is not None
        rows = sum(self.list.sizeHintForRow(row) for row in range(self.list.count()))
        self.list.resize(theme.scaled(340), (rows or theme.scaled(30)) + 2 * self.list.frameWidth() + SPARE)
        corner = self.mapTo(window, QPoint(self.width() - self.list.width(), self.height() + 2))
        self.list.move(corner)
        self.list.setCurrentRow(0)
        self.list.setVisible(self.list.count() > 0)
        self.list.raise_()

    def _run(self) -> None:
        item = self.list.currentItem()
        chosen = None
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            chosen = item.data(Qt.ItemDataRole.UserRole)
        self._leave()
        if chosen is not None:
            self._commands[chosen].trigger()

    def _leave(self) -> None:
        self.clear()
        self.list.hide()
        window = self.window()
        view = window.findChild(QWidget, "view") if window is not None else None
        if view is not None:
            view.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = event.key()
        if key == Qt.Key.Key_Escape:
            self._leave()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._run()
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if key == Qt.Key.Key_Down else -1
            self.list.setCurrentRow((self.list.currentRow() + step) % max(1, self.list.count()))
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.list.hide()
