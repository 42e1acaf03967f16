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
        self.adjustSize()
        self._full = self.width()

    def fit_into(self, width: int) -> None:
        """Leave the words of those with an icon out where there is no room for them."""
        style = Qt.ToolButtonStyle.ToolButtonTextBesideIcon
        if width < self._full + 16:
            style = Qt.ToolButtonStyle.ToolButtonIconOnly
        for button in self._buttons:
            if not button.icon().isNull():
                button.setToolButtonStyle(style)
        self.adjustSize()
