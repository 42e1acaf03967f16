"""The look chips over the view: how scans are shown, and the glances."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget


class Chips(QWidget):
    """A row of small switches, lying over the top of the view."""

    def __init__(self, groups: list[list[QAction]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("chips")
        self.setAccessibleName("Looks")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(4, 2, 4, 2)
        layout.setSpacing(2)
        self._buttons: list[QToolButton] = []
        for number, group in enumerate(groups):
            if number:
                layout.addSpacing(12)
            for action in group:
                button = QToolButton()
                button.setDefaultAction(action)
                button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
                button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                layout.addWidget(button)
                self._buttons.append(button)
        self._words = {button: button.defaultAction().iconText() for button in self._buttons}
        self.adjustSize()

    def fit_into(self, width: int) -> None:
        """Where there is no room for all words: first those beside icons go, then those beside keys."""
        for level in range(3):
            for button in self._buttons:
                self._show(button, level)
            self.adjustSize()
            if self.width() + 16 <= width:
                return

    def _show(self, button: QToolButton, level: int) -> None:
        if not button.icon().isNull():
            style = Qt.ToolButtonStyle
            button.setToolButtonStyle(style.ToolButtonIconOnly if level else style.ToolButtonTextBesideIcon)
            return
        words = self._words[button]
        text = words.split()[0] if level == 2 else words
        action = button.defaultAction()
        if action.iconText() != text:
            action.setIconText(text)
