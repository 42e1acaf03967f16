"""The first page: earlier work that was not closed, recent files, and ways to begin."""

from __future__ import annotations

import time
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from arabesque.desk.plain import Words, hint
from arabesque.model import Leftover

WAYS = (
    ("Scan", "lay a scan square"),
    ("Shape", "lay the first patch"),
    ("Deliver", "report how it fits"),
)
"""The cards of a first start: title, and what comes next there."""


class StartPage(QWidget):
    """A card in the middle of the empty view."""

    taken_up = pyqtSignal(object)
    given_up = pyqtSignal(object)
    opened = pyqtSignal(object)

    def __init__(self, actions: list[QAction], ways: list[QAction], minute: QAction, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._actions, self._ways, self._minute = actions, ways, minute
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(28, 22, 28, 22)
        self._layout.setSpacing(8)
        self.buttons: dict[str, QPushButton] = {}

    def fill(self, leftovers: list[Leftover], recent: list[Path], unreadable: list[Path], led: bool = False) -> None:
        """Show what there is to go on with.

        unreadable: journals that were set aside. led: the guided path is offered.
        """
        self.buttons.clear()
        _empty(self._layout)
        if leftovers:
            self._heading("Work that was not closed")
            for leftover in leftovers[:3]:
                self._leftover(leftover)
        if unreadable:
            self._heading("Journals that could not be read in full")
            self._layout.addWidget(_faint("They are kept. Ask for help with them, or delete them by hand:"))
            for folder in unreadable[-2:]:
                line = _faint(str(folder))
                line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                self._layout.addWidget(line)
        title = Words("Drop a scan here")
        title.setObjectName("title")
        self._layout.addWidget(title)
        self._layout.addWidget(_faint("STL, OBJ or PLY; a project works too. Or begin with:"))
        row = QHBoxLayout()
        for action in self._actions:
            row.addWidget(self._button(action.text(), action.trigger))
        self._layout.addLayout(row)
        if not recent and not leftovers:
            self._heading("Or see how it goes, on the demo")
            cards = QHBoxLayout()
            for action, (word, next_step) in zip(self._ways, WAYS, strict=True):
                cards.addWidget(self._card(word, next_step, action))
            self._layout.addLayout(cards)
            if led:
                button = self._button("Or be led through it in one minute", self._minute.trigger)
                button.setToolTip(hint(self._minute.toolTip()))
                self._layout.addWidget(button)
        if recent:
            self._heading("Recent")
            for path in recent[:4]:
                button = self._button(path.name, partial(self.opened.emit, path))
                button.setToolTip(hint(str(path)))
                self._layout.addWidget(button)
        self.adjustSize()

    def _leftover(self, leftover: Leftover) -> None:
        name = Path(leftover.project).name if leftover.project else "an unsaved project"
        when = time.strftime("%A %H:%M", time.localtime(leftover.written))
        steps = f"{leftover.steps} state{'' if leftover.steps == 1 else 's'}"
        self._layout.addWidget(Words(f"{name}, {when}"))
        self._layout.addWidget(_faint(f"{steps}, the last: {leftover.label}"))
        row = QHBoxLayout()
        go_on = self._button("Go on with it", partial(self.taken_up.emit, leftover))
        go_on.setObjectName("apply")
        row.addWidget(go_on)
        row.addWidget(self._button("Give it up", partial(self.given_up.emit, leftover)))
        row.addStretch()
        self._layout.addLayout(row)
        self._layout.addSpacing(8)

    def _card(self, title: str, line: str, action: QAction) -> QPushButton:
        card = self._button(f"{title}\n{line}", action.trigger)
        card.setObjectName("way")
        card.setAccessibleName(action.text())
        card.setToolTip(hint(action.toolTip()))
        return card

    def _heading(self, text: str) -> None:
        heading = Words(text)
        heading.setObjectName("heading")
        self._layout.addWidget(heading)

    def _button(self, text: str, run: object) -> QPushButton:
        button = QPushButton(text)
        button.clicked.connect(lambda *_: run())  # type: ignore[operator]
        self.buttons[text] = button
        return button


def _faint(text: str) -> QLabel:
    label = Words(text)
    label.setObjectName("faint")
    return label


def _empty(layout: QVBoxLayout | QHBoxLayout) -> None:
    while (entry := layout.takeAt(0)) is not None:
        widget, inner = entry.widget(), entry.layout()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif isinstance(inner, QVBoxLayout | QHBoxLayout):
            _empty(inner)
