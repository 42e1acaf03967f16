"""Every command, registered once: menus, shortcuts and buttons are all made from this."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import qtawesome
from PyQt6.QtGui import QAction, QIcon, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar, QWidget

from arabesque.desk import theme


@dataclass(frozen=True)
class Command:
    """Something the user can do.

    menu: where it stands, "" to leave it out of the menus; enabled: asked whenever something changes;
    checked: for commands that switch something, whether it is on. short: the label for a small button.
    """

    id: str
    label: str
    hint: str
    run: Callable[[], object]
    menu: str = ""
    shortcut: str = ""
    icon: str = ""
    enabled: Callable[[], bool] = lambda: True
    checked: Callable[[], bool] | None = None
    short: str = ""


def icon(name: str) -> QIcon:
    """An icon of the shipped set, in the colours of the theme."""
    t = theme.now()
    return qtawesome.icon(name, color=t.ink, color_disabled=t.faint, color_active=t.accent)


def _two_lines(label: str) -> str:
    """A label for a narrow button: broken in the middle when it is long."""
    if len(label) < 13:
        return label
    words = label.split(" ")
    middle = (len(words) + 1) // 2
    return " ".join(words[:middle]) + "\n" + " ".join(words[middle:])


class Commands:
    """The registry: turns commands into actions that follow the state of the work."""

    def __init__(self, window: QWidget) -> None:
        self._window = window
        self._commands: dict[str, tuple[Command, QAction]] = {}

    def add(self, command: Command) -> QAction:
        """Register a command; its shortcut works at once."""
        action = QAction(command.label, self._window)
        if command.shortcut:
            action.setShortcut(QKeySequence(command.shortcut))
        if command.short or command.icon:
            action.setIconText(command.short or _two_lines(command.label))
        if command.icon:
            action.setIcon(icon(command.icon))
        keys = f"  ({command.shortcut})" if command.shortcut else ""
        action.setToolTip(f"{command.hint}{keys}")
        action.setStatusTip(command.hint)
        action.setCheckable(command.checked is not None)
        action.triggered.connect(lambda *_: command.run())
        self._window.addAction(action)
        self._commands[command.id] = command, action
        return action

    def __getitem__(self, command_id: str) -> QAction:
        return self._commands[command_id][1]

    def all(self) -> list[Command]:
        """Every command, in the order of registration."""
        return [command for command, _ in self._commands.values()]

    def dress(self) -> None:
        """Draw the icons anew in the colours of the theme."""
        for command, action in self._commands.values():
            if command.icon:
                action.setIcon(icon(command.icon))

    def refresh(self) -> None:
        """Ask every command whether it can be used now, and whether it is on."""
        for command, action in self._commands.values():
            action.setEnabled(command.enabled())
            if command.checked is not None:
                action.setChecked(command.checked())

    def fill(self, bar: QMenuBar) -> dict[str, QMenu]:
        """Make the menus; returns them by name."""
        menus: dict[str, QMenu] = {}
        for command, action in self._commands.values():
            if command.menu:
                if command.menu not in menus:
                    menu = bar.addMenu(command.menu)
                    assert menu is not None
                    menu.setToolTipsVisible(True)
                    menus[command.menu] = menu
                menus[command.menu].addAction(action)
        return menus
