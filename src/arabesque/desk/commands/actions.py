"""Menus, shortcuts and buttons, all made from the list of commands."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar, QWidget

from arabesque.desk.commands.command import Command, State
from arabesque.desk.desk import Desk
from arabesque.desk.icons import icon
from arabesque.desk.steps import Step


def _two_lines(label: str) -> str:
    """A label for a narrow button: broken in the middle when it is long."""
    if len(label) < 13:
        return label
    words = label.split(" ")
    middle = (len(words) + 1) // 2
    return " ".join(words[:middle]) + "\n" + " ".join(words[middle:])


_MENUS = {name.replace("&", ""): name for name in (
    "&File", "&Edit", "&Prepare", "&Trace", "P&atch", "&Cage", "&Body", "Chec&k", "&Deliver", "&View", "&Help",
)}  # fmt: skip
"""The menus with the letter that opens each with Alt."""


class Commands:
    """Turns commands into actions that follow the state of the work."""

    def __init__(self, window: QWidget, desk: Desk, commands: Iterable[Command]) -> None:
        self._desk = desk
        self._state: State | None = None
        self._step: Step | None = None
        self._commands: dict[str, tuple[Command, QAction]] = {}
        for command in commands:
            self._commands[command.id] = command, self._action(window, command)

    def _action(self, window: QWidget, command: Command) -> QAction:
        action = QAction(command.label, window)
        if command.shortcut and command.step is None:
            action.setShortcut(QKeySequence(command.shortcut))
        if command.short or command.icon:
            action.setIconText(command.short or _two_lines(command.label))
        if command.icon:
            action.setIcon(icon(command.icon))
        where = "" if command.step is None else f" in {command.step.title}"
        keys = f"  ({command.shortcut}{where})" if command.shortcut else ""
        action.setToolTip(f"{command.hint}{keys}")
        action.setStatusTip(command.hint)
        action.setCheckable(command.on is not None)
        action.triggered.connect(lambda *_: self._run(command, action))
        window.addAction(action)
        return action

    def _run(self, command: Command, action: QAction) -> None:
        command.run(self._desk)
        if command.on is not None:
            # it was turned over by the click itself, though a tool taken up again is still in the hand
            action.setChecked(command.on(State.of(self._desk)))

    def __getitem__(self, command_id: str) -> QAction:
        return self._commands[command_id][1]

    def all(self) -> list[Command]:
        """Every command, in the order of the menus."""
        return [command for command, _ in self._commands.values()]

    def show_step(self, step: Step) -> None:
        """Give the letters to the commands of another work step."""
        self._step = step
        for command, action in self._commands.values():
            if command.step is not None and command.shortcut:
                keys = command.shortcut if step is command.step or step in command.also else ""
                action.setShortcut(QKeySequence(keys))

    def dress(self) -> None:
        """Draw the icons anew in the colours of the theme."""
        for command, action in self._commands.values():
            if command.icon:
                action.setIcon(icon(command.icon))

    def refresh(self) -> None:
        """Ask every command whether it can be used now, and whether it is on, if the state is another one."""
        state = State.of(self._desk)
        if state == self._state:
            return
        self._state = state
        for command, action in self._commands.values():
            action.setEnabled(command.possible(state))
            if command.on is not None:
                action.setChecked(command.on(state))

    def fill(self, bar: QMenuBar) -> dict[str, QMenu]:
        """Make the menus; returns them by name."""
        menus: dict[str, QMenu] = {}
        for command, action in self._commands.values():
            if command.menu:
                if command.menu not in menus:
                    menu = bar.addMenu(_MENUS.get(command.menu, command.menu))
                    assert menu is not None
                    menu.setToolTipsVisible(True)
                    menus[command.menu] = menu
                menus[command.menu].addAction(action)
        return menus
